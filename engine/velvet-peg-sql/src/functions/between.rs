//! `st_distance(from, to)` and `azimuth(from, to)`: the geodesic between two points (Karney 2013), on the ellipsoid of
//! the first. Before the query runs the call gets the systems of both, and the route from the
//! second to the first.

use super::arguments::{
    column, named_system, reference_type, rejects, system_at, system_of, system_of_expr, way,
};
use super::function::{Function, What};
use crate::error::wrong;
use crate::geometry::Points;
use crate::plans::{plan, planned};
use crate::system;
use datafusion::arrow::array::{ArrayRef, Float64Array};
use datafusion::arrow::datatypes::{DataType, Field};
use datafusion::error::Result;
use datafusion::logical_expr::simplify::SimplifyContext;
use datafusion::logical_expr::{Expr, ReturnFieldArgs, ScalarFunctionArgs, ScalarUDF, lit};
use std::sync::Arc;
use velvet_peg_core::geodesic::full_circle;
use velvet_peg_core::{Geodesic, GeodesicColumns};

/// Length of the line, metres.
pub(super) fn distance() -> ScalarUDF {
    of_two("st_distance", |args| figure(args, |lines| lines.distance_m))
}

/// Its azimuth at the first point, degrees clockwise from true north, from 0 to 360.
pub(super) fn azimuth() -> ScalarUDF {
    of_two("azimuth", |args| {
        figure(args, |lines| lines.azimuth_from_deg.into_iter().map(full_circle).collect())
    })
}

fn of_two(name: &'static str, compute: fn(&ScalarFunctionArgs) -> Result<ArrayRef>) -> ScalarUDF {
    Function::of(
        name,
        What {
            takes: "two points",
            arguments: |types| match types {
                [a, b] => Some(vec![a.clone(), b.clone()]),
                [a, b, texts @ ..] if texts.len() == 3 => {
                    let points = [a.clone(), b.clone()].into_iter();
                    Some(points.chain(texts.iter().map(reference_type)).collect())
                }
                _ => None,
            },
            field,
            resolved,
            compute,
        },
    )
}

fn field(args: &ReturnFieldArgs<'_>) -> Result<Field> {
    let at = |at: usize| match args.arg_fields.len() {
        2 => system_of(&args.arg_fields[at]),
        _ => named_system(args, at + 2),
    };
    // Refused before the query runs.
    plan(&at(1)?, &degrees_of(&at(0)?)?, None)?;
    Ok(Field::new("", DataType::Float64, true))
}

fn resolved(args: &[Expr], info: &SimplifyContext) -> Result<Option<Vec<Expr>>> {
    let [a, b] = args else { return Ok(None) };
    let systems = [system_of_expr(a, info.schema())?, system_of_expr(b, info.schema())?];
    let way = planned(&systems[1], &degrees_of(&systems[0])?, info.config_options())?;
    let texts = systems.into_iter().chain([way.route().summary()]).map(lit::<String>);
    Ok(Some([a.clone(), b.clone()].into_iter().chain(texts).collect()))
}

fn figure(args: &ScalarFunctionArgs, figure: fn(GeodesicColumns) -> Vec<f64>) -> Result<ArrayRef> {
    let degrees = degrees_of(&system_at(args, 0, 2)?)?;
    let places = |at: usize| -> Result<Points> {
        let rejects = rejects(args);
        let column = column(args, at)?;
        let mut points = Points::of(&column, &rejects)?;
        let way = way(args, &system_at(args, at, at + 2)?, &degrees, (at == 1).then_some(4))?;
        points.carry(&way, &column, &rejects)?;
        Ok(points)
    };
    let (from, to) = (places(0)?, places(1)?);
    let crs = system::named(&degrees)?;
    let ellipsoid = crs.ellipsoid().ok_or_else(|| wrong("the system has no ellipsoid"))?;
    let lines = Geodesic::new(ellipsoid).inverse_columns([&from.x, &from.y], [&to.x, &to.y]);
    let there =
        |(row, figure): (usize, f64)| (from.is_there(row) && to.is_there(row)).then_some(figure);
    Ok(Arc::new(figure(lines).into_iter().enumerate().map(there).collect::<Float64Array>()))
}

/// The system of degrees on the datum of a system.
fn degrees_of(text: &str) -> Result<String> {
    system::text_of(&system::in_degrees(&system::named(text)?)?)
}
