//! Grids of heights of a geoid, or of a height correction, above an ellipsoid.
//!
//! NGS `.bin` (EPSG method 1134): a header of 44 bytes with the south-western node, the steps and the
//! numbers of rows and columns, and a mark that tells the order of bytes; then single numbers, rows
//! from south to north, each from west to east. Source: what the National Geodetic Survey says of the
//! grids of its geoid models. `.gtx` (EPSG method 9665): a header of 40 bytes with the same, without
//! the mark, big-endian; −88.8888 where there is no value. Source: what the registry says of the
//! method and its publisher of the layout. Neither was compared with a file of a publisher's: tests
//! make their own.

use super::{Bytes, Part, ShiftGrid, sound_size};
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
            nodes.push([0.0, 0.0, if none { f32::NAN } else { value }]);
        }
        let part = Part {
            name: name.to_string(),
            parent: String::new(),
            south: self.south,
            west: self.west,
            lat_step: self.lat_step,
            lon_step: self.lon_step,
            rows,
            columns,
            nodes,
        };
        Ok(ShiftGrid { parts: vec![part], quadratic: false })
    }
}
