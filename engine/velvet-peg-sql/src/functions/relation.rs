//! `st_within(point, polygon)`, `st_contains(polygon, point)`, `st_intersects(point, polygon)` and
//! `falls_in(point, polygon[, metres])`: whether a point is in a polygon. Before the query runs the call gets the
//! systems of both and the tolerance; points are carried into the system of the polygons, and edges are straight
//! there.

use super::arguments::{
    column, named_system, reference_type, system_at, system_of, system_of_expr,
};
use super::function::{Function, What};
use crate::error::refused;
use crate::failures::Failures;
use crate::geometry::Points;
use crate::plans::{carry, plan};
use crate::system;
use crate::tagging::{Relation, TOLERANCE_M, Test, middle, regions};
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
    Function::of(relation.name(), What { takes, arguments, field, resolved, compute })
}

/// The name of the function whose first argument is the polygon.
pub(crate) const POLYGON_FIRST: &str = "st_contains";

/// In the interior, the polygon first.
pub(super) fn contains() -> ScalarUDF {
    Function::of(
        POLYGON_FIRST,
        What {
            takes: "a polygon and a point",
            arguments,
            field: |args| {
                let systems = systems_of(args)?;
                checked(&systems[1], &systems[0])
            },
            resolved,
            compute: |args| of_columns(args, Relation::Within, 1, 0),
        },
    )
}

/// Two geometries and perhaps metres; then their systems and the tolerance.
fn arguments(types: &[DataType]) -> Option<Vec<DataType>> {
    let metres = |given: &[DataType]| given.iter().map(|_| DataType::Float64).collect::<Vec<_>>();
    match types {
        [a, b, rest @ ..] if rest.len() <= 1 => {
            Some([vec![a.clone(), b.clone()], metres(rest)].concat())
        }
        [a, b, c, d, rest @ ..] if rest.len() == 1 => {
            let systems = vec![reference_type(c), reference_type(d)];
            Some([vec![a.clone(), b.clone()], systems, metres(rest)].concat())
        }
        _ => None,
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
    plan(point, polygon)?;
    Ok(Field::new("", DataType::Boolean, true))
}

fn resolved(args: &[Expr], info: &SimplifyContext) -> Result<Option<Vec<Expr>>> {
    let (a, b, metres) = match args {
        [a, b] => (a, b, lit(TOLERANCE_M)),
        [a, b, metres] => (a, b, metres.clone()),
        _ => return Ok(None),
    };
    let system = |geometry: &Expr| system_of_expr(geometry, info.schema());
    Ok(Some(vec![a.clone(), b.clone(), lit(system(a)?), lit(system(b)?), metres]))
}

fn compute(args: &ScalarFunctionArgs, relation: Relation) -> Result<ArrayRef> {
    of_columns(args, relation, 0, 1)
}

/// The answers, where points and polygons are the arguments of these numbers.
fn of_columns(
    args: &ScalarFunctionArgs,
    relation: Relation,
    point: usize,
    polygon: usize,
) -> Result<ArrayRef> {
    let fail = Failures::end_the_query(&args.config_options);
    let test = Test::new(relation, tolerance(args, relation)?)?;
    let (from, to) = (system_at(args, point, point + 2)?, system_at(args, polygon, polygon + 2)?);
    let crs = system::named(&to)?;
    let mut points = Points::of(&column(args, point)?, fail)?;
    carry(&*plan(&from, &to)?, &mut points.x, &mut points.y, fail)?;
    // One polygon for all rows is made ready once.
    let one = matches!(args.args[polygon], ColumnarValue::Scalar(_));
    let polygons = match &args.args[polygon] {
        ColumnarValue::Scalar(value) => value.to_array()?,
        ColumnarValue::Array(column) => column.clone(),
    };
    let regions: Vec<_> = regions(&polygons, fail)?
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
