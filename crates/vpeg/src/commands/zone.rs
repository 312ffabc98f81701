//! `vpeg zone`: the UTM and state-plane zones of a place, a county or a layer.

use crate::{Ending, reference, show};
use clap::Args;
use serde_json::{Value as Json, json};
use std::path::Path;
use velvet_peg::crs::zones_of_raster;
use velvet_peg::raster::{RasterFormat, RasterReader};
use velvet_peg::zones::{
    ZoneAnswer, county_named, zones_of_county, zones_of_layer, zones_of_place,
};
use velvet_peg::{Crs, Error, LayerReader, Notice};

#[derive(Debug, Args)]
pub(crate) struct Zone {
    /// A place ("47.4, -120.0", a grid reference, a UTM position), a county ("Douglas county,
    /// Washington") or a layer file.
    #[arg(value_name = "PLACE|FILE", required = true, num_args = 1.., allow_negative_numbers = true)]
    subject: Vec<String>,
}

impl Zone {
    pub(crate) fn run(&self) -> Result<Ending, Error> {
        let text = self.subject.join(" ");
        if Path::new(&text).is_file() {
            let path = Path::new(&text);
            if RasterFormat::of_file(path).is_some() {
                let raster = RasterReader::open(path)?;
                return answer(&zones_of_raster(&raster)?, &raster.info().notices, Counted::Places);
            }
            let reader = LayerReader::open(path, None)?;
            return answer(&zones_of_layer(&reader)?, &reader.notices, Counted::Features);
        }
        match reference::place_text(&text) {
            Ok((at, remark)) => {
                if let Some(remark) = remark {
                    show::remark(&remark);
                }
                let (zones, notices) = zones_of_place(at);
                answer(&zones, &notices, Counted::Features)
            }
            Err(unread) => match county_zones(&text) {
                Some(zones) => answer(&zones, &[], Counted::Features),
                None if text.chars().any(|c| c.is_ascii_digit()) => Err(unread),
                None => Err(Error::usage(format!(
                    "`{text}` is no file, no place and no county of the United States: write a \
                     county like \"Douglas county, Washington\" or a place like \"47.4, -120\", or \
                     name a layer file"
                ))),
            },
        }
    }
}

/// The zones of the counties that a text names.
fn county_zones(text: &str) -> Option<Vec<ZoneAnswer>> {
    let counties = county_named(text);
    let zones = counties.iter().flat_map(zones_of_county);
    (!counties.is_empty()).then(|| zones.collect())
}

/// What the counts of zones are of.
#[derive(Clone, Copy, PartialEq)]
enum Counted {
    Features,
    /// Places of a raster: what share of it lies in a zone.
    Places,
}

fn answer(zones: &[ZoneAnswer], notices: &[Notice], counted: Counted) -> Result<Ending, Error> {
    let total = |kind: &str| -> u64 {
        zones.iter().filter(|zone| zone.kind == kind).filter_map(|zone| zone.features).sum()
    };
    let share = |zone: &ZoneAnswer, count: u64| count as f64 / total(zone.kind).max(1) as f64;
    if show::wants_json() {
        let list: Vec<Json> = zones
            .iter()
            .map(|zone| {
                let of = |what| zone.features.filter(|_| counted == what);
                json!({
                    "kind": zone.kind, "name": zone.name, "county": zone.county,
                    "systems": zone.systems.iter().map(Crs::reference).collect::<Vec<_>>(),
                    "edge_m": zone.edge_m.map(f64::round),
                    "features": of(Counted::Features),
                    "share": of(Counted::Places).map(|count| share(zone, count)),
                })
            })
            .collect();
        show::json(&json!({
            "zones": list, "notices": show::notices_as_json(notices),
        }))?;
        return Ok(Ending::Done);
    }
    let layer = zones.iter().any(|zone| zone.features.is_some());
    let last = match counted {
        Counted::Places => "share",
        Counted::Features if layer => "features",
        Counted::Features => "nearest edge",
    };
    // Of a county no edge is measured.
    let measured = zones.iter().any(|zone| zone.features.is_some() || zone.edge_m.is_some());
    let head = ["kind", "zone", "county", "systems"].into_iter().chain(measured.then_some(last));
    let mut table = show::Table::with_header(head.map(String::from).collect());
    for zone in zones {
        let systems: Vec<String> = zone
            .systems
            .iter()
            .map(|crs| format!("{} ({})", crs.reference(), crs.unit_plural()))
            .collect();
        let measure = match (zone.features, zone.edge_m) {
            (Some(count), _) => {
                let percent = 100.0 * share(zone, count);
                match counted {
                    Counted::Features => format!("{count} ({percent:.1} %)"),
                    Counted::Places => format!("{percent:.0} %"),
                }
            }
            (None, Some(metres)) => format!("{:.1} km", metres / 1000.0),
            (None, None) => String::new(),
        };
        let county = zone.county.clone().unwrap_or_default();
        let cells = [zone.kind.to_string(), zone.name.clone(), county, systems.join(", ")];
        table.row(cells.into_iter().chain(measured.then_some(measure)).collect());
    }
    show::answer(&table.text())?;
    show::notices(notices);
    Ok(Ending::Done)
}
