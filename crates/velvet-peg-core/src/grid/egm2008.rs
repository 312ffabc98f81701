//! EGM2008 (EPSG methods 1025 and 1092): heights of the geoid over the whole Earth in records of single
//! numbers, in either order of bytes.
//!
//! A record is a parallel from longitude 0 to the east, between two counts of its bytes; records go from the
//! North Pole to the South Pole. The number of columns follows from the first count, and that of rows
//! from the step that it means. Source: what the National Geospatial-Intelligence Agency says of the
//! grids of its model. A text under these methods (regional excerpts are) is read as a Gravsoft grid, an
//! ASCII grid or a list of nodes. Not compared with a file of a publisher's.

use super::heights::one_sheet;
use super::{Bytes, ShiftGrid, cells};
use crate::error::{Error, Result};

pub(super) fn parse(bytes: &[u8]) -> Result<ShiftGrid> {
    if bytes.starts_with(&[0x1f, 0x8b]) {
        return Err(Error::malformed("it is compressed: unpack it in the folder"));
    }
    if bytes.iter().take(512).all(|byte| byte.is_ascii_graphic() || byte.is_ascii_whitespace()) {
        return cells::parse(bytes);
    }
    [false, true].into_iter().find_map(|big_endian| records(bytes, big_endian)).unwrap_or_else(|| {
        Err(Error::malformed(
            "it is not made of records of a parallel each, from 90° N to 90° S, as its model is",
        ))
    })
}

/// None if the first count is no whole number of columns that fits the file.
fn records(bytes: &[u8], big_endian: bool) -> Option<Result<ShiftGrid>> {
    let count = Bytes { bytes, at: 0, big_endian }.i32().ok()?;
    let columns = usize::try_from(count).ok().filter(|count| count % 4 == 0 && *count >= 16)? / 4;
    let (rows, record) = (columns / 2 + 1, columns * 4 + 8);
    if columns % 2 != 0 || rows.checked_mul(record)? != bytes.len() {
        return None;
    }
    Some(read(bytes, big_endian, rows, columns))
}

fn read(bytes: &[u8], big_endian: bool, rows: usize, columns: usize) -> Result<ShiftGrid> {
    let mut reader = Bytes { bytes, at: 0, big_endian };
    // One column more, which is the first again: between the last and a whole turn there are places too.
    let wide = columns + 1;
    let mut heights = vec![f32::NAN; rows * wide];
    for row in (0..rows).rev() {
        let start = reader.at;
        let first = reader.i32()?;
        for node in &mut heights[row * wide..row * wide + columns] {
            *node = reader.f32()?;
        }
        heights[row * wide + columns] = heights[row * wide];
        if reader.i32()? != first || first as usize != columns * 4 {
            return Err(Error::malformed(format!(
                "the counts of the record at byte {start} do not agree"
            )));
        }
    }
    let step = 360.0 / columns as f64;
    Ok(one_sheet("EGM2008", (-90.0, 0.0), (step, step), (rows, wide), heights))
}
