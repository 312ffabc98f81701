//! The edges of many rings, with what a sweep has to know of them.

use super::flaws::Ring;
use super::order::{Open, by_place};
use super::orientation;
use super::vertex::{Bend, turns_back};

/// The vertices of a ring without repeated ones and without those at which it turns straight back.
fn tidy(ring: &Ring<'_>) -> Vec<(f64, f64)> {
    let mut kept: Vec<(f64, f64)> = Vec::with_capacity(ring.count());
    for vertex in 0..ring.count() {
        kept.push(ring.at(vertex));
        loop {
            match kept[..] {
                [.., a, b] if a == b => {}
                [.., a, b, c] if turns_back(a, b, c) => {
                    let last = kept.len() - 1;
                    kept.swap(last - 1, last);
                }
                _ => break,
            }
            kept.pop();
        }
    }
    // The same where the end meets the beginning.
    let mut first = 0;
    while kept.len() > first + 2 {
        let (last, ring) = (kept.len() - 1, &kept[first..]);
        let before = kept[last - 1];
        if ring[0] == kept[last] || turns_back(before, kept[last], ring[0]) {
            kept.pop();
        } else if turns_back(kept[last], ring[0], ring[1]) {
            first += 1;
        } else {
            break;
        }
    }
    kept.split_off(first)
}

/// The edges of all rings, for the sweep.
pub(super) struct RingEdges {
    /// The edges of each ring after those of the ring before.
    pub(super) edges: Vec<Open>,
    /// The ring of each edge.
    pub(super) owners: Vec<u32>,
    /// For each edge, true if the inside of its ring lies north of it.
    pub(super) floors: Vec<bool>,
    /// Where the edges of each ring begin, and where those of the last end.
    starts: Vec<usize>,
    /// For each ring, the southern edge at its most western vertex; none if it has no place.
    pub(super) probes: Vec<Option<Open>>,
}

impl RingEdges {
    pub(super) fn of(rings: &[Ring<'_>], ranks: &[usize]) -> RingEdges {
        let mut all = RingEdges {
            edges: Vec::new(),
            owners: Vec::new(),
            floors: Vec::new(),
            starts: vec![0],
            probes: Vec::new(),
        };
        for (number, ring) in rings.iter().enumerate() {
            all.add(number, ring, ranks[number]);
            all.starts.push(all.edges.len());
        }
        all
    }

    fn add(&mut self, number: usize, ring: &Ring<'_>, rank: usize) {
        let finite = |(x, y): (f64, f64)| x.is_finite() && y.is_finite();
        if ring.count() == 0 || !(0..ring.count()).all(|vertex| finite(ring.at(vertex))) {
            self.probes.push(None);
            return;
        }
        let vertices = tidy(ring);
        let n = vertices.len();
        let lowest = (0..n).min_by(|a, b| by_place(vertices[*a], vertices[*b]));
        let (Some(at), 3..) = (lowest, n) else {
            // It encloses nothing, and is asked for by one of its places.
            let at = vertices.first().copied().unwrap_or(ring.at(0));
            self.probes.push(Some(Open::new(usize::MAX, (at, at), rank as u64)));
            return;
        };
        let (before, after) = (vertices[(at + n - 1) % n], vertices[(at + 1) % n]);
        let left = orientation(before, vertices[at], after) > 0.0;
        let first = self.edges.len();
        for vertex in 0..n {
            let (a, b) = (vertices[vertex], vertices[(vertex + 1) % n]);
            let floor = by_place(a, b).is_lt() == left;
            // Of edges at one place, those come first whose rings lie south of them; of these the smaller rings,
            // and of those that lie north of them the larger ones.
            let place = if floor { (1 << 32) + rank as u64 } else { (1 << 32) - 1 - rank as u64 };
            self.edges.push(Open::new(first + vertex, (a, b), place));
            self.owners.push(number as u32);
            self.floors.push(floor);
        }
        let leaves = |edge: &&Open| edge.west == vertices[at];
        self.probes.push(self.edges[first..].iter().filter(leaves).min().copied());
    }

    /// The edges of one ring before and after an edge; itself, if the place lies on it.
    pub(super) fn bend(&self, edge: &Open, at: (f64, f64)) -> Bend {
        if at != edge.west && at != edge.east {
            return Bend { from: edge.west, at, to: edge.east };
        }
        let ring = self.owners[edge.number] as usize;
        let (first, end) = (self.starts[ring], self.starts[ring + 1]);
        let next = if edge.number + 1 == end { first } else { edge.number + 1 };
        let before = if edge.number == first { end - 1 } else { edge.number - 1 };
        let other = |edge: &Open| if edge.west == at { edge.east } else { edge.west };
        let (this, next, before) = (edge, &self.edges[next], &self.edges[before]);
        // The edges of a ring run one after the other, whichever way each lies.
        match next.west == at || next.east == at {
            true => Bend { from: other(this), at, to: other(next) },
            false => Bend { from: other(before), at, to: other(this) },
        }
    }
}
