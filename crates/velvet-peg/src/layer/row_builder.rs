//! Rows of values gathered in columns.

use super::value_type::EXACT;
use super::{BATCH, Value, type_name};
use crate::error::{Error, Result};
use arrow_array::builder::{
    ArrayBuilder, BinaryBuilder, BooleanBuilder, Float64Builder, Int64Builder, StringBuilder,
};
use arrow_array::{ArrayRef, RecordBatch, RecordBatchOptions, new_null_array};
use arrow_schema::{DataType, Field, SchemaRef};
use arrow_select::concat::concat;
use std::sync::Arc;

#[derive(Debug)]
enum Column {
    Text(StringBuilder),
    Integer(Int64Builder),
    Real(Float64Builder),
    Boolean(BooleanBuilder),
    Binary(BinaryBuilder),
}

impl Column {
    /// Fills up to so many rows with nothing.
    fn fill(&mut self, rows: usize) {
        let missing = rows - self.len();
        // None at all would make room for nothing.
        if missing == 0 {
            return;
        }
        match self {
            Column::Text(column) => column.append_nulls(missing),
            Column::Integer(column) => column.append_nulls(missing),
            Column::Real(column) => column.append_nulls(missing),
            Column::Boolean(column) => column.append_nulls(missing),
            Column::Binary(column) => column.append_nulls(missing),
        }
    }

    fn len(&self) -> usize {
        match self {
            Column::Text(column) => column.len(),
            Column::Integer(column) => column.len(),
            Column::Real(column) => column.len(),
            Column::Boolean(column) => column.len(),
            Column::Binary(column) => column.len(),
        }
    }

    fn finish(&mut self) -> ArrayRef {
        match self {
            Column::Text(column) => Arc::new(column.finish()),
            Column::Integer(column) => Arc::new(column.finish()),
            Column::Real(column) => Arc::new(column.finish()),
            Column::Boolean(column) => Arc::new(column.finish()),
            Column::Binary(column) => Arc::new(column.finish()),
        }
    }

    fn snapshot(&self) -> ArrayRef {
        match self {
            Column::Text(column) => Arc::new(column.finish_cloned()),
            Column::Integer(column) => Arc::new(column.finish_cloned()),
            Column::Real(column) => Arc::new(column.finish_cloned()),
            Column::Boolean(column) => Arc::new(column.finish_cloned()),
            Column::Binary(column) => Arc::new(column.finish_cloned()),
        }
    }
}

/// A value that does not fit the type of its column.
pub(super) fn misfit(field: &Field, value: &Value) -> Error {
    Error::data(format!(
        "`{}` does not fit column `{}` (of the type: {})",
        value.to_text(),
        field.name(),
        type_name(field)
    ))
}

/// Gathers rows of values into a record batch of the given schema.
#[derive(Debug)]
pub(crate) struct RowBuilder {
    schema: SchemaRef,
    columns: Vec<Column>,
    count: usize,
    /// Bytes of texts and of bytes in these rows.
    bytes: usize,
    /// The row being added.
    row: Vec<Value>,
}

/// Values, and bytes of texts, that a batch holds before it is full, whatever the number of its rows.
const MOST_VALUES: usize = 1 << 20;
const MOST_BYTES: usize = 1 << 25;

impl RowBuilder {
    pub(crate) fn new(schema: SchemaRef) -> RowBuilder {
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
        RowBuilder { schema, columns, count: 0, bytes: 0, row: Vec::new() }
    }

    pub(crate) fn len(&self) -> usize {
        self.count
    }

    /// Bytes that its rows take in memory, or little more.
    pub(crate) fn bytes(&self) -> usize {
        // Numbers, and the ends of texts.
        self.bytes + self.count.saturating_mul(self.columns.len() * size_of::<f64>())
    }

    /// True if it holds as much as a batch should: many rows, or fewer of many columns or long texts.
    pub(crate) fn is_full(&self) -> bool {
        self.count >= BATCH
            || self.count.saturating_mul(self.columns.len()) >= MOST_VALUES
            || self.bytes >= MOST_BYTES
    }

