//! Which rings of a polygon, and which parts, lie in one another and should not.

use super::flaws::{Flaw, FlawKind, Ring};
use super::pairs::{Box_, Leaves, each_pair};
use super::sweep::{Swept, sweep};
use super::{Placing, Region, place_in_ring};
use std::cell::RefCell;
use std::collections::{HashMap, HashSet};

/// A vertex of a ring, and a place at it or on the edge from it.
type Vertex = (usize, (f64, f64));

/// Vertices from which on a ring that is asked often has its edges sorted.
const MANY: usize = 256;

/// Rings that are asked what lies in them.
struct Places<'a> {
    rings: Vec<Ring<'a>>,
    bounds: Vec<Box_>,
    /// Of long rings, how often they were asked, and their edges from the third time on.
    sorted: RefCell<HashMap<usize, (u32, Option<Region>)>>,
}

impl<'a> Places<'a> {
    fn new(rings: Vec<Ring<'a>>) -> Self {
        let bounds = rings.iter().map(Ring::bounds).collect();
        Places { rings, bounds, sorted: RefCell::default() }
    }

    /// Where a place lies with regard to a ring.
    fn place(&self, ring: usize, at: (f64, f64)) -> Placing {
        let Ring { x, y } = self.rings[ring];
        if x.len() < MANY {
            return place_in_ring(x, y, at);
        }
        let mut sorted = self.sorted.borrow_mut();
        let (asked, region) = sorted.entry(ring).or_default();
        *asked = asked.saturating_add(1);
        if *asked < 3 {
            return place_in_ring(x, y, at);
        }
        region.get_or_insert_with(|| Region::new([(x, y)])).place(at)
    }

    /// The first vertex of a ring, or middle of the edge from it, that lies so with regard to another.
    fn first(&self, ring: usize, wanted: Placing, other: usize) -> Option<Vertex> {
        let ring = self.rings[ring];
        let n = ring.count();
        (0..n)
            .flat_map(|v| {
                let (a, b) = (ring.at(v), ring.at(if v + 1 == n { 0 } else { v + 1 }));
                [(v, a), (v, ((a.0 + b.0) / 2.0, (a.1 + b.1) / 2.0))]
            })
            .find(|(_, at)| self.place(other, *at) == wanted)
    }

    /// True if some of a ring is in another, and the first place outside of that, if there is
    /// one. A ring that meets no other is all on one side: one vertex tells.
    fn against(&self, ring: usize, other: usize, meets: bool) -> (bool, Option<Vertex>) {
        if !meets {
            let at = self.rings[ring].at(0);
            let inside = self.place(other, at) != Placing::Outside;
            return (inside, (!inside).then_some((0, at)));
        }
        (
            self.first(ring, Placing::Inside, other).is_some(),
            self.first(ring, Placing::Outside, other),
        )
    }

    /// True for a ring that encloses something.
    fn is_ring(&self, ring: usize) -> bool {
        self.rings[ring].count() >= 3
    }

    /// True for a ring whose box lies in that of another.
    fn box_within(&self, ring: usize, other: usize) -> bool {
        let (a, b) = (self.bounds[ring], self.bounds[other]);
        b[0] <= a[0] && b[1] <= a[1] && a[2] <= b[2] && a[3] <= b[3]
    }
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
    let swept = sweep(rings);
    let places = Places::new(rings.to_vec());
    let in_hole = holes_in_holes(&places, &swept);
    let Swept { mut flaws, told, meets, .. } = swept;
    for number in 1..rings.len() {
        if told[number] || !places.is_ring(number) || !places.is_ring(0) {
            continue;
        }
        let mut add = |kind, (vertex, at)| flaws.push(Flaw { kind, ring: number, vertex, at });
        // Rings that pass through each other's vertices only are told apart by where they go.
        match places.against(number, 0, meets[number]) {
            (true, Some(out)) => add(FlawKind::RingsCross, out),
            (false, Some(out)) => add(FlawKind::HoleOutside, out),
            _ => {}
        }
        if in_hole[number] {
            add(FlawKind::HoleInHole, (0, rings[number].at(0)));
        }
    }
    flaws
}

/// Which of two rings is the same as another, which stands for it.
fn twin_of(twin: &[bool], first: usize, second: usize) -> Option<Leaves> {
    match (twin[first], twin[second]) {
        (true, _) => Some(Leaves::First),
        (_, true) => Some(Leaves::Second),
        _ => None,
    }
}

