//! A polygon prepared for many questions of where points lie.

use super::place::edge_from;
use super::{Placing, distance_to_segment};

/// The edges of all rings of a polygon (or several), sorted into bands of y so that a question
/// looks at few of them. A place is inside if a ray from it crosses an odd number of edges:
/// holes, and polygons in several parts, come out right without being told apart.
#[derive(Clone, Debug)]
pub struct Region {
    edges: Vec<((f64, f64), (f64, f64))>,
    /// Edges of each band.
    bands: Vec<Vec<u32>>,
    low: f64,
    per_band: f64,
    /// West, south, east, north.
    bounds: [f64; 4],
}

impl Region {
    /// Of rings, whose first vertex may be repeated at the end or not.
    ///
    /// ```
    /// use velvet_peg_core::planar::{Placing, Region};
    /// let outer = (&[0.0, 9.0, 9.0, 0.0][..], &[0.0, 0.0, 9.0, 9.0][..]);
    /// let hole = (&[3.0, 6.0, 6.0, 3.0][..], &[3.0, 3.0, 6.0, 6.0][..]);
    /// let region = Region::new([outer, hole]);
    /// assert_eq!(region.place((1.0, 1.0)), Placing::Inside);
    /// assert_eq!(region.place((4.0, 4.0)), Placing::Outside);
    /// assert_eq!(region.place((3.0, 4.0)), Placing::Boundary);
    /// ```
    pub fn new<'a>(rings: impl IntoIterator<Item = (&'a [f64], &'a [f64])>) -> Region {
        let mut edges = Vec::new();
        let mut bounds = [f64::INFINITY, f64::INFINITY, f64::NEG_INFINITY, f64::NEG_INFINITY];
        for (x, y) in rings {
            let count = x.len().min(y.len());
            for i in 0..count {
                let j = if i + 1 == count { 0 } else { i + 1 };
                let (a, b) = ((x[i], y[i]), (x[j], y[j]));
                bounds = [
                    bounds[0].min(a.0),
                    bounds[1].min(a.1),
                    bounds[2].max(a.0),
                    bounds[3].max(a.1),
                ];
                if a != b {
                    edges.push((a, b));
                }
            }
        }
        let count = (edges.len() / 4).clamp(1, 4096);
        let height = bounds[3] - bounds[1];
        let per_band = if height > 0.0 { count as f64 / height } else { 0.0 };
        let mut region =
            Region { edges, bands: vec![Vec::new(); count], low: bounds[1], per_band, bounds };
        for (at, (a, b)) in region.edges.iter().enumerate() {
            let (from, to) = (region.band(a.1.min(b.1)), region.band(a.1.max(b.1)));
            region.bands[from..=to].iter_mut().for_each(|band| band.push(at as u32));
        }
        region
    }

    fn band(&self, y: f64) -> usize {
        // Rounding is the same for an edge's ends and a place: whatever it is, it is monotonic.
        (((y - self.low) * self.per_band) as usize).min(self.bands.len() - 1)
    }

    /// West, south, east and north of it.
    pub fn bounds(&self) -> [f64; 4] {
        self.bounds
    }

    /// Where a place lies, exactly for the coordinates as they are.
    pub fn place(&self, at: (f64, f64)) -> Placing {
        let [west, south, east, north] = self.bounds;
        if !(at.0 >= west && at.0 <= east && at.1 >= south && at.1 <= north) {
            return Placing::Outside;
        }
        let mut inside = false;
        for edge in &self.bands[self.band(at.1)] {
            let (a, b) = self.edges[*edge as usize];
            match edge_from(a, b, at) {
                Some(crosses) => inside ^= crosses,
                None => return Placing::Boundary,
            }
        }
        if inside { Placing::Inside } else { Placing::Outside }
    }

    /// True if the boundary comes within so much of a place.
    pub fn is_within(&self, at: (f64, f64), distance: f64) -> bool {
        let (from, to) = (self.band(at.1 - distance), self.band(at.1 + distance));
        self.bands[from..=to].iter().flatten().any(|edge| {
            let (a, b) = self.edges[*edge as usize];
            // Most edges are told apart by their boxes alone.
            at.0 >= a.0.min(b.0) - distance
                && at.0 <= a.0.max(b.0) + distance
                && at.1 >= a.1.min(b.1) - distance
                && at.1 <= a.1.max(b.1) + distance
                && distance_to_segment(at, a, b) <= distance
        })
    }

    /// The place of the boundary that is nearest, with x and y in units of these lengths.
    pub fn nearest(&self, at: (f64, f64), units: (f64, f64)) -> (f64, f64) {
        let scaled = |p: (f64, f64)| ((p.0 - at.0) * units.0, (p.1 - at.1) * units.1);
        let mut best = (f64::INFINITY, (f64::NAN, f64::NAN));
        for (a, b) in &self.edges {
            let (p, q) = (scaled(*a), scaled(*b));
            let (dx, dy) = (q.0 - p.0, q.1 - p.1);
            let square = dx * dx + dy * dy;
            let share = match square > 0.0 {
                true => (-(p.0 * dx + p.1 * dy) / square).clamp(0.0, 1.0),
                false => 0.0,
            };
            let distance = (p.0 + share * dx).hypot(p.1 + share * dy);
            if distance < best.0 {
                best = (distance, (a.0 + share * (b.0 - a.0), a.1 + share * (b.1 - a.1)));
            }
        }
        best.1
    }

    /// Distance of a place from the boundary, in the unit of the coordinates.
    pub fn distance(&self, at: (f64, f64)) -> f64 {
        let far = |(a, b): &((f64, f64), (f64, f64))| distance_to_segment(at, *a, *b);
        self.edges.iter().map(far).fold(f64::INFINITY, f64::min)
    }
}
