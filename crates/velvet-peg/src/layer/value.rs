//! Attribute values, owned and borrowed.

use super::attribute_types::DECLARED;
use crate::error::{Error, Result};
use crate::format_support::{Shortest, date_time};
use arrow_schema::{DataType, Field};
use std::fmt;

/// One attribute value.
#[derive(Clone, Debug, PartialEq)]
pub enum Value {
    /// Nothing.
    Null,
    /// True or false.
    Boolean(bool),
    /// A whole number.
    Integer(i64),
    /// A number with a fraction.
    Real(f64),
    /// Text.
    Text(String),
    /// Bytes.
    Binary(Vec<u8>),
    /// A date as ISO 8601 writes it: [`Value::date`] makes one.
    Date(String),
    /// A date with a time as ISO 8601 writes it: [`Value::date_time`] makes one.
    DateTime(String),
}

impl Value {
    /// A date.
    ///
    /// ```
    /// use velvet_peg::Value;
    /// assert_eq!(Value::date(2026, 4, 1)?.to_text(), "2026-04-01");
    /// assert!(Value::date(2026, 2, 29).is_err());
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If there is no such day.
    pub fn date(year: i32, month: u8, day: u8) -> Result<Value> {
        let text = format!("{year:04}-{month:02}-{day:02}");
        match date_time::day(&text) {
            Some(_) => Ok(Value::Date(text)),
            None => Err(Error::data(format!("there is no day {text}"))),
        }
    }

    /// A date with a time, as ISO 8601 writes it: `2026-04-01T06:30:00`, with `Z` or an offset from
    /// UTC behind it if it has one.
    ///
    /// ```
    /// use velvet_peg::Value;
    /// assert!(Value::date_time("2026-04-01T06:30:00Z").is_ok());
    /// assert!(Value::date_time("half past six").is_err());
    /// ```
    ///
    /// # Errors
    /// If it is none.
    pub fn date_time(text: &str) -> Result<Value> {
        match date_time::moment(text) {
            Some(_) => Ok(Value::DateTime(text.to_string())),
            None => Err(Error::data(format!(
                "`{text}` is no date with a time, such as 2026-04-01T06:30:00"
            ))),
        }
    }

    /// The value as text; nothing is the empty text, bytes are hexadecimal.
    pub fn to_text(&self) -> String {
        self.as_ref().to_string()
    }
}

impl From<&str> for Value {
    fn from(value: &str) -> Value {
        Value::Text(value.to_string())
    }
}
impl From<String> for Value {
    fn from(value: String) -> Value {
        Value::Text(value)
    }
}
impl From<f64> for Value {
    fn from(value: f64) -> Value {
        Value::Real(value)
    }
}
impl From<f32> for Value {
    fn from(value: f32) -> Value {
        Value::Real(value.into())
    }
}
impl From<i64> for Value {
    fn from(value: i64) -> Value {
        Value::Integer(value)
    }
}

/// Whole numbers that fit 64 bits with a sign.
macro_rules! whole {
    ($($kind:ty),*) => {$(
        impl From<$kind> for Value {
            fn from(value: $kind) -> Value {
                Value::Integer(value.into())
            }
        }
    )*};
}
whole!(i8, i16, i32, u8, u16, u32);

/// Whole numbers that may be larger than 64 bits with a sign hold: these become text, which keeps
/// every digit.
macro_rules! large {
    ($($kind:ty),*) => {$(
        impl From<$kind> for Value {
            fn from(value: $kind) -> Value {
                i64::try_from(value).map_or_else(|_| Value::Text(value.to_string()), Value::Integer)
            }
        }
    )*};
}
large!(u64, usize, isize, i128, u128);

impl<T: Into<Value>> From<Option<T>> for Value {
    fn from(value: Option<T>) -> Value {
        value.map_or(Value::Null, Into::into)
    }
}
impl From<Vec<u8>> for Value {
    fn from(value: Vec<u8>) -> Value {
        Value::Binary(value)
    }
}
impl From<bool> for Value {
    fn from(value: bool) -> Value {
        Value::Boolean(value)
    }
}

/// One attribute value, borrowed from the column that holds it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum ValueRef<'a> {
    /// Nothing.
    Null,
    /// True or false.
    Boolean(bool),
    /// A whole number.
    Integer(i64),
    /// A number with a fraction.
    Real(f64),
    /// Text.
    Text(&'a str),
    /// Bytes.
    Binary(&'a [u8]),
}

impl ValueRef<'_> {
    /// True for nothing.
    pub fn is_null(&self) -> bool {
        *self == ValueRef::Null
    }

    /// A value of its own.
    pub fn to_value(&self) -> Value {
        match *self {
            ValueRef::Null => Value::Null,
            ValueRef::Boolean(value) => Value::Boolean(value),
            ValueRef::Integer(value) => Value::Integer(value),
            ValueRef::Real(value) => Value::Real(value),
            ValueRef::Text(value) => Value::Text(value.to_string()),
            ValueRef::Binary(value) => Value::Binary(value.to_vec()),
        }
    }
}

/// The value as text; nothing is the empty text, bytes are hexadecimal.
impl fmt::Display for ValueRef<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            ValueRef::Null => Ok(()),
            ValueRef::Boolean(value) => write!(f, "{value}"),
            ValueRef::Integer(value) => write!(f, "{value}"),
            ValueRef::Real(value) => f.write_str(Shortest::new().of(*value)),
            ValueRef::Text(value) => f.write_str(value),
            ValueRef::Binary(bytes) => f.write_str(&hex::encode(bytes)),
        }
    }
}

impl Value {
    /// The value as it is borrowed.
    pub fn as_ref(&self) -> ValueRef<'_> {
        match self {
            Value::Null => ValueRef::Null,
            Value::Boolean(value) => ValueRef::Boolean(*value),
            Value::Integer(value) => ValueRef::Integer(*value),
            Value::Real(value) => ValueRef::Real(*value),
            Value::Text(value) | Value::Date(value) | Value::DateTime(value) => {
                ValueRef::Text(value)
            }
            Value::Binary(bytes) => ValueRef::Binary(bytes),
        }
    }
}

/// The type of an attribute column in words.
pub fn type_name(field: &Field) -> &'static str {
    match field.data_type() {
        DataType::Int64 => "whole number",
        DataType::Float64 => "number",
        DataType::Boolean => "yes or no",
        DataType::Binary => "bytes",
        _ => match field.metadata().get(DECLARED).map(String::as_str) {
            Some("DATE") => "date",
            Some("DATETIME") => "date with a time",
            Some("TIME") => "time of day",
            _ => "text",
        },
    }
}
