//! The nearest polygon on the ground: distances are those of geodesics, whatever system the polygons
//! are in.
//!
//! Edges are straight in their own system. They are cut into short pieces, whose boxes in space (a
//! chord is never longer than the geodesic) say which are worth looking at; on each of these the
//! nearest place is found in the plane around the point, where distances from it are true
//! (azimuthal equidistant), and looked at ever more closely.

use crate::error::Result;
use crate::geometry::Ground;
use rstar::RTree;
use rstar::primitives::{GeomWithData, Rectangle};
use velvet_peg_core::planar::Region;
use velvet_peg_core::{Crs, Ellipsoid, Geographic};

type Place = (f64, f64);

/// A piece of an edge, of the polygon with this number.
type Piece = GeomWithData<Rectangle<[f64; 3]>, (u32, Place, Place)>;

/// Longest piece of an edge, metres.
const PIECE_M: f64 = 20_000.0;

/// Most pieces that an edge is cut into.
const MOST_PIECES: f64 = 4000.0;

/// Distances that differ by less count as one: tenths of a millimetre are what is written.
const ALIKE_M: f64 = 5e-5;

/// Each section of the golden section is so much of the one before.
const GOLDEN: f64 = 0.618_033_988_749_894_8;

/// Up to this distance, a small piece is as good as straight in the plane around the place.
const NEAR_M: f64 = 200_000.0;

/// Of a piece, what is as good as straight for a place that is near.
const NEAR_WIDTH: f64 = 0.01;

/// For a place that is far, a nearest place known to so many metres gives the distance to
/// micrometres.
const FAR_M: f64 = 0.5;

/// How far, in its own length, a piece may leave the straight line between its ends: one along a
/// parallel at 85° leaves it by 0.009.
const BULGE: f64 = 0.02;

pub(super) struct Shores {
    ground: Ground,
    tree: RTree<Piece>,
}

impl Shores {
    pub(super) fn of(crs: &Crs, regions: &[Region]) -> Result<Shores> {
        let ground = Ground::of(crs)?;
        let mut pieces = Vec::new();
        for (number, region) in regions.iter().enumerate() {
            for (a, b) in region.edges() {
                cut(&ground, number as u32, a, b, &mut pieces);
            }
        }
        Ok(Shores { tree: RTree::bulk_load(pieces), ground })
    }

    /// The nearest polygon, and its distance in metres, if it is within a limit.
    pub(super) fn nearest(&self, at: Place, limit_m: f64) -> Option<(u32, f64)> {
        let from = self.ground.place(at)?;
        let space = in_space(self.ground.geodesic().ellipsoid(), from);
        let mut best: Option<(u32, f64)> = None;
        for (piece, square) in self.tree.nearest_neighbor_iter_with_distance_2(space) {
            let reach = best.map_or(limit_m, |(_, distance)| distance);
            if square.sqrt() > reach + ALIKE_M {
                break;
            }
            let (number, a, b) = piece.data;
            let Some(distance) = self.distance(from, a, b, reach) else { continue };
            // Of polygons that are as near, the first in the layer.
            let nearer =
                best.is_none_or(|(other, least)| match (distance - least).abs() < ALIKE_M {
                    true => number < other,
                    false => distance < least,
                });
            if distance <= limit_m && nearer {
                best = Some((number, distance));
            }
        }
        best
    }

