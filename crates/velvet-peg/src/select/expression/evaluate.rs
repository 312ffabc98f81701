//! Evaluating an SQL expression on a batch, column by column.

use super::context::{Context, type_text};
use super::functions;
use super::values::{Values, alike, boolean, choose, numeric};
use crate::error::{Error, Result};
use arrow_array::cast::AsArray;
use arrow_array::types::Float64Type;
use arrow_array::{
    Array, ArrayRef, BooleanArray, Datum, Float64Array, Int64Array, NullArray, StringArray,
};
use arrow_schema::{ArrowError, DataType};
use sqlparser::ast::{BinaryOperator, CeilFloorKind, Expr, InTarget, UnaryOperator, Value};
use std::sync::Arc;

fn scalar(array: impl Array + 'static) -> Values {
    Values::Scalar(Arc::new(array))
}

/// The values of an expression.
pub(super) fn evaluate(expression: &Expr, context: &Context<'_>) -> Result<Values> {
    let of = |expression: &Expr| evaluate(expression, context);
    match expression {
        Expr::Nested(inner) => of(inner),
        Expr::Identifier(name) => context.column(&name.value).map(Values::Array),
        Expr::CompoundIdentifier(parts) => {
            let name = parts.last().map_or("", |part| part.value.as_str());
            context.column(name).map(Values::Array)
        }
        Expr::Value(value) => literal(&value.value),
        Expr::UnaryOp { op, expr } => unary(op, of(expr)?, expression),
        Expr::BinaryOp { left, op, right } => binary(of(left)?, op, of(right)?, expression),
        Expr::IsNull(inner) => of(inner)?.map(|a| Ok(Arc::new(arrow_arith::boolean::is_null(a)?))),
        Expr::IsNotNull(inner) => {
            of(inner)?.map(|a| Ok(Arc::new(arrow_arith::boolean::is_not_null(a)?)))
        }
        Expr::IsTrue(inner) => truth(of(inner)?, expression, Some(true), false),
        Expr::IsNotTrue(inner) => truth(of(inner)?, expression, Some(true), true),
        Expr::IsFalse(inner) => truth(of(inner)?, expression, Some(false), false),
        Expr::IsNotFalse(inner) => truth(of(inner)?, expression, Some(false), true),
        Expr::In { expr, target: InTarget::List(list), negated, global: false } => {
            let value = of(expr)?;
            let mut any: Option<Values> = None;
            for item in list {
                let equal = binary(value.clone(), &BinaryOperator::Eq, of(item)?, expression)?;
                any = Some(match any {
                    None => equal,
                    Some(before) => binary(before, &BinaryOperator::Or, equal, expression)?,
                });
            }
            negate(any.unwrap_or_else(|| scalar(BooleanArray::from(vec![false]))), *negated)
        }
        Expr::Between { expr, negated, low, high } => {
            let value = of(expr)?;
            let above = binary(value.clone(), &BinaryOperator::GtEq, of(low)?, expression)?;
            let below = binary(value, &BinaryOperator::LtEq, of(high)?, expression)?;
            negate(binary(above, &BinaryOperator::And, below, expression)?, *negated)
        }
        Expr::Like { negated, expr, pattern, escape_char: None, .. } => {
            like(of(expr)?, of(pattern)?, *negated, false, expression)
        }
        Expr::ILike { negated, expr, pattern, escape_char: None, .. } => {
            like(of(expr)?, of(pattern)?, *negated, true, expression)
        }
        Expr::Cast { expr, data_type, .. } => {
            let kind = cast_type(&data_type.to_string(), expression)?;
            of(expr)?.cast(&kind)
        }
        Expr::Case { operand, conditions, else_result, .. } => {
            let mut result = match else_result {
                Some(result) => of(result)?,
                None => scalar(NullArray::new(1)),
            };
            for when in conditions.iter().rev() {
                let condition = match operand {
                    Some(operand) => {
                        binary(of(operand)?, &BinaryOperator::Eq, of(&when.condition)?, expression)?
                    }
                    None => of(&when.condition)?,
                };
                result = choose(condition, of(&when.result)?, result, context, expression)?;
            }
            Ok(result)
        }
        Expr::Function(function) => {
            functions::call(function, context, &|argument| evaluate(argument, context))
        }
        Expr::Ceil { expr, field: CeilFloorKind::DateTimeField(_) } => {
            functions::rounded(of(expr)?, f64::ceil, expression)
        }
        Expr::Floor { expr, field: CeilFloorKind::DateTimeField(_) } => {
            functions::rounded(of(expr)?, f64::floor, expression)
        }
        Expr::Trim { trim_where: None, trim_what: None, expr, trim_characters: None } => {
            functions::texts(of(expr)?, |text| text.trim().to_string())
        }
        Expr::Substring { expr, substring_from, substring_for, .. } => {
            let number = |part: &Option<Box<Expr>>| part.as_deref().map(of).transpose();
            functions::substring(of(expr)?, number(substring_from)?, number(substring_for)?)
        }
        other => Err(Error::usage(format!("`{other}` is not something that is computed here"))),
    }
}

