//! Which segments of many meet, found by a sweep along x.

use super::orientation;
use super::pairs::{Box_, each_pair};
use std::ops::ControlFlow;

/// Two segments that meet.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Crossing {
    /// Places of the two segments in the list, the smaller first.
    pub segments: (usize, usize),
    /// Where they meet; of an overlap, one end of it.
    pub at: (f64, f64),
    /// True if they run along each other.
    pub overlap: bool,
}

pub(super) type Segment = ((f64, f64), (f64, f64));

/// Every pair of segments that have a point in common, for which `wanted` is true. What touches,
/// meets. Segments whose boxes have a place in common are compared: a few for the boundaries of
/// parcels, all of them at worst (long ones that lie beside each other aslant).
///
/// ```
/// use velvet_peg_core::planar::crossings;
/// let found = crossings(&[((0.0, 0.0), (2.0, 2.0)), ((0.0, 2.0), (2.0, 0.0))], &|_, _| true);
/// assert_eq!(found[0].at, (1.0, 1.0));
/// ```
pub fn crossings(segments: &[Segment], wanted: &dyn Fn(usize, usize) -> bool) -> Vec<Crossing> {
    let mut found = Vec::new();
    each_pair(segments.len(), &|at| box_of(segments[at]), &mut |first, second| {
        let pair = (first.min(second), first.max(second));
        if wanted(pair.0, pair.1)
            && let Some((at, overlap)) = meet(segments[pair.0], segments[pair.1])
        {
            found.push(Crossing { segments: pair, at, overlap });
        }
        ControlFlow::Continue(())
    });
    found.sort_by_key(|crossing| crossing.segments);
    found
}

pub(super) fn box_of((a, b): Segment) -> Box_ {
    [a.0.min(b.0), a.1.min(b.1), a.0.max(b.0), a.1.max(b.1)]
}

/// Where two segments meet, and whether along a stretch.
pub(super) fn meet((a, b): Segment, (c, d): Segment) -> Option<((f64, f64), bool)> {
    let apart = |p: (f64, f64), q: (f64, f64), r: f64, s: f64| p.1.max(q.1) < r || p.1.min(q.1) > s;
    if apart(a, b, c.1.min(d.1), c.1.max(d.1)) {
        return None;
    }
    let (c_side, d_side) = (orientation(a, b, c), orientation(a, b, d));
    // All of it on one side: most of those that lie beside each other.
    if c_side * d_side > 0.0 {
        return None;
    }
    let (a_side, b_side) = (orientation(c, d, a), orientation(c, d, b));
    if c_side == 0.0 && d_side == 0.0 && a_side == 0.0 && b_side == 0.0 {
        return along((a, b), (c, d));
    }
    let parts = |p: f64, q: f64| (p > 0.0 && q < 0.0) || (p < 0.0 && q > 0.0);
    if parts(c_side, d_side) && parts(a_side, b_side) {
        let share = a_side / (a_side - b_side);
        return Some(((a.0 + share * (b.0 - a.0), a.1 + share * (b.1 - a.1)), false));
    }
    let touches = [(c_side, c, a, b), (d_side, d, a, b), (a_side, a, c, d), (b_side, b, c, d)];
    touches
        .into_iter()
        .find(|(side, at, p, q)| *side == 0.0 && within(*at, *p, *q))
        .map(|(_, at, _, _)| (at, false))
}

/// A point on the line through two others is between them.
fn within(at: (f64, f64), p: (f64, f64), q: (f64, f64)) -> bool {
    let between = |v: f64, s: f64, t: f64| v >= s.min(t) && v <= s.max(t);
    between(at.0, p.0, q.0) && between(at.1, p.1, q.1)
}

/// Segments of one line: where they begin to run along each other.
fn along((a, b): Segment, (c, d): Segment) -> Option<((f64, f64), bool)> {
    let mut common: Vec<(f64, f64)> = [(a, c, d), (b, c, d), (c, a, b), (d, a, b)]
        .into_iter()
        .filter(|(at, p, q)| within(*at, *p, *q))
        .map(|(at, _, _)| at)
        .collect();
    common.sort_by(|p, q| p.0.total_cmp(&q.0).then(p.1.total_cmp(&q.1)));
    common.dedup();
    common.first().map(|at| (*at, common.len() > 1))
}
