//! NADCON grids (`.las` for latitude, `.los` for longitude), EPSG method 9613.
//!
//! Source: Dewhurst (1990), NOAA Technical Memorandum NOS NGS-50. Records of one number more
//! than the grid has columns: a header, then the rows from south to north, each from west to
//! east behind a number of its own. Seconds; the shift in longitude counts westward.

use super::heights::one_sheet;
use super::{Bytes, Nodes, Part, ShiftGrid, sound_size};
use crate::error::{Error, Result};

struct Sheet {
    rows: usize,
    columns: usize,
    west: f64,
    lon_step: f64,
    south: f64,
    lat_step: f64,
    values: Vec<f32>,
}

pub(crate) fn parse(lat: &[u8], lon: &[u8]) -> Result<ShiftGrid> {
    let (lat, lon) = (sheet(lat)?, sheet(lon)?);
    if (lat.rows, lat.columns, lat.west, lat.south) != (lon.rows, lon.columns, lon.west, lon.south)
    {
        return Err(Error::malformed(
            "the grids of latitude and longitude do not cover the same area",
        ));
    }
    let nodes = lat.values.iter().zip(&lon.values).map(|(lat, lon)| [*lat, -*lon, 0.0]).collect();
    let part = Part {
        name: "NADCON".into(),
        parent: String::new(),
        south: lat.south,
        west: lat.west,
        lat_step: lat.lat_step,
        lon_step: lat.lon_step,
        rows: lat.rows,
        columns: lat.columns,
        nodes: Nodes::Triples(nodes),
    };
    Ok(ShiftGrid { parts: vec![part], quadratic: false, order_taken: false })
}

fn sheet(bytes: &[u8]) -> Result<Sheet> {
    let mut reader = Bytes { bytes, at: 64, big_endian: false };
    let (columns, rows) = (reader.i32()?, reader.i32()?);
    reader.i32()?;
    let mut number = || reader.f32().map(f64::from);
    let (west, lon_step, south, lat_step) = (number()?, number()?, number()?, number()?);
    let (rows, columns) = sound_size(rows.into(), columns.into(), bytes.len() / 4)?;
    if !(lat_step > 0.0 && lon_step > 0.0 && south.abs() <= 90.0) {
        return Err(Error::malformed("its header is not one of a NADCON grid"));
    }
    let record = (columns + 1) * 4;
    let mut values = Vec::with_capacity(rows * columns);
    for row in 0..rows {
        reader.at = record * (row + 1) + 4;
        for _ in 0..columns {
            values.push(reader.f32()?);
        }
    }
    Ok(Sheet { rows, columns, west, lon_step, south, lat_step, values })
}

/// A grid of differences of heights in the layout of NADCON (VERTCON, EPSG method 9658).
///
/// What is known of these files says millimetres, and the dataset's example is in metres; no two datums of
/// heights are 20 m apart, and no grid of differences stays below 20 mm: the values tell the unit.
pub(crate) fn vertcon(bytes: &[u8]) -> Result<ShiftGrid> {
    const FARTHEST_M: f32 = 20.0;
    let sheet = sheet(bytes)?;
    let highest = sheet.values.iter().fold(0.0f32, |high, value| high.max(value.abs()));
    let to_metres = if highest > FARTHEST_M { 1e-3 } else { 1.0 };
    let heights = sheet.values.iter().map(|value| value * to_metres).collect();
    let (corner, steps) = ((sheet.south, sheet.west), (sheet.lat_step, sheet.lon_step));
    Ok(one_sheet("VERTCON", corner, steps, (sheet.rows, sheet.columns), heights))
}
