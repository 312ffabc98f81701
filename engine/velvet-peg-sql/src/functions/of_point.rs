//! Functions of a point alone: their call gets the system of the point as its second argument.

use super::arguments::{
    named_system, reference_type, system_of, with_system_of_first, wrong_number,
};
use datafusion::arrow::array::ArrayRef;
use datafusion::arrow::datatypes::{DataType, Field, FieldRef};
use datafusion::error::Result;
use datafusion::logical_expr::expr::ScalarFunction;
use datafusion::logical_expr::simplify::{ExprSimplifyResult, SimplifyContext};
use datafusion::logical_expr::{
    ColumnarValue, Expr, ReturnFieldArgs, ScalarFunctionArgs, ScalarUDF, ScalarUDFImpl, Signature,
    Volatility,
};
use std::sync::Arc;

/// What is computed of points in a system, its text in the second argument.
type Compute = fn(&ScalarFunctionArgs) -> Result<ArrayRef>;

/// A function of a point.
#[derive(Debug)]
pub(super) struct OfPoint {
    name: &'static str,
    gives: DataType,
    compute: Compute,
    signature: Signature,
}

impl OfPoint {
    pub(super) fn new(name: &'static str, gives: DataType, compute: Compute) -> OfPoint {
        let signature = Signature::user_defined(Volatility::Immutable);
        OfPoint { name, gives, compute, signature }
    }
}

impl PartialEq for OfPoint {
    fn eq(&self, other: &OfPoint) -> bool {
        self.name == other.name
    }
}

impl Eq for OfPoint {}

impl std::hash::Hash for OfPoint {
    fn hash<H: std::hash::Hasher>(&self, state: &mut H) {
        self.name.hash(state);
    }
}

impl ScalarUDFImpl for OfPoint {
    fn name(&self) -> &str {
        self.name
    }

    fn signature(&self) -> &Signature {
        &self.signature
    }

    fn coerce_types(&self, types: &[DataType]) -> Result<Vec<DataType>> {
        match types {
            [point] => Ok(vec![point.clone()]),
            [point, system] => Ok(vec![point.clone(), reference_type(system)]),
            _ => wrong_number(self.name, "a point", types),
        }
    }

    fn return_type(&self, _types: &[DataType]) -> Result<DataType> {
        Ok(self.gives.clone())
    }

    fn return_field_from_args(&self, args: ReturnFieldArgs<'_>) -> Result<FieldRef> {
        match args.arg_fields {
            [point] => drop(system_of(self.name, point)?),
            _ => drop(named_system(&args, 1)?),
        }
        Ok(Arc::new(Field::new(self.name, self.gives.clone(), true)))
    }

    fn simplify(&self, args: Vec<Expr>, info: &SimplifyContext) -> Result<ExprSimplifyResult> {
        with_system_of_first(self.name, args, 1, info, |args| {
            let same = OfPoint::new(self.name, self.gives.clone(), self.compute);
            let function = Arc::new(ScalarUDF::from(same));
            Expr::ScalarFunction(ScalarFunction::new_udf(function, args))
        })
    }

    fn invoke_with_args(&self, args: ScalarFunctionArgs) -> Result<ColumnarValue> {
        Ok(ColumnarValue::Array((self.compute)(&args)?))
    }
}
