//! What is wrong with the geometry of a feature.

use crate::layer::{GeometryColumn, GeometryKind};
use velvet_peg_core::Crs;
use velvet_peg_core::planar::{
    FlawKind, Ring, flaws_between_parts, flaws_of_line, flaws_of_polygon,
};

/// The flaws of a feature, part by part.
fn flaws_of(column: &GeometryColumn, feature: usize) -> Vec<(FlawKind, (f64, f64))> {
    let Some(kind) = column.kinds()[feature] else { return Vec::new() };
    let parts: Vec<Vec<Ring<'_>>> = column
        .parts(feature)
        .map(|part| {
            let ring = |ring| {
                let range = column.ring(ring);
                Ring { x: &column.x[range.clone()], y: &column.y[range] }
            };
            column.rings(part).map(ring).collect()
        })
        .collect();
    let mut flaws = match kind.single() {
        GeometryKind::Polygon => parts.iter().flat_map(|part| flaws_of_polygon(part)).collect(),
        GeometryKind::LineString => {
            parts.iter().flatten().flat_map(|line| flaws_of_line(*line)).collect()
        }
        _ => Vec::new(),
    };
    if kind == GeometryKind::MultiPolygon {
        flaws.extend(flaws_between_parts(&parts));
    }
    flaws.into_iter().map(|flaw| (flaw.kind, flaw.at)).collect()
}

/// As [`flaws_of`], in the system that the coordinates are in: longitudes run together at the poles,
/// so a polygon round one, or with a vertex at it, is looked at in the plane of the pole.
pub(crate) fn flaws_in(
    crs: Option<&Crs>,
    column: &GeometryColumn,
    feature: usize,
) -> Vec<(FlawKind, (f64, f64))> {
    let degrees = crs.filter(|crs| crs.is_geographic()).and_then(Crs::degrees_per_unit);
    match degrees.filter(|degrees| is_polar(column, feature, *degrees)) {
        None => flaws_of(column, feature),
        Some(degrees) => {
            let range = column.vertices(feature);
            let side = column.y[range.start].signum();
            let quarter = 90.0 / degrees;
            let mut plane = GeometryColumn::new();
            plane.push_from(column, feature);
            for (x, y) in plane.x.iter_mut().zip(&mut plane.y) {
                let (sin, cos) = (*x * degrees).to_radians().sin_cos();
                let radius = quarter - y.abs();
                (*x, *y) = (radius * sin, radius * cos);
            }
            let back = |(x, y): (f64, f64)| {
                (x.atan2(y).to_degrees() / degrees, side * (quarter - x.hypot(y)))
            };
            flaws_of(&plane, 0).into_iter().map(|(kind, at)| (kind, back(at))).collect()
        }
    }
}

/// True for a polygon on one side of the equator that runs round the pole, or touches it.
fn is_polar(column: &GeometryColumn, feature: usize, degrees: f64) -> bool {
    let range = column.vertices(feature);
    let polygon = column.kinds()[feature].map(GeometryKind::single) == Some(GeometryKind::Polygon);
    let one_side = column.y[range.clone()].windows(2).all(|pair| pair[0] * pair[1] > 0.0);
    if !polygon || !one_side || range.is_empty() {
        return false;
    }
    if column.y[range].iter().any(|lat| (lat * degrees).abs() >= 90.0) {
        return true;
    }
    column.parts(feature).flat_map(|part| column.rings(part)).any(|ring| {
        let ring = column.ring(ring);
        let next = |at: usize| if at + 1 == ring.end { ring.start } else { at + 1 };
        let turn: f64 = ring
            .clone()
            .map(|at| {
                let step = (column.x[next(at)] - column.x[at]) * degrees;
                (step + 180.0).rem_euclid(360.0) - 180.0
            })
            .sum();
        turn.abs() > 180.0
    })
}
