//! `latitude_degrees(text)`, `longitude_degrees(text)`: angles as they are written, in degrees.

use super::arguments::{column, wrong_number};
use crate::error::wrong;
use crate::failures::Failures;
use datafusion::arrow::array::{AsArray, Float64Array};
use datafusion::arrow::datatypes::DataType;
use datafusion::error::Result;
use datafusion::logical_expr::{
    ColumnarValue, ScalarFunctionArgs, ScalarUDFImpl, Signature, Volatility,
};
use std::sync::Arc;
use velvet_peg_core::angle::{self, Axis};

/// Degrees of angles such as `47°24'46.66"N`.
#[derive(Debug, PartialEq, Eq, Hash)]
pub(super) struct Degrees {
    is_longitude: bool,
    signature: Signature,
}

impl Degrees {
    pub(super) fn latitude() -> Degrees {
        Degrees { is_longitude: false, signature: Signature::user_defined(Volatility::Immutable) }
    }

    pub(super) fn longitude() -> Degrees {
        Degrees { is_longitude: true, ..Degrees::latitude() }
    }
}

impl ScalarUDFImpl for Degrees {
    fn name(&self) -> &str {
        if self.is_longitude { "longitude_degrees" } else { "latitude_degrees" }
    }

    fn signature(&self) -> &Signature {
        &self.signature
    }

    fn coerce_types(&self, types: &[DataType]) -> Result<Vec<DataType>> {
        match types {
            [_] => Ok(vec![DataType::Utf8]),
            _ => wrong_number(self.name(), "a text", types),
        }
    }

    fn return_type(&self, _types: &[DataType]) -> Result<DataType> {
        Ok(DataType::Float64)
    }

    fn invoke_with_args(&self, args: ScalarFunctionArgs) -> Result<ColumnarValue> {
        let texts = column(&args.args[0], args.number_rows)?;
        let fail = Failures::end_the_query(&args.config_options);
        let axis = if self.is_longitude { Axis::Longitude } else { Axis::Latitude };
        let degrees = |text: Option<&str>| match text.map(|text| angle::parse(text, axis)) {
            None => Ok(None),
            Some(Ok(degrees)) => Ok(Some(degrees)),
            Some(Err(error)) if fail => Err(wrong(error)),
            Some(Err(_)) => Ok(None),
        };
        let column: Float64Array =
            texts.as_string::<i32>().iter().map(degrees).collect::<Result<_>>()?;
        Ok(ColumnarValue::Array(Arc::new(column)))
    }
}
