//! Writing tables, and topologies, in the compact forms that are embedded.

// Not each of the generators writes all of them.
#![allow(dead_code)]

use serde_json::Value;
use std::collections::BTreeMap;
use std::error::Error;

/// Layout: scale and origin (4 doubles, little endian), arcs (count, then points as steps of
/// the topology's grid).
pub(crate) fn arcs(topology: &Value) -> Result<Vec<u8>, Box<dyn Error>> {
    let mut bytes = Vec::new();
    for key in ["scale", "translate"] {
        for at in 0..2 {
            let value = topology["transform"][key][at].as_f64().ok_or("no transform")?;
            bytes.extend(value.to_le_bytes());
        }
    }
    let arcs = topology["arcs"].as_array().ok_or("no arcs")?;
    number(&mut bytes, arcs.len() as u64);
    for arc in arcs {
        let points = arc.as_array().ok_or("no points")?;
        number(&mut bytes, points.len() as u64);
        for point in points {
            signed(&mut bytes, point[0].as_i64().ok_or("no step")?);
            signed(&mut bytes, point[1].as_i64().ok_or("no step")?);
        }
    }
    Ok(bytes)
}

/// Seven bits a byte, lowest first, high bit set while more follow.
pub(crate) fn number(bytes: &mut Vec<u8>, mut value: u64) {
    while value >= 0x80 {
        bytes.push(value as u8 | 0x80);
        value >>= 7;
    }
    bytes.push(value as u8);
}

/// A whole number with its sign in the lowest bit.
pub(crate) fn signed(bytes: &mut Vec<u8>, value: i64) {
    number(bytes, (value << 1 ^ value >> 63) as u64);
}

pub(crate) fn words(bytes: &mut Vec<u8>, value: &str) {
    number(bytes, value.len() as u64);
    bytes.extend(value.as_bytes());
}

/// Layout, little endian: a count, an index of codes and offsets, then the rows.
pub(crate) fn layout(table: &BTreeMap<u32, Vec<u8>>) -> Vec<u8> {
    let mut bytes = (table.len() as u32).to_le_bytes().to_vec();
    let mut offset = 0u32;
    for (code, row) in table {
        bytes.extend(code.to_le_bytes());
        bytes.extend(offset.to_le_bytes());
        offset += row.len() as u32;
    }
    table.values().for_each(|row| bytes.extend(row));
    bytes
}