    /// Adds a row; missing values are nothing. A text column takes every value as text, a column of
    /// numbers the whole ones that it holds to the last digit, one of whole numbers yes and no as 1
    /// and 0, and one of yes and no these two.
    ///
    /// # Errors
    /// If there are more values than columns, or a value does not fit its column's type: then the
    /// row is not added.
    pub(crate) fn push(&mut self, values: impl IntoIterator<Item = Value>) -> Result<()> {
        self.row.clear();
        self.row.extend(values);
        if self.row.len() > self.columns.len() {
            let (values, columns) = (self.row.len(), self.columns.len());
            return Err(Error::data(format!("a row has {values} values for {columns} columns")));
        }
        for (at, (column, value)) in self.columns.iter().zip(&mut self.row).enumerate() {
            if *value == Value::Null {
                continue;
            }
            let fitted = match (column, std::mem::replace(value, Value::Null)) {
                (
                    Column::Text(_),
                    Value::Text(text) | Value::Date(text) | Value::DateTime(text),
                ) => Value::Text(text),
                (Column::Text(_), value) => Value::Text(value.to_text()),
                (Column::Integer(_), Value::Boolean(value)) => Value::Integer(value.into()),
                (Column::Real(_), Value::Integer(value)) if value.unsigned_abs() <= EXACT => {
                    Value::Real(value as f64)
                }
                (Column::Boolean(_), Value::Integer(value @ (0 | 1))) => Value::Boolean(value == 1),
                (Column::Integer(_), value @ Value::Integer(_))
                | (Column::Real(_), value @ Value::Real(_))
                | (Column::Boolean(_), value @ Value::Boolean(_))
                | (Column::Binary(_), value @ Value::Binary(_)) => value,
                (_, value) => {
                    return Err(misfit(self.schema.field(at), &value));
                }
            };
            *value = fitted;
        }
        // Columns are filled up when a value comes: of very many, most hold none in a row.
        for (column, value) in self.columns.iter_mut().zip(self.row.drain(..)) {
            if value == Value::Null {
                continue;
            }
            column.fill(self.count);
            match (column, value) {
                (Column::Text(column), Value::Text(value)) => {
                    self.bytes += value.len();
                    column.append_value(value);
                }
                (Column::Integer(column), Value::Integer(value)) => column.append_value(value),
                (Column::Real(column), Value::Real(value)) => column.append_value(value),
                (Column::Boolean(column), Value::Boolean(value)) => column.append_value(value),
                (Column::Binary(column), Value::Binary(value)) => {
                    self.bytes += value.len();
                    column.append_value(value);
                }
                // None is left after fitting.
                (column, _) => column.fill(self.count + 1),
            }
        }
        self.count += 1;
        Ok(())
    }

    /// The batch of all rows pushed since the last call.
    pub(crate) fn finish(&mut self) -> Result<RecordBatch> {
        self.columns.iter_mut().for_each(|column| column.fill(self.count));
        let arrays: Vec<ArrayRef> = self.columns.iter_mut().map(Column::finish).collect();
        let options = RecordBatchOptions::new().with_row_count(Some(self.count));
        (self.count, self.bytes) = (0, 0);
        Ok(RecordBatch::try_new_with_options(self.schema.clone(), arrays, &options)?)
    }

    /// A batch of all rows pushed since the last call of `finish`, which stay.
    pub(crate) fn snapshot(&self) -> Result<RecordBatch> {
        let filled = |column: &Column| -> Result<ArrayRef> {
            let own = column.snapshot();
            let rest = new_null_array(own.data_type(), self.count - column.len());
            Ok(if rest.is_empty() { own } else { concat(&[own.as_ref(), rest.as_ref()])? })
        };
        let arrays: Vec<ArrayRef> = self.columns.iter().map(filled).collect::<Result<_>>()?;
        let options = RecordBatchOptions::new().with_row_count(Some(self.count));
        Ok(RecordBatch::try_new_with_options(self.schema.clone(), arrays, &options)?)
    }
}
