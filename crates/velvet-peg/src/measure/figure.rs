//! The kinds of figures that are taken of a feature.

use super::Measured;

/// A kind of figure, in metres, square metres, parts in a million or as a factor.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Figure {
    /// Length or perimeter along geodesics, metres.
    Length,
    /// Area bounded by geodesics, square metres.
    Area,
    /// Length or perimeter on the grid, metres.
    GridLength,
    /// Area on the grid, square metres.
    GridArea,
    /// Length or perimeter on the ground, metres.
    GroundLength,
    /// Area on the ground, square metres.
    GroundArea,
    /// Length on the grid against the ellipsoid, parts in a million.
    LengthPpm,
    /// Area on the grid against the ellipsoid, parts in a million.
    AreaPpm,
    /// Mean scale factor of the grid.
    ScaleFactor,
}

impl Figure {
    /// All kinds.
    pub const ALL: [Figure; 9] = [
        Figure::Length,
        Figure::Area,
        Figure::GridLength,
        Figure::GridArea,
        Figure::GroundLength,
        Figure::GroundArea,
        Figure::LengthPpm,
        Figure::AreaPpm,
        Figure::ScaleFactor,
    ];

    /// The figure of a feature; none if it has none.
    pub fn of(self, measured: &Measured) -> Option<f64> {
        match self {
            Figure::Length => Some(measured.length_m),
            Figure::Area => Some(measured.area_m2),
            Figure::GridLength => measured.grid_length_m,
            Figure::GridArea => measured.grid_area_m2,
            Figure::GroundLength => measured.ground_length_m,
            Figure::GroundArea => measured.ground_area_m2,
            Figure::LengthPpm => measured.length_ppm(),
            Figure::AreaPpm => measured.area_ppm(),
            Figure::ScaleFactor => measured.scale_factor,
        }
    }
}
