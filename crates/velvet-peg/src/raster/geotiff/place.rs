//! Where the pixels of a GeoTIFF lie: a tie point and a scale, or a matrix (OGC 19-008r4, 7.4).

use super::super::info::PlacedBy;
use crate::error::{Error, Result};
use velvet_peg_core::raster::PixelGrid;

/// What a file says of the place of its pixels.
#[derive(Clone, Debug, Default)]
pub(super) struct Said {
    pub(super) scale: Vec<f64>,
    pub(super) ties: Vec<f64>,
    pub(super) matrix: Vec<f64>,
    pub(super) at_middles: bool,
}

impl Said {
    /// The grid, if there is one.
    pub(super) fn grid(
        &self,
        columns: usize,
        rows: usize,
    ) -> Result<Option<(PixelGrid, PlacedBy)>> {
        let (column_step, row_step, origin, by) = match (
            &self.matrix[..],
            &self.ties[..],
            &self.scale[..],
        ) {
            // A matrix of zeros says nothing.
            (matrix, ..) if matrix.len() >= 16 && matrix.iter().any(|figure| *figure != 0.0) => (
                (matrix[0], matrix[4]),
                (matrix[1], matrix[5]),
                (matrix[3], matrix[7]),
                PlacedBy::Matrix,
            ),
            (_, [column, row, _, x, y, ..], [width, height, ..]) => (
                (*width, 0.0),
                (0.0, -*height),
                (x - column * width, y + row * height),
                PlacedBy::TiePoint,
            ),
            (_, ties, []) if ties.len() >= 18 => {
                return Err(Error::data(
                    "its place is said by ties of single pixels to the ground (control points), which are \
                     no grid: fit one to them first",
                ));
            }
            _ => return Ok(None),
        };
        // Figures of middles are half a pixel further in.
        let half = if self.at_middles { 0.5 } else { 0.0 };
        let origin = (
            origin.0 - half * (column_step.0 + row_step.0),
            origin.1 - half * (column_step.1 + row_step.1),
        );
        Ok(Some((PixelGrid::new(origin, column_step, row_step, columns, rows)?, by)))
    }
}
