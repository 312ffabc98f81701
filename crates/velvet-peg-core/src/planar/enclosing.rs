//! Which ring of many lies in which.
//!
//! A sweep from west to east keeps the edges that it crosses in their order from south to north, as in
//! [`order`](super::order). Where a ring begins, the edge below tells what it lies in: the ring of
//! that edge if its inside is above, or else what that ring lies in. That holds for rings that touch and share
//! edges. Those that cross others or themselves are found by the same sweep and compared with all others.

use super::flaws::Ring;
use super::pairs::Box_;
use super::place::Placing;
use super::places::Places;
use super::ring_area;
use super::ring_edges::RingEdges;
use super::ring_sweep::enclosed;

/// Looks at edges and boxes that are spent on rings that cross others.
pub(super) const MOST_LOOKS: usize = 1 << 28;

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
            let edges = RingEdges::of(rings, &ranks);
            enclosed(&edges, &mut crossed, &mut around);
            if crossed.contains(&true) {
                // Once more, with those alone that cross nothing; no more are found.
                enclosed(&edges, &mut crossed, &mut around);
                complete = compare_crossed(rings, &ranks, &crossed, &mut around);
            }
        }
        // Rings with the same box and nearly the same area may be ranked the wrong way.
        for ring in 0..rings.len() {
            around[ring] = around[ring].filter(|other| ranks[*other] < ranks[ring]);
        }
        Enclosing { around, order, crossed, complete }
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
