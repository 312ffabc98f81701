//! NTv2 grids (`.gsb`), EPSG method 9615.
//!
//! Source: Junkins & Farley (1995), "National Transformation Version 2 Developer's Guide".
//! Sixteen-byte records in either order of bytes; longitudes and their shifts count westward;
//! rows run from south to north and each from east to west.

use super::{Bytes, Nodes, Part, ShiftGrid, nodes_between, sound_size};
use crate::error::{Error, Result};

pub(crate) fn parse(bytes: &[u8]) -> Result<ShiftGrid> {
    if !bytes.starts_with(b"NUM_OREC") {
        return Err(Error::malformed("it does not begin with NUM_OREC, as NTv2 files do"));
    }
    let little = bytes.get(8..12).is_some_and(|raw| raw == 11i32.to_le_bytes());
    let mut reader = Bytes { bytes, at: 0, big_endian: !little };
    let head = |reader: &mut Bytes, wanted: &str| -> Result<i32> {
        let name = reader.text()?;
        let value = reader.i32()?;
        reader.take::<4>()?;
        if name != wanted {
            return Err(Error::malformed(format!(
                "{wanted} is expected at byte {}",
                reader.at - 16
            )));
        }
        Ok(value)
    };
    head(&mut reader, "NUM_OREC")?;
    head(&mut reader, "NUM_SREC")?;
    let files = head(&mut reader, "NUM_FILE")?;
    reader.text()?;
    let unit = reader.text()?;
    let to_seconds = match unit.as_str() {
        "SECONDS" => 1.0,
        "MINUTES" => 60.0,
        "DEGREES" => 3600.0,
        other => return Err(Error::malformed(format!("its shifts are in `{other}`"))),
    };
    // VERSION, SYSTEM_F, SYSTEM_T and four axes.
    reader.at = 11 * 16;
    let mut parts = Vec::new();
    for _ in 0..files {
        parts.push(part(&mut reader, to_seconds)?);
    }
    if parts.is_empty() {
        return Err(Error::malformed("it holds no grid"));
    }
    Ok(ShiftGrid { parts, quadratic: false, order_taken: false })
}

fn part(reader: &mut Bytes, to_seconds: f64) -> Result<Part> {
    let start = reader.at;
    if reader.text()? != "SUB_NAME" {
        return Err(Error::malformed(format!("SUB_NAME is expected at byte {start}")));
    }
    let name = reader.text()?;
    reader.text()?;
    let parent = reader.text()?;
    reader.at += 32; // CREATED and UPDATED
    let mut limits = [0.0; 6];
    for limit in &mut limits {
        reader.text()?;
        *limit = reader.f64()? * to_seconds / 3600.0;
    }
    let [south, north, east, west, lat_step, lon_step] = limits;
    reader.text()?;
    let count = reader.i32()?;
    reader.take::<4>()?;
    if !(lat_step > 0.0 && lon_step > 0.0) {
        return Err(Error::malformed(format!(
            "grid {name} has steps of {lat_step}° and {lon_step}°"
        )));
    }
    let left = reader.bytes.len().saturating_sub(reader.at) / 16;
    let rows = nodes_between(south, north, lat_step);
    let (rows, columns) = sound_size(rows, nodes_between(east, west, lon_step), left)?;
    if count as usize != rows * columns {
        return Err(Error::malformed(format!(
            "grid {name} announces {count} nodes, but its limits make {rows} rows of {columns}"
        )));
    }
    let mut nodes = vec![[0.0; 3]; rows * columns];
    for row in 0..rows {
        for column in (0..columns).rev() {
            let (lat, lon) = (reader.f32()?, reader.f32()?);
            reader.take::<8>()?; // accuracies
            let scale = to_seconds as f32;
            nodes[row * columns + column] = [lat * scale, -lon * scale, 0.0];
        }
    }
    Ok(Part {
        name,
        parent,
        south,
        west: -west,
        lat_step,
        lon_step,
        rows,
        columns,
        nodes: Nodes::Triples(nodes),
    })
}
