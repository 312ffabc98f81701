//! A sweep over the edges of rings, from west to east: what lies in what, and which rings cross others.

use super::order::{Open, by_place};
use super::orientation;
use super::ring_edges::RingEdges;
use super::vertex::{Bend, cross_at};
use std::collections::BTreeSet;
use std::ops::Bound::{Excluded, Unbounded};

/// Visits of one place that are all compared with each other.
const MOST_VISITS: usize = 16;

/// Finds for each ring the one around it, of those that cross nothing, and marks those that do cross.
pub(super) fn enclosed(edges: &RingEdges, crossed: &mut [bool], around: &mut [Option<usize>]) {
    let holders: Vec<bool> = crossed.iter().map(|crossed| !crossed).collect();
    let holds = |edge: usize| holders[edges.owners[edge] as usize];
    let mut ends: Vec<u32> =
        (0..edges.edges.len()).filter(|edge| holds(*edge)).map(|at| at as u32).collect();
    let mut begins = ends.clone();
    ends.sort_unstable_by(|a, b| {
        by_place(edges.edges[*a as usize].east, edges.edges[*b as usize].east)
    });
    begins.sort_unstable_by(|a, b| {
        by_place(edges.edges[*a as usize].west, edges.edges[*b as usize].west)
    });
    let mut probes: Vec<(usize, Open)> = edges
        .probes
        .iter()
        .enumerate()
        .filter_map(|(ring, probe)| Some((ring, (*probe)?)))
        .collect();
    probes.sort_by(|a, b| by_place(a.1.west, b.1.west));
    let mut sweep =
        Sweep { of: edges, open: BTreeSet::new(), out: vec![false; edges.edges.len()], crossed };
    let (mut ends, mut begins, mut probes) =
        (ends.into_iter().peekable(), begins.into_iter().peekable(), probes.into_iter().peekable());
    loop {
        let next_end = ends.peek().map(|at| edges.edges[*at as usize].east);
        let next_begin = begins.peek().map(|at| edges.edges[*at as usize].west);
        let next_probe = probes.peek().map(|(_, probe)| probe.west);
        let places = [next_end, next_begin, next_probe].into_iter().flatten();
        let Some(at) = places.min_by(|a, b| by_place(*a, *b)) else { break };
        let here = |place: (f64, f64)| by_place(place, at).is_eq();
        let mut visits: Vec<Open> = Vec::new();
        while let Some(edge) = ends.next_if(|edge| here(edges.edges[*edge as usize].east)) {
            sweep.end(edges.edges[edge as usize], &mut visits);
        }
        while let Some(edge) = begins.next_if(|edge| here(edges.edges[*edge as usize].west)) {
            sweep.begin(edges.edges[edge as usize], &mut visits);
        }
        sweep.compare(visits, at);
        let mut rings: Vec<(usize, Open)> = Vec::new();
        while let Some(ring) = probes.next_if(|(_, probe)| here(probe.west)) {
            rings.push(ring);
        }
        // From south to north: what one lies in is known when the next asks.
        rings.sort_by_key(|(_, probe)| *probe);
        for (ring, probe) in rings {
            around[ring] = sweep.below(&probe).and_then(|edge| {
                let other = edges.owners[edge.number] as usize;
                if edges.floors[edge.number] { Some(other) } else { around[other] }
            });
        }
    }
}

/// The edges that the sweep crosses.
struct Sweep<'a> {
    of: &'a RingEdges,
    open: BTreeSet<Open>,
    /// For each edge, true if it was taken out because it crosses another.
    out: Vec<bool>,
    /// For each ring, true if it crosses another or itself.
    crossed: &'a mut [bool],
}

impl Sweep<'_> {
    fn below(&self, at: &Open) -> Option<Open> {
        self.open.range(..*at).next_back().copied()
    }

    fn above(&self, at: &Open) -> Option<Open> {
        self.open.range((Excluded(*at), Unbounded)).next().copied()
    }

    fn mark(&mut self, edge: &Open) {
        self.crossed[self.of.owners[edge.number] as usize] = true;
    }

    /// True if two edges cross and one was taken out for that.
    fn part(&mut self, a: &Open, b: &Open) -> bool {
        if !cross(a, b) {
            return false;
        }
        self.mark(a);
        self.mark(b);
        // The one that reaches further east would cross more.
        let goes = if by_place(a.east, b.east).is_gt() { a } else { b };
        self.out[goes.number] = true;
        // Numbers of which no double holds the products have no order: what is not found there is left.
        self.open.remove(goes)
    }

    /// An edge ends: its neighbours become neighbours of each other.
    fn end(&mut self, edge: Open, visits: &mut Vec<Open>) {
        if self.out[edge.number] {
            return;
        }
        visits.push(edge);
        self.open.remove(&edge);
        self.passing(&edge, edge.east, visits);
        while let (Some(south), Some(north)) = (self.below(&edge), self.above(&edge)) {
            if !self.part(&south, &north) {
                break;
            }
        }
    }

    /// An edge begins.
    fn begin(&mut self, edge: Open, visits: &mut Vec<Open>) {
        if self.out[edge.number] {
            return;
        }
        visits.push(edge);
        self.passing(&edge, edge.west, visits);
        self.open.insert(edge);
        let neighbours: [fn(&Self, &Open) -> Option<Open>; 2] = [Sweep::below, Sweep::above];
        for neighbour in neighbours {
            while let Some(other) = neighbour(self, &edge) {
                if !self.part(&edge, &other) {
                    break;
                }
                if self.out[edge.number] {
                    return;
                }
            }
        }
    }

    /// Adds to the visits of a place the edges beside one that ends there which pass it.
    fn passing(&self, edge: &Open, at: (f64, f64), visits: &mut Vec<Open>) {
        let passes = |other: &&Open| {
            let ends = other.west == at || other.east == at;
            !ends && orientation(other.west, other.east, at) == 0.0
        };
        let (south, north) = (self.open.range(..*edge).rev(), self.open.range(edge..));
        visits.extend(south.take_while(passes).take(MOST_VISITS));
        visits.extend(north.take_while(passes).take(MOST_VISITS));
    }

    /// Marks rings that cross where they have a place in common.
    fn compare(&mut self, mut visits: Vec<Open>, at: (f64, f64)) {
        if visits.len() < 3 {
            return;
        }
        visits.sort_by_key(|edge| edge.number);
        visits.dedup_by_key(|edge| edge.number);
        // Each visit once, by the edge that comes to the place or passes it.
        let mut bends: Vec<(Open, Bend)> = Vec::new();
        for edge in visits {
            let bend = self.of.bend(&edge, at);
            if !bends.iter().rev().take(2 * MOST_VISITS).any(|(_, known)| known.same(&bend)) {
                bends.push((edge, bend));
            }
        }
        for (number, (edge, bend)) in bends.iter().enumerate() {
            for (other, other_bend) in bends[..number].iter().rev().take(MOST_VISITS) {
                if cross_at(bend, other_bend) {
                    self.mark(edge);
                    self.mark(other);
                }
            }
        }
    }
}

/// True for edges that pass through each other.
fn cross(a: &Open, b: &Open) -> bool {
    let parts = |p: f64, q: f64| (p > 0.0 && q < 0.0) || (p < 0.0 && q > 0.0);
    let side = |edge: &Open, at| orientation(edge.west, edge.east, at);
    parts(side(a, b.west), side(a, b.east)) && parts(side(b, a.west), side(b, a.east))
}
