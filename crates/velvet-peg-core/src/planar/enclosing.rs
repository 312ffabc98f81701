//! Which ring of many lies in which.
//!
//! A sweep from west to east keeps the edges that it crosses in their order from south to north, as in
//! [`order`](super::order). Where a ring begins, the edge below tells what it lies in: the ring of
//! that edge if its inside is above, or else what that ring lies in. That holds for rings that touch and share
//! edges. Those that cross others or themselves are found by the same sweep and compared with all others.

use super::flaws::Ring;
use super::order::{Open, by_place};
use super::pairs::Box_;
use super::place::Placing;
use super::places::Places;
use super::vertex::{Bend, cross_at, turns_back};
use super::{orientation, ring_area};
use std::collections::BTreeSet;
use std::ops::Bound::{Excluded, Unbounded};

/// Looks at edges and boxes that are spent on rings that cross others.
pub(super) const MOST_LOOKS: usize = 1 << 28;

/// Visits of one place that are all compared with each other.
const MOST_VISITS: usize = 16;

/// Which rings lie in which.
///
/// Of rings that cross, one lies in another with a larger box if more of its vertices do than do not; of rings that are
/// the same, the later ones lie in the earlier ones. What lies in a ring is told by the even-odd rule.
#[derive(Clone, Debug)]
pub struct Enclosing {
    /// For each ring, the smallest one that it lies in.
    pub(super) around: Vec<Option<usize>>,
    /// The rings, what others lie in before these.
    pub(super) order: Vec<usize>,
    /// For each ring, true if it crosses another one or itself.
    pub(super) crossed: Vec<bool>,
    /// False if there were too many that cross others to look what lies in all of them.
    pub(super) complete: bool,
}

