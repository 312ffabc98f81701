//! Where the pixels of a raster lie in a reference system.

use crate::error::{Error, Result};
use crate::extent::Bounds;

/// Where the pixels of a raster lie: an affine mapping from columns and rows to coordinates.
///
/// ```
/// use velvet_peg_core::raster::PixelGrid;
/// let grid = PixelGrid::upright((500_000.0, 5_250_000.0), (2.0, 2.0), 400, 300)?;
/// assert_eq!(grid.place(0.5, 0.5), (500_001.0, 5_249_999.0)); // the middle of the first pixel
/// assert_eq!(grid.pixel((500_800.0, 5_249_400.0)), (400.0, 300.0)); // the last corner
/// # Ok::<(), velvet_peg_core::Error>(())
/// ```
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PixelGrid {
    origin: (f64, f64),
    column_step: (f64, f64),
    row_step: (f64, f64),
    columns: usize,
    rows: usize,
}

impl PixelGrid {
    /// From the coordinates of the outer corner of the first pixel, and the steps from one column to the
    /// next and from one row to the next, all in the unit of the system.
    ///
    /// # Errors
    /// If a figure is no finite number, the steps lie in one line, or there is no pixel.
    pub fn new(
        origin: (f64, f64),
        column_step: (f64, f64),
        row_step: (f64, f64),
        columns: usize,
        rows: usize,
    ) -> Result<PixelGrid> {
        let figures = [origin.0, origin.1, column_step.0, column_step.1, row_step.0, row_step.1];
        if figures.iter().any(|figure| !figure.is_finite()) {
            return Err(Error::malformed("a figure of the raster's place is no finite number"));
        }
        let area = column_step.0 * row_step.1 - column_step.1 * row_step.0;
        let longest = figures[2..].iter().fold(0.0f64, |most, step| most.max(step.abs()));
        if area.abs() <= 1e-12 * longest * longest {
            return Err(Error::malformed(
                "the steps from pixel to pixel lie in one line: the pixels have no area",
            ));
        }
        if columns == 0 || rows == 0 {
            return Err(Error::malformed("the raster has no pixels"));
        }
        Ok(PixelGrid { origin, column_step, row_step, columns, rows })
    }

    /// North up: from the western and northern edge, and the width and height of a pixel.
    ///
    /// # Errors
    /// As [`PixelGrid::new`].
    pub fn upright(
        corner: (f64, f64),
        pixel: (f64, f64),
        columns: usize,
        rows: usize,
    ) -> Result<PixelGrid> {
        PixelGrid::new(corner, (pixel.0, 0.0), (0.0, -pixel.1), columns, rows)
    }

    /// Columns.
    pub fn columns(&self) -> usize {
        self.columns
    }

    /// Rows.
    pub fn rows(&self) -> usize {
        self.rows
    }

    /// Coordinates of the outer corner of the first pixel.
    pub fn origin(&self) -> (f64, f64) {
        self.origin
    }

    /// The step from a pixel to its right neighbour.
    pub fn column_step(&self) -> (f64, f64) {
        self.column_step
    }

    /// The step from a pixel to the one below.
    pub fn row_step(&self) -> (f64, f64) {
        self.row_step
    }

    /// Width and height of a pixel, in the unit of the system.
    pub fn pixel_size(&self) -> (f64, f64) {
        (self.column_step.0.hypot(self.column_step.1), self.row_step.0.hypot(self.row_step.1))
    }

    /// True if columns go along the x axis and rows against the y axis, as on a sheet with north up.
    pub fn is_upright(&self) -> bool {
        self.column_step.1 == 0.0
            && self.row_step.0 == 0.0
            && self.column_step.0 > 0.0
            && self.row_step.1 < 0.0
    }

    /// Coordinates of a position among the pixels.
    pub fn place(&self, column: f64, row: f64) -> (f64, f64) {
        (
            self.origin.0 + column * self.column_step.0 + row * self.row_step.0,
            self.origin.1 + column * self.column_step.1 + row * self.row_step.1,
        )
    }

    /// The position among the pixels of a place: column and row.
    pub fn pixel(&self, place: (f64, f64)) -> (f64, f64) {
        let (x, y) = (place.0 - self.origin.0, place.1 - self.origin.1);
        let area = self.column_step.0 * self.row_step.1 - self.column_step.1 * self.row_step.0;
        (
            (x * self.row_step.1 - y * self.row_step.0) / area,
            (y * self.column_step.0 - x * self.column_step.1) / area,
        )
    }

    /// Coordinates of its middle.
    pub fn middle(&self) -> (f64, f64) {
        self.place(self.columns as f64 / 2.0, self.rows as f64 / 2.0)
    }

    /// The outer corners: first of the first row, last of it, last of the last row, first of it.
    pub fn corners(&self) -> [(f64, f64); 4] {
        let (columns, rows) = (self.columns as f64, self.rows as f64);
        [
            self.place(0.0, 0.0),
            self.place(columns, 0.0),
            self.place(columns, rows),
            self.place(0.0, rows),
        ]
    }

    /// The smallest box around it.
    pub fn bounds(&self) -> Bounds {
        let corners = self.corners();
        let of = |pick: fn(&(f64, f64)) -> f64, better: fn(f64, f64) -> f64| {
            corners.iter().map(pick).reduce(better).unwrap_or(f64::NAN)
        };
        Bounds {
            west: of(|at| at.0, f64::min),
            south: of(|at| at.1, f64::min),
            east: of(|at| at.0, f64::max),
            north: of(|at| at.1, f64::max),
        }
    }
}
