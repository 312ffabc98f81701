//! Rings of which nothing says which is a hole of which.

use crate::layer::{GeometryColumn, GeometryKind};
use rstar::RTree;
use rstar::primitives::{GeomWithData, Rectangle};
use velvet_peg_core::planar;

/// The rings of polygons: the outer one first, then its holes.
pub(crate) type Polygons = Vec<Vec<Vec<[f64; 3]>>>;

fn holds(ring: &[[f64; 3]], at: [f64; 3]) -> bool {
    let crossing = |pair: &[[f64; 3]]| {
        let ([ax, ay, _], [bx, by, _]) = (pair[0], pair[1]);
        (ay > at[1]) != (by > at[1]) && at[0] < (bx - ax) * (at[1] - ay) / (by - ay) + ax
    };
    ring.windows(2).filter(|pair| crossing(pair)).count() % 2 == 1
}

/// Rings in an odd number of others are holes in the smallest of these.
pub(crate) fn nested(rings: Vec<Vec<[f64; 3]>>) -> Polygons {
    let area = |ring: &[[f64; 3]]| {
        let (x, y): (Vec<f64>, Vec<f64>) = ring.iter().map(|place| (place[0], place[1])).unzip();
        planar::ring_area(&x, &y).abs()
    };
    let areas: Vec<f64> = rings.iter().map(|ring| area(ring)).collect();
    let (rings, areas) = (&rings, &areas);
    // Only rings whose boxes hold a place can hold it.
    let boxes = rings.iter().enumerate().filter(|(_, ring)| !ring.is_empty()).map(|(at, ring)| {
        let corner = |pick: fn(f64, f64) -> f64, start: f64| {
            [0, 1].map(|axis| ring.iter().fold(start, |known, place| pick(known, place[axis])))
        };
        let (least, most) = (corner(f64::min, f64::INFINITY), corner(f64::max, f64::NEG_INFINITY));
        GeomWithData::new(Rectangle::from_corners(least, most), at)
    });
    let boxes = RTree::bulk_load(boxes.collect());
    // Asked twice rather than kept: rings in one another are as many as their pairs.
    let around = |at: usize| {
        let place = rings[at].first().copied();
        let others = place.into_iter().flat_map(|[x, y, _]| boxes.locate_all_at_point([x, y]));
        let others = others.map(|found| found.data).filter(move |other| areas[*other] > areas[at]);
        others.filter(move |other| holds(&rings[*other], rings[at][0]))
    };
    let holes: Vec<bool> = (0..rings.len()).map(|at| around(at).count() % 2 == 1).collect();
    let mut homes: Vec<Option<usize>> = vec![None; rings.len()];
    let mut polygons: Polygons = Vec::new();
    for (at, ring) in rings.iter().enumerate() {
        if !holes[at] {
            homes[at] = Some(polygons.len());
            polygons.push(vec![ring.clone()]);
        }
    }
    for (at, ring) in rings.iter().enumerate().filter(|(at, _)| holes[*at]) {
        let home = around(at).filter(|other| !holes[*other]);
        let home = home.min_by(|a, b| areas[*a].total_cmp(&areas[*b]));
        match home.and_then(|home| homes[home]) {
            Some(home) => polygons[home].push(ring.clone()),
            None => polygons.push(vec![ring.clone()]),
        }
    }
    polygons
}

/// Adds polygons to a column as one feature.
pub(crate) fn push(polygons: &Polygons, column: &mut GeometryColumn, heights: bool) {
    for rings in polygons {
        for ring in rings {
            for [x, y, z] in ring {
                column.push_vertex(*x, *y, heights.then_some(*z));
            }
            column.end_ring();
        }
        column.end_part();
    }
    column.end_feature(Some(match polygons.len() {
        1 => GeometryKind::Polygon,
        _ => GeometryKind::MultiPolygon,
    }));
}
