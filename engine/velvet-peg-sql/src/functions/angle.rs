//! `latitude_degrees(text)`, `longitude_degrees(text)`: angles as they are written (`47°24'46.66"N`), in degrees.

use super::arguments::{column, rejects};
use super::function::{Function, What, as_it_is};
use datafusion::arrow::array::{ArrayRef, AsArray, Float64Array};
use datafusion::arrow::datatypes::{DataType, Field};
use datafusion::error::Result;
use datafusion::logical_expr::{ScalarFunctionArgs, ScalarUDF};
use std::sync::Arc;
use velvet_peg_core::angle::{self, Axis};

pub(super) fn latitude() -> ScalarUDF {
    of_texts("latitude_degrees", |args| degrees(args, Axis::Latitude))
}

pub(super) fn longitude() -> ScalarUDF {
    of_texts("longitude_degrees", |args| degrees(args, Axis::Longitude))
}

fn of_texts(name: &'static str, compute: fn(&ScalarFunctionArgs) -> Result<ArrayRef>) -> ScalarUDF {
    Function::of(
        name,
        What {
            takes: "a text",
            arguments: |types| (types.len() == 1).then(|| vec![DataType::Utf8]),
            field: |_| Ok(Field::new("", DataType::Float64, true)),
            resolved: as_it_is,
            compute,
        },
    )
}

fn degrees(args: &ScalarFunctionArgs, axis: Axis) -> Result<ArrayRef> {
    let texts = column(args, 0)?;
    let rejects = rejects(args);
    let degrees = |text: Option<&str>| match text {
        Some(text) => rejects.value(angle::parse(text, axis)),
        None => Ok(None),
    };
    let column = texts.as_string::<i32>().iter().map(degrees).collect::<Result<Float64Array>>()?;
    Ok(Arc::new(column))
}
