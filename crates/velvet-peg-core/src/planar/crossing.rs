//! Which segments of many meet, found by a sweep along x.

use super::orientation;

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
/// meets. Segments are sorted by where they begin in x and each is compared with those whose spans
/// are still open: a few for the boundaries of parcels, all of them at worst.
///
/// ```
/// use velvet_peg_core::planar::crossings;
/// let found = crossings(&[((0.0, 0.0), (2.0, 2.0)), ((0.0, 2.0), (2.0, 0.0))], &|_, _| true);
/// assert_eq!(found[0].at, (1.0, 1.0));
/// ```
pub fn crossings(segments: &[Segment], wanted: &dyn Fn(usize, usize) -> bool) -> Vec<Crossing> {
    let low = |at: usize| segments[at].0.0.min(segments[at].1.0);
    let high = |at: usize| segments[at].0.0.max(segments[at].1.0);
    let mut order: Vec<usize> = (0..segments.len()).collect();
    order.sort_by(|a, b| low(*a).total_cmp(&low(*b)));
    let mut open: Vec<usize> = Vec::new();
    let mut found = Vec::new();
    for next in order {
        open.retain(|at| high(*at) >= low(next));
        for other in &open {
            let pair = (next.min(*other), next.max(*other));
            if !wanted(pair.0, pair.1) {
                continue;
            }
            if let Some((at, overlap)) = meet(segments[pair.0], segments[pair.1]) {
                found.push(Crossing { segments: pair, at, overlap });
            }
        }
        open.push(next);
    }
    found.sort_by_key(|crossing| crossing.segments);
    found
}

/// Where two segments meet, and whether along a stretch.
fn meet((a, b): Segment, (c, d): Segment) -> Option<((f64, f64), bool)> {
    let apart = |p: (f64, f64), q: (f64, f64), r: f64, s: f64| p.1.max(q.1) < r || p.1.min(q.1) > s;
    if apart(a, b, c.1.min(d.1), c.1.max(d.1)) {
        return None;
    }
    let (c_side, d_side) = (orientation(a, b, c), orientation(a, b, d));
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
