//! The functions of expressions: numbers, texts, and geometries by the names of ISO 19125-2.

use super::context::Context;
use super::values::{Values, choose, numeric};
use super::{geometry, help};
use crate::error::{Error, Result};
use arrow_array::cast::AsArray;
use arrow_array::types::{Float64Type, Int64Type};
use arrow_array::{Array, ArrayRef, Float64Array, Int64Array, StringArray};
use arrow_schema::DataType;
use sqlparser::ast::{Expr, Function, FunctionArg, FunctionArgExpr, FunctionArguments};
use std::sync::Arc;

/// Calls a function; `evaluate` gives the values of its arguments.
pub(super) fn call(
    function: &Function,
    context: &Context<'_>,
    evaluate: &dyn Fn(&Expr) -> Result<Values>,
) -> Result<Values> {
    let name = function.name.to_string().to_ascii_uppercase();
    let list = arguments(function)?;
    if name.starts_with("ST_") || name.starts_with("PLANE_") {
        return spatial(&name, &list, function, context);
    }
    let whole = Expr::Function(function.clone());
    let mut values: Vec<Values> = list.iter().map(evaluate).collect::<Result<_>>()?;
    let wrong = |wanted: &str| Error::usage(format!("`{function}`: {name} takes {wanted}"));
    if let Some(unit) = help::unit_of(&name) {
        return match values.len() {
            1 => {
                let value = numeric(values.remove(0), &whole)?.cast(&DataType::Float64)?;
                number(value, |x| x / unit)
            }
            _ => Err(wrong("one number, in metres or square metres")),
        };
    }
    match (name.as_str(), values.len()) {
        ("ABS", 1) => {
            let value = numeric(values.remove(0), &whole)?;
            value.map(|array| {
                Ok(match array.data_type() {
                    DataType::Int64 => Arc::new(
                        array
                            .as_primitive::<Int64Type>()
                            .unary::<_, Int64Type>(i64::saturating_abs),
                    ),
                    _ => Arc::new(
                        array.as_primitive::<Float64Type>().unary::<_, Float64Type>(f64::abs),
                    ),
                })
            })
        }
        ("ROUND", 1) => rounded(values.remove(0), f64::round, &whole),
        ("ROUND", 2) => {
            let digits = values.pop().map(|v| numeric(v, &whole)).transpose()?;
            let digits = digits.map(|v| v.cast(&DataType::Int64)).transpose()?;
            let Some(Values::Scalar(digits)) = digits else {
                return Err(wrong("a number and how many digits to keep behind the point"));
            };
            let digits = digits.as_primitive::<Int64Type>().value(0).clamp(-15, 15) as i32;
            let scale = 10_f64.powi(digits);
            let value = numeric(values.remove(0), &whole)?.cast(&DataType::Float64)?;
            number(value, move |x| (x * scale).round() / scale)
        }
        ("FLOOR", 1) => rounded(values.remove(0), f64::floor, &whole),
        ("CEIL" | "CEILING", 1) => rounded(values.remove(0), f64::ceil, &whole),
        ("SQRT", 1) => {
            let value = numeric(values.remove(0), &whole)?.cast(&DataType::Float64)?;
            value.map(|array| {
                let roots: Float64Array = array
                    .as_primitive::<Float64Type>()
                    .iter()
                    .map(|x| x.map(f64::sqrt).filter(|root| !root.is_nan()))
                    .collect();
                Ok(Arc::new(roots))
            })
        }
        ("COALESCE", 1..) => {
            let mut result = values.pop().ok_or_else(|| wrong("at least one value"))?;
            while let Some(value) = values.pop() {
                let there = value
                    .clone()
                    .map(|array| Ok(Arc::new(arrow_arith::boolean::is_not_null(array)?)))?;
                result = choose(there, value, result, context, &whole)?;
            }
            Ok(result)
        }
        ("NULLIF", 2) => {
            let null = Values::Scalar(Arc::new(arrow_array::NullArray::new(1)));
            let equal = Expr::BinaryOp {
                left: Box::new(list[0].clone()),
                op: sqlparser::ast::BinaryOperator::Eq,
                right: Box::new(list[1].clone()),
            };
            choose(evaluate(&equal)?, null, values.remove(0), context, &whole)
        }
        ("UPPER" | "LOWER" | "LENGTH" | "CHAR_LENGTH" | "CHARACTER_LENGTH", 1)
        | ("REPLACE", 3)
        | ("CONCAT", 1..) => of_texts(&name, values, context, &wrong),
        ("ABS" | "SQRT" | "FLOOR" | "CEIL" | "UPPER" | "LOWER" | "LENGTH", _) => {
            Err(wrong("one value"))
        }
        ("ROUND", _) => Err(wrong("a number and how many digits to keep behind the point")),
        ("NULLIF", _) => Err(wrong("two values")),
        _ => Err(unknown(&name)),
    }
}

