//! Longitudes, which go on around the Earth.

use super::pixel_grid::PixelGrid;
use crate::crs::Crs;

/// A full turn of longitudes, in the unit of their system.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Turn {
    /// 360°, in the unit of the system.
    pub full: f64,
}

impl Turn {
    /// That of a geographic system; none of others.
    pub fn of(crs: &Crs) -> Option<Turn> {
        let unit = crs.degrees_per_unit().filter(|_| crs.is_geographic())?;
        Some(Turn { full: 360.0 / unit })
    }

    /// A longitude, whole turns added so that it is nearest to another.
    ///
    /// ```
    /// use velvet_peg_core::raster::Turn;
    /// let turn = Turn { full: 360.0 };
    /// assert_eq!(turn.near(-179.0, 175.0), 181.0);
    /// ```
    pub fn near(self, longitude: f64, other: f64) -> f64 {
        longitude - self.full * ((longitude - other) / self.full).round()
    }

    /// Columns of a whole turn; none where rows do not go along parallels.
    pub fn columns(self, grid: &PixelGrid) -> Option<f64> {
        grid.is_upright().then(|| self.full / grid.pixel_size().0)
    }

    /// True if a raster goes once around the Earth: its last column is beside its first.
    pub fn is_filled_by(self, grid: &PixelGrid) -> bool {
        self.columns(grid).is_some_and(|columns| (grid.columns() as f64 - columns).abs() < 0.5)
    }
}
