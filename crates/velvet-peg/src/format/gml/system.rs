//! The reference system that `srsName` names, and the order of numbers that goes with the name.

use crate::format_support::crs_name::crs_of_name;
use velvet_peg_core::Crs;

/// What the name of a system says of the numbers.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct System {
    /// The same for every spelling of one system.
    pub(super) key: String,
    pub(super) crs: Option<Crs>,
    /// Northing, southing or latitude come first in the file.
    pub(super) turned: bool,
    /// The name leaves the order open, and the registry has another than x, y.
    pub(super) open_order: bool,
    /// Numbers of a place.
    pub(super) numbers: usize,
    /// Why the name cannot be used.
    pub(super) wrong: Option<String>,
}

/// Forms of names that take the order of the axes from the registry (OGC 07-092r3, OGC 09-048r5).
const ORDERED: [&str; 3] = ["urn:ogc:def:crs", "urn:x-ogc:def:crs", "www.opengis.net/def/crs"];

impl System {
    /// That of places of which no system is named.
    pub(super) fn unnamed() -> System {
        System {
            key: String::new(),
            crs: None,
            turned: false,
            open_order: false,
            numbers: 2,
            wrong: None,
        }
    }

    /// The system of a name.
    pub(super) fn named(name: &str) -> System {
        let lower = name.trim().to_ascii_lowercase();
        match crs_of_name(&lower) {
            Ok(crs) => {
                let ordered = ORDERED.iter().any(|form| lower.contains(form));
                // OGC 04-094: the systems of these names are longitude first.
                let longitude = lower.ends_with("crs84") || lower.ends_with("crs:84");
                let northing = crs.is_northing_first() && !longitude;
                // The elder addresses were always used with x, y.
                let elder = lower.contains("/gml/srs/");
                System {
                    key: crs.reference(),
                    turned: northing && ordered,
                    open_order: northing && !ordered && !elder,
                    numbers: crs.axes().len().clamp(2, 3),
                    crs: Some(crs),
                    wrong: None,
                }
            }
            Err(why) => System {
                key: lower,
                wrong: Some(format!(
                    "the reference system `{}` of the file cannot be used: {why}",
                    name.trim()
                )),
                ..System::unnamed()
            },
        }
    }
}
