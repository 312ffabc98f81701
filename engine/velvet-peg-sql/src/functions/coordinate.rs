//! `st_x(point)`, `st_y(point)`.

use super::arguments::{column, wrong_number};
use crate::geometry::Points;
use datafusion::arrow::array::Float64Array;
use datafusion::arrow::datatypes::DataType;
use datafusion::error::Result;
use datafusion::logical_expr::{
    ColumnarValue, ScalarFunctionArgs, ScalarUDFImpl, Signature, Volatility,
};
use std::sync::Arc;

/// Which of the coordinates.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(super) enum Axis {
    /// Longitude or easting.
    X,
    /// Latitude or northing.
    Y,
}

/// A coordinate of points, in the unit of their system.
#[derive(Debug, PartialEq, Eq, Hash)]
pub(super) struct Part {
    axis: Axis,
    signature: Signature,
}

impl Part {
    pub(super) fn new(axis: Axis) -> Part {
        Part { axis, signature: Signature::user_defined(Volatility::Immutable) }
    }
}

impl ScalarUDFImpl for Part {
    fn name(&self) -> &str {
        match self.axis {
            Axis::X => "st_x",
            Axis::Y => "st_y",
        }
    }

    fn signature(&self) -> &Signature {
        &self.signature
    }

    fn coerce_types(&self, types: &[DataType]) -> Result<Vec<DataType>> {
        match types {
            [point] => Ok(vec![point.clone()]),
            _ => wrong_number(self.name(), "a point", types),
        }
    }

    fn return_type(&self, _types: &[DataType]) -> Result<DataType> {
        Ok(DataType::Float64)
    }

    fn invoke_with_args(&self, args: ScalarFunctionArgs) -> Result<ColumnarValue> {
        let points = Points::of(&column(&args.args[0], args.number_rows)?)?;
        let values = match self.axis {
            Axis::X => &points.x,
            Axis::Y => &points.y,
        };
        let there = |row: usize| points.is_there(row).then_some(values[row]);
        let column: Float64Array = (0..points.len()).map(there).collect();
        Ok(ColumnarValue::Array(Arc::new(column)))
    }
}
