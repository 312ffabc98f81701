//! Telling the types of a table's columns.
//!
//! A column is whole numbers or numbers only if every cell that is not blank reads back as
//! it is written; codes with leading zeros, plus signs or exponents stay text.

use arrow_schema::{DataType, Field, Schema, SchemaRef};
use csv::StringRecord;
use std::sync::Arc;

use crate::layer::Value;

/// Type of a column.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum ColumnType {
    /// No cell seen that is not blank.
    Blank,
    Integer,
    Real,
    Text,
}

impl ColumnType {
    fn of(cell: &str) -> ColumnType {
        let digits = cell.strip_prefix('-').unwrap_or(cell);
        let plain = !digits.is_empty()
            && digits.bytes().all(|b| b.is_ascii_digit() || b == b'.')
            && digits.bytes().filter(|b| *b == b'.').count() <= 1
            && digits.bytes().any(|b| b.is_ascii_digit());
        let padded = digits.len() > 1 && digits.starts_with('0') && !digits.starts_with("0.");
        match (plain && !padded, digits.contains('.')) {
            (false, _) => ColumnType::Text,
            (true, false) if digits.len() <= 18 => ColumnType::Integer,
            (true, true) if digits.len() <= 17 => ColumnType::Real,
            _ => ColumnType::Text,
        }
    }

    fn with(self, cell: &str) -> ColumnType {
        if self == ColumnType::Text || cell.is_empty() {
            return self;
        }
        match (self, ColumnType::of(cell)) {
            (_, ColumnType::Text) => ColumnType::Text,
            (ColumnType::Blank, kind) => kind,
            (ColumnType::Integer, ColumnType::Integer) => ColumnType::Integer,
            _ => ColumnType::Real,
        }
    }

    /// Name in words.
    pub(crate) fn name(self) -> &'static str {
        match self {
            ColumnType::Blank => "blank",
            ColumnType::Integer => "whole number",
            ColumnType::Real => "number",
            ColumnType::Text => "text",
        }
    }

    /// The value of a cell of this type.
    pub(crate) fn value(self, cell: &str) -> Value {
        let cell = cell.trim();
        if cell.is_empty() {
            return Value::Null;
        }
        match self {
            ColumnType::Integer => cell.parse().map_or(Value::Null, Value::Integer),
            ColumnType::Real => cell.parse().map_or(Value::Null, Value::Real),
            ColumnType::Blank | ColumnType::Text => Value::Text(cell.to_string()),
        }
    }
}

/// What is learnt of each column in one reading.
#[derive(Clone, Debug)]
pub(crate) struct Inference {
    pub(crate) types: Vec<ColumnType>,
    /// Cells that are not blank.
    pub(crate) filled: Vec<u64>,
    /// The first such cell.
    pub(crate) sample: Vec<String>,
    pub(crate) rows: u64,
}

impl Inference {
    pub(crate) fn new(columns: usize) -> Inference {
        Inference {
            types: vec![ColumnType::Blank; columns],
            filled: vec![0; columns],
            sample: vec![String::new(); columns],
            rows: 0,
        }
    }

    pub(crate) fn add(&mut self, record: &StringRecord) {
        self.rows += 1;
        for (at, cell) in record.iter().enumerate().take(self.types.len()) {
            let cell = cell.trim();
            if !cell.is_empty() {
                self.types[at] = self.types[at].with(cell);
                self.filled[at] += 1;
                if self.sample[at].is_empty() {
                    self.sample[at] = cell.to_string();
                }
            }
        }
    }

    pub(crate) fn schema(&self, headers: &[String]) -> SchemaRef {
        let fields: Vec<Field> = headers
            .iter()
            .zip(&self.types)
            .map(|(name, kind)| {
                let kind = match kind {
                    ColumnType::Integer => DataType::Int64,
                    ColumnType::Real => DataType::Float64,
                    ColumnType::Blank | ColumnType::Text => DataType::Utf8,
                };
                Field::new(name, kind, true)
            })
            .collect();
        Arc::new(Schema::new(fields))
    }
}