impl Enclosing {
    /// Finds which rings lie in which. Time grows with the number of vertices, but for rings that cross others or
    /// themselves, of which each is compared with all rings (up to a limit).
    ///
    /// ```
    /// use velvet_peg_core::planar::{Enclosing, Ring};
    /// let square = |side: f64| ([-side, side, side, -side], [-side, -side, side, side]);
    /// let squares = [square(1.0), square(3.0), square(2.0)];
    /// let rings: Vec<Ring> = squares.iter().map(|(x, y)| Ring { x, y }).collect();
    /// let enclosing = Enclosing::of(&rings);
    /// assert_eq!(enclosing.around(), [Some(2), None, Some(1)]);
    /// assert_eq!(enclosing.depths(), [2, 0, 1]);
    /// assert_eq!(enclosing.nearest(&|ring| ring == 1), [Some(1), None, Some(1)]);
    /// ```
    pub fn of(rings: &[Ring<'_>]) -> Enclosing {
        enclosing(rings)
    }

    /// For each ring, the smallest other one that it lies in.
    pub fn around(&self) -> &[Option<usize>] {
        &self.around
    }

    /// For each ring, how many others it lies in.
    pub fn depths(&self) -> Vec<usize> {
        let mut depths = vec![0; self.around.len()];
        for ring in &self.order {
            depths[*ring] = self.around[*ring].map_or(0, |other| depths[other] + 1);
        }
        depths
    }

    /// For each ring, the smallest that it lies in of those that are wanted.
    pub fn nearest(&self, wanted: &dyn Fn(usize) -> bool) -> Vec<Option<usize>> {
        let mut nearest = vec![None; self.around.len()];
        for ring in &self.order {
            nearest[*ring] = self.around[*ring]
                .and_then(|other| if wanted(other) { Some(other) } else { nearest[other] });
        }
        nearest
    }
}

fn enclosing(rings: &[Ring<'_>]) -> Enclosing {
    // What lies in another has no larger box, however sizes are rounded.
    let sizes: Vec<(f64, f64)> = rings
        .iter()
        .map(|ring| {
            let [west, south, east, north] = ring.bounds();
            let area = ring_area(&ring.x[..ring.count()], &ring.y[..ring.count()]);
            (east - west + (north - south), area.abs())
        })
        .collect();
    let mut order: Vec<usize> = (0..rings.len()).collect();
    order.sort_by(|a, b| {
        let (a_size, b_size) = (sizes[*a], sizes[*b]);
        b_size.0.total_cmp(&a_size.0).then(b_size.1.total_cmp(&a_size.1)).then(a.cmp(b))
    });
    let mut ranks = vec![0; rings.len()];
    order.iter().enumerate().for_each(|(rank, ring)| ranks[*ring] = rank);
    let mut crossed = vec![false; rings.len()];
    let mut around = vec![None; rings.len()];
    let mut complete = true;
    if rings.len() > 1 {
        let edges = Edges::of(rings, &ranks);
        edges.sweep(&mut crossed, &mut around);
        if crossed.contains(&true) {
            // Once more, with those alone that cross nothing; no more are found.
            edges.sweep(&mut crossed, &mut around);
            complete = compare_crossed(rings, &ranks, &crossed, &mut around);
        }
    }
    // Rings with the same box and nearly the same area may be ranked the wrong way.
    for ring in 0..rings.len() {
        around[ring] = around[ring].filter(|other| ranks[*other] < ranks[ring]);
    }
    Enclosing { around, order, crossed, complete }
}

/// Compares rings that cross others with all rings; false if there are too many to do so.
fn compare_crossed(
    rings: &[Ring<'_>],
    ranks: &[usize],
    crossed: &[bool],
    around: &mut [Option<usize>],
) -> bool {
    let places = Places::new(rings.to_vec());
    let crossing: Vec<usize> = (0..rings.len()).filter(|ring| crossed[*ring]).collect();
    crossing.iter().for_each(|ring| around[*ring] = None);
    for first in crossing {
        for second in 0..rings.len() {
            let (ring, other) =
                if ranks[first] > ranks[second] { (first, second) } else { (second, first) };
            // Two that both cross others are met with twice.
            if first == second || (crossed[second] && ring == second) {
                continue;
            }
            places.looked_at(1);
            let nearer = around[ring].is_some_and(|known| ranks[known] > ranks[other]);
            if !nearer && meets(places.bounds[ring], places.bounds[other]) {
                let balance = (0..rings[ring].count()).map(|vertex| {
                    match places.place(other, rings[ring].at(vertex)) {
                        Placing::Inside => (1, 1),
                        Placing::Outside => (-1, 1),
                        Placing::Boundary => (0, 0),
                    }
                });
                let (balance, told) = balance.fold((0_isize, 0), |a, b| (a.0 + b.0, a.1 + b.1));
                // All on the boundary: drawn along it.
                if balance > 0 || told == 0 {
                    around[ring] = Some(other);
                }
            }
            if places.looks() > MOST_LOOKS {
                return false;
            }
        }
    }
    true
}

fn meets(a: Box_, b: Box_) -> bool {
    a[0] <= b[2] && b[0] <= a[2] && a[1] <= b[3] && b[1] <= a[3]
}

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
struct Edges {
    /// The edges of each ring after those of the ring before.
    edges: Vec<Open>,
    /// The ring of each edge.
    owners: Vec<u32>,
    /// For each edge, true if the inside of its ring lies north of it.
    floors: Vec<bool>,
    /// Where the edges of each ring begin, and where those of the last end.
    starts: Vec<usize>,
    /// For each ring, the southern edge at its most western vertex; none if it has no place.
    probes: Vec<Option<Open>>,
}

impl Edges {
    fn of(rings: &[Ring<'_>], ranks: &[usize]) -> Edges {
        let mut all = Edges {
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
    fn bend(&self, edge: &Open, at: (f64, f64)) -> Bend {
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

    /// Finds for each ring the one around it, of those that cross nothing, and marks those that do cross.
    fn sweep(&self, crossed: &mut [bool], around: &mut [Option<usize>]) {
        let holders: Vec<bool> = crossed.iter().map(|crossed| !crossed).collect();
        let holds = |edge: usize| holders[self.owners[edge] as usize];
        let mut ends: Vec<u32> =
            (0..self.edges.len()).filter(|edge| holds(*edge)).map(|at| at as u32).collect();
        let mut begins = ends.clone();
        ends.sort_unstable_by(|a, b| {
            by_place(self.edges[*a as usize].east, self.edges[*b as usize].east)
        });
        begins.sort_unstable_by(|a, b| {
            by_place(self.edges[*a as usize].west, self.edges[*b as usize].west)
        });
        let mut probes: Vec<usize> =
            (0..self.probes.len()).filter(|ring| self.probes[*ring].is_some()).collect();
        let probe = |ring: usize| self.probes[ring].unwrap_or(self.edges[0]);
        probes.sort_by(|a, b| by_place(probe(*a).west, probe(*b).west));
        let mut sweep =
            Sweep { of: self, open: BTreeSet::new(), out: vec![false; self.edges.len()], crossed };
        let (mut ends, mut begins, mut probes) = (
            ends.into_iter().peekable(),
            begins.into_iter().peekable(),
            probes.into_iter().peekable(),
        );
        loop {
            let next_end = ends.peek().map(|at| self.edges[*at as usize].east);
            let next_begin = begins.peek().map(|at| self.edges[*at as usize].west);
            let next_probe = probes.peek().map(|ring| probe(*ring).west);
            let places = [next_end, next_begin, next_probe].into_iter().flatten();
            let Some(at) = places.min_by(|a, b| by_place(*a, *b)) else { break };
            let here = |place: (f64, f64)| by_place(place, at).is_eq();
            let mut visits: Vec<Open> = Vec::new();
            while let Some(edge) = ends.next_if(|edge| here(self.edges[*edge as usize].east)) {
                sweep.end(self.edges[edge as usize], &mut visits);
            }
            while let Some(edge) = begins.next_if(|edge| here(self.edges[*edge as usize].west)) {
                sweep.begin(self.edges[edge as usize], &mut visits);
            }
            sweep.compare(visits, at);
            let mut rings: Vec<usize> = Vec::new();
            while let Some(ring) = probes.next_if(|ring| here(probe(*ring).west)) {
                rings.push(ring);
            }
            // From south to north: what one lies in is known when the next asks.
            rings.sort_by_key(|ring| probe(*ring));
            for ring in rings {
                around[ring] = sweep.below(&probe(ring)).and_then(|edge| {
                    let other = self.owners[edge.number] as usize;
                    if self.floors[edge.number] { Some(other) } else { around[other] }
                });
            }
        }
    }
}

/// The edges that the sweep crosses.
struct Sweep<'a> {
    of: &'a Edges,
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

    /// True if two edges cross; one is taken out then.
    fn part(&mut self, a: &Open, b: &Open) -> bool {
        if !cross(a, b) {
            return false;
        }
        self.mark(a);
        self.mark(b);
        // The one that reaches further east would cross more.
        let goes = if by_place(a.east, b.east).is_gt() { a } else { b };
        self.out[goes.number] = true;
        self.open.remove(goes);
        true
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
