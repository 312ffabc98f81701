//! How boundaries run through a place.

use super::order::by_place;
use super::orientation;
use std::cmp::Ordering;

/// A boundary that comes from one place and goes on to another.
#[derive(Clone, Copy, Debug)]
pub(super) struct Bend {
    pub(super) from: (f64, f64),
    pub(super) at: (f64, f64),
    pub(super) to: (f64, f64),
}

impl Bend {
    /// True for one that runs along the same two ways, in either sense.
    pub(super) fn same(&self, other: &Bend) -> bool {
        (self.from, self.to) == (other.from, other.to)
            || (self.from, self.to) == (other.to, other.from)
    }

    /// On which side of it a place lies: left is greater. What lies on it is on neither.
    fn side(&self, place: (f64, f64)) -> Ordering {
        let sign = |value: f64| value.partial_cmp(&0.0).unwrap_or(Ordering::Equal);
        let turn = sign(orientation(self.from, self.at, self.to));
        let sides = [orientation(self.from, self.at, place), orientation(self.at, self.to, place)]
            .map(sign);
        match turn {
            Ordering::Equal => sides[0],
            // Within the narrow side, it is on that side of both.
            turn if sides == [turn, turn] => turn,
            turn if sides.contains(&turn.reverse()) => turn.reverse(),
            _ => Ordering::Equal,
        }
    }
}

/// True if one of two boundaries passes to the other side of the other one where they have a place in common.
pub(super) fn cross_at(a: &Bend, b: &Bend) -> bool {
    let (from, to) = (a.side(b.from), a.side(b.to));
    from != Ordering::Equal && from == to.reverse()
}

/// True if a boundary goes back on the line that it came by.
pub(super) fn turns_back(a: (f64, f64), b: (f64, f64), c: (f64, f64)) -> bool {
    orientation(a, b, c) == 0.0 && by_place(a, b) == by_place(c, b)
}