/// The functions of texts; the last is CONCAT.
fn of_texts(
    name: &str,
    mut values: Vec<Values>,
    context: &Context<'_>,
    wrong: &dyn Fn(&str) -> Error,
) -> Result<Values> {
    match name {
        "UPPER" => texts(values.remove(0), str::to_uppercase),
        "LOWER" => texts(values.remove(0), str::to_lowercase),
        "LENGTH" | "CHAR_LENGTH" | "CHARACTER_LENGTH" => {
            values.remove(0).cast(&DataType::Utf8)?.map(|array| {
                let counts: Int64Array = array
                    .as_string::<i32>()
                    .iter()
                    .map(|text| text.map(|text| text.chars().count() as i64))
                    .collect();
                Ok(Arc::new(counts))
            })
        }
        "REPLACE" => {
            let one = |value: &Values| match value {
                Values::Scalar(array) if array.data_type() == &DataType::Utf8 => {
                    Ok(array.as_string::<i32>().value(0).to_string())
                }
                _ => Err(wrong("a text, what to look for in it, and what to put there")),
            };
            let (from, to) = (one(&values[1])?, one(&values[2])?);
            texts(values.remove(0), |text| text.replace(&from, &to))
        }
        _ => {
            let rows = context.rows();
            let columns: Vec<ArrayRef> = values
                .into_iter()
                .map(|value| value.cast(&DataType::Utf8)?.into_array(rows))
                .collect::<Result<_>>()?;
            let joined: StringArray = (0..rows)
                .map(|row| {
                    let parts = columns.iter().map(|column| column.as_string::<i32>());
                    // Nothing adds nothing.
                    Some(
                        parts.filter(|p| p.is_valid(row)).map(|p| p.value(row)).collect::<String>(),
                    )
                })
                .collect();
            Ok(Values::Array(Arc::new(joined)))
        }
    }
}

fn arguments(function: &Function) -> Result<Vec<Expr>> {
    let FunctionArguments::List(list) = &function.args else {
        return Ok(Vec::new());
    };
    list.args
        .iter()
        .map(|argument| match argument {
            FunctionArg::Unnamed(FunctionArgExpr::Expr(expression)) => Ok(expression.clone()),
            other => Err(Error::usage(format!("`{other}` in `{function}` is no value"))),
        })
        .collect()
}

fn spatial(
    name: &str,
    list: &[Expr],
    function: &Function,
    context: &Context<'_>,
) -> Result<Values> {
    let of_geometry = match list {
        [Expr::Identifier(name)] => {
            let bare = name.value.to_ascii_lowercase();
            bare == "geometry" || bare == "geom"
        }
        _ => false,
    };
    if !of_geometry {
        return Err(Error::usage(format!(
            "`{function}`: functions of geometries take `geometry`, as in {name}(geometry)"
        )));
    }
    geometry::measure(name, context)?.map(Values::Array).ok_or_else(|| unknown(name))
}

fn unknown(name: &str) -> Error {
    Error::usage(format!("there is no function {name}: those there are: {}", help::names()))
}

/// A number made whole; whole ones stay.
pub(super) fn rounded(value: Values, f: fn(f64) -> f64, expression: &Expr) -> Result<Values> {
    let value = numeric(value, expression)?;
    if value.kind() == &DataType::Int64 {
        return Ok(value);
    }
    number(value, f)
}

fn number(value: Values, f: impl Fn(f64) -> f64) -> Result<Values> {
    value.map(|array| Ok(Arc::new(array.as_primitive::<Float64Type>().unary::<_, Float64Type>(f))))
}

/// A text made of each text.
pub(super) fn texts(value: Values, f: impl Fn(&str) -> String) -> Result<Values> {
    value.cast(&DataType::Utf8)?.map(|array| {
        let made: StringArray = array.as_string::<i32>().iter().map(|text| text.map(&f)).collect();
        Ok(Arc::new(made))
    })
}

/// Characters from a place, counted from 1, so many of them.
pub(super) fn substring(
    value: Values,
    from: Option<Values>,
    count: Option<Values>,
) -> Result<Values> {
    let whole = |value: Option<Values>, otherwise: i64| match value {
        None => Ok(otherwise),
        Some(Values::Scalar(array)) if array.data_type() == &DataType::Int64 => {
            Ok(array.as_primitive::<Int64Type>().value(0))
        }
        Some(_) => Err(Error::usage("SUBSTRING takes whole numbers for place and length")),
    };
    let (from, count) = (whole(from, 1)?, whole(count, i64::MAX)?);
    let end = from.saturating_add(count.max(0));
    texts(value, move |text| {
        text.chars()
            .zip(1_i64..)
            .filter(|(_, place)| *place >= from && *place < end)
            .map(|(c, _)| c)
            .collect()
    })
}