fn literal(value: &Value) -> Result<Values> {
    Ok(match value {
        Value::Number(text, _) => match text.parse::<i64>() {
            Ok(whole) => scalar(Int64Array::from(vec![whole])),
            Err(_) => {
                let number: f64 = text
                    .parse()
                    .map_err(|_| Error::usage(format!("`{text}` cannot be read as a number")))?;
                scalar(Float64Array::from(vec![number]))
            }
        },
        Value::SingleQuotedString(text) => scalar(StringArray::from(vec![text.as_str()])),
        Value::Boolean(flag) => scalar(BooleanArray::from(vec![*flag])),
        Value::Null => scalar(NullArray::new(1)),
        other => return Err(Error::usage(format!("`{other}` is no value that is known here"))),
    })
}

fn unary(op: &UnaryOperator, value: Values, expression: &Expr) -> Result<Values> {
    match op {
        UnaryOperator::Plus => Ok(value),
        UnaryOperator::Not => negate(boolean(value, expression)?, true),
        op if is_negative(op) => {
            let value = numeric(value, expression)?;
            value.map(|array| Ok(arrow_arith::numeric::neg(array)?))
        }
        other => Err(Error::usage(format!("`{other}` in `{expression}` is not known here"))),
    }
}

fn negate(value: Values, negated: bool) -> Result<Values> {
    if !negated {
        return Ok(value);
    }
    value.map(|array| Ok(Arc::new(arrow_arith::boolean::not(array.as_boolean())?)))
}

fn truth(value: Values, expression: &Expr, wanted: Option<bool>, negated: bool) -> Result<Values> {
    boolean(value, expression)?.map(|array| {
        let flags = array.as_boolean();
        let found: BooleanArray =
            flags.iter().map(|flag| Some((flag == wanted) != negated)).collect();
        Ok(Arc::new(found))
    })
}

fn binary(left: Values, op: &BinaryOperator, right: Values, expression: &Expr) -> Result<Values> {
    use BinaryOperator as Op;
    let scalars = left.is_scalar() && right.is_scalar();
    let wrap = |array: ArrayRef| match scalars {
        true => Values::Scalar(array),
        false => Values::Array(array),
    };
    match op {
        Op::And | Op::Or => {
            let (left, right) = (boolean(left, expression)?, boolean(right, expression)?);
            let rows = left.get().0.len().max(right.get().0.len());
            // A scalar beside an empty column has no row.
            let rows = match (&left, &right) {
                (Values::Array(array), _) | (_, Values::Array(array)) => array.len(),
                _ => rows,
            };
            let (a, b) = (left.into_array(rows)?, right.into_array(rows)?);
            let joined = match op {
                Op::And => arrow_arith::boolean::and_kleene(a.as_boolean(), b.as_boolean())?,
                _ => arrow_arith::boolean::or_kleene(a.as_boolean(), b.as_boolean())?,
            };
            Ok(wrap(Arc::new(joined)))
        }
        Op::Eq | Op::NotEq | Op::Lt | Op::LtEq | Op::Gt | Op::GtEq => {
            let (left, right) = alike(left, right, expression)?;
            if left.kind() == &DataType::Null {
                return left.cast(&DataType::Boolean);
            }
            let compare = match op {
                Op::Eq => arrow_ord::cmp::eq,
                Op::NotEq => arrow_ord::cmp::neq,
                Op::Lt => arrow_ord::cmp::lt,
                Op::LtEq => arrow_ord::cmp::lt_eq,
                Op::Gt => arrow_ord::cmp::gt,
                _ => arrow_ord::cmp::gt_eq,
            };
            Ok(wrap(Arc::new(compare(&left, &right)?)))
        }
        Op::Plus | Op::Minus | Op::Multiply | Op::Modulo => {
            let (left, right) =
                alike(numeric(left, expression)?, numeric(right, expression)?, expression)?;
            if matches!(op, Op::Modulo) {
                let right = no_zero(right)?;
                return Ok(wrap(arrow_arith::numeric::rem(&left, &right)?));
            }
            let compute = match op {
                Op::Plus => arrow_arith::numeric::add,
                Op::Minus => arrow_arith::numeric::sub,
                _ => arrow_arith::numeric::mul,
            };
            let computed = compute(&left, &right).map_err(|error| match error {
                ArrowError::ArithmeticOverflow(_) => Error::data(format!(
                    "`{expression}` grows beyond the whole numbers there are: make one side a \
                     number with CAST(… AS REAL)"
                )),
                other => other.into(),
            })?;
            Ok(wrap(computed))
        }
        Op::Divide => {
            let left = numeric(left, expression)?.cast(&DataType::Float64)?;
            let right = no_zero(numeric(right, expression)?.cast(&DataType::Float64)?)?;
            Ok(wrap(arrow_arith::numeric::div(&left, &right)?))
        }
        Op::StringConcat => {
            let (left, right) = (left.cast(&DataType::Utf8)?, right.cast(&DataType::Utf8)?);
            let rows = match (&left, &right) {
                (Values::Array(array), _) | (_, Values::Array(array)) => array.len(),
                _ => 1,
            };
            let (a, b) = (left.into_array(rows)?, right.into_array(rows)?);
            let joined: StringArray = a
                .as_string::<i32>()
                .iter()
                .zip(b.as_string::<i32>())
                .map(|(a, b)| Some(format!("{}{}", a?, b?)))
                .collect();
            Ok(wrap(Arc::new(joined)))
        }
        other => Err(Error::usage(format!("`{other}` in `{expression}` is not known here"))),
    }
}

