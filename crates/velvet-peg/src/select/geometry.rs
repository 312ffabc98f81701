//! Figures of geometries for expressions, by the names of ISO 19125-2.
//!
//! Lengths and areas of projected systems, and of data without one, are planar and in the
//! system's own unit (squared); those of geographic systems are geodesic, in metres and square
//! metres, because degrees have no length.

use super::context::Context;
use crate::layer::GeometryKind;
use crate::ruler::Ruler;
use arrow_array::{ArrayRef, BooleanArray, Float64Array, Int64Array, StringArray};
use std::sync::Arc;

/// The figures of every geometry; none if there is no function of this name.
pub(super) fn measure(name: &str, context: &Context<'_>) -> Option<ArrayRef> {
    let column = context.geometry;
    let count = column.len();
    let point = |values: &[f64]| -> ArrayRef {
        let numbers: Float64Array = (0..count)
            .map(|at| {
                let single = column.kinds()[at] == Some(GeometryKind::Point);
                let vertex = column.vertices(at).start;
                values.get(vertex).copied().filter(|value| single && value.is_finite())
            })
            .collect();
        Arc::new(numbers)
    };
    let limit = |values: &[f64], better: fn(f64, f64) -> f64| -> ArrayRef {
        let numbers: Float64Array = (0..count)
            .map(|at| values[column.vertices(at)].iter().copied().reduce(better))
            .collect();
        Arc::new(numbers)
    };
    let ruler = Ruler::of(context.crs);
    let figure = |f: &dyn Fn(usize) -> f64| -> ArrayRef {
        let numbers: Float64Array =
            (0..count).map(|at| column.kinds()[at].map(|_| f(at))).collect();
        Arc::new(numbers)
    };
    let single = |at: usize| column.kinds()[at].map(GeometryKind::single);
    Some(match name {
        "ST_X" => point(&column.x),
        "ST_Y" => point(&column.y),
        "ST_Z" => point(&column.z),
        "ST_M" => point(&column.m),
        "ST_XMIN" => limit(&column.x, f64::min),
        "ST_YMIN" => limit(&column.y, f64::min),
        "ST_XMAX" => limit(&column.x, f64::max),
        "ST_YMAX" => limit(&column.y, f64::max),
        "ST_LENGTH" => figure(&|at| match single(at) {
            Some(GeometryKind::Line) => ruler.length(column, at, false),
            _ => 0.0,
        }),
        "ST_PERIMETER" => figure(&|at| match single(at) {
            Some(GeometryKind::Polygon) => ruler.length(column, at, true),
            _ => 0.0,
        }),
        "ST_AREA" => figure(&|at| match single(at) {
            Some(GeometryKind::Polygon) => ruler.area(column, at),
            _ => 0.0,
        }),
        "ST_NUMPOINTS" | "ST_NPOINTS" => {
            let numbers: Int64Array =
                (0..count).map(|at| Some(column.vertices(at).len() as i64)).collect();
            Arc::new(numbers)
        }
        "ST_NUMGEOMETRIES" => {
            let numbers: Int64Array =
                (0..count).map(|at| Some(column.parts(at).len() as i64)).collect();
            Arc::new(numbers)
        }
        "ST_GEOMETRYTYPE" => {
            let names: StringArray =
                column.kinds().iter().map(|kind| kind.map(type_name)).collect();
            Arc::new(names)
        }
        "ST_ISEMPTY" => {
            let flags: BooleanArray =
                column.kinds().iter().map(|kind| Some(kind.is_none())).collect();
            Arc::new(flags)
        }
        "ST_ASTEXT" => {
            let texts: StringArray =
                (0..count).map(|at| column.kinds()[at].map(|_| column.text_of(at))).collect();
            Arc::new(texts)
        }
        _ => return None,
    })
}

/// Names of ISO 13249-3.
fn type_name(kind: GeometryKind) -> &'static str {
    match kind {
        GeometryKind::Point => "ST_Point",
        GeometryKind::Line => "ST_LineString",
        GeometryKind::Polygon => "ST_Polygon",
        GeometryKind::MultiPoint => "ST_MultiPoint",
        GeometryKind::MultiLine => "ST_MultiLineString",
        GeometryKind::MultiPolygon => "ST_MultiPolygon",
    }
}