    /// Distance of a place from a piece; none if it is beyond reach.
    fn distance(&self, from: Geographic, a: Place, b: Place, reach: f64) -> Option<f64> {
        let at = |share: f64| (a.0 + share * (b.0 - a.0), a.1 + share * (b.1 - a.1));
        // The plane around the place: distances and directions from it are true.
        let seen = |share: f64| -> Option<(Place, f64)> {
            let to = self.ground.place(at(share))?;
            let course = self.ground.geodesic().inverse(from, to);
            let (sin, cos) = course.azimuth_from_deg.to_radians().sin_cos();
            Some(((course.distance_m * sin, course.distance_m * cos), course.distance_m))
        };
        // Where the straight line between what is seen at two shares comes nearest.
        let foot = |low: f64, high: f64| -> Option<(f64, f64, f64)> {
            let ((p, _), (q, _)) = (seen(low)?, seen(high)?);
            let (dx, dy) = (q.0 - p.0, q.1 - p.1);
            let square = dx * dx + dy * dy;
            let along = match square > 0.0 {
                true => (-(p.0 * dx + p.1 * dy) / square).clamp(0.0, 1.0),
                false => 0.0,
            };
            let distance = (p.0 + along * dx).hypot(p.1 + along * dy);
            Some((low + along * (high - low), distance, square.sqrt()))
        };
        let (_, first, length) = foot(0.0, 1.0)?;
        if first - BULGE * length > reach + ALIKE_M {
            return None;
        }
        // A section for a section (golden), until what is left is as good as straight.
        let away = |share: f64| seen(share).map_or(f64::INFINITY, |(_, distance)| distance);
        let (mut low, mut high) = (0.0, 1.0);
        let (mut p, mut q) = (high - GOLDEN * (high - low), low + GOLDEN * (high - low));
        let (mut at_p, mut at_q) = (away(p), away(q));
        let enough = if first < NEAR_M { NEAR_WIDTH } else { FAR_M / length.max(1.0) };
        while high - low > enough {
            if at_p <= at_q {
                (high, q, at_q) = (q, p, at_p);
                p = high - GOLDEN * (high - low);
                at_p = away(p);
            } else {
                (low, p, at_p) = (p, q, at_q);
                q = low + GOLDEN * (high - low);
                at_q = away(q);
            }
        }
        let mut share = (low + high) / 2.0;
        if first < NEAR_M {
            for _ in 0..3 {
                share = foot(low, high)?.0;
                let width = (high - low) * 0.1;
                (low, high) = ((share - width).max(0.0), (share + width).min(1.0));
            }
        }
        let ends = away(0.0).min(away(1.0));
        Some(away(share).min(ends)).filter(|distance| distance.is_finite())
    }
}

fn cut(ground: &Ground, number: u32, a: Place, b: Place, pieces: &mut Vec<Piece>) {
    let ellipsoid = ground.geodesic().ellipsoid();
    let space = |at: Place| ground.place(at).map(|place| in_space(ellipsoid, place));
    let apart = |p: [f64; 3], q: [f64; 3]| {
        ((p[0] - q[0]).powi(2) + (p[1] - q[1]).powi(2) + (p[2] - q[2]).powi(2)).sqrt()
    };
    // The way along the edge by its quarters: its ends alone may be one place seen twice.
    let quarters: Vec<[f64; 3]> = (0..=4)
        .filter_map(|n| {
            space((a.0 + (b.0 - a.0) * f64::from(n) / 4.0, a.1 + (b.1 - a.1) * f64::from(n) / 4.0))
        })
        .collect();
    let length: f64 = quarters.windows(2).map(|pair| apart(pair[0], pair[1])).sum();
    let count = (length / PIECE_M).ceil().clamp(1.0, MOST_PIECES);
    let at = |n: f64| (a.0 + (b.0 - a.0) * n / count, a.1 + (b.1 - a.1) * n / count);
    let mut n = 0.0;
    while n < count {
        let (from, to) = (at(n), at(n + 1.0));
        n += 1.0;
        let (Some(p), Some(q)) = (space(from), space(to)) else { continue };
        let room = BULGE * apart(p, q) + 1e-3;
        let low = std::array::from_fn(|axis| p[axis].min(q[axis]) - room);
        let high = std::array::from_fn(|axis| p[axis].max(q[axis]) + room);
        pieces.push(Piece::new(Rectangle::from_corners(low, high), (number, from, to)));
    }
}

/// Geocentric coordinates on the ellipsoid, metres (EPSG method 9602).
fn in_space(ellipsoid: &Ellipsoid, place: Geographic) -> [f64; 3] {
    let (sin_lat, cos_lat) = place.lat.to_radians().sin_cos();
    let (sin_lon, cos_lon) = place.lon.to_radians().sin_cos();
    let radius = ellipsoid.prime_vertical_radius_m(place.lat);
    let flattening = ellipsoid.flattening();
    let polar = (1.0 - flattening) * (1.0 - flattening);
    [radius * cos_lat * cos_lon, radius * cos_lat * sin_lon, radius * polar * sin_lat]
}
