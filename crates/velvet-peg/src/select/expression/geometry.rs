//! Figures of geometries for expressions, by the names of ISO 19125-2.
//!
//! Lengths and areas are those on the ellipsoid, in metres and square metres, whatever system the
//! layer is in; those in the plane have names of their own, are in the unit of the system (squared),
//! and are refused where coordinates are degrees. Coordinates are those of the output's system.

use super::context::Context;
use crate::error::{Error, Result};
use crate::geometry::{Ground, Ruler};
use crate::layer::GeometryKind;
use arrow_array::{ArrayRef, BooleanArray, Float64Array, Int64Array, StringArray};
use std::sync::Arc;

/// The figures of every geometry; none if there is no function of this name.
///
/// # Errors
/// If figures on the ellipsoid are asked for without a reference system, or such in the plane where
/// coordinates are degrees.
pub(super) fn measure(name: &str, context: &Context<'_>) -> Result<Option<ArrayRef>> {
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
    let figure = |of: GeometryKind, f: &dyn Fn(usize) -> f64| -> ArrayRef {
        let one = |at: usize| {
            let kind = column.kinds()[at]?.single();
            let value = if kind == of { f(at) } else { 0.0 };
            (!value.is_nan()).then_some(value)
        };
        let numbers: Float64Array = (0..count).map(one).collect();
        Arc::new(numbers)
    };
    let (line, polygon) = (GeometryKind::LineString, GeometryKind::Polygon);
    Ok(Some(match name {
        "ST_X" => point(&column.x),
        "ST_Y" => point(&column.y),
        "ST_Z" => point(&column.z),
        "ST_M" => point(&column.m),
        "ST_XMIN" => limit(&column.x, f64::min),
        "ST_YMIN" => limit(&column.y, f64::min),
        "ST_XMAX" => limit(&column.x, f64::max),
        "ST_YMAX" => limit(&column.y, f64::max),
        "ST_LENGTH" | "ST_PERIMETER" | "ST_AREA" => {
            let crs = context.crs.ok_or_else(|| {
                Error::usage(format!(
                    "{name} is in metres on the ellipsoid, and the layer has no reference system \
                     to know it by: declare it, or take {} in the data's own unit",
                    name.replace("ST_", "PLANE_")
                ))
            })?;
            let ground = Ground::of(crs)?;
            let degrees = ground.degrees(column);
            match name {
                "ST_LENGTH" => figure(line, &|at| ground.figures(&degrees, at).0),
                "ST_PERIMETER" => figure(polygon, &|at| ground.figures(&degrees, at).0),
                _ => figure(polygon, &|at| ground.figures(&degrees, at).1),
            }
        }
        "PLANE_LENGTH" | "PLANE_PERIMETER" | "PLANE_AREA" => {
            if let Some(crs) = context.crs.filter(|crs| !crs.is_projected()) {
                return Err(Error::usage(format!(
                    "{name} takes a plane, and {} has none: its coordinates are {}. Take {} on the \
                     ellipsoid, in metres, or convert to a projected system",
                    crs.label(),
                    crs.unit_plural(),
                    name.replace("PLANE_", "ST_")
                )));
            }
            let ruler = Ruler::of(context.crs);
            match name {
                "PLANE_LENGTH" => figure(line, &|at| ruler.length(column, at, false)),
                "PLANE_PERIMETER" => figure(polygon, &|at| ruler.length(column, at, true)),
                _ => figure(polygon, &|at| ruler.area(column, at)),
            }
        }
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
        _ => return Ok(None),
    }))
}

/// Names of ISO 13249-3.
fn type_name(kind: GeometryKind) -> &'static str {
    match kind {
        GeometryKind::Point => "ST_Point",
        GeometryKind::LineString => "ST_LineString",
        GeometryKind::Polygon => "ST_Polygon",
        GeometryKind::MultiPoint => "ST_MultiPoint",
        GeometryKind::MultiLineString => "ST_MultiLineString",
        GeometryKind::MultiPolygon => "ST_MultiPolygon",
    }
}
