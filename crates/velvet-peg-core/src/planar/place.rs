//! Where a point lies: in a ring, outside it or on it; and how far from a segment.

use super::orientation;

/// Where a point lies with regard to a ring or polygon.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Placing {
    /// Within.
    Inside,
    /// On the boundary itself.
    Boundary,
    /// Neither.
    Outside,
}

/// Where a point lies with regard to the ring of these vertices (the first may be repeated at
/// the end or not), by counting the edges that a ray from it crosses (even–odd rule). Exact for
/// the coordinates as they are.
///
/// ```
/// use velvet_peg_core::planar::{Placing, place_in_ring};
/// let (x, y) = ([0.0, 4.0, 4.0, 0.0], [0.0, 0.0, 3.0, 3.0]);
/// assert_eq!(place_in_ring(&x, &y, (1.0, 1.0)), Placing::Inside);
/// assert_eq!(place_in_ring(&x, &y, (4.0, 1.0)), Placing::Boundary);
/// assert_eq!(place_in_ring(&x, &y, (5.0, 3.0)), Placing::Outside);
/// ```
pub fn place_in_ring(x: &[f64], y: &[f64], at: (f64, f64)) -> Placing {
    let count = x.len().min(y.len());
    let mut inside = false;
    for i in 0..count {
        let j = if i + 1 == count { 0 } else { i + 1 };
        match edge_from((x[i], y[i]), (x[j], y[j]), at) {
            Some(crosses) => inside ^= crosses,
            None => return Placing::Boundary,
        }
    }
    if inside { Placing::Inside } else { Placing::Outside }
}

/// Whether the ray from a point towards growing x crosses the edge from `a` to `b`; none if the
/// point is on it.
pub(super) fn edge_from(a: (f64, f64), b: (f64, f64), at: (f64, f64)) -> Option<bool> {
    if a == at || b == at {
        return None;
    }
    let level = a.1 == at.1 && b.1 == at.1;
    let across = (a.1 > at.1) != (b.1 > at.1);
    // Right of the edge's box nothing is crossed.
    if !(across || level) || at.0 > a.0.max(b.0) {
        return Some(false);
    }
    if level {
        return if at.0 >= a.0.min(b.0) { None } else { Some(false) };
    }
    if at.0 < a.0.min(b.0) {
        return Some(true);
    }
    match orientation(a, b, at) {
        0.0 => None,
        side => Some((b.1 > a.1) == (side > 0.0)),
    }
}

/// Distance of a point from the segment between two others, in the unit of the coordinates.
pub fn distance_to_segment(at: (f64, f64), a: (f64, f64), b: (f64, f64)) -> f64 {
    let (dx, dy) = (b.0 - a.0, b.1 - a.1);
    let square = dx * dx + dy * dy;
    let share = match square > 0.0 {
        true => (((at.0 - a.0) * dx + (at.1 - a.1) * dy) / square).clamp(0.0, 1.0),
        false => 0.0,
    };
    (at.0 - (a.0 + share * dx)).hypot(at.1 - (a.1 + share * dy))
}
