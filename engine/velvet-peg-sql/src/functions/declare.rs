//! `declare_system(geometry, 'REF')`: says which system coordinates are in; they stay as they are.

use super::arguments::{named_system, reference_type, wrong_number};
use crate::system::with_system;
use datafusion::arrow::datatypes::{DataType, Field, FieldRef};
use datafusion::error::Result;
use datafusion::logical_expr::{
    ColumnarValue, ReturnFieldArgs, ScalarFunctionArgs, ScalarUDFImpl, Signature, Volatility,
};
use std::sync::Arc;

/// The same geometries, in a system.
#[derive(Debug, PartialEq, Eq, Hash)]
pub(super) struct Declare(Signature);

impl Declare {
    pub(super) fn new() -> Declare {
        Declare(Signature::user_defined(Volatility::Immutable))
    }
}

impl ScalarUDFImpl for Declare {
    fn name(&self) -> &str {
        "declare_system"
    }

    fn signature(&self) -> &Signature {
        &self.0
    }

    fn coerce_types(&self, types: &[DataType]) -> Result<Vec<DataType>> {
        match types {
            [geometry, system] => Ok(vec![geometry.clone(), reference_type(system)]),
            _ => wrong_number(self.name(), "a geometry and a reference system", types),
        }
    }

    fn return_type(&self, types: &[DataType]) -> Result<DataType> {
        Ok(types[0].clone())
    }

    fn return_field_from_args(&self, args: ReturnFieldArgs<'_>) -> Result<FieldRef> {
        let system = named_system(&args, 1)?;
        let gives = args.arg_fields[0].data_type().clone();
        let kind = if matches!(gives, DataType::Struct(_)) { "point" } else { "wkb" };
        Ok(Arc::new(with_system(Field::new(self.name(), gives, true), kind, Some(&system))))
    }

    fn invoke_with_args(&self, args: ScalarFunctionArgs) -> Result<ColumnarValue> {
        Ok(args.args[0].clone())
    }
}
