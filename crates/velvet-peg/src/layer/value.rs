//! Attribute values, owned and borrowed.

use super::attribute_types::DECLARED;
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
}

impl Value {
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
impl From<i64> for Value {
    fn from(value: i64) -> Value {
        Value::Integer(value)
    }
}
impl From<i32> for Value {
    fn from(value: i32) -> Value {
        Value::Integer(value.into())
    }
}
impl<T: Into<Value>> From<Option<T>> for Value {
    fn from(value: Option<T>) -> Value {
        value.map_or(Value::Null, Into::into)
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
            ValueRef::Real(value) => write!(f, "{value}"),
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
            Value::Text(value) => ValueRef::Text(value),
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
