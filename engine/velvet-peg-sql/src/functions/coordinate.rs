//! `st_x(point)`, `st_y(point)`: longitude or easting, latitude or northing, in the unit of the point's system.

use super::arguments::{column, rejects};
use super::function::{Function, What, as_it_is};
use crate::geometry::Points;
use datafusion::arrow::array::{ArrayRef, Float64Array};
use datafusion::arrow::buffer::NullBuffer;
use datafusion::arrow::datatypes::{DataType, Field};
use datafusion::error::Result;
use datafusion::logical_expr::{ScalarFunctionArgs, ScalarUDF};
use std::sync::Arc;

pub(super) fn x() -> ScalarUDF {
    of_points("st_x", |args| part(args, |points| &points.x))
}

pub(super) fn y() -> ScalarUDF {
    of_points("st_y", |args| part(args, |points| &points.y))
}

fn of_points(
    name: &'static str,
    compute: fn(&ScalarFunctionArgs) -> Result<ArrayRef>,
) -> ScalarUDF {
    Function::of(
        name,
        What {
            takes: "a point",
            arguments: |types| (types.len() == 1).then(|| types.to_vec()),
            field: |_| Ok(Field::new("", DataType::Float64, true)),
            resolved: as_it_is,
            compute,
        },
    )
}

fn part(args: &ScalarFunctionArgs, part: fn(&Points) -> &Vec<f64>) -> Result<ArrayRef> {
    let points = Points::of(&column(args, 0)?, &rejects(args))?;
    let there: Vec<bool> = (0..points.len()).map(|row| points.is_there(row)).collect();
    let nulls = there.contains(&false).then(|| NullBuffer::from(there));
    Ok(Arc::new(Float64Array::new(part(&points).clone().into(), nulls)))
}
