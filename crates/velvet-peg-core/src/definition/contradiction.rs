//! Definitions that say two things: numbers of one system under the name, the code or an extension
//! of another. Where the two lie apart on the ground, neither is chosen.
//!
//! The everyday case is the Mercator projection of web maps (EPSG method 1024), which older notations
//! have no word for: its definitions are written with the words of the ellipsoidal Mercator, whose
//! northings differ by up to 43 km, and tell the truth by their name, code or extension alone.

use super::apart::apart_m;
use super::node::Node;
use crate::crs::Crs;
use crate::error::{Error, Kind, Result};
use velvet_peg_epsg::{CrsKind, CrsRow};

/// Readings that lie no farther apart are one: definitions round their numbers.
const APART_M: f64 = 0.5;

/// EPSG method code of the Mercator of web maps.
const WEB_MERCATOR: u32 = 1024;

/// The system of web maps.
const WEB_MAPS: u32 = 3857;

/// # Errors
/// If the text's name, code or extension stands for a system that lies elsewhere than what its
/// numbers say; the message names both.
pub(super) fn check(node: &Node, read: &Crs, found: Option<u32>) -> Result<()> {
    if read.kind() != CrsKind::Projected {
        return Ok(());
    }
    for (what, code) in claims(node, read) {
        // Numbers of no other system under its code or name are a system of one's own, made from that one.
        if Some(code) == found
            || (found.is_none() && matches!(what, "code" | "name") && code != WEB_MAPS)
        {
            continue;
        }
        let Ok(claimed) = Crs::from_epsg(code) else { continue };
        let Some(apart) = apart_m(&claimed, read) else { continue };
        if apart > APART_M {
            let numbers = match found {
                Some(code) => format!("EPSG:{code}"),
                None => "none of the registry".to_string(),
            };
            let apart = match apart {
                metres if metres < 1000.0 => format!("{metres:.1} m"),
                metres => format!("{:.0} km", metres / 1000.0),
            };
            return Err(Error::new(
                Kind::Ambiguous,
                format!(
                    "it says two things: its {what} is that of {}, and its numbers are those of \
                     {numbers}, which puts the same coordinates up to {apart} elsewhere. Which of \
                     the two the data is in has to be declared: EPSG:{code}{}",
                    claimed.label(),
                    found.map_or(String::new(), |found| format!(" or EPSG:{found}"))
                ),
            ));
        }
    }
    Ok(())
}

/// What the text says of its system beside its numbers: each with what says it, and the code.
fn claims(node: &Node, read: &Crs) -> Vec<(&'static str, u32)> {
    let mut claims = Vec::new();
    if let Some(code) = node.epsg() {
        claims.push(("code", code));
    }
    let named = CrsRow::current(CrsKind::Projected)
        .find(|row| row.name.eq_ignore_ascii_case(read.name().trim()));
    claims.extend(named.map(|row| ("name", row.code)));
    let method = read.conversion().map(|conversion| conversion.method_code);
    let mercator = method.is_some_and(|code| matches!(code, 9804 | 9805));
    if mercator && node.children("EXTENSION").any(is_sphere) {
        claims.push(("extension", WEB_MAPS));
    }
    // The name under which web maps are known, whatever stands around it.
    let plain: String = read.name().to_ascii_lowercase().replace(['-', '_', ' '], "");
    let web = ["pseudomercator", "webmercator"].iter().any(|name| plain.contains(name));
    if web && method != Some(WEB_MERCATOR) {
        claims.push(("name", WEB_MAPS));
    }
    claims
}

/// True for an extension that states two equal axes.
fn is_sphere(extension: &Node) -> bool {
    let texts = extension.parts.iter().filter_map(|part| match part {
        super::node::Part::Text(text) => Some(text.as_str()),
        _ => None,
    });
    texts.into_iter().any(|text| {
        let axis = |name: &str| {
            text.split_whitespace().find_map(|word| word.strip_prefix(name)?.parse::<f64>().ok())
        };
        matches!((axis("+a="), axis("+b=")), (Some(a), Some(b)) if a == b)
    })
}
