//! A function as the engine knows it, made of what each subject says of its own.

use crate::error::{refused, wrong};
use datafusion::arrow::array::ArrayRef;
use datafusion::arrow::datatypes::{DataType, Field, FieldRef};
use datafusion::error::{DataFusionError, Result};
use datafusion::logical_expr::expr::ScalarFunction;
use datafusion::logical_expr::simplify::{ExprSimplifyResult, SimplifyContext};
use datafusion::logical_expr::{
    ColumnarValue, Expr, ReturnFieldArgs, ScalarFunctionArgs, ScalarUDF, ScalarUDFImpl, Signature,
    Volatility,
};
use std::fmt;
use std::hash::{Hash, Hasher};
use std::sync::Arc;

/// A function of rows. What is not known when it is made is known by its name.
#[derive(Clone)]
pub(super) struct Function {
    name: &'static str,
    signature: Signature,
    what: What,
}

/// Gives arguments with more behind them; none if nothing is to be added.
type Resolve = fn(&[Expr], &SimplifyContext) -> Result<Option<Vec<Expr>>>;

/// What makes a function.
#[derive(Clone, Copy)]
pub(super) struct What {
    /// What it takes, in words.
    pub(super) takes: &'static str,
    /// The types that its arguments are brought to; none if they are not as many as it takes.
    pub(super) arguments: fn(&[DataType]) -> Option<Vec<DataType>>,
    /// The column that it makes; what is wrong with the call, before the query runs.
    pub(super) field: fn(&ReturnFieldArgs<'_>) -> Result<Field>,
    /// The arguments with all that is known before the query runs.
    pub(super) resolved: Resolve,
    /// The values.
    pub(super) compute: fn(&ScalarFunctionArgs) -> Result<ArrayRef>,
}

/// For functions that need to know nothing before the query runs.
pub(super) fn as_it_is(_args: &[Expr], _info: &SimplifyContext) -> Result<Option<Vec<Expr>>> {
    Ok(None)
}

impl Function {
    pub(super) fn of(name: &'static str, what: What) -> ScalarUDF {
        let signature = Signature::user_defined(Volatility::Immutable);
        ScalarUDF::from(Function { name, signature, what })
    }

    /// An error with the function's name in front.
    fn named(&self, error: DataFusionError) -> DataFusionError {
        match error {
            DataFusionError::Plan(what) => refused(format!("{}: {what}", self.name)),
            DataFusionError::Execution(what) => wrong(format!("{}: {what}", self.name)),
            other => other,
        }
    }
}

impl fmt::Debug for Function {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_tuple("Function").field(&self.name).finish()
    }
}

impl PartialEq for Function {
    fn eq(&self, other: &Function) -> bool {
        self.name == other.name
    }
}

impl Eq for Function {}

impl Hash for Function {
    fn hash<H: Hasher>(&self, state: &mut H) {
        self.name.hash(state);
    }
}

impl ScalarUDFImpl for Function {
    fn name(&self) -> &str {
        self.name
    }

    fn signature(&self) -> &Signature {
        &self.signature
    }

    fn coerce_types(&self, types: &[DataType]) -> Result<Vec<DataType>> {
        (self.what.arguments)(types).ok_or_else(|| {
            refused(format!(
                "{} takes {}, not {} arguments",
                self.name,
                self.what.takes,
                types.len()
            ))
        })
    }

    fn return_type(&self, _types: &[DataType]) -> Result<DataType> {
        // The type goes with the system, which the types of arguments do not tell.
        Err(DataFusionError::Internal(format!("{} is asked for its field", self.name)))
    }

    fn return_field_from_args(&self, args: ReturnFieldArgs<'_>) -> Result<FieldRef> {
        let field = (self.what.field)(&args).map_err(|error| self.named(error))?;
        Ok(Arc::new(field.with_name(self.name)))
    }

    fn simplify(&self, args: Vec<Expr>, info: &SimplifyContext) -> Result<ExprSimplifyResult> {
        let resolved = (self.what.resolved)(&args, info).map_err(|error| self.named(error))?;
        Ok(match resolved {
            None => ExprSimplifyResult::Original(args),
            Some(args) => {
                let same = Arc::new(ScalarUDF::from(self.clone()));
                ExprSimplifyResult::Simplified(Expr::ScalarFunction(ScalarFunction::new_udf(
                    same, args,
                )))
            }
        })
    }

    fn invoke_with_args(&self, args: ScalarFunctionArgs) -> Result<ColumnarValue> {
        let column = (self.what.compute)(&args).map_err(|error| self.named(error))?;
        Ok(ColumnarValue::Array(column))
    }
}