/// Nothing in place of zeros, by which nothing can be divided.
fn no_zero(value: Values) -> Result<Values> {
    value.map(|array| {
        let zero: BooleanArray = match array.data_type() {
            DataType::Int64 => arrow_ord::cmp::eq(array, &Int64Array::new_scalar(0))?,
            _ => arrow_ord::cmp::eq(array, &Float64Array::new_scalar(0.0))?,
        };
        let negative: BooleanArray = match array.as_primitive_opt::<Float64Type>() {
            // A negative zero is not equal to zero in the order of all numbers.
            Some(numbers) => numbers.iter().map(|n| Some(n == Some(0.0))).collect(),
            None => zero.clone(),
        };
        let zero = arrow_arith::boolean::or(&zero, &negative)?;
        Ok(arrow_select::nullif::nullif(array, &zero)?)
    })
}

fn like(
    text: Values,
    pattern: Values,
    negated: bool,
    fold: bool,
    expression: &Expr,
) -> Result<Values> {
    for side in [&text, &pattern] {
        if !matches!(side.kind(), DataType::Utf8 | DataType::Null) {
            return Err(Error::usage(format!(
                "`{expression}` needs texts, and {} is there",
                type_text(side.kind())
            )));
        }
    }
    let scalars = text.is_scalar() && pattern.is_scalar();
    let (text, pattern) = (text.cast(&DataType::Utf8)?, pattern.cast(&DataType::Utf8)?);
    let matcher = match (fold, negated) {
        (false, false) => arrow_string::like::like,
        (false, true) => arrow_string::like::nlike,
        (true, false) => arrow_string::like::ilike,
        (true, true) => arrow_string::like::nilike,
    };
    let matched: ArrayRef = Arc::new(matcher(&text, &pattern)?);
    Ok(if scalars { Values::Scalar(matched) } else { Values::Array(matched) })
}

fn cast_type(name: &str, expression: &Expr) -> Result<DataType> {
    let bare = name.split(['(', ' ']).next().unwrap_or_default().to_ascii_uppercase();
    Ok(match bare.as_str() {
        "INT" | "INTEGER" | "BIGINT" | "SMALLINT" => DataType::Int64,
        "REAL" | "DOUBLE" | "FLOAT" | "NUMERIC" | "DECIMAL" => DataType::Float64,
        "TEXT" | "VARCHAR" | "CHAR" | "CHARACTER" | "STRING" => DataType::Utf8,
        "BOOLEAN" | "BOOL" => DataType::Boolean,
        _ => {
            return Err(Error::usage(format!(
                "`{expression}`: {name} is no type here; use INTEGER, REAL, TEXT or BOOLEAN"
            )));
        }
    })
}

/// True for a number with a sign, which is a literal to people.
fn is_negative(operator: &UnaryOperator) -> bool {
    matches!(operator, UnaryOperator::Minus)
}
