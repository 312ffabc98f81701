//! Which rows of a table of vertices make which feature: the options that say so, and the columns that
//! they name.

use super::BuildOptions;
use crate::error::Result;
use crate::layer::column_names::position;
use crate::notice::Notice;
use crate::outcome::Reason;
use crate::plausibility::CoordinateRange;
use crate::table::{CoordinateColumns, Found, Notation, TableReader, read_pair};
use csv::StringRecord;
use velvet_peg_core::Crs;

/// Which rows make which feature, and in which order.
#[derive(Clone, Debug, Default)]
pub struct VertexOptions {
    /// Coordinate columns; guessed from the headers where not named.
    pub columns: CoordinateColumns,
    /// True if angles are packed as DDDMMSS.s.
    pub packed: bool,
    /// Columns whose values together tell the features apart; without any, all rows make one
    /// feature.
    pub group: Vec<String>,
    /// Column that puts the vertices in order: numbers by size, anything else with the numbers
    /// in it compared as such (P2 before P10; times as ISO 8601 has them). The order of the rows
    /// if none.
    pub order: Option<String>,
    /// Column that tells the parts of a feature apart.
    pub part: Option<String>,
    /// What is the same for all features built from tables.
    pub build: BuildOptions,
}

/// Places of the columns.
pub(super) struct VertexColumns {
    coordinates: Found,
    /// Those whose values together tell the features apart.
    pub(super) group: Vec<usize>,
    pub(super) order: Option<usize>,
    pub(super) part: Option<usize>,
    pub(super) ring: Option<usize>,
}

impl VertexColumns {
    /// Finds the columns, and says how those of coordinates were found.
    pub(super) fn find(
        options: &VertexOptions,
        crs: Option<&Crs>,
        ring: Option<&str>,
        headers: &[String],
        head: &[StringRecord],
    ) -> Result<(VertexColumns, Vec<Notice>)> {
        let (coordinates, why) = options.columns.find(headers, head, crs)?;
        let place = |name: &str| position(headers, name, None);
        let columns = VertexColumns {
            coordinates,
            group: options.group.iter().map(|name| place(name)).collect::<Result<_>>()?,
            order: options.order.as_deref().map(place).transpose()?,
            part: options.part.as_deref().map(place).transpose()?,
            ring: ring.map(place).transpose()?,
        };
        Ok((columns, why))
    }

    /// The columns that can become attributes, of so many.
    pub(super) fn attributes(&self, width: usize) -> Vec<usize> {
        let Found { x, y, z, .. } = self.coordinates;
        let of_vertices = [Some(x), Some(y), z, self.order, self.part, self.ring];
        (0..width)
            .filter(|at| self.group.contains(at) || !of_vertices.contains(&Some(*at)))
            .collect()
    }

    /// The place of a row's vertex, or why the row is none.
    pub(super) fn place(
        &self,
        reader: &TableReader,
        record: &StringRecord,
        crs: Option<&Crs>,
        notation: Notation,
        range: &CoordinateRange,
    ) -> std::result::Result<(f64, f64, Option<f64>), Reason> {
        if let Some(misfit) = reader.misfit(record) {
            return Err(misfit);
        }
        let blank = |at: usize| record.get(at).unwrap_or_default().trim().is_empty();
        let of_group = self.group.iter().map(|at| (*at, "tells features apart"));
        let of_order = self.order.map(|at| (at, "orders the vertices"));
        for (at, what) in of_group.chain(of_order) {
            if blank(at) {
                let name = &reader.columns()[at];
                return Err(format!("column `{name}`, which {what}, is blank").into());
            }
        }
        let at = read_pair(record, &self.coordinates, crs, notation)?;
        range.check(at.0, at.1)?;
        Ok(at)
    }
}
