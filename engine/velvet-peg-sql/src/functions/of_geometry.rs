//! Functions of a geometry alone: their call gets the system of the geometry as its second argument.

use super::arguments::{named_system, reference_type, system_of, system_of_expr};
use super::function::{Function, What};
use datafusion::arrow::array::ArrayRef;
use datafusion::arrow::datatypes::{DataType, Field};
use datafusion::error::Result;
use datafusion::logical_expr::simplify::SimplifyContext;
use datafusion::logical_expr::{Expr, ReturnFieldArgs, ScalarFunctionArgs, ScalarUDF, lit};

/// What is computed of geometries in a system.
type Compute = fn(&ScalarFunctionArgs) -> Result<ArrayRef>;

/// A function that gives a number.
pub(super) fn number(name: &'static str, compute: Compute) -> ScalarUDF {
    let field = |args: &ReturnFieldArgs<'_>| field(args, DataType::Float64);
    Function::of(name, What { takes: TAKES, arguments, field, resolved, compute })
}

/// A function that gives a text.
pub(super) fn text(name: &'static str, compute: Compute) -> ScalarUDF {
    let field = |args: &ReturnFieldArgs<'_>| field(args, DataType::Utf8);
    Function::of(name, What { takes: TAKES, arguments, field, resolved, compute })
}

const TAKES: &str = "a geometry";

fn arguments(types: &[DataType]) -> Option<Vec<DataType>> {
    match types {
        [geometry] => Some(vec![geometry.clone()]),
        [geometry, system] => Some(vec![geometry.clone(), reference_type(system)]),
        _ => None,
    }
}

fn field(args: &ReturnFieldArgs<'_>, gives: DataType) -> Result<Field> {
    match args.arg_fields {
        [geometry] => drop(system_of(geometry)?),
        _ => drop(named_system(args, 1)?),
    }
    Ok(Field::new("", gives, true))
}

fn resolved(args: &[Expr], info: &SimplifyContext) -> Result<Option<Vec<Expr>>> {
    match args {
        [geometry] => {
            let system = system_of_expr(geometry, info.schema())?;
            Ok(Some(vec![geometry.clone(), lit(system)]))
        }
        _ => Ok(None),
    }
}
