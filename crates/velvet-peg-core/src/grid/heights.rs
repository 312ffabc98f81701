//! Grids of heights of a geoid, or of a height correction, above an ellipsoid.
//!
//! NGS `.bin` (EPSG method 1134): a header of 44 bytes with the south-western node, the steps and the
//! numbers of rows and columns, and a mark that tells the order of bytes; then single numbers, rows
//! from south to north, each from west to east. Source: what the National Geodetic Survey says of the
//! grids of its geoid models. `.gtx` (EPSG method 9665): a header of 40 bytes with the same, without
//! the mark, big-endian; −88.8888 where there is no value. Source: what the registry says of the
//! method and its publisher of the layout. NRCan `.byn` (1060, 1090): a header of 80 bytes with the
//! limits in seconds, the steps, and the factor that the nodes, whole numbers of two or four bytes,
//! are multiplied by; rows from north to south; source: what Natural Resources Canada says of its
//! models. AUSGeoid `.gsb` (1048, 1083): NTv2 with the height where the shift of latitude stands.
//! None was compared with a file of a publisher's: tests make their own.

use super::{Bytes, Nodes, Part, ShiftGrid, nodes_between, sound_size};
use crate::error::{Error, Result};

/// What stands in a `.gtx` where there is no value.
const NO_VALUE: f32 = -88.8888;

/// A `.bin` of the National Geodetic Survey, in either order of bytes.
pub(super) fn ngs(bytes: &[u8]) -> Result<ShiftGrid> {
    let kind = |big_endian: bool| Bytes { bytes, at: 40, big_endian }.i32();
    let big_endian = match (kind(false)?, kind(true)?) {
        (1, _) => false,
        (_, 1) => true,
        _ => return Err(Error::malformed("its header is not one of a grid of heights")),
    };
    let mut reader = Bytes { bytes, at: 0, big_endian };
    let header = Header::read(&mut reader)?;
    reader.i32()?;
    header.grid("NGS", reader)
}

/// A `.gtx`.
pub(super) fn gtx(bytes: &[u8]) -> Result<ShiftGrid> {
    let mut reader = Bytes { bytes, at: 0, big_endian: true };
    let header = Header::read(&mut reader)?;
    header.grid("gtx", reader)
}

struct Header {
    south: f64,
    west: f64,
    lat_step: f64,
    lon_step: f64,
    rows: i32,
    columns: i32,
}

impl Header {
    fn read(reader: &mut Bytes<'_>) -> Result<Header> {
        let mut number = || reader.f64();
        let (south, west, lat_step, lon_step) = (number()?, number()?, number()?, number()?);
        let (rows, columns) = (reader.i32()?, reader.i32()?);
        let sound = south.abs() <= 90.0
            && west.abs() <= 360.0
            && (1e-6..=90.0).contains(&lat_step)
            && (1e-6..=90.0).contains(&lon_step);
        match sound {
            true => Ok(Header { south, west, lat_step, lon_step, rows, columns }),
            false => Err(Error::malformed("its header is not one of a grid of heights")),
        }
    }

    fn grid(self, name: &str, mut reader: Bytes<'_>) -> Result<ShiftGrid> {
        let left = (reader.bytes.len() - reader.at) / 4;
        let (rows, columns) = sound_size(self.rows.into(), self.columns.into(), left)?;
        let mut nodes = Vec::with_capacity(rows * columns);
        for _ in 0..rows * columns {
            let value = reader.f32()?;
            let none = (value - NO_VALUE).abs() < 1e-4 || !value.is_finite();
            nodes.push(if none { f32::NAN } else { value });
        }
        let (corner, steps) = ((self.south, self.west), (self.lat_step, self.lon_step));
        Ok(one_sheet(name, corner, steps, (rows, columns), nodes))
    }
}

/// A `.byn` of Natural Resources Canada, in either order of bytes.
pub(super) fn byn(bytes: &[u8]) -> Result<ShiftGrid> {
    const HEADER: usize = 80;
    let unsound = || Error::malformed("its header is not one of a grid of heights");
    for big_endian in [false, true] {
        let mut reader = Bytes { bytes, at: 0, big_endian };
        let mut limits = [0.0; 4];
        for limit in &mut limits {
            *limit = f64::from(reader.i32()?) / 3600.0;
        }
        let [south, north, west, east] = limits;
        let steps = [reader.i16()?, reader.i16()?].map(|step| f64::from(step) / 3600.0);
        reader.at = 24;
        let factor = reader.f64()?;
        let sound = south >= -90.0
            && north <= 90.0
            && south < north
            && west < east
            && steps.iter().all(|step| *step > 0.0)
            && (1e-9..=1e9).contains(&factor);
        if !sound {
            continue;
        }
        let announced =
            (nodes_between(south, north, steps[0]), nodes_between(west, east, steps[1]));
        let left = bytes.len().saturating_sub(HEADER);
        let (rows, columns) = sound_size(announced.0, announced.1, left / 2)?;
        // The length tells the size of a node.
        let wide = match left {
            bytes if bytes == rows * columns * 2 => false,
            bytes if bytes == rows * columns * 4 => true,
            bytes => {
                return Err(Error::malformed(format!(
                    "its {bytes} bytes behind the header are not {rows} rows of {columns} nodes"
                )));
            }
        };
        reader.at = HEADER;
        let mut nodes = vec![f32::NAN; rows * columns];
        for row in (0..rows).rev() {
            for node in &mut nodes[row * columns..(row + 1) * columns] {
                let (value, none) = match wide {
                    true => (f64::from(reader.i32()?), 9999.0 * factor),
                    false => (f64::from(reader.i16()?), 32767.0),
                };
                if value < none {
                    *node = (value / factor) as f32;
                }
            }
        }
        let steps = (steps[0], steps[1]);
        return Ok(one_sheet("byn", (south, west), steps, (rows, columns), nodes));
    }
    Err(unsound())
}

/// An NTv2 file whose shifts of latitude are heights in metres.
pub(super) fn ntv2_heights(bytes: &[u8]) -> Result<ShiftGrid> {
    let mut grid = super::ntv2::parse(bytes)?;
    for part in &mut grid.parts {
        let heights = (0..part.nodes.len()).map(|at| part.nodes.get(at)[0] as f32).collect();
        part.nodes = Nodes::Heights(heights);
    }
    Ok(grid)
}

/// A grid of one sheet: its south-western node and steps (latitude, longitude), its rows and columns.
pub(super) fn one_sheet(
    name: &str,
    (south, west): (f64, f64),
    (lat_step, lon_step): (f64, f64),
    (rows, columns): (usize, usize),
    heights: Vec<f32>,
) -> ShiftGrid {
    let (name, parent) = (name.to_string(), String::new());
    let nodes = Nodes::Heights(heights);
    let part = Part { name, parent, south, west, lat_step, lon_step, rows, columns, nodes };
    ShiftGrid { parts: vec![part], quadratic: false, order_taken: false }
}
