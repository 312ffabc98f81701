//! Tables for queries, and what they give.

use datafusion::arrow::array::{Array, ArrayRef, AsArray, BinaryArray, Float64Array, RecordBatch};
use datafusion::arrow::compute::concat_batches;
use datafusion::arrow::datatypes::Float64Type;
use datafusion::prelude::SessionContext;
use std::collections::HashMap;
use std::path::PathBuf;
use std::sync::Arc;
use velvet_peg_sql::session::{Limits, embedded};

pub fn context() -> SessionContext {
    embedded(Limits::default()).unwrap()
}

/// Columns of numbers as a table.
pub fn numbers(columns: &[(&str, Vec<f64>)]) -> RecordBatch {
    let columns = columns
        .iter()
        .map(|(name, values)| (*name, Arc::new(Float64Array::from(values.clone())) as ArrayRef));
    RecordBatch::try_from_iter(columns).unwrap()
}

/// Geometries as well-known binary as a table of one column, `shape`.
pub fn binaries(geometries: &[Vec<u8>]) -> RecordBatch {
    let column = BinaryArray::from_iter_values(geometries);
    RecordBatch::try_from_iter([("shape", Arc::new(column) as ArrayRef)]).unwrap()
}

/// All rows of a query.
pub async fn rows(context: &SessionContext, sql: &str) -> RecordBatch {
    let rows = context.sql(sql).await.unwrap_or_else(|e| panic!("{sql}: {e}"));
    let rows = rows.collect().await.unwrap_or_else(|e| panic!("{sql}: {e}"));
    concat_batches(&rows[0].schema(), &rows).unwrap()
}

/// What is wrong with a query.
pub async fn error(context: &SessionContext, sql: &str) -> String {
    let done = match context.sql(sql).await {
        Ok(rows) => rows.collect().await.map(drop),
        Err(error) => Err(error),
    };
    done.expect_err(sql).to_string()
}

/// The bits of a column of doubles; none where it is NULL.
pub fn bits(rows: &RecordBatch, column: &str) -> Vec<Option<u64>> {
    let column = rows.column_by_name(column).unwrap().as_primitive::<Float64Type>();
    column.iter().map(|value| value.map(f64::to_bits)).collect()
}

/// A column of texts.
pub fn texts(rows: &RecordBatch, column: &str) -> Vec<Option<String>> {
    let column = rows.column_by_name(column).unwrap();
    let text =
        |row: usize| column.is_valid(row).then(|| column.as_string::<i32>().value(row).to_string());
    (0..column.len()).map(text).collect()
}

/// The rows of a table of reference values of the library, by their columns.
pub fn truth(name: &str) -> Vec<HashMap<String, String>> {
    let path = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("../../testdata/truth").join(name);
    let mut reader = csv::ReaderBuilder::new().comment(Some(b'#')).from_path(path).unwrap();
    reader.deserialize().map(|row| row.unwrap()).collect()
}

pub fn number(row: &HashMap<String, String>, column: &str) -> f64 {
    row[column].parse().unwrap_or_else(|_| panic!("{column}: {}", row[column]))
}

/// Bytes of a geometry: kind, then numbers and doubles as they come.
pub struct Wkb(pub Vec<u8>);

impl Wkb {
    pub fn of(kind: u32) -> Wkb {
        Wkb(vec![1]).count(kind)
    }

    pub fn count(mut self, number: u32) -> Wkb {
        self.0.extend(number.to_le_bytes());
        self
    }

    pub fn doubles(mut self, numbers: &[f64]) -> Wkb {
        numbers.iter().for_each(|number| self.0.extend(number.to_le_bytes()));
        self
    }

    /// As SQL writes bytes.
    pub fn literal(&self) -> String {
        let digits: String = self.0.iter().map(|byte| format!("{byte:02x}")).collect();
        format!("X'{digits}'")
    }

    pub fn with(mut self, other: Wkb) -> Wkb {
        self.0.extend(other.0);
        self
    }
}
