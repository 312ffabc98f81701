//! Attribute values and the columns they are gathered in.

use crate::error::Result;
use arrow_array::builder::{
    BinaryBuilder, BooleanBuilder, Float64Builder, Int64Builder, StringBuilder,
};
use arrow_array::{
    Array, ArrayRef, BinaryArray, BooleanArray, Float64Array, Int64Array, RecordBatch,
    RecordBatchOptions, StringArray,
};
use arrow_schema::{DataType, Field, SchemaRef};
use std::sync::Arc;

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
        match self {
            Value::Null => String::new(),
            Value::Boolean(value) => value.to_string(),
            Value::Integer(value) => value.to_string(),
            Value::Real(value) => value.to_string(),
            Value::Text(value) => value.clone(),
            Value::Binary(bytes) => bytes.iter().map(|byte| format!("{byte:02x}")).collect(),
        }
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

/// The type of an attribute column in words.
pub fn type_name(field: &Field) -> &'static str {
    match field.data_type() {
        DataType::Int64 => "whole number",
        DataType::Float64 => "number",
        DataType::Boolean => "yes or no",
        DataType::Binary => "bytes",
        _ => "text",
    }
}

/// The value of one row of an attribute column.
pub(crate) fn value_at(column: &ArrayRef, row: usize) -> Value {
    if column.is_null(row) {
        return Value::Null;
    }
    let any = column.as_any();
    if let Some(column) = any.downcast_ref::<StringArray>() {
        Value::Text(column.value(row).to_string())
    } else if let Some(column) = any.downcast_ref::<Int64Array>() {
        Value::Integer(column.value(row))
    } else if let Some(column) = any.downcast_ref::<Float64Array>() {
        Value::Real(column.value(row))
    } else if let Some(column) = any.downcast_ref::<BooleanArray>() {
        Value::Boolean(column.value(row))
    } else if let Some(column) = any.downcast_ref::<BinaryArray>() {
        Value::Binary(column.value(row).to_vec())
    } else {
        Value::Null
    }
}

enum Column {
    Text(StringBuilder),
    Integer(Int64Builder),
    Real(Float64Builder),
    Boolean(BooleanBuilder),
    Binary(BinaryBuilder),
}

/// Gathers rows of values into a record batch of the given schema.
pub(crate) struct Rows {
    schema: SchemaRef,
    columns: Vec<Column>,
    count: usize,
}

impl Rows {
    pub(crate) fn new(schema: SchemaRef) -> Rows {
        let columns = schema
            .fields()
            .iter()
            .map(|field| match field.data_type() {
                DataType::Int64 => Column::Integer(Int64Builder::new()),
                DataType::Float64 => Column::Real(Float64Builder::new()),
                DataType::Boolean => Column::Boolean(BooleanBuilder::new()),
                DataType::Binary => Column::Binary(BinaryBuilder::new()),
                _ => Column::Text(StringBuilder::new()),
            })
            .collect();
        Rows { schema, columns, count: 0 }
    }

    pub(crate) fn len(&self) -> usize {
        self.count
    }

    /// Adds a row; values beyond the schema are dropped, missing ones are nothing. A value
    /// that does not fit its column's type becomes text in a text column, nothing elsewhere.
    pub(crate) fn push(&mut self, values: impl IntoIterator<Item = Value>) {
        let mut values = values.into_iter();
        for column in &mut self.columns {
            let value = values.next().unwrap_or(Value::Null);
            match (column, value) {
                (Column::Text(column), Value::Null) => column.append_null(),
                (Column::Text(column), Value::Text(value)) => column.append_value(value),
                (Column::Text(column), value) => column.append_value(value.to_text()),
                (Column::Integer(column), Value::Integer(value)) => column.append_value(value),
                (Column::Integer(column), Value::Boolean(value)) => {
                    column.append_value(value.into())
                }
                (Column::Integer(column), _) => column.append_null(),
                (Column::Real(column), Value::Real(value)) => column.append_value(value),
                (Column::Real(column), Value::Integer(value)) => column.append_value(value as f64),
                (Column::Real(column), _) => column.append_null(),
                (Column::Boolean(column), Value::Boolean(value)) => column.append_value(value),
                (Column::Boolean(column), Value::Integer(value)) => column.append_value(value != 0),
                (Column::Boolean(column), _) => column.append_null(),
                (Column::Binary(column), Value::Binary(value)) => column.append_value(value),
                (Column::Binary(column), _) => column.append_null(),
            }
        }
        self.count += 1;
    }

    /// The batch of all rows pushed since the last call.
    pub(crate) fn finish(&mut self) -> Result<RecordBatch> {
        let arrays: Vec<ArrayRef> = self
            .columns
            .iter_mut()
            .map(|column| -> ArrayRef {
                match column {
                    Column::Text(column) => Arc::new(column.finish()),
                    Column::Integer(column) => Arc::new(column.finish()),
                    Column::Real(column) => Arc::new(column.finish()),
                    Column::Boolean(column) => Arc::new(column.finish()),
                    Column::Binary(column) => Arc::new(column.finish()),
                }
            })
            .collect();
        let options = RecordBatchOptions::new().with_row_count(Some(self.count));
        self.count = 0;
        Ok(RecordBatch::try_new_with_options(self.schema.clone(), arrays, &options)?)
    }
}
