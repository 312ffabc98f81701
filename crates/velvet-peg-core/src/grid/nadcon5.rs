//! NADCON5 grids (`.b`), EPSG methods 1074 (2D) and 1075 (3D).
//!
//! Source: NOAA Technical Report NOS NGS 63 (2017). Records between their lengths: a header
//! (south, west, steps, rows, columns, kind), then the rows from south to north, each from
//! west to east. Latitude and longitude (eastward) in seconds, height in metres; biquadratic
//! interpolation.

use super::{Bytes, Nodes, Part, ShiftGrid, sound_size};
use crate::error::{Error, Result};

const HEADER_BYTES: i32 = 44;

struct Sheet {
    limits: [f64; 4],
    rows: usize,
    columns: usize,
    values: Vec<f32>,
}

pub(crate) fn parse(lat: &[u8], lon: &[u8], height: Option<&[u8]>) -> Result<ShiftGrid> {
    let (lat, lon) = (sheet(lat)?, sheet(lon)?);
    let height = height.map(sheet).transpose()?;
    let same = |other: &Sheet| {
        (other.limits, other.rows, other.columns) == (lat.limits, lat.rows, lat.columns)
    };
    if !same(&lon) || height.as_ref().is_some_and(|height| !same(height)) {
        return Err(Error::malformed("its grids do not cover the same area"));
    }
    let up = |at: usize| height.as_ref().map_or(0.0, |height| height.values[at]);
    let nodes = (0..lat.values.len()).map(|at| [lat.values[at], lon.values[at], up(at)]).collect();
    let [south, west, lat_step, lon_step] = lat.limits;
    let part = Part {
        name: "NADCON5".into(),
        parent: String::new(),
        south,
        west,
        lat_step,
        lon_step,
        rows: lat.rows,
        columns: lat.columns,
        nodes: Nodes::Triples(nodes),
    };
    Ok(ShiftGrid { parts: vec![part], quadratic: true, order_taken: false })
}

fn sheet(bytes: &[u8]) -> Result<Sheet> {
    let big_endian = bytes.starts_with(&HEADER_BYTES.to_be_bytes());
    let mut reader = Bytes { bytes, at: 0, big_endian };
    if reader.i32()? != HEADER_BYTES {
        return Err(Error::malformed("it does not begin with the header of a NADCON5 grid"));
    }
    let limits = [reader.f64()?, reader.f64()?, reader.f64()?, reader.f64()?];
    let (rows, columns, kind) = (reader.i32()?, reader.i32()?, reader.i32()?);
    reader.i32()?;
    if kind != 1 || !(limits[2] > 0.0 && limits[3] > 0.0) {
        return Err(Error::malformed(
            "its header is not one of a NADCON5 grid of single precision",
        ));
    }
    let (rows, columns) = sound_size(rows.into(), columns.into(), bytes.len() / 4)?;
    let mut values = Vec::with_capacity(rows * columns);
    for _ in 0..rows {
        reader.i32()?;
        for _ in 0..columns {
            values.push(reader.f32()?);
        }
        reader.i32()?;
    }
    Ok(Sheet { limits, rows, columns, values })
}
