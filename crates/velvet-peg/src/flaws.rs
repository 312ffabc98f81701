//! What is wrong with the geometry of a feature.

use crate::layer::{GeometryColumn, GeometryKind};
use velvet_peg_core::planar::{
    FlawKind, Ring, flaws_between_parts, flaws_of_line, flaws_of_polygon,
};

/// The flaws of a feature, part by part.
pub(crate) fn flaws_of(column: &GeometryColumn, feature: usize) -> Vec<(FlawKind, (f64, f64))> {
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
        GeometryKind::Line => {
            parts.iter().flatten().flat_map(|line| flaws_of_line(*line)).collect()
        }
        _ => Vec::new(),
    };
    if kind == GeometryKind::MultiPolygon {
        flaws.extend(flaws_between_parts(&parts));
    }
    flaws.into_iter().map(|flaw| (flaw.kind, flaw.at)).collect()
}
