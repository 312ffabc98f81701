//! The type of column that values ask for, and that holds values of several types.

use super::Value;
use arrow_schema::DataType;

/// Whole numbers beyond this lose digits as numbers.
pub(crate) const EXACT: u64 = 1 << 53;

/// What a value asks of its column.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum ValueType {
    Boolean,
    /// Whole numbers that numbers hold, too.
    Integer,
    /// Whole numbers that would lose digits as numbers.
    LongInteger,
    Real,
    Text,
    Binary,
}

impl ValueType {
    /// None for nothing.
    pub(crate) fn of(value: &Value) -> Option<ValueType> {
        Some(match value {
            Value::Null => return None,
            Value::Boolean(_) => ValueType::Boolean,
            Value::Integer(value) => ValueType::of_whole(*value),
            Value::Real(_) => ValueType::Real,
            Value::Text(_) | Value::Date(_) | Value::DateTime(_) => ValueType::Text,
            Value::Binary(_) => ValueType::Binary,
        })
    }

    /// That of a whole number.
    pub(crate) fn of_whole(value: i64) -> ValueType {
        match value.unsigned_abs() <= EXACT {
            true => ValueType::Integer,
            false => ValueType::LongInteger,
        }
    }

    /// The type that holds values of both to the last digit.
    pub(crate) fn with(self, other: ValueType) -> ValueType {
        use ValueType::{Integer, LongInteger, Real, Text};
        match (self, other) {
            (one, two) if one == two => one,
            (Integer, LongInteger) | (LongInteger, Integer) => LongInteger,
            (Integer, Real) | (Real, Integer) => Real,
            _ => Text,
        }
    }

    /// The type of the column.
    pub(crate) fn data_type(self) -> DataType {
        match self {
            ValueType::Boolean => DataType::Boolean,
            ValueType::Integer | ValueType::LongInteger => DataType::Int64,
            ValueType::Real => DataType::Float64,
            ValueType::Text => DataType::Utf8,
            ValueType::Binary => DataType::Binary,
        }
    }
}
