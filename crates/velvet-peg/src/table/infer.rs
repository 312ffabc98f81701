//! Telling the types of a table's columns.

use crate::error::Result;
use crate::format_support::CellType;
use crate::format_support::text_type::{ColumnType, trimmed};
use crate::layer::Value;
use arrow_array::{RecordBatch, RecordBatchOptions};
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
            let cell = trimmed(cell);
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

    /// The columns of a schema, of the values that rows have in these places, by their types.
    pub(crate) fn columns<'a>(
        &self,
        schema: &SchemaRef,
        columns: &[usize],
        rows: impl Iterator<Item = &'a StringRecord> + Clone,
    ) -> Result<RecordBatch> {
        let column = |at: &usize| {
            let cells = rows.clone().map(|row| row.get(*at).unwrap_or_default());
            self.types[*at].column(cells)
        };
        let arrays = columns.iter().map(column).collect();
        let options = RecordBatchOptions::new().with_row_count(Some(rows.clone().count()));
        Ok(RecordBatch::try_new_with_options(schema.clone(), arrays, &options)?)
    }

    /// Takes in what was learnt of the rows that follow.
    pub(crate) fn merge(&mut self, later: Inference) {
        self.rows += later.rows;
        for (at, kind) in later.types.into_iter().enumerate() {
            self.types[at] = self.types[at].joined(kind);
            self.filled[at] += later.filled[at];
        }
        for (sample, later) in self.sample.iter_mut().zip(later.sample) {
            if sample.is_empty() {
                *sample = later;
            }
        }
    }

    /// The values of a row, by the types of its columns.
    pub(crate) fn values(&self, record: &StringRecord) -> impl Iterator<Item = Value> {
        record.iter().zip(&self.types).map(|(cell, kind)| kind.value(cell))
    }
}
