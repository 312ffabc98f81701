//! The first values of every feature, and which columns differ from them in later rows.

use csv::StringRecord;
use std::collections::HashMap;

/// Names by the order in which they came.
#[derive(Debug, Default)]
pub(super) struct Names {
    pub(super) names: Vec<String>,
    places: HashMap<String, usize>,
}

impl Names {
    pub(super) fn place(&mut self, name: &str) -> usize {
        if let Some(at) = self.places.get(name) {
            return *at;
        }
        self.places.insert(name.to_string(), self.names.len());
        self.names.push(name.to_string());
        self.names.len() - 1
    }
}

/// What is known of the features while their rows are read.
pub(super) struct FirstValues {
    /// Names of the features.
    pub(super) names: Names,
    /// The first row of each.
    pub(super) rows: Vec<u64>,
    /// An example of every column that differs within a feature.
    pub(super) differs: Vec<Option<String>>,
}

impl FirstValues {
    pub(super) fn new(columns: usize) -> FirstValues {
        FirstValues { names: Names::default(), rows: Vec::new(), differs: vec![None; columns] }
    }

    /// Compares a later row of a feature with its first values; blanks are filled from it.
    pub(super) fn compare(
        &mut self,
        first: &mut [String],
        columns: &[usize],
        record: &StringRecord,
        row: u64,
        group: usize,
    ) {
        for at in columns {
            let first = &mut first[*at];
            let whole = record.get(*at).unwrap_or_default();
            let this = whole.trim();
            if first.trim().is_empty() && !this.is_empty() {
                *first = whole.to_string();
            } else if !this.is_empty() && first.trim() != this && self.differs[*at].is_none() {
                let name = &self.names.names[group];
                let of = if name.is_empty() { "" } else { &format!("in `{name}` ") };
                self.differs[*at] =
                    Some(format!("{of}row {} has `{first}`, row {row} `{this}`", self.rows[group]));
            }
        }
    }
}
