//! AUSGeoid98 (EPSG method 9662): a sheet of the 1:250,000 maps of Australia as text.
//!
//! A line for each node begins with `GEO`: the height of the geoid in metres, latitude and longitude in
//! degrees, minutes and seconds behind `S` and `E`, and two deflections of the vertical. Lines that begin
//! otherwise are titles or the page that the sheet was published on. Source: what Geoscience Australia
//! says of the model; not compared with a file of a publisher's.

use super::ShiftGrid;
use super::height_text::text;
use super::node_list::grid;
use crate::error::{Error, Result};

pub(super) fn parse(bytes: &[u8]) -> Result<ShiftGrid> {
    let mut places = Vec::new();
    let mut values = Vec::new();
    for (at, line) in text(bytes)?.lines().enumerate() {
        let Some(record) = line.trim_start().strip_prefix("GEO") else { continue };
        let (place, value) = node(record).ok_or_else(|| {
            Error::malformed(format!("line {} is no node of a height, S and E", at + 1))
        })?;
        places.push(place);
        values.push(value);
    }
    if places.is_empty() {
        return Err(Error::malformed("it has no line that begins with GEO"));
    }
    Ok(grid("list", &places)?.of_heights("AUSGeoid98", values))
}

/// Latitude and longitude in degrees, and the height.
fn node(record: &str) -> Option<((f64, f64), f32)> {
    let (height, rest) = record.split_once(['S', 'N'])?;
    let south = record[height.len()..].starts_with('S');
    let (lat, rest) = rest.split_once(['E', 'W'])?;
    let east = record[record.len() - rest.len() - 1..].starts_with('E');
    let sexagesimal = |text: &str| {
        let mut parts = text.split_whitespace().map_while(|word| word.parse::<f64>().ok());
        Some(parts.next()? + parts.next()? / 60.0 + parts.next()? / 3600.0)
    };
    let (lat, lon) = (sexagesimal(lat)?, sexagesimal(rest)?);
    let place = (if south { -lat } else { lat }, if east { lon } else { -lon });
    Some((place, height.trim().parse().ok()?))
}
