//! What is wrong with rings by their vertices and edges, without looking at which lies in which.

use super::crossing::{Crossing, Segment, meet};
use super::flaws::{Flaw, FlawKind, Ring, is_spike, same_ring};
use super::meetings::{bits, each_meeting};
use super::ring_area;
use super::vertex::{Bend, cross_at};
use std::collections::{HashMap, HashSet};

/// Places in which one ring crosses itself that are told; further ones are not looked for.
const MOST_CROSSINGS: usize = 10_000;

/// What is found of rings without looking at which lies in which.
pub(super) struct Swept {
    pub(super) flaws: Vec<Flaw>,
    /// For each ring, true if it crosses an earlier one or is the same.
    pub(super) told: Vec<bool>,
}

/// The edges of rings, and ring and vertex that each begins at.
#[derive(Debug, Default)]
struct Edges {
    segments: Vec<Segment>,
    owners: Vec<(usize, usize)>,
    /// For each ring, where its edges begin.
    starts: Vec<usize>,
}

impl Edges {
    fn truncate(&mut self, count: usize) {
        self.segments.truncate(count);
        self.owners.truncate(count);
    }

    /// The boundary through a place on an edge that does not begin there; none if what follows was left out.
    fn bend(&self, edge: usize, at: (f64, f64)) -> Option<Bend> {
        let (from, end) = self.segments[edge];
        if at == from {
            return None;
        }
        if at != end {
            return Some(Bend { from, at, to: end });
        }
        let ring = self.owners[edge].0;
        let of_ring = |next: &usize| self.owners.get(*next).is_some_and(|owner| owner.0 == ring);
        let next = [edge + 1, self.starts[ring]].into_iter().filter(of_ring);
        let mut next = next.map(|next| self.segments[next]);
        next.find(|next| next.0 == at).map(|next| Bend { from, at, to: next.1 })
    }

    /// Two edges of rings pass through each other, between their ends or at a vertex.
    fn pass_through(&self, a: usize, b: usize, at: (f64, f64)) -> bool {
        let bends = self.bend(a, at).zip(self.bend(b, at));
        bends.is_some_and(|(a, b)| cross_at(&a, &b))
    }
}

/// What is found of one ring by itself; its edges are added, without those of spikes.
fn sweep_ring(number: usize, ring: &Ring<'_>, flaws: &mut Vec<Flaw>, edges: &mut Edges) {
    let Edges { segments, owners, starts } = edges;
    starts.push(segments.len());
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

/// Rings that are the same have the same mark, wherever they begin and whichever way they run.
fn mark(ring: &Ring<'_>) -> (usize, u64) {
    let count = ring.count();
    let sum = (0..count).map(|vertex| {
        let [x, y] = bits(ring.at(vertex));
        (x ^ y.rotate_left(32)).wrapping_mul(0x9e37_79b9_7f4a_7c15).rotate_left(29) ^ y
    });
    (count, sum.fold(0, u64::wrapping_add))
}

/// What is found of rings by their vertices and edges alone.
pub(super) fn sweep(rings: &[Ring<'_>]) -> Swept {
    let mut found = Swept { flaws: Vec::new(), told: vec![false; rings.len()] };
    let mut edges = Edges::default();
    let mut seen: HashMap<(usize, u64), Vec<usize>> = HashMap::new();
    for (i, ring) in rings.iter().enumerate() {
        let alike = seen.entry(mark(ring)).or_default();
        let twin = alike.iter().any(|other| same_ring(rings[*other], *ring));
        let first = edges.segments.len();
        sweep_ring(i, ring, &mut found.flaws, &mut edges);
        if !twin {
            alike.push(i);
            continue;
        }
        // What its edges meet, those of the first one meet.
        edges.truncate(first);
        found.told[i] = true;
        let kind = FlawKind::DuplicateRing;
        found.flaws.push(Flaw { kind, ring: i, vertex: 0, at: ring.at(0) });
    }
    meet_edges(&edges, &mut found);
    // The two halves of a bow tie cancel; what is wrong with it is the crossing.
    let tied: HashSet<usize> =
        found.flaws.iter().filter(|f| f.kind == FlawKind::SelfCrossing).map(|f| f.ring).collect();
    found.flaws.retain(|f| f.kind != FlawKind::NoArea || !tied.contains(&f.ring));
    found
}

/// Where edges meet: of one ring, each place once; of two rings, the first place. Where more edges
/// cross others than can be looked at, some places.
fn meet_edges(edges: &Edges, found: &mut Swept) {
    let Edges { segments, owners, .. } = edges;
    // By ring and place, and by ring, the first pair of edges.
    let mut own: HashMap<(usize, [u64; 2]), Crossing> = HashMap::new();
    let mut places: HashMap<usize, usize> = HashMap::new();
    let mut foreign: HashMap<usize, Crossing> = HashMap::new();
    each_meeting(segments, &mut |a, b| {
        let (ring_a, ring_b) = (owners[a].0, owners[b].0);
        let known = foreign.get(&ring_b).is_some_and(|known| known.segments < (a, b));
        let told = match ring_a == ring_b {
            true => places.get(&ring_a).is_some_and(|count| *count >= MOST_CROSSINGS),
            false => known,
        };
        if told {
            return;
        }
        let Some((at, overlap)) = meet(segments[a], segments[b]) else { return };
        let crossing = Crossing { segments: (a, b), at, overlap };
        if ring_a == ring_b {
            // Neighbours share a vertex.
            let joint = segments[a].1 == segments[b].0 || segments[b].1 == segments[a].0;
            if joint && !overlap {
                return;
            }
            let place = own.entry((ring_a, bits(at))).or_insert_with(|| {
                *places.entry(ring_a).or_default() += 1;
                crossing
            });
            if crossing.segments < place.segments {
                *place = crossing;
            }
            return;
        }
        // Rings may touch in a point.
        if overlap || edges.pass_through(a, b, at) {
            foreign.insert(ring_b, crossing);
        }
    });
    let mut crossings: Vec<(FlawKind, usize, Crossing)> = own
        .into_iter()
        .map(|((ring, _), crossing)| (FlawKind::SelfCrossing, ring, crossing))
        .collect();
    let others = foreign.into_iter().filter(|(ring, _)| !found.told[*ring]);
    crossings.extend(others.map(|(ring, crossing)| (FlawKind::RingsCross, ring, crossing)));
    crossings.sort_by_key(|(_, _, crossing)| crossing.segments);
    for (kind, ring, crossing) in crossings {
        let (a, b) = crossing.segments;
        found.told[ring] |= kind == FlawKind::RingsCross;
        let vertex = owners[if kind == FlawKind::SelfCrossing { a } else { b }].1;
        found.flaws.push(Flaw { kind, ring, vertex, at: crossing.at });
    }
}
