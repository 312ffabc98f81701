//! What is wrong with a line or a polygon (ISO 19125-1, validity of simple features; spikes and
//! repeated vertices, which it allows, are told as well).

use super::pairs::Box_;

/// The vertices of a ring; the first may be repeated at the end or not.
#[derive(Clone, Copy, Debug)]
pub struct Ring<'a> {
    /// Longitudes or eastings.
    pub x: &'a [f64],
    /// Latitudes or northings.
    pub y: &'a [f64],
}

/// A kind of flaw.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum FlawKind {
    /// Fewer than three places in a ring, or two in a line.
    TooFewVertices,
    /// The same vertex twice running.
    RepeatedVertex,
    /// The boundary runs out and straight back.
    Spike,
    /// Edges of one ring cross, touch or run along each other.
    SelfCrossing,
    /// Edges of two rings cross or run along each other.
    RingsCross,
    /// Two rings are the same.
    DuplicateRing,
    /// A hole lies outside the outer ring.
    HoleOutside,
    /// A hole lies in another hole.
    HoleInHole,
    /// The ring encloses nothing.
    NoArea,
    /// Two parts of a multi-polygon overlap, or share a stretch of their boundaries.
    PartsOverlap,
}

impl FlawKind {
    /// In words.
    pub fn name(self) -> &'static str {
        match self {
            FlawKind::TooFewVertices => "too few vertices",
            FlawKind::RepeatedVertex => "repeated vertex",
            FlawKind::Spike => "spike",
            FlawKind::SelfCrossing => "crosses or touches itself",
            FlawKind::RingsCross => "rings cross",
            FlawKind::DuplicateRing => "duplicate ring",
            FlawKind::HoleOutside => "hole outside the outer ring",
            FlawKind::HoleInHole => "hole in another hole",
            FlawKind::NoArea => "no area",
            FlawKind::PartsOverlap => "parts overlap",
        }
    }

    /// True for what makes a polygon invalid, not merely untidy.
    pub fn is_invalid(self) -> bool {
        !matches!(self, FlawKind::RepeatedVertex | FlawKind::Spike)
    }
}

/// A flaw, and where it is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Flaw {
    /// What is wrong.
    pub kind: FlawKind,
    /// Ring, from 0 (the outer one).
    pub ring: usize,
    /// Vertex of the ring, from 0.
    pub vertex: usize,
    /// The place.
    pub at: (f64, f64),
}

/// Angle under which a boundary that turns back counts as a spike, radians (20″).
const SPIKE: f64 = 1e-4;

impl Ring<'_> {
    /// Number of vertices without the repeated first one.
    pub(super) fn count(&self) -> usize {
        let n = self.x.len().min(self.y.len());
        if n > 1 && self.at(0) == self.at(n - 1) { n - 1 } else { n }
    }

    pub(super) fn at(&self, vertex: usize) -> (f64, f64) {
        (self.x[vertex], self.y[vertex])
    }

    /// West, south, east and north of it.
    pub(super) fn bounds(&self) -> Box_ {
        let least = |values: &[f64]| values.iter().copied().fold(f64::INFINITY, f64::min);
        let most = |values: &[f64]| values.iter().copied().fold(f64::NEG_INFINITY, f64::max);
        [least(self.x), least(self.y), most(self.x), most(self.y)]
    }
}

/// The flaws of a line: too few vertices, repeated ones, and turns straight back.
pub fn flaws_of_line(line: Ring<'_>) -> Vec<Flaw> {
    let n = line.x.len().min(line.y.len());
    let mut flaws = Vec::new();
    let mut add = |kind, vertex: usize| {
        flaws.push(Flaw { kind, ring: 0, vertex, at: line.at(vertex) });
    };
    (1..n).filter(|v| line.at(*v) == line.at(v - 1)).for_each(|v| add(FlawKind::RepeatedVertex, v));
    let turns = |v: &usize| is_spike(line.at(v - 1), line.at(*v), line.at(v + 1));
    (1..n.saturating_sub(1)).filter(turns).for_each(|v| add(FlawKind::Spike, v));
    if n > 0 && (1..n).all(|v| line.at(v) == line.at(0)) {
        add(FlawKind::TooFewVertices, 0);
    }
    flaws
}

/// The boundary turns back at `b` under less than 20″.
pub(super) fn is_spike(a: (f64, f64), b: (f64, f64), c: (f64, f64)) -> bool {
    let (u, v) = ((a.0 - b.0, a.1 - b.1), (c.0 - b.0, c.1 - b.1));
    let dot = u.0 * v.0 + u.1 * v.1;
    let cross = u.0 * v.1 - u.1 * v.0;
    dot > 0.0 && cross.abs() <= SPIKE * dot
}

/// The same vertices in the same or the opposite order, wherever they begin.
pub fn same_ring(a: Ring<'_>, b: Ring<'_>) -> bool {
    let n = a.count();
    if n != b.count() || n == 0 {
        return false;
    }
    let matches =
        |start: usize, step: usize| (0..n).all(|i| a.at(i) == b.at((start + i * step) % n));
    (0..n).filter(|v| b.at(*v) == a.at(0)).any(|v| matches(v, 1) || matches(v, n - 1))
}
