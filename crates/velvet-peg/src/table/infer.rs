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
            (true, true) if digits.len() <= 17 || reads_back(cell) => ColumnType::Real,
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
        let number = cell.trim();
        if cell.is_empty() {
            return Value::Null;
        }
        match self {
            ColumnType::Integer => number.parse().map_or(Value::Null, Value::Integer),
            ColumnType::Real => number.parse().map_or(Value::Null, Value::Real),
            ColumnType::Blank | ColumnType::Text => Value::Text(cell.to_string()),
        }
    }
}

/// A number with as many digits as a double has, and no more.
fn reads_back(cell: &str) -> bool {
    cell.parse::<f64>().is_ok_and(|number| number.to_string() == cell)
}

/// The type of column that a text asks for; none for a blank one.
pub(crate) fn data_type_of_text(text: &str) -> Option<DataType> {
    let text = text.trim();
    match ColumnType::Blank.with(text) {
        ColumnType::Blank => None,
        ColumnType::Integer => Some(DataType::Int64),
        ColumnType::Real => Some(DataType::Float64),
        ColumnType::Text => Some(DataType::Utf8),
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
    /// The columns that are looked at.
    columns: Vec<bool>,
}

impl Inference {
    /// Looks at some of the columns only.
    pub(crate) fn of_columns(columns: usize, wanted: &[usize]) -> Inference {
        let mut inference = Inference::new(columns);
        inference.columns = (0..columns).map(|at| wanted.contains(&at)).collect();
        inference
    }

    pub(crate) fn new(columns: usize) -> Inference {
        Inference {
            types: vec![ColumnType::Blank; columns],
            filled: vec![0; columns],
            sample: vec![String::new(); columns],
            rows: 0,
            columns: vec![true; columns],
        }
    }

    pub(crate) fn add(&mut self, record: &StringRecord) {
        self.rows += 1;
        for (at, cell) in record.iter().enumerate().take(self.types.len()) {
            if !self.columns[at] {
                continue;
            }
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

    /// The schema of some of the columns.
    pub(crate) fn schema(&self, headers: &[String], columns: &[usize]) -> SchemaRef {
        let fields: Vec<Field> = columns
            .iter()
            .map(|at| (&headers[*at], self.types[*at]))
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
