//! A polygon prepared for many questions of where points lie.

use super::place::edge_from;
use super::{Placing, distance_to_segment};

/// The edges of all rings of a polygon (or several), sorted into bands of y so that a question
/// looks at few of them. A place is inside if a ray from it crosses an odd number of edges:
/// holes, and polygons in several parts, come out right without being told apart.
#[derive(Clone, Debug)]
pub struct Region {
    /// The edges of each band, one band after another; an edge of several bands is in each.
    edges: Vec<Edge>,
    /// Where the edges of each band begin, and where those of the last end.
    starts: Vec<u32>,
    low: f64,
    per_band: f64,
    /// West, south, east, north.
    bounds: [f64; 4],
}

pub(super) type Edge = ((f64, f64), (f64, f64));

/// Entries in the bands, for each edge.
const MOST_ENTRIES: usize = 16;

/// The band of so many that a place falls in, the outermost for what lies beyond. Rounding is the same
/// for an edge's ends and a place: whatever it is, it is monotonic.
fn band(y: f64, low: f64, per_band: f64, count: usize) -> usize {
    (((y - low) * per_band) as usize).min(count - 1)
}

impl Region {
    /// Bytes that it takes in memory.
    ///
    /// ```
    /// use velvet_peg_core::planar::Region;
    /// let (x, y) = ([0.0, 9.0, 9.0, 0.0], [0.0, 0.0, 9.0, 9.0]);
    /// let square = Region::new([(&x[..], &y[..])]);
    /// assert!((200..400).contains(&square.bytes())); // 4 edges of 32 bytes, and what holds them
    /// ```
    pub fn bytes(&self) -> usize {
        size_of::<Region>()
            + self.edges.capacity() * size_of::<Edge>()
            + self.starts.capacity() * size_of::<u32>()
    }

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
        let mut edges: Vec<Edge> = Vec::new();
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
        let height = bounds[3] - bounds[1];
        let (low, most) = (bounds[1], MOST_ENTRIES * edges.len());
        let mut count = (edges.len() / 4).clamp(1, 4096);
        // Long edges lie in many bands: fewer bands, so that the list stays short.
        let (per_band, spans) = loop {
            let per_band = if height > 0.0 { count as f64 / height } else { 0.0 };
            let spans: Vec<(usize, usize)> = edges
                .iter()
                .map(|(a, b)| {
                    let band = |y: f64| band(y, low, per_band, count);
                    (band(a.1.min(b.1)), band(a.1.max(b.1)))
                })
                .collect();
            let entries: usize = spans.iter().map(|(from, to)| to - from + 1).sum();
            if entries <= most || count == 1 {
                break (per_band, spans);
            }
            count /= 2;
        };
        let mut region =
            Region { edges: Vec::new(), starts: vec![0; count + 1], low, per_band, bounds };
        for (from, to) in &spans {
            region.starts[from + 1..=to + 1].iter_mut().for_each(|start| *start += 1);
        }
        for band in 0..count {
            region.starts[band + 1] += region.starts[band];
        }
        let mut next = region.starts.clone();
        region.edges = vec![((0.0, 0.0), (0.0, 0.0)); region.starts[count] as usize];
        for (edge, (from, to)) in edges.iter().zip(&spans) {
            for place in &mut next[*from..=*to] {
                region.edges[*place as usize] = *edge;
                *place += 1;
            }
        }
        region
    }

    fn band(&self, y: f64) -> usize {
        band(y, self.low, self.per_band, self.starts.len() - 1)
    }

    /// The edges of some bands.
    fn edges_of(&self, from: usize, to: usize) -> &[Edge] {
        &self.edges[self.starts[from] as usize..self.starts[to + 1] as usize]
    }

    /// How many edges are looked at for a place at this height.
    pub(super) fn edges_at(&self, y: f64) -> usize {
        let band = self.band(y);
        self.edges_of(band, band).len()
    }

    /// All edges, some more than once.
    pub(super) fn banded_edges(&self) -> &[Edge] {
        &self.edges
    }

    /// Every edge once.
    pub fn edges(&self) -> impl Iterator<Item = ((f64, f64), (f64, f64))> + use<> {
        let mut edges = self.edges.clone();
        let bits = |((a, b), (c, d)): &Edge| [a, b, c, d].map(|value| value.to_bits());
        edges.sort_by_key(bits);
        edges.dedup_by_key(|edge| bits(edge));
        edges.into_iter()
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
        let band = self.band(at.1);
        for (a, b) in self.edges_of(band, band) {
            match edge_from(*a, *b, at) {
                Some(crosses) => inside ^= crosses,
                None => return Placing::Boundary,
            }
        }
        if inside { Placing::Inside } else { Placing::Outside }
    }

    /// As [`Region::place`], where a place within so much of the boundary counts as on it.
    pub fn place_within(&self, at: (f64, f64), tolerance: f64) -> Placing {
        // A distance is rounded, the side of an edge is not.
        if tolerance == 0.0 {
            return self.place(at);
        }
        let [west, south, east, north] = self.bounds;
        let out = at.0 < west - tolerance
            || at.0 > east + tolerance
            || at.1 < south - tolerance
            || at.1 > north + tolerance;
        if out {
            return Placing::Outside;
        }
        let near = |a: (f64, f64), b: (f64, f64)| {
            // Most edges are told apart by their boxes alone.
            at.0 >= a.0.min(b.0) - tolerance
                && at.0 <= a.0.max(b.0) + tolerance
                && at.1 >= a.1.min(b.1) - tolerance
                && at.1 <= a.1.max(b.1) + tolerance
                && distance_to_segment(at, a, b) <= tolerance
        };
        let band = self.band(at.1);
        let (from, to) = (self.band(at.1 - tolerance), self.band(at.1 + tolerance));
        // The bands beside are looked at only near their edges.
        let beside = |band: usize| self.edges_of(band, band).iter().any(|(a, b)| near(*a, *b));
        if (from < band && beside(from)) || (to > band && beside(to)) {
            return Placing::Boundary;
        }
        let mut inside = false;
        for (a, b) in self.edges_of(band, band) {
            match edge_from(*a, *b, at) {
                Some(_) if near(*a, *b) => return Placing::Boundary,
                Some(crosses) => inside ^= crosses,
                None => return Placing::Boundary,
            }
        }
        // A place beside the box is outside, whatever its row of edges says.
        let within = at.0 >= west && at.0 <= east && at.1 >= south && at.1 <= north;
        if inside && within { Placing::Inside } else { Placing::Outside }
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
        let far = |(a, b): &Edge| distance_to_segment(at, *a, *b);
        self.edges.iter().map(far).fold(f64::INFINITY, f64::min)
    }
}
