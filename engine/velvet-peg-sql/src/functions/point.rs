//! `st_point(x, y, 'REF')`: points of columns.

use super::arguments::{column, named_system, reference_type, wrong_number};
use crate::geometry::{Points, point_type};
use crate::system::with_system;
use datafusion::arrow::array::{Array, AsArray};
use datafusion::arrow::datatypes::{DataType, Field, FieldRef, Float64Type};
use datafusion::error::Result;
use datafusion::logical_expr::{
    ColumnarValue, ReturnFieldArgs, ScalarFunctionArgs, ScalarUDFImpl, Signature, Volatility,
};
use std::sync::Arc;

/// Points of two columns of numbers in a system; NULL where one of them is NULL or no number.
#[derive(Debug, PartialEq, Eq, Hash)]
pub(super) struct Point(Signature);

impl Point {
    pub(super) fn new() -> Point {
        Point(Signature::user_defined(Volatility::Immutable))
    }
}

impl ScalarUDFImpl for Point {
    fn name(&self) -> &str {
        "st_point"
    }

    fn signature(&self) -> &Signature {
        &self.0
    }

    fn coerce_types(&self, types: &[DataType]) -> Result<Vec<DataType>> {
        match types {
            [_, _, system] => {
                Ok(vec![DataType::Float64, DataType::Float64, reference_type(system)])
            }
            _ => wrong_number(self.name(), "x, y and a reference system", types),
        }
    }

    fn return_type(&self, _types: &[DataType]) -> Result<DataType> {
        Ok(point_type())
    }

    fn return_field_from_args(&self, args: ReturnFieldArgs<'_>) -> Result<FieldRef> {
        let system = named_system(&args, 2)?;
        let field = Field::new(self.name(), point_type(), true);
        Ok(Arc::new(with_system(field, "point", Some(&system))))
    }

    fn invoke_with_args(&self, args: ScalarFunctionArgs) -> Result<ColumnarValue> {
        let numbers = |at: usize| -> Result<Vec<f64>> {
            let column = column(&args.args[at], args.number_rows)?;
            let numbers = column.as_primitive::<Float64Type>();
            let at = |row| {
                if numbers.is_null(row) { f64::NAN } else { numbers.value(row) }
            };
            Ok((0..numbers.len()).map(at).collect())
        };
        Ok(ColumnarValue::Array(Points { x: numbers(0)?, y: numbers(1)? }.into_column()))
    }
}
