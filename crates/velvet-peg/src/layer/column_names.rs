//! Names of columns: found by what was asked for, listed for messages, made distinct.

use crate::error::{Error, Result};
use arrow_schema::{Field, FieldRef, Schema, SchemaRef};
use std::collections::{HashMap, HashSet};
use std::sync::Arc;
use velvet_peg_core::spelling::nearest;

/// The place of a column, by its name or its number from 1.
pub(crate) fn position(headers: &[String], name: &str, likely: Option<usize>) -> Result<usize> {
    headers
        .iter()
        .position(|header| header == name)
        .or_else(|| {
            headers.iter().position(|header| header.trim().eq_ignore_ascii_case(name.trim()))
        })
        .or_else(|| {
            // A number that is no name is the place, from 1.
            let place: usize = name.trim().parse().ok()?;
            (1..=headers.len()).contains(&place).then(|| place - 1)
        })
        .ok_or_else(|| {
            let alike = nearest(name, headers.iter().map(String::as_str));
            let hint = meant(alike.or(likely.map(|at| headers[at].as_str())));
            Error::usage(format!(
                "there is no column `{name}`: the columns are {}{hint}",
                list(headers)
            ))
        })
}

/// The end of a message that says what was likely meant.
pub(crate) fn meant(word: Option<&str>) -> String {
    word.map_or(String::new(), |word| format!("; did you mean `{word}`?"))
}

/// The place of a column in a schema: by its very name, or without regard to capitals.
pub(crate) fn place_in(schema: &Schema, name: &str) -> Option<usize> {
    let fields = schema.fields();
    fields
        .iter()
        .position(|field| field.name() == name)
        .or_else(|| fields.iter().position(|field| field.name().eq_ignore_ascii_case(name)))
}

/// Headers in quotes, for messages.
pub(crate) fn list(headers: &[String]) -> String {
    let shown: Vec<String> = headers.iter().take(30).map(|h| format!("`{h}`")).collect();
    let more = headers.len().saturating_sub(30);
    match more {
        0 => shown.join(", "),
        more => format!("{} and {more} more", shown.join(", ")),
    }
}

/// A column name that is not taken yet.
pub(crate) fn distinct(taken: &[String], name: &str) -> String {
    TakenNames::of(taken).take(name)
}

/// Names that are taken; capitals do not count.
#[derive(Debug, Default)]
pub(crate) struct TakenNames {
    taken: HashSet<String>,
    /// By name, the number that is tried next.
    next: HashMap<String, usize>,
}

impl TakenNames {
    pub(crate) fn of(names: impl IntoIterator<Item = impl AsRef<str>>) -> Self {
        let taken = names.into_iter().map(|name| name.as_ref().to_ascii_lowercase()).collect();
        TakenNames { taken, next: HashMap::new() }
    }

    /// The name, or the first of it with a number that is free; it is taken then.
    pub(crate) fn take(&mut self, name: &str) -> String {
        self.take_with(name, |number| match number {
            1 => name.to_string(),
            number => format!("{name}_{number}"),
        })
    }

    /// As [`TakenNames::take`], with names by their number, from 1.
    pub(crate) fn take_with(&mut self, name: &str, numbered: impl Fn(usize) -> String) -> String {
        let next = self.next.entry(name.to_ascii_lowercase()).or_insert(1);
        loop {
            let candidate = numbered(*next);
            *next += 1;
            if self.taken.insert(candidate.to_ascii_lowercase()) {
                return candidate;
            }
        }
    }
}

/// A schema with further columns behind its own; a name that is taken gets a number.
pub(crate) fn with_columns(schema: &Schema, added: impl IntoIterator<Item = Field>) -> SchemaRef {
    let mut fields: Vec<FieldRef> = schema.fields().iter().cloned().collect();
    let mut taken = TakenNames::of(fields.iter().map(|field| field.name()));
    for field in added {
        let name = taken.take(field.name());
        fields.push(Arc::new(field.with_name(name)));
    }
    Arc::new(Schema::new(fields))
}
