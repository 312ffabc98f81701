//! The smallest box around vertices.

use super::GeometryColumn;
use velvet_peg_core::Bounds;

/// Grows a box around vertices.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Extender(Option<Bounds>);

impl Extender {
    pub(crate) fn add(&mut self, column: &GeometryColumn) {
        column.x.iter().zip(&column.y).for_each(|(x, y)| self.point(*x, *y));
    }

    pub(crate) fn point(&mut self, x: f64, y: f64) {
        if !(x.is_finite() && y.is_finite()) {
            return;
        }
        let bounds = self.0.get_or_insert(Bounds { south: y, west: x, north: y, east: x });
        bounds.south = bounds.south.min(y);
        bounds.north = bounds.north.max(y);
        bounds.west = bounds.west.min(x);
        bounds.east = bounds.east.max(x);
    }

    pub(crate) fn bounds(self) -> Option<Bounds> {
        self.0
    }
}
