//! Lengths and areas on the plane of a grid.
//!
//! Coordinates are reckoned from the first vertex before anything is multiplied, and sums
//! are compensated, so a small parcel with coordinates in the millions keeps its digits.
//! Figures come in the unit of the coordinates; areas in its square. What lies where is decided
//! by the exact sign of determinants, so that a vertex on a line is on it from both sides.

mod crossing;
mod enclosing;
mod flaws;
mod meetings;
mod mosaic;
mod nesting;
mod order;
mod orientation;
mod pairs;
mod place;
mod places;
mod region;
mod ring_edges;
mod ring_sweep;
mod sweep;
mod vertex;

pub use crossing::{Crossing, crossings};
pub use enclosing::Enclosing;
pub use flaws::{Flaw, FlawKind, Ring, flaws_of_line, same_ring};
pub use mosaic::Mosaic;
pub use nesting::{flaws_between_parts, flaws_of_polygon};
pub use orientation::orientation;
pub use place::{Placing, distance_to_segment, place_in_ring};
pub use region::Region;

use crate::math::Sum;

/// Length of the line through these vertices, in the unit of the coordinates.
///
/// ```
/// assert_eq!(velvet_peg_core::planar::length(&[0.0, 3.0, 3.0], &[0.0, 4.0, 5.0]), 6.0);
/// ```
pub fn length(x: &[f64], y: &[f64]) -> f64 {
    let steps = x.windows(2).zip(y.windows(2));
    steps.map(|(x, y)| (x[1] - x[0]).hypot(y[1] - y[0])).collect::<Sum>().value()
}

/// Signed area of the ring with these vertices, positive counter-clockwise, in the square
/// of the coordinates' unit. The ring may repeat its first vertex at the end or not.
///
/// ```
/// use velvet_peg_core::planar;
/// let (x, y) = ([0.0, 4.0, 4.0, 0.0], [0.0, 0.0, 3.0, 3.0]);
/// assert_eq!(planar::ring_area(&x, &y), 12.0);
/// ```
pub fn ring_area(x: &[f64], y: &[f64]) -> f64 {
    let count = x.len().min(y.len());
    if count < 3 {
        return 0.0;
    }
    let (x0, y0) = (x[0], y[0]);
    let doubled: Sum = (1..count - 1)
        .map(|i| (x[i] - x0) * (y[i + 1] - y0) - (x[i + 1] - x0) * (y[i] - y0))
        .collect();
    doubled.value() / 2.0
}
