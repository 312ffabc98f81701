//! Rings of which nothing says which is a hole of which.

use crate::layer::{GeometryColumn, GeometryKind};
use velvet_peg_core::planar::{Enclosing, Ring};

/// The rings of polygons: the outer one first, then its holes.
pub(crate) type Polygons = Vec<Vec<Vec<[f64; 3]>>>;

/// Rings in an odd number of others are holes in the smallest of these that is none.
pub(crate) fn nested(rings: Vec<Vec<[f64; 3]>>) -> Polygons {
    let columns: Vec<(Vec<f64>, Vec<f64>)> =
        rings.iter().map(|ring| ring.iter().map(|place| (place[0], place[1])).unzip()).collect();
    let flat: Vec<Ring<'_>> = columns.iter().map(|(x, y)| Ring { x, y }).collect();
    let enclosing = Enclosing::of(&flat);
    let depths = enclosing.depths();
    let is_hole = |ring: usize| depths[ring] % 2 == 1;
    let outer = enclosing.nearest(&|ring| !is_hole(ring));
    let mut homes: Vec<Option<usize>> = vec![None; rings.len()];
    let mut polygons: Polygons = Vec::new();
    let (holes, outlines): (Vec<_>, Vec<_>) =
        rings.into_iter().enumerate().partition(|(at, _)| is_hole(*at));
    for (at, ring) in outlines {
        homes[at] = Some(polygons.len());
        polygons.push(vec![ring]);
    }
    for (at, ring) in holes {
        match outer[at].and_then(|outer| homes[outer]) {
            Some(home) => polygons[home].push(ring),
            None => polygons.push(vec![ring]),
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
