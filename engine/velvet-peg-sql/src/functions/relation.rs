//! `st_within(point, polygon)`, `st_contains(polygon, point)`, `st_intersects(point, polygon)` and
//! `falls_in(point, polygon[, metres])`: whether a point is in a polygon. Before the query runs the call gets the
//! systems of both, the tolerance and the route; points are carried into the system of the polygons, and edges are straight
//! there.

use super::arguments::{
    column, named_system, reference_type, rejects, system_at, system_of, system_of_expr, way,
};
use super::function::{Function, What};
use crate::error::refused;
use crate::geometry::Points;
use crate::plans::{plan, planned};
use crate::system;
use crate::tagging::{POLYGON_FIRST, Relation, TOLERANCE_M, Test, middle, regions};
use datafusion::arrow::array::{ArrayRef, BooleanArray};
use datafusion::arrow::datatypes::{DataType, Field};
use datafusion::common::ScalarValue;
use datafusion::error::Result;
use datafusion::logical_expr::simplify::SimplifyContext;
use datafusion::logical_expr::{
    ColumnarValue, Expr, ReturnFieldArgs, ScalarFunctionArgs, ScalarUDF, lit,
};
use std::sync::Arc;

/// In the interior.
pub(super) fn within() -> ScalarUDF {
    of_relation(Relation::Within, "a point and a polygon", |args| compute(args, Relation::Within))
}

/// In the interior or on the boundary.
pub(super) fn intersects() -> ScalarUDF {
    of_relation(Relation::Intersects, "a point and a polygon", |args| {
        compute(args, Relation::Intersects)
    })
}

/// As the library tags points.
pub(super) fn falls_in() -> ScalarUDF {
    of_relation(Relation::FallsIn, "a point, a polygon and perhaps metres", |args| {
        compute(args, Relation::FallsIn)
    })
}

fn of_relation(
    relation: Relation,
    takes: &'static str,
    compute: fn(&ScalarFunctionArgs) -> Result<ArrayRef>,
) -> ScalarUDF {
    let arguments = match relation {
        Relation::Within | Relation::Intersects => two,
        Relation::FallsIn => two_and_metres,
    };
    let resolved = |args: &[Expr], info: &SimplifyContext| resolved(args, info, (0, 1));
    Function::of(relation.name(), What { takes, arguments, field, resolved, compute })
}

/// In the interior, the polygon first.
pub(super) fn contains() -> ScalarUDF {
    Function::of(
        POLYGON_FIRST,
        What {
            takes: "a polygon and a point",
            arguments: two,
            field: |args| {
                let systems = systems_of(args)?;
                checked(&systems[1], &systems[0])
            },
            resolved: |args, info| resolved(args, info, (1, 0)),
            compute: |args| of_columns(args, Relation::Within, (1, 0)),
        },
    )
}

/// Two geometries; before the query runs, their systems, the tolerance and the route are added.
fn two(types: &[DataType]) -> Option<Vec<DataType>> {
    match types {
        [a, b] => Some(vec![a.clone(), b.clone()]),
        [a, b, c, d, _, _] => Some(vec![
            a.clone(),
            b.clone(),
            reference_type(c),
            reference_type(d),
            DataType::Float64,
            DataType::Utf8,
        ]),
        _ => None,
    }
}

/// The same, and perhaps metres.
fn two_and_metres(types: &[DataType]) -> Option<Vec<DataType>> {
    match types {
        [a, b, _] => Some(vec![a.clone(), b.clone(), DataType::Float64]),
        _ => two(types),
    }
}

fn field(args: &ReturnFieldArgs<'_>) -> Result<Field> {
    let [point, polygon] = systems_of(args)?;
    checked(&point, &polygon)
}

/// The systems of both arguments.
fn systems_of(args: &ReturnFieldArgs<'_>) -> Result<[String; 2]> {
    let at = |at: usize| match args.arg_fields.len() {
        2 | 3 => system_of(&args.arg_fields[at]),
        _ => named_system(args, at + 2),
    };
    Ok([at(0)?, at(1)?])
}

/// The column of answers, if there is a way from the points to the polygons.
fn checked(point: &str, polygon: &str) -> Result<Field> {
    plan(point, polygon, None)?;
    Ok(Field::new("", DataType::Boolean, true))
}

fn resolved(
    args: &[Expr],
    info: &SimplifyContext,
    (point, polygon): (usize, usize),
) -> Result<Option<Vec<Expr>>> {
    let metres = match args {
        [_, _] => lit(TOLERANCE_M),
        [_, _, metres] => metres.clone(),
        _ => return Ok(None),
    };
    let system = |at: usize| system_of_expr(&args[at], info.schema());
    let systems = [system(0)?, system(1)?];
    let way = planned(&systems[point], &systems[polygon], info.config_options())?;
    let [a, b] = systems.map(lit::<String>);
    let route = lit(way.route().summary());
    Ok(Some(vec![args[0].clone(), args[1].clone(), a, b, metres, route]))
}

fn compute(args: &ScalarFunctionArgs, relation: Relation) -> Result<ArrayRef> {
    of_columns(args, relation, (0, 1))
}

/// The answers, where points and polygons are the arguments of these numbers.
fn of_columns(
    args: &ScalarFunctionArgs,
    relation: Relation,
    (point, polygon): (usize, usize),
) -> Result<ArrayRef> {
    let rejects = rejects(args);
    let test = Test::new(relation, tolerance(args, relation)?)?;
    let (from, to) = (system_at(args, point, point + 2)?, system_at(args, polygon, polygon + 2)?);
    let crs = system::named(&to)?;
    let places = column(args, point)?;
    let mut points = Points::of(&places, &rejects)?;
    let way = way(args, &from, &to, Some(5))?;
    points.carry(&way, &places, &rejects)?;
    // One polygon for all rows is made ready once.
    let one = matches!(args.args[polygon], ColumnarValue::Scalar(_));
    let polygons = match &args.args[polygon] {
        ColumnarValue::Scalar(value) => value.to_array()?,
        ColumnarValue::Array(column) => column.clone(),
    };
    let regions: Vec<_> = regions(&polygons, &rejects)?
        .into_iter()
        .map(|region| {
            region.map(|region| (test.tolerance(&crs, middle(std::iter::once(&region))), region))
        })
        .collect();
    let answer = |row: usize| {
        let (tolerance, region) = regions[if one { 0 } else { row }].as_ref()?;
        points.is_there(row).then(|| test.holds(region, (points.x[row], points.y[row]), *tolerance))
    };
    Ok(Arc::new((0..points.len()).map(answer).collect::<BooleanArray>()))
}

/// The metres of a call; a relation without a tolerance has none.
fn tolerance(args: &ScalarFunctionArgs, relation: Relation) -> Result<f64> {
    if relation != Relation::FallsIn {
        return Ok(0.0);
    }
    match args.args.len() {
        2 => Ok(TOLERANCE_M),
        3 => metres(&args.args[2]),
        _ => metres(&args.args[4]),
    }
}

fn metres(argument: &ColumnarValue) -> Result<f64> {
    match argument {
        ColumnarValue::Scalar(ScalarValue::Float64(Some(metres))) => Ok(*metres),
        _ => Err(refused("the tolerance is one number of metres for all rows")),
    }
}