/// For each ring, true for a hole that lies in another one.
fn holes_in_holes(places: &Places<'_>, swept: &Swept) -> Vec<bool> {
    let mut within = vec![false; places.rings.len()];
    let holes = within.len().saturating_sub(1);
    each_pair(holes, &|at| places.bounds[at + 1], &mut |first, second| {
        if let Some(leaves) = twin_of(&swept.twin, first + 1, second + 1) {
            return leaves;
        }
        for (hole, other, leaves) in
            [(first + 1, second + 1, Leaves::First), (second + 1, first + 1, Leaves::Second)]
        {
            if !swept.told[hole]
                && places.is_ring(hole)
                && places.is_ring(other)
                && places.box_within(hole, other)
                && places.against(hole, other, swept.meets[hole]) == (true, None)
            {
                within[hole] = true;
                // What lies in it lies in the other too.
                return leaves;
            }
        }
        Leaves::Neither
    });
    within
}

/// Parts of a multi-polygon (each its outer ring and holes) that overlap or run along each other;
/// `ring` is the part.
pub fn flaws_between_parts(parts: &[Vec<Ring<'_>>]) -> Vec<Flaw> {
    let outer: Vec<Ring<'_>> = parts.iter().filter_map(|part| part.first().copied()).collect();
    if outer.len() < 2 || outer.len() != parts.len() {
        return Vec::new();
    }
    let Swept { flaws, told, meets, twin } = sweep(&outer);
    let mut flaws: Vec<Flaw> = flaws
        .into_iter()
        .filter(|f| matches!(f.kind, FlawKind::RingsCross | FlawKind::DuplicateRing))
        .map(|flaw| Flaw { kind: FlawKind::PartsOverlap, ..flaw })
        .collect();
    let islands = islands(parts);
    let places = Places::new(outer);
    // Of each part, the first other that it shares something with.
    let mut shared: Vec<Option<(usize, Vertex)>> = vec![None; parts.len()];
    each_pair(parts.len(), &|at| places.bounds[at], &mut |first, second| {
        if let Some(leaves) = twin_of(&twin, first, second) {
            return leaves;
        }
        for (part, other, leaves) in
            [(first, second, Leaves::First), (second, first, Leaves::Second)]
        {
            if told[part]
                || !places.is_ring(part)
                || !places.is_ring(other)
                || shared[part].is_some_and(|(known, _)| known < other)
                // What meets nothing and is not within its box is not in it.
                || (!meets[part] && !places.box_within(part, other))
            {
                continue;
            }
            match places.against(part, other, meets[part]) {
                // Of two that pass through each other's vertices, the later one is told.
                (true, Some(out)) if other < part => shared[part] = Some((other, out)),
                (true, None) if !islands.contains(&(part, other)) => {
                    shared[part] = Some((other, (0, places.rings[part].at(0))));
                    // What lies in it lies in the other too, unless in a hole of that.
                    if parts[other].len() == 1 {
                        return leaves;
                    }
                }
                _ => {}
            }
        }
        Leaves::Neither
    });
    for (ring, shared) in shared.into_iter().enumerate() {
        if let Some((_, (vertex, at))) = shared {
            flaws.push(Flaw { kind: FlawKind::PartsOverlap, ring, vertex, at });
        }
    }
    flaws
}

/// The parts whose outer rings lie in a hole, each with the part that has the hole.
fn islands(parts: &[Vec<Ring<'_>>]) -> HashSet<(usize, usize)> {
    let mut islands = HashSet::new();
    if parts.iter().all(|part| part.len() == 1) {
        return islands;
    }
    let outer = parts.iter().map(|part| part[0]);
    let holes = parts.iter().flat_map(|part| &part[1..]).copied();
    let owners: Vec<usize> = (0..parts.len())
        .chain(parts.iter().enumerate().flat_map(|(at, part)| vec![at; part.len() - 1]))
        .collect();
    let places = Places::new(outer.chain(holes).collect());
    each_pair(owners.len(), &|at| places.bounds[at], &mut |first, second| {
        let (part, hole) = (first.min(second), first.max(second));
        if part < parts.len()
            && hole >= parts.len()
            && owners[hole] != part
            && places.is_ring(hole)
            && places.box_within(part, hole)
            && places.first(part, Placing::Outside, hole).is_none()
        {
            islands.insert((part, owners[hole]));
        }
        Leaves::Neither
    });
    islands
}
