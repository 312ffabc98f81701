//! Which segments must go so that no two of the others meet, found by their order across a sweep.
//!
//! The sweep stops at the ends of segments, from west to east, and keeps those that it crosses in
//! their order from south to north. Only neighbours can be the next to meet (M. I. Shamos and D. Hoey
//! 1976, "Geometric intersection problems"). Of two that meet one is taken out, so that the order of the
//! others stays true; all comparisons are signs of exact determinants.

use super::crossing::{Segment, meet};
use super::orientation;
use std::cmp::Ordering;
use std::collections::BTreeSet;
use std::ops::Bound::{Excluded, Unbounded};

/// A segment that the sweep crosses, its western end first; of ends above each other the southern one.
#[derive(Clone, Copy, Debug)]
pub(super) struct Open {
    pub(super) west: (f64, f64),
    pub(super) east: (f64, f64),
    /// The order of those that lie on each other.
    rank: u64,
    pub(super) number: usize,
}

pub(super) fn by_place(a: (f64, f64), b: (f64, f64)) -> Ordering {
    // 0 has one sign.
    (a.0 + 0.0).total_cmp(&(b.0 + 0.0)).then((a.1 + 0.0).total_cmp(&(b.1 + 0.0)))
}

impl Open {
    pub(super) fn new(number: usize, (a, b): Segment, rank: u64) -> Open {
        let (west, east) = if by_place(a, b).is_le() { (a, b) } else { (b, a) };
        Open { west, east, rank, number }
    }

    /// On which side of this one another begins that begins no further west, or else ends.
    fn side(&self, other: &Open) -> Ordering {
        let begins = orientation(self.west, self.east, other.west);
        let side =
            if begins == 0.0 { orientation(self.west, self.east, other.east) } else { begins };
        side.partial_cmp(&0.0).unwrap_or(Ordering::Equal)
    }
}

impl Ord for Open {
    fn cmp(&self, other: &Open) -> Ordering {
        let side = match by_place(self.west, other.west) {
            Ordering::Greater => other.side(self),
            _ => self.side(other).reverse(),
        };
        side.then(self.rank.cmp(&other.rank)).then(self.number.cmp(&other.number))
    }
}

impl PartialOrd for Open {
    fn partial_cmp(&self, other: &Open) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl PartialEq for Open {
    fn eq(&self, other: &Open) -> bool {
        self.cmp(other).is_eq()
    }
}

impl Eq for Open {}

/// Segments that meet another in more than an end of both, each with the other: without them, no two
/// of the rest do. Those that have no length or no place take no part.
pub(super) fn in_the_way(segments: &[Segment]) -> Vec<(usize, usize)> {
    // What ends at a place is gone before something begins there.
    let mut stops: Vec<(Open, bool)> = Vec::with_capacity(2 * segments.len());
    for (number, segment) in segments.iter().enumerate() {
        let numbers = [segment.0.0, segment.0.1, segment.1.0, segment.1.1];
        if segment.0 != segment.1 && numbers.iter().all(|number| number.is_finite()) {
            let open = Open::new(number, *segment, 0);
            stops.extend([(open, false), (open, true)]);
        }
    }
    let place = |(open, begins): &(Open, bool)| if *begins { open.west } else { open.east };
    stops.sort_by(|a, b| {
        by_place(place(a), place(b)).then(a.1.cmp(&b.1)).then(a.0.number.cmp(&b.0.number))
    });
    let mut open: BTreeSet<Open> = BTreeSet::new();
    let mut out = vec![false; segments.len()];
    let mut pairs = Vec::new();
    let below = |open: &BTreeSet<Open>, at: &Open| open.range(..*at).next_back().copied();
    let above =
        |open: &BTreeSet<Open>, at: &Open| open.range((Excluded(*at), Unbounded)).next().copied();
    for (next, begins) in stops {
        if out[next.number] {
            continue;
        }
        let mut neighbours = (below(&open, &next), above(&open, &next));
        if !begins {
            open.remove(&next);
        }
        // What is looked at: a new one and its neighbours, or those that have become neighbours.
        loop {
            let pair = match (begins && !out[next.number], neighbours) {
                (true, (Some(south), _)) if in_the_way_of(&south, &next) => (south, next),
                (true, (_, Some(north))) if in_the_way_of(&next, &north) => (next, north),
                (false, (Some(south), Some(north))) if in_the_way_of(&south, &north) => {
                    (south, north)
                }
                _ => break,
            };
            let (goes, stays) = the_longer(pair);
            out[goes.number] = true;
            pairs.push((goes.number, stays.number));
            if goes.number == next.number {
                continue;
            }
            // Numbers of which no double holds the products have no order: what is not found there is left.
            if !open.remove(&goes) {
                break;
            }
            neighbours = (below(&open, &next), above(&open, &next));
        }
        if begins && !out[next.number] {
            open.insert(next);
        }
    }
    pairs
}

/// Of two that meet, first the one that reaches further east: it would meet more.
fn the_longer((a, b): (Open, Open)) -> (Open, Open) {
    if by_place(a.east, b.east).is_gt() { (a, b) } else { (b, a) }
}

/// True for segments that have more in common than an end of both.
fn in_the_way_of(a: &Open, b: &Open) -> bool {
    // Those with a common end have nothing else in common, unless they run along each other.
    let common = [a.west, a.east].iter().any(|end| *end == b.west || *end == b.east);
    meet((a.west, a.east), (b.west, b.east)).is_some_and(|(_, overlap)| overlap || !common)
}
