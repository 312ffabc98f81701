//! `grid_reference(point)` and `point_of_grid_reference(text)`: references on the grids of UTM and the poles.

use super::arguments::{column, wrong_number};
use super::of_point::OfPoint;
use super::places::carried;
use crate::error::{refused, wrong};
use crate::failures::Failures;
use crate::geometry::{Points, point_type};
use crate::system::with_system;
use datafusion::arrow::array::{Array, AsArray, StringArray};
use datafusion::arrow::datatypes::{DataType, Field, FieldRef};
use datafusion::error::Result;
use datafusion::logical_expr::{
    ColumnarValue, ReturnFieldArgs, ScalarFunctionArgs, ScalarUDFImpl, Signature, Volatility,
};
use std::sync::Arc;
use velvet_peg_core::Crs;
use velvet_peg_core::zones::{grid_reference, parse_grid_reference};

/// The system that grid references are in.
const WGS84: u32 = 4326;

/// The reference of the square of one metre that a point lies in, on WGS 84.
pub(super) fn of_point() -> OfPoint {
    OfPoint::new("grid_reference", DataType::Utf8, |args| {
        let places = carried(args, &Crs::from_epsg(WGS84).map_err(refused)?)?;
        let text = |at| grid_reference(at).ok();
        let texts: StringArray =
            places.into_iter().map(|at| text(at).filter(|_| at.lat.is_finite())).collect();
        Ok(Arc::new(texts))
    })
}

/// The middle of the square that a reference names, in EPSG:4326.
#[derive(Debug, PartialEq, Eq, Hash)]
pub(super) struct OfGridReference(Signature);

impl OfGridReference {
    pub(super) fn new() -> OfGridReference {
        OfGridReference(Signature::user_defined(Volatility::Immutable))
    }
}

impl ScalarUDFImpl for OfGridReference {
    fn name(&self) -> &str {
        "point_of_grid_reference"
    }

    fn signature(&self) -> &Signature {
        &self.0
    }

    fn coerce_types(&self, types: &[DataType]) -> Result<Vec<DataType>> {
        match types {
            [_] => Ok(vec![DataType::Utf8]),
            _ => wrong_number(self.name(), "a text", types),
        }
    }

    fn return_type(&self, _types: &[DataType]) -> Result<DataType> {
        Ok(point_type())
    }

    fn return_field_from_args(&self, _args: ReturnFieldArgs<'_>) -> Result<FieldRef> {
        let field = Field::new(self.name(), point_type(), true);
        Ok(Arc::new(with_system(field, "point", Some(&format!("EPSG:{WGS84}")))))
    }

    fn invoke_with_args(&self, args: ScalarFunctionArgs) -> Result<ColumnarValue> {
        let texts = column(&args.args[0], args.number_rows)?;
        let texts = texts.as_string::<i32>();
        let fail = Failures::end_the_query(&args.config_options);
        let mut points = Points { x: Vec::new(), y: Vec::new() };
        for text in texts {
            let square = match text.map(parse_grid_reference) {
                Some(Err(error)) if fail => return Err(wrong(error)),
                square => square.and_then(|square| square.ok()),
            };
            let middle = square.map(|square| square.middle);
            points.x.push(middle.map_or(f64::NAN, |at| at.lon));
            points.y.push(middle.map_or(f64::NAN, |at| at.lat));
        }
        debug_assert_eq!(points.len(), texts.len());
        Ok(ColumnarValue::Array(points.into_column()))
    }
}
