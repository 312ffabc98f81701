//! Reading the tables of test values.

#![allow(dead_code)]

pub mod grid_files;
pub mod plain;
pub mod random;

use std::collections::HashMap;
use std::path::Path;

/// One row of a table of values, by column name.
pub struct Row(HashMap<String, String>);

impl Row {
    pub fn text(&self, column: &str) -> &str {
        self.0.get(column).unwrap_or_else(|| panic!("no column {column}"))
    }

    pub fn optional(&self, column: &str) -> Option<f64> {
        let text = self.text(column);
        (!text.is_empty()).then(|| text.parse().unwrap_or_else(|_| panic!("{column}: {text}")))
    }

    pub fn number(&self, column: &str) -> f64 {
        self.optional(column).unwrap_or_else(|| panic!("{column} is blank"))
    }
}

/// All rows of a file in the workspace's `testdata/truth`.
pub fn rows(file: &str) -> Vec<Row> {
    read(&Path::new(env!("CARGO_MANIFEST_DIR")).join("../../testdata/truth").join(file))
}

/// All rows of a file in the workspace's `testdata/published`.
pub fn published(file: &str) -> Vec<Row> {
    read(&Path::new(env!("CARGO_MANIFEST_DIR")).join("../../testdata/published").join(file))
}

/// All rows of a file in this crate's `tests/data`.
pub fn data(file: &str) -> Vec<Row> {
    read(&Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/data").join(file))
}

fn read(path: &Path) -> Vec<Row> {
    let mut reader =
        csv::Reader::from_path(path).unwrap_or_else(|e| panic!("{}: {e}", path.display()));
    reader.deserialize().map(|row| Row(row.unwrap())).collect()
}

/// A difference of angles brought to −180 … 180.
pub fn unwrapped(degrees: f64) -> f64 {
    (degrees + 180.0).rem_euclid(360.0) - 180.0
}
