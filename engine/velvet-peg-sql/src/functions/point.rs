//! `st_point(x, y, 'REF')`: points of columns; NULL where a coordinate is NULL or no number.

use super::arguments::{column, named_system, reference_type};
use super::function::{Function, What, as_it_is};
use crate::geometry::{Points, point_type};
use crate::system::with_system;
use datafusion::arrow::array::{Array, ArrayRef, AsArray};
use datafusion::arrow::datatypes::{DataType, Field, Float64Type};
use datafusion::error::Result;
use datafusion::logical_expr::{ScalarFunctionArgs, ScalarUDF};

pub(super) fn point() -> ScalarUDF {
    Function::of(
        "st_point",
        What {
            takes: "x, y and a reference system",
            arguments: |types| match types {
                [_, _, system] => {
                    Some(vec![DataType::Float64, DataType::Float64, reference_type(system)])
                }
                _ => None,
            },
            field: |args| {
                let field = Field::new("", point_type(), true);
                Ok(with_system(field, "point", Some(&named_system(args, 2)?)))
            },
            resolved: as_it_is,
            compute,
        },
    )
}

fn compute(args: &ScalarFunctionArgs) -> Result<ArrayRef> {
    let numbers = |at: usize| -> Result<Vec<f64>> {
        let column = column(args, at)?;
        let numbers = column.as_primitive::<Float64Type>();
        if numbers.null_count() == 0 {
            return Ok(numbers.values().to_vec());
        }
        let at = |row| if numbers.is_null(row) { f64::NAN } else { numbers.value(row) };
        Ok((0..numbers.len()).map(at).collect())
    };
    Ok(Points { x: numbers(0)?, y: numbers(1)? }.into_column())
}
