//! `st_length(geometry)`, `st_perimeter(geometry)`, `st_area(geometry)`: on the ellipsoid of the geometry's system
//! (Karney 2013: geodesics, and the area below them), as the library measures features.

use super::arguments::{column, rejects, system_at, way};
use super::of_geometry;
use crate::error::refused;
use crate::geometry::{Kind, Shapes};
use crate::system;
use datafusion::arrow::array::{ArrayRef, Float64Array};
use datafusion::error::Result;
use datafusion::logical_expr::{ScalarFunctionArgs, ScalarUDF};
use std::sync::Arc;
use velvet_peg_core::{Geodesic, Geographic};

/// Metres along lines.
pub(super) fn length() -> ScalarUDF {
    of_geometry::number("st_length", |args| {
        of_runs(args, |geodesic, kind, run| match kind {
            Kind::Line => geodesic.line_length_m(run),
            Kind::Point | Kind::Outer | Kind::Hole => 0.0,
        })
    })
}

/// Metres around polygons, holes included.
pub(super) fn perimeter() -> ScalarUDF {
    of_geometry::number("st_perimeter", |args| {
        of_runs(args, |geodesic, kind, run| match kind {
            Kind::Outer | Kind::Hole => geodesic.polygon(run).perimeter_m,
            Kind::Point | Kind::Line => 0.0,
        })
    })
}

/// Square metres of polygons without their holes.
pub(super) fn area() -> ScalarUDF {
    of_geometry::number("st_area", |args| {
        of_runs(args, |geodesic, kind, run| match kind {
            Kind::Outer => geodesic.polygon(run).area_m2.abs(),
            Kind::Hole => -geodesic.polygon(run).area_m2.abs(),
            Kind::Point | Kind::Line => 0.0,
        })
    })
}

/// The sum of a figure of the runs of each row; NULL where a vertex has no place on the ellipsoid.
fn of_runs(
    args: &ScalarFunctionArgs,
    figure: impl Fn(&Geodesic, Kind, &[Geographic]) -> f64,
) -> Result<ArrayRef> {
    let from = system_at(args, 0, 1)?;
    let crs = system::named(&from)?;
    let degrees = system::in_degrees(&crs)?;
    let ellipsoid = degrees.ellipsoid().ok_or_else(|| refused("the system has no ellipsoid"))?;
    let geodesic = Geodesic::new(ellipsoid);
    let way = way(args, &from, &system::text_of(&degrees)?, None)?;
    let rejects = rejects(args);
    let mut shapes = Shapes::of(&column(args, 0)?, &rejects)?;
    shapes.carry(&way, &rejects)?;
    let mut sums: Vec<Option<f64>> =
        shapes.there.iter().map(|there| there.then_some(0.0)).collect();
    let mut places = Vec::new();
    for run in &shapes.runs {
        let vertices = run.vertices.clone();
        places.clear();
        places.extend(vertices.map(|at| Geographic { lat: shapes.y[at], lon: shapes.x[at] }));
        let lost = places.iter().any(|at| !at.lat.is_finite() || !at.lon.is_finite());
        let sum = &mut sums[run.row];
        *sum = match *sum {
            Some(sum) if !lost => Some(sum + figure(&geodesic, run.kind, &places)),
            _ => None,
        };
    }
    Ok(Arc::new(Float64Array::from(sums)))
}
