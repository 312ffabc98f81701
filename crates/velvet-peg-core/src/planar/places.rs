//! Rings that are asked what lies in them.

use super::flaws::Ring;
use super::pairs::Box_;
use super::place::{Placing, place_in_ring};
use super::region::Region;
use std::cell::{Cell, RefCell};
use std::collections::HashMap;

/// Vertices from which on a ring that is asked often has its edges sorted.
const MANY: usize = 256;

/// Rings that are asked what lies in them.
pub(super) struct Places<'a> {
    rings: Vec<Ring<'a>>,
    pub(super) bounds: Vec<Box_>,
    /// Of long rings, how often they were asked, and their edges from the third time on.
    sorted: RefCell<HashMap<usize, (u32, Option<Region>)>>,
    /// Edges that were looked at.
    looks: Cell<usize>,
}

impl<'a> Places<'a> {
    pub(super) fn new(rings: Vec<Ring<'a>>) -> Self {
        let bounds = rings.iter().map(Ring::bounds).collect();
        Places { rings, bounds, sorted: RefCell::default(), looks: Cell::new(0) }
    }

    /// Where a place lies with regard to a ring.
    pub(super) fn place(&self, ring: usize, at: (f64, f64)) -> Placing {
        let Ring { x, y } = self.rings[ring];
        if x.len() < MANY {
            self.looked_at(x.len());
            return place_in_ring(x, y, at);
        }
        let mut sorted = self.sorted.borrow_mut();
        let (asked, region) = sorted.entry(ring).or_default();
        *asked = asked.saturating_add(1);
        if *asked < 3 {
            self.looked_at(x.len());
            return place_in_ring(x, y, at);
        }
        let region = region.get_or_insert_with(|| Region::new([(x, y)]));
        self.looked_at(region.edges_at(at.1));
        region.place(at)
    }

    /// Counts edges, or boxes, that were looked at.
    pub(super) fn looked_at(&self, more: usize) {
        self.looks.set(self.looks.get().saturating_add(more));
    }

    /// How many edges were looked at so far.
    pub(super) fn looks(&self) -> usize {
        self.looks.get()
    }

    /// True for a ring of which a vertex, or the middle of an edge, lies outside of another.
    pub(super) fn leaves(&self, ring: usize, other: usize) -> bool {
        let ring = self.rings[ring];
        let n = ring.count();
        (0..n).any(|v| {
            let (a, b) = (ring.at(v), ring.at(if v + 1 == n { 0 } else { v + 1 }));
            let middle = ((a.0 + b.0) / 2.0, (a.1 + b.1) / 2.0);
            [a, middle].into_iter().any(|at| self.place(other, at) == Placing::Outside)
        })
    }
}
