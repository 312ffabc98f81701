//! `st_transform(geometry, 'REF')`: another reference system. Before the query runs the call gets the system that the
//! geometries are in and the route, `st_transform(geometry, 'FROM', 'TO', 'ROUTE')`, which `EXPLAIN` shows.

use super::arguments::{
    column, named_system, reference_type, rejects, system_at, system_of, system_of_expr, way,
};
use super::function::{Function, What};
use crate::constant::constant;
use crate::geometry::{Points, Shapes, point_type};
use crate::plans::{plan, planned};
use crate::system::{text_of, with_system};
use datafusion::arrow::array::{Array, ArrayRef};
use datafusion::arrow::datatypes::{DataType, Field};
use datafusion::error::Result;
use datafusion::logical_expr::simplify::SimplifyContext;
use datafusion::logical_expr::{Expr, ReturnFieldArgs, ScalarFunctionArgs, ScalarUDF, lit};

pub(super) fn transform() -> ScalarUDF {
    Function::of(
        "st_transform",
        What {
            takes: "a geometry and a reference system",
            arguments: |types| match types {
                [geometry, texts @ ..] if (1..=3).contains(&texts.len()) => Some(
                    std::iter::once(geometry.clone())
                        .chain(texts.iter().map(reference_type))
                        .collect(),
                ),
                _ => None,
            },
            field,
            resolved,
            compute,
        },
    )
}

/// Which argument names the target: a call that is not resolved has no other.
fn target(arguments: usize) -> usize {
    if arguments == 2 { 1 } else { 2 }
}

fn field(args: &ReturnFieldArgs<'_>) -> Result<Field> {
    let to = named_system(args, target(args.arg_fields.len()))?;
    let from = match args.arg_fields {
        [geometry, _] => system_of(geometry)?,
        _ => named_system(args, 1)?,
    };
    // Refused before the query runs.
    plan(&from, &to, None)?;
    let gives = carried_type(args.arg_fields[0].data_type());
    let kind = if gives == DataType::Binary { "wkb" } else { "point" };
    Ok(with_system(Field::new("", gives, true), kind, Some(&to)))
}

fn resolved(args: &[Expr], info: &SimplifyContext) -> Result<Option<Vec<Expr>>> {
    let (geometry, from, to) = match args {
        [geometry, Expr::Literal(to, _)] => {
            (geometry, Some(system_of_expr(geometry, info.schema())?), constant(to))
        }
        [geometry, Expr::Literal(from, _), Expr::Literal(to, _)] => {
            (geometry, constant(from), constant(to))
        }
        _ => return Ok(None),
    };
    let (Some(from), Some(to)) = (from, to) else { return Ok(None) };
    let way = planned(&from, &to, info.config_options())?;
    let (from, to) = (text_of(way.source())?, text_of(way.target())?);
    Ok(Some(vec![geometry.clone(), lit(from), lit(to), lit(way.route().summary())]))
}

fn compute(args: &ScalarFunctionArgs) -> Result<ArrayRef> {
    let target = target(args.args.len());
    let from = match target {
        1 => system_of(&args.arg_fields[0])?,
        _ => system_at(args, 0, 1)?,
    };
    let way = way(args, &from, &system_at(args, 0, target)?, Some(3))?;
    let rejects = rejects(args);
    let geometries = column(args, 0)?;
    if carried_type(geometries.data_type()) == DataType::Binary {
        let mut shapes = Shapes::of(&geometries, &rejects)?;
        shapes.carry(&way, &rejects)?;
        return Ok(shapes.into_binary());
    }
    let mut points = Points::of(&geometries, &rejects)?;
    points.carry(&way, &geometries, &rejects)?;
    Ok(points.into_column())
}

/// The type that geometries of a type have when they are carried.
fn carried_type(geometries: &DataType) -> DataType {
    match geometries {
        DataType::Binary | DataType::LargeBinary | DataType::BinaryView => DataType::Binary,
        _ => point_type(),
    }
}
