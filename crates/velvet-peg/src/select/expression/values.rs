//! Columns of values in an expression, brought to the types that operators want.

use super::context::{Context, type_text};
use crate::error::{Error, Result};
use arrow_array::cast::AsArray;
use arrow_array::{Array, ArrayRef, Datum};
use arrow_schema::DataType;
use sqlparser::ast::Expr;

/// A column of values, or one value for all rows.
#[derive(Clone, Debug)]
pub(super) enum Values {
    Array(ArrayRef),
    /// An array of one value.
    Scalar(ArrayRef),
}

impl Datum for Values {
    fn get(&self) -> (&dyn Array, bool) {
        match self {
            Values::Array(array) => (array.as_ref(), false),
            Values::Scalar(array) => (array.as_ref(), true),
        }
    }
}

impl Values {
    pub(super) fn kind(&self) -> &DataType {
        match self {
            Values::Array(array) | Values::Scalar(array) => array.data_type(),
        }
    }

    /// One value a row.
    pub(super) fn into_array(self, rows: usize) -> Result<ArrayRef> {
        match self {
            Values::Array(array) => Ok(array),
            Values::Scalar(array) => {
                let places = arrow_array::UInt64Array::from(vec![0; rows]);
                Ok(arrow_select::take::take(&array, &places, None)?)
            }
        }
    }

    pub(super) fn map(self, f: impl FnOnce(&ArrayRef) -> Result<ArrayRef>) -> Result<Values> {
        Ok(match self {
            Values::Array(array) => Values::Array(f(&array)?),
            Values::Scalar(array) => Values::Scalar(f(&array)?),
        })
    }

    pub(super) fn cast(self, kind: &DataType) -> Result<Values> {
        if self.kind() == kind {
            return Ok(self);
        }
        self.map(|array| Ok(arrow_cast::cast(array, kind)?))
    }

    pub(super) fn is_scalar(&self) -> bool {
        matches!(self, Values::Scalar(_))
    }
}

/// A value as true, false or nothing.
pub(super) fn boolean(value: Values, expression: &Expr) -> Result<Values> {
    match value.kind() {
        DataType::Boolean => Ok(value),
        DataType::Null => value.cast(&DataType::Boolean),
        other => Err(Error::usage(format!(
            "`{expression}` needs true or false, and {} is there",
            type_text(other)
        ))),
    }
}

/// A value as a number of either kind.
pub(super) fn numeric(value: Values, expression: &Expr) -> Result<Values> {
    match value.kind() {
        DataType::Int64 | DataType::Float64 => Ok(value),
        DataType::Null => value.cast(&DataType::Float64),
        other => Err(Error::usage(format!(
            "`{expression}` needs numbers, and {} is there: CAST(… AS REAL) makes a number of a \
             text that is one",
            type_text(other)
        ))),
    }
}

/// Both as the same type, or a word about what does not go together.
pub(super) fn alike(left: Values, right: Values, expression: &Expr) -> Result<(Values, Values)> {
    use DataType::{Float64, Int64, Null};
    let (a, b) = (left.kind().clone(), right.kind().clone());
    let kind = match (&a, &b) {
        (a, b) if a == b => return Ok((left, right)),
        (Null, other) | (other, Null) => other.clone(),
        (Int64, Float64) | (Float64, Int64) => Float64,
        _ => {
            return Err(Error::usage(format!(
                "`{expression}` brings together {} and {}: write texts in 'quotation marks', \
                 numbers without, or use CAST(… AS REAL) or CAST(… AS TEXT)",
                type_text(&a),
                type_text(&b)
            )));
        }
    };
    Ok((left.cast(&kind)?, right.cast(&kind)?))
}

/// The first where the condition is true, the second elsewhere.
pub(super) fn choose(
    condition: Values,
    then: Values,
    otherwise: Values,
    context: &Context<'_>,
    expression: &Expr,
) -> Result<Values> {
    let rows = context.rows();
    let (then, otherwise) = alike(then, otherwise, expression)?;
    let condition = boolean(condition, expression)?.into_array(rows)?;
    let (then, otherwise) = (then.into_array(rows)?, otherwise.into_array(rows)?);
    if then.data_type() == &DataType::Null {
        return Ok(Values::Array(then));
    }
    Ok(Values::Array(arrow_select::zip::zip(condition.as_boolean(), &then, &otherwise)?))
}
