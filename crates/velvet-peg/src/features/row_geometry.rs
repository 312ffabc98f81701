//! The geometry that a row of a table says: a position in columns of coordinates, or a geometry as
//! text in one column.

use super::BuildOptions;
use crate::format_support::ReadOptions;
use crate::format_support::wkb::read as read_wkb;
use crate::format_support::wkt;
use crate::layer::{GeometryColumn, Taken};
use crate::outcome::Reason;
use crate::table::{Found, Notation, read_pair};
use csv::StringRecord;

/// Where the geometries of a table are.
pub(super) enum RowGeometry {
    Columns(Found, Notation),
    /// In this column, as text.
    Text(usize),
}

impl RowGeometry {
    /// Pushes the geometry of a row, in range for its system or not, or says why there is none.
    pub(super) fn push(
        &self,
        record: &StringRecord,
        options: &BuildOptions,
        column: &mut GeometryColumn,
    ) -> Result<Taken, Reason> {
        match self {
            RowGeometry::Columns(found, notation) => {
                let (x, y, z) = read_pair(record, found, options.crs.as_ref(), *notation)?;
                column.push_point(x, y, z);
                Ok(Taken::default())
            }
            RowGeometry::Text(at) => {
                let text = record.get(*at).unwrap_or_default().trim();
                if text.is_empty() {
                    return Err("the geometry is blank".into());
                }
                let mut one = GeometryColumn::new();
                let tolerance = ReadOptions::default().tolerance_in(options.crs.as_ref());
                let read = match bytes_of(text) {
                    Some(bytes) => read_wkb(&bytes, &mut one, tolerance).map(|taken| (None, taken)),
                    None => wkt::read(text, &mut one, tolerance),
                };
                let (srid, taken) = read.map_err(|unread| unread.why)?;
                if let (Some(srid), Some(crs)) = (srid.filter(|srid| *srid > 0), &options.crs)
                    && crs.code().is_some_and(|code| code != srid)
                {
                    return Err(format!(
                        "the geometry says that it is in system {srid}, not in {}",
                        crs.label()
                    )
                    .into());
                }
                for feature in 0..one.len() {
                    column.push_from(&one, feature);
                }
                Ok(taken)
            }
        }
    }
}

/// Bytes written as hexadecimal digits, if a text is that.
fn bytes_of(text: &str) -> Option<Vec<u8>> {
    let digits = text.strip_prefix("0x").or(text.strip_prefix("\\x")).unwrap_or(text);
    // Shorter than any geometry.
    if digits.len() < 10 { None } else { hex::decode(digits).ok() }
}
