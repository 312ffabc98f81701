//! Arguments of functions: columns, and systems, which are the same for all rows.

use crate::constant::constant;
use crate::error::refused;
use crate::plans::{planned, same_route};
use crate::rejects::Rejects;
use crate::system;
use datafusion::arrow::array::ArrayRef;
use datafusion::arrow::datatypes::{DataType, Field};
use datafusion::common::DFSchema;
use datafusion::error::Result;
use datafusion::logical_expr::{
    ColumnarValue, Expr, ExprSchemable, ReturnFieldArgs, ScalarFunctionArgs,
};
use std::sync::Arc;
use velvet_peg_core::Converter;

/// The type that the argument of a system is brought to: numbers stay what they are, since they are constants.
pub(super) fn reference_type(given: &DataType) -> DataType {
    match given {
        DataType::Int32 | DataType::Int64 => given.clone(),
        _ => DataType::Utf8,
    }
}

/// The system that an argument of a call names, before the query runs.
///
/// # Errors
/// If it is a column, or no system.
pub(super) fn named_system(args: &ReturnFieldArgs<'_>, at: usize) -> Result<String> {
    let text = args.scalar_arguments.get(at).copied().flatten().and_then(constant);
    let text = text.ok_or_else(|| {
        refused("a reference system is one for the whole column: a text such as 'EPSG:2285'")
    })?;
    system::text_of(&system::named(&text)?)
}

/// The system of the geometries of an argument.
///
/// # Errors
/// If its field states none.
pub(super) fn system_of(field: &Field) -> Result<String> {
    system::of_field(field).ok_or_else(|| {
        refused(format!(
            "the geometries of `{}` have no reference system; state it with declare_system(geometry, 'EPSG:…')",
            field.name()
        ))
    })
}

/// The system of an argument while the query runs: the text at `stated`, or the metadata of the geometries, which
/// calls of constants have that are computed before the plan is made.
///
/// # Errors
/// If neither says it.
pub(super) fn system_at(
    args: &ScalarFunctionArgs,
    geometry: usize,
    stated: usize,
) -> Result<String> {
    match args.args.get(stated) {
        Some(ColumnarValue::Scalar(value)) => {
            constant(value).ok_or_else(|| refused("a reference system is one for the whole column"))
        }
        Some(ColumnarValue::Array(_)) => {
            Err(refused("a reference system is one for the whole column"))
        }
        None => system_of(&args.arg_fields[geometry]),
    }
}

/// The rows of a call that cannot be computed.
pub(super) fn rejects(args: &ScalarFunctionArgs) -> Rejects {
    Rejects::of(&args.config_options, args.return_field.name())
}

/// The way between two systems for the data of a call's session; `route` is the number of the argument that has the route
/// that the query was planned with, in calls that have one.
///
/// # Errors
/// If there is none, or the query was planned with another route.
pub(super) fn way(
    args: &ScalarFunctionArgs,
    from: &str,
    to: &str,
    route: Option<usize>,
) -> Result<Arc<Converter>> {
    let way = planned(from, to, &args.config_options)?;
    if let Some(ColumnarValue::Scalar(route)) = route.and_then(|at| args.args.get(at)) {
        same_route(&way, &constant(route).unwrap_or_default())?;
    }
    Ok(way)
}

/// A column of an argument.
pub(super) fn column(args: &ScalarFunctionArgs, at: usize) -> Result<ArrayRef> {
    args.args[at].clone().into_array(args.number_rows)
}

/// The system of the geometries that an expression makes.
///
/// # Errors
/// If its field states none.
pub(super) fn system_of_expr(expr: &Expr, schema: &DFSchema) -> Result<String> {
    system_of(expr.to_field(schema)?.1.as_ref())
}
