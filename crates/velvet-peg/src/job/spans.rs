//! Where the words of a job stand in its text, for messages.

use crate::error::Error;
use std::collections::BTreeMap;
use std::ops::Range;
use toml_edit::{Item, Table, Value};

/// Line and column of each word of a job that was read from a text, by paths such as
/// `steps.2.where` (lists count from 0). A job made in code has none.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct JobSpans(BTreeMap<String, (usize, usize)>);

impl JobSpans {
    pub(super) fn of(root: &Table, text: &str) -> JobSpans {
        let mut places = JobSpans::default();
        places.table("", root, text);
        places
    }

    fn add(&mut self, path: &str, span: Option<Range<usize>>, text: &str) {
        if let Some(span) = span {
            self.0.insert(path.to_string(), line_and_column(text, span.start));
        }
    }

    fn table(&mut self, path: &str, table: &Table, text: &str) {
        for (key, item) in table {
            let path = if path.is_empty() { key.to_string() } else { format!("{path}.{key}") };
            self.add(&path, item.span(), text);
            match item {
                Item::Table(inner) => self.table(&path, inner, text),
                Item::ArrayOfTables(tables) => {
                    for (number, inner) in tables.iter().enumerate() {
                        let path = format!("{path}.{number}");
                        self.add(&path, inner.span(), text);
                        self.table(&path, inner, text);
                    }
                }
                Item::Value(value) => self.value(&path, value, text),
                Item::None => {}
            }
        }
    }

    fn value(&mut self, path: &str, value: &Value, text: &str) {
        self.add(path, value.span(), text);
        match value {
            Value::Array(values) => {
                for (number, inner) in values.iter().enumerate() {
                    self.value(&format!("{path}.{number}"), inner, text);
                }
            }
            Value::InlineTable(table) => {
                for (key, inner) in table {
                    self.value(&format!("{path}.{key}"), inner, text);
                }
            }
            _ => {}
        }
    }

    /// Line and column, both from 1, of a word, or of the nearest that it is part of.
    pub fn find(&self, path: &str) -> Option<(usize, usize)> {
        let mut path = path;
        loop {
            match (self.0.get(path), path.rsplit_once('.')) {
                (Some(place), _) => return Some(*place),
                (None, Some((outer, _))) => path = outer,
                (None, None) => return None,
            }
        }
    }

    /// An error with the place of the word that it is about in front.
    pub(super) fn blame(&self, path: &str, what: impl std::fmt::Display) -> Error {
        Error::usage(match self.find(path) {
            Some((line, column)) => format!("line {line}, column {column}: {what}"),
            None => what.to_string(),
        })
    }
}

/// Line and column, both from 1, of a byte.
pub(super) fn line_and_column(text: &str, byte: usize) -> (usize, usize) {
    let before = &text[..byte.min(text.len())];
    let line = before.matches('\n').count() + 1;
    let column = before.rsplit('\n').next().map_or(0, |l| l.chars().count()) + 1;
    (line, column)
}
