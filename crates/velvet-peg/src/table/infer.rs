//! Telling the types of a table's columns.

use crate::format_support::CellType;
use crate::format_support::text_type::ColumnType;
use crate::layer::Value;
use arrow_schema::{Field, Schema, SchemaRef};
use csv::StringRecord;
use std::sync::Arc;

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

    /// Looks at a row, with the types of its cells where the file says them.
    pub(crate) fn add(&mut self, record: &StringRecord, types: &[CellType]) {
        self.rows += 1;
        for (at, cell) in record.iter().enumerate().take(self.types.len()) {
            if !self.columns[at] {
                continue;
            }
            let cell = cell.trim();
            if !cell.is_empty() {
                let cell_type = types.get(at).copied().unwrap_or_default();
                self.types[at] = self.types[at].with(cell, cell_type);
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
            .map(|(name, kind)| kind.field(name))
            .collect();
        Arc::new(Schema::new(fields))
    }

    /// The values of a row, by the types of its columns.
    pub(crate) fn values(&self, record: &StringRecord) -> impl Iterator<Item = Value> {
        record.iter().zip(&self.types).map(|(cell, kind)| kind.value(cell))
    }
}
