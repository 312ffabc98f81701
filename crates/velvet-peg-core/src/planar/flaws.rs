//! What is wrong with a line or a polygon (ISO 19125-1, validity of simple features; spikes and
//! repeated vertices, which it allows, are told as well).

use super::crossing::Segment;
use super::{Placing, crossings, place_in_ring, ring_area};
use std::collections::{HashMap, HashSet};

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

/// A vertex of a ring, and a place at it or on the edge from it.
type Vertex = (usize, (f64, f64));

/// Angle under which a boundary that turns back counts as a spike, radians (20″).
const SPIKE: f64 = 1e-4;

impl Ring<'_> {
    /// Number of vertices without the repeated first one.
    fn count(&self) -> usize {
        let n = self.x.len().min(self.y.len());
        if n > 1 && self.at(0) == self.at(n - 1) { n - 1 } else { n }
    }

    fn at(&self, vertex: usize) -> (f64, f64) {
        (self.x[vertex], self.y[vertex])
    }

    /// The first vertex, or middle of the edge from it, that lies so with regard to another ring.
    fn first(&self, wanted: Placing, other: Ring<'_>) -> Option<Vertex> {
        let n = self.count();
        (0..n)
            .flat_map(|v| {
                let (a, b) = (self.at(v), self.at(if v + 1 == n { 0 } else { v + 1 }));
                [(v, a), (v, ((a.0 + b.0) / 2.0, (a.1 + b.1) / 2.0))]
            })
            .find(|(_, at)| place_in_ring(other.x, other.y, *at) == wanted)
    }

    /// True if some of it is in another ring, and the first place outside of that, if there is
    /// one. A ring that meets no other is all on one side: one vertex tells.
    fn against(&self, other: Ring<'_>, meets: bool) -> (bool, Option<Vertex>) {
        if !meets {
            let inside = place_in_ring(other.x, other.y, self.at(0)) != Placing::Outside;
            return (inside, (!inside).then(|| (0, self.at(0))));
        }
        (self.first(Placing::Inside, other).is_some(), self.first(Placing::Outside, other))
    }

    /// West, south, east and north of it.
    fn bounds(&self) -> [f64; 4] {
        let least = |values: &[f64]| values.iter().copied().fold(f64::INFINITY, f64::min);
        let most = |values: &[f64]| values.iter().copied().fold(f64::NEG_INFINITY, f64::max);
        [least(self.x), least(self.y), most(self.x), most(self.y)]
    }
}

/// A place as a key; 0 has one sign.
fn bits((x, y): (f64, f64)) -> [u64; 2] {
    [(x + 0.0).to_bits(), (y + 0.0).to_bits()]
}

/// True for a box that lies in another.
fn box_within(a: [f64; 4], b: [f64; 4]) -> bool {
    b[0] <= a[0] && b[1] <= a[1] && a[2] <= b[2] && a[3] <= b[3]
}

