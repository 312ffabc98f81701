//! Which rings of a polygon, and which parts, lie in one another and should not.

use super::enclosing::{Enclosing, MOST_LOOKS};
use super::flaws::{Flaw, FlawKind, Ring};
use super::places::Places;
use super::sweep::{Swept, sweep};
use std::collections::BTreeSet;

/// The flaws of a polygon, its outer ring first.
///
/// ```
/// use velvet_peg_core::planar::{FlawKind, Ring, flaws_of_polygon};
/// let bow_tie = Ring { x: &[0.0, 2.0, 2.0, 0.0], y: &[0.0, 2.0, 0.0, 2.0] };
/// let flaws = flaws_of_polygon(&[bow_tie]);
/// assert_eq!((flaws[0].kind, flaws[0].at), (FlawKind::SelfCrossing, (1.0, 1.0)));
/// ```
pub fn flaws_of_polygon(rings: &[Ring<'_>]) -> Vec<Flaw> {
    let Swept { mut flaws, told } = sweep(rings);
    if rings.len() < 2 || rings[0].count() < 3 {
        return flaws;
    }
    let nest = Nest::of(rings.to_vec());
    let (around, complete) = nest.whole();
    // What lies in the outer ring, through other holes or not.
    let mut within = vec![false; rings.len()];
    for ring in &nest.enclosing.order {
        within[*ring] = around[*ring].is_some_and(|other| other == 0 || within[other]);
    }
    for number in (1..rings.len()).filter(|ring| !told[*ring] && rings[*ring].count() >= 3) {
        let mut add = |kind| {
            flaws.push(Flaw { kind, ring: number, vertex: 0, at: rings[number].at(0) });
        };
        // Where very many rings cross others, it is not known.
        if !within[number] && complete {
            add(FlawKind::HoleOutside);
        }
        if around[number].is_some_and(|other| other != 0) {
            add(FlawKind::HoleInHole);
        }
    }
    flaws
}

/// Rings, and which lies in which.
struct Nest<'a> {
    places: Places<'a>,
    enclosing: Enclosing,
}

impl<'a> Nest<'a> {
    fn of(rings: Vec<Ring<'a>>) -> Self {
        let enclosing = Enclosing::of(&rings);
        Nest { places: Places::new(rings), enclosing }
    }

    /// For each ring, the smallest one that all of it lies in; false if there were too many that cross others
    /// to look at all of them.
    fn whole(&self) -> (Vec<Option<usize>>, bool) {
        let Enclosing { around, order, crossed, complete } = &self.enclosing;
        let (mut whole, mut complete) = (around.clone(), *complete);
        for ring in order {
            // Only what crosses something may lie in another by half.
            while let Some(other) = whole[*ring]
                && (crossed[*ring] || crossed[other])
            {
                self.places.looked_at(1);
                complete &= self.places.looks() <= MOST_LOOKS;
                if complete && !self.places.leaves(*ring, other) {
                    break;
                }
                whole[*ring] = if complete { whole[other] } else { None };
            }
        }
        (whole, complete)
    }
}

/// Parts of a multi-polygon (each its outer ring and holes) that overlap or run along each other;
/// `ring` is the part.
pub fn flaws_between_parts(parts: &[Vec<Ring<'_>>]) -> Vec<Flaw> {
    let outer: Vec<Ring<'_>> = parts.iter().filter_map(|part| part.first().copied()).collect();
    if outer.len() < 2 || outer.len() != parts.len() {
        return Vec::new();
    }
    let Swept { flaws, told } = sweep(&outer);
    let mut flaws: Vec<Flaw> = flaws
        .into_iter()
        .filter(|f| matches!(f.kind, FlawKind::RingsCross | FlawKind::DuplicateRing))
        .map(|flaw| Flaw { kind: FlawKind::PartsOverlap, ..flaw })
        .collect();
    let covered = covered(parts);
    for (ring, part) in outer.iter().enumerate() {
        if covered[ring] && !told[ring] && part.count() >= 3 {
            flaws.push(Flaw { kind: FlawKind::PartsOverlap, ring, vertex: 0, at: part.at(0) });
        }
    }
    flaws
}

/// For each part, true if all of its outer ring lies in another part, and not in a hole of that.
fn covered(parts: &[Vec<Ring<'_>>]) -> Vec<bool> {
    // The outer rings, then the holes.
    let outer = parts.iter().map(|part| part[0]);
    let rings: Vec<Ring<'_>> =
        outer.chain(parts.iter().flat_map(|part| &part[1..]).copied()).collect();
    let owners: Vec<usize> = (0..parts.len())
        .chain(parts.iter().enumerate().flat_map(|(at, part)| vec![at; part.len() - 1]))
        .collect();
    let (around, _) = Nest::of(rings).whole();
    let mut inner: Vec<Vec<usize>> = vec![Vec::new(); owners.len()];
    let mut open: Vec<(usize, bool)> = Vec::new();
    for (ring, around) in around.iter().enumerate() {
        match around {
            Some(other) => inner[*other].push(ring),
            None => open.push((ring, true)),
        }
    }
    // From the outside to the inside, and back: the parts that cover a place.
    let mut covering: BTreeSet<usize> = BTreeSet::new();
    let mut covered = vec![false; parts.len()];
    while let Some((ring, enters)) = open.pop() {
        let (owner, is_hole) = (owners[ring], ring >= parts.len());
        if enters {
            if !is_hole {
                covered[owner] = !covering.is_empty();
            }
            open.push((ring, false));
            open.extend(inner[ring].iter().map(|ring| (*ring, true)));
        }
        if enters == is_hole {
            covering.remove(&owner);
        } else {
            covering.insert(owner);
        }
    }
    covered
}