/// For each box, the others that have a place in common with it, in their order. Boxes are
/// sorted by their west side and compared with those that are still open.
fn neighbours(bounds: &[[f64; 4]]) -> Vec<Vec<usize>> {
    let mut order: Vec<usize> = (0..bounds.len()).collect();
    order.sort_by(|a, b| bounds[*a][0].total_cmp(&bounds[*b][0]));
    let mut open: Vec<usize> = Vec::new();
    let mut met = vec![Vec::new(); bounds.len()];
    for next in order {
        let box_ = bounds[next];
        open.retain(|at| bounds[*at][2] >= box_[0]);
        for other in &open {
            if bounds[*other][1] <= box_[3] && box_[1] <= bounds[*other][3] {
                met[next].push(*other);
                met[*other].push(next);
            }
        }
        open.push(next);
    }
    met.iter_mut().for_each(|others| others.sort_unstable());
    met
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

/// The flaws of a polygon, its outer ring first.
///
/// ```
/// use velvet_peg_core::planar::{FlawKind, Ring, flaws_of_polygon};
/// let bow_tie = Ring { x: &[0.0, 2.0, 2.0, 0.0], y: &[0.0, 2.0, 0.0, 2.0] };
/// let flaws = flaws_of_polygon(&[bow_tie]);
/// assert_eq!((flaws[0].kind, flaws[0].at), (FlawKind::SelfCrossing, (1.0, 1.0)));
/// ```
pub fn flaws_of_polygon(rings: &[Ring<'_>]) -> Vec<Flaw> {
    let Swept { mut flaws, told, meets } = sweep(rings);
    let bounds: Vec<[f64; 4]> = rings.iter().map(Ring::bounds).collect();
    // Every hole meets the box of the outer ring, which is not asked about here.
    let near = neighbours(&bounds[1.min(bounds.len())..]);
    for (number, hole) in rings.iter().enumerate().skip(1) {
        if told[number] || hole.count() < 3 || rings[0].count() < 3 {
            continue;
        }
        let mut add = |kind, (vertex, at)| flaws.push(Flaw { kind, ring: number, vertex, at });
        // Rings that pass through each other's vertices only are told apart by where they go.
        match hole.against(rings[0], meets[number]) {
            (true, Some(out)) => add(FlawKind::RingsCross, out),
            (false, Some(out)) => add(FlawKind::HoleOutside, out),
            _ => {}
        }
        let within = |other: usize| {
            rings[other].count() >= 3
                && box_within(bounds[number], bounds[other])
                && hole.against(rings[other], meets[number]) == (true, None)
        };
        if near[number - 1].iter().map(|other| other + 1).any(within) {
            add(FlawKind::HoleInHole, (0, hole.at(0)));
        }
    }
    flaws
}

/// What is found of rings without looking at which lies in which.
struct Swept {
    flaws: Vec<Flaw>,
    /// For each ring, true if it crosses an earlier one or is the same.
    told: Vec<bool>,
    /// For each ring, true if it has a place in common with another.
    meets: Vec<bool>,
}

/// What is found of one ring by itself, and its segments with the ring and vertex that each begins at.
fn sweep_ring(
    number: usize,
    ring: &Ring<'_>,
    flaws: &mut Vec<Flaw>,
    segments: &mut Vec<Segment>,
    owners: &mut Vec<(usize, usize)>,
) {
    let n = ring.count();
    let mut add = |kind, vertex: usize| {
        flaws.push(Flaw { kind, ring: number, vertex, at: ring.at(vertex) });
    };
    if n == 0 {
        return;
    }
    let next = |v: usize| if v + 1 == n { 0 } else { v + 1 };
    let before = |v: usize| if v == 0 { n - 1 } else { v - 1 };
    let mut places: Vec<(f64, f64)> = (0..n).map(|v| ring.at(v)).collect();
    places.sort_by(|p, q| p.0.total_cmp(&q.0).then(p.1.total_cmp(&q.1)));
    places.dedup();
    if places.len() < 3 {
        add(FlawKind::TooFewVertices, 0);
        return;
    }
    // Vertices that stand for several are looked at once.
    let distinct: Vec<usize> = (0..n).filter(|v| ring.at(*v) != ring.at(before(*v))).collect();
    (0..n)
        .filter(|v| ring.at(*v) == ring.at(before(*v)))
        .for_each(|v| add(FlawKind::RepeatedVertex, v));
    let mut spiked = Vec::new();
    for (i, v) in distinct.iter().enumerate() {
        let a = distinct[if i == 0 { distinct.len() - 1 } else { i - 1 }];
        let b = distinct[if i + 1 == distinct.len() { 0 } else { i + 1 }];
        if is_spike(ring.at(a), ring.at(*v), ring.at(b)) {
            spiked.push(*v);
            add(FlawKind::Spike, *v);
        }
    }
    let size = (0..n).map(|v| (ring.x[v] - ring.x[0]).hypot(ring.y[v] - ring.y[0]));
    let size = size.fold(0.0, f64::max);
    if ring_area(&ring.x[..n], &ring.y[..n]).abs() <= size * size * 1e-12 {
        add(FlawKind::NoArea, 0);
    }
    let first = segments.len();
    for v in &distinct {
        let mut end = next(*v);
        while ring.at(end) == ring.at(*v) {
            end = next(end);
        }
        // The edges of a spike run along each other; that is told already.
        segments.push((ring.at(*v), ring.at(end)));
        owners.push((number, *v));
    }
    if !spiked.is_empty() {
        let tips: HashSet<[u64; 2]> = spiked.iter().map(|v| bits(ring.at(*v))).collect();
        let starts: HashSet<usize> = spiked.into_iter().collect();
        let own = segments.split_off(first).into_iter().zip(owners.split_off(first));
        for (segment, owner) in own {
            if !starts.contains(&owner.1) && !tips.contains(&bits(segment.1)) {
                segments.push(segment);
                owners.push(owner);
            }
        }
    }
}

fn sweep(rings: &[Ring<'_>]) -> Swept {
    let mut flaws = Vec::new();
    let mut segments = Vec::new();
    // Ring and vertex that each segment begins at.
    let mut owners: Vec<(usize, usize)> = Vec::new();
    for (number, ring) in rings.iter().enumerate() {
        sweep_ring(number, ring, &mut flaws, &mut segments, &mut owners);
    }
    let mut told = vec![false; rings.len()];
    let mut meets = vec![false; rings.len()];
    let mut twins = HashSet::new();
    // Rings that are the same have the same box.
    let mut boxes: HashMap<[u64; 4], Vec<usize>> = HashMap::new();
    for (i, ring) in rings.iter().enumerate() {
        let alike = boxes.entry(ring.bounds().map(|side| (side + 0.0).to_bits())).or_default();
        let twin = alike.iter().copied().find(|j| same_ring(rings[*j], *ring));
        alike.push(i);
        if let Some(j) = twin {
            twins.insert((j, i));
            told[i] = true;
            meets[i] = true;
            meets[j] = true;
            flaws.push(Flaw {
                kind: FlawKind::DuplicateRing,
                ring: i,
                vertex: 0,
                at: rings[i].at(0),
            });
        }
    }
    let found = crossings(&segments, &|a, b| !twins.contains(&(owners[a].0, owners[b].0)));
    let mut crossed: HashSet<(usize, [u64; 2])> = HashSet::new();
    for crossing in found {
        let (a, b) = crossing.segments;
        let ((ring_a, vertex_a), (ring_b, _)) = (owners[a], owners[b]);
        if ring_a != ring_b {
            meets[ring_a] = true;
            meets[ring_b] = true;
        }
        if ring_a == ring_b {
            // Neighbours share a vertex.
            let joint = segments[a].1 == segments[b].0 || segments[b].1 == segments[a].0;
            if joint && !crossing.overlap {
                continue;
            }
            let at = crossing.at;
            let kind = FlawKind::SelfCrossing;
            if crossed.insert((ring_a, bits(at))) {
                flaws.push(Flaw { kind, ring: ring_a, vertex: vertex_a, at });
            }
        } else if crossing.overlap || passes_through(segments[a], segments[b], crossing.at) {
            // Rings may touch in a point.
            if !told[ring_b] {
                told[ring_b] = true;
                let kind = FlawKind::RingsCross;
                flaws.push(Flaw { kind, ring: ring_b, vertex: owners[b].1, at: crossing.at });
            }
        }
    }
    // The two halves of a bow tie cancel; what is wrong with it is the crossing.
    let tied: HashSet<usize> =
        flaws.iter().filter(|f| f.kind == FlawKind::SelfCrossing).map(|f| f.ring).collect();
    flaws.retain(|f| f.kind != FlawKind::NoArea || !tied.contains(&f.ring));
    Swept { flaws, told, meets }
}

/// Parts of a multi-polygon (each its outer ring and holes) that overlap or run along each other;
/// `ring` is the part.
pub fn flaws_between_parts(parts: &[Vec<Ring<'_>>]) -> Vec<Flaw> {
    let outer: Vec<Ring<'_>> = parts.iter().filter_map(|part| part.first().copied()).collect();
    if outer.len() < 2 || outer.len() != parts.len() {
        return Vec::new();
    }
    let Swept { flaws, told, meets } = sweep(&outer);
    let mut flaws: Vec<Flaw> = flaws
        .into_iter()
        .filter(|f| matches!(f.kind, FlawKind::RingsCross | FlawKind::DuplicateRing))
        .map(|flaw| Flaw { kind: FlawKind::PartsOverlap, ..flaw })
        .collect();
    let bounds: Vec<[f64; 4]> = outer.iter().map(Ring::bounds).collect();
    let near = neighbours(&bounds);
    for (number, ring) in outer.iter().enumerate() {
        if told[number] || ring.count() < 3 {
            continue;
        }
        let shares = |other: usize| {
            let part = &parts[other];
            let apart = part[0].count() < 3
                // What meets nothing and is not within its box is not in it.
                || (!meets[number] && !box_within(bounds[number], bounds[other]));
            if apart {
                return None;
            }
            match ring.against(part[0], meets[number]) {
                // Of two that pass through each other's vertices, the later one is told.
                (true, Some(out)) if other < number => Some(out),
                (true, None) => {
                    // In another part, but not in a hole of it.
                    let island = part[1..].iter().any(|hole| {
                        hole.count() >= 3 && ring.first(Placing::Outside, *hole).is_none()
                    });
                    (!island).then(|| (0, ring.at(0)))
                }
                _ => None,
            }
        };
        if let Some((vertex, at)) = near[number].iter().copied().find_map(shares) {
            flaws.push(Flaw { kind: FlawKind::PartsOverlap, ring: number, vertex, at });
        }
    }
    flaws
}

/// Two segments cross, neither beginning nor ending where they meet.
fn passes_through(
    a: ((f64, f64), (f64, f64)),
    b: ((f64, f64), (f64, f64)),
    at: (f64, f64),
) -> bool {
    ![a.0, a.1, b.0, b.1].contains(&at)
}

/// The boundary turns back at `b` under less than 20″.
fn is_spike(a: (f64, f64), b: (f64, f64), c: (f64, f64)) -> bool {
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
