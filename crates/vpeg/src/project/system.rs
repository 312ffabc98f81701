//! Whether data say which reference system they are in, and what their coordinates read as.

use crate::arguments::{ColumnArguments, ReadArguments, TableArguments};
use clap::{ArgMatches, FromArgMatches};
use std::path::{Path, PathBuf};
use velvet_peg::angle::{Axis, parse};
use velvet_peg::look::{Look, LookOptions, TableLook, look};
use velvet_peg::{Format, LayerReader, format_of};

/// Data that state no system.
pub(super) struct Missing {
    /// The first such file.
    pub(super) file: PathBuf,
    /// True if its coordinates read as degrees.
    pub(super) degrees: bool,
}

/// The first of the files that states no system, if all of them state none, or, where one is enough,
/// if any does. What cannot be looked at is for the command to say.
pub(super) fn missing(files: &[PathBuf], matches: &ArgMatches, all: bool) -> Option<Missing> {
    let plain: Vec<&PathBuf> = files.iter().filter(|file| file.is_file()).collect();
    if plain.len() < files.len() && all {
        return None;
    }
    let mut first = None;
    for file in plain {
        match (states_none(file, matches), &first) {
            (Some(degrees), None) => first = Some(Missing { file: file.clone(), degrees }),
            (Some(_), Some(_)) => {}
            (None, _) if all => return None,
            (None, _) => {}
        }
    }
    first
}

/// Whether the coordinates read as degrees, of a file that states no system.
fn states_none(file: &Path, matches: &ArgMatches) -> Option<bool> {
    let format = format_of(file).ok()?;
    // Commands have some of these groups of arguments, or none.
    let has = |id: &str| matches.try_contains_id(id).is_ok();
    let table = has("delimiter")
        .then(|| TableArguments::from_arg_matches(matches).map(|table| table.options()).ok());
    if format.is_table() {
        let columns = has("packed").then(|| ColumnArguments::from_arg_matches(matches).ok());
        let table = table.flatten().unwrap_or_default();
        let options = LookOptions { table, ..LookOptions::default() };
        // What it holds is unknown where a sheet has to be named first.
        return match look(file, &options) {
            Ok(Look::Table(table)) if table.crs.is_none() => {
                Some(reads_as_degrees(&table, columns.flatten().as_ref()))
            }
            _ => None,
        };
    }
    // These say it by what they are.
    if !may_state_none(format) {
        return None;
    }
    let read = has("tolerance")
        .then(|| ReadArguments::from_arg_matches(matches).map(|read| read.options()).ok());
    let layers = LayerReader::open_all_with(file, &read.flatten().unwrap_or_default()).ok()?;
    let mut main =
        layers.iter().filter(|layer| !layer.info().aside && !layer.info().bare).peekable();
    main.peek()?;
    main.all(|layer| layer.info().crs.is_none()).then(|| {
        let extents = layers.iter().filter_map(|layer| layer.info().extent);
        extents.clone().count() > 0
            && extents.clone().all(|e| {
                [e.west, e.east].iter().all(|x| x.abs() <= 360.0)
                    && [e.south, e.north].iter().all(|y| y.abs() <= 90.0)
            })
    })
}

fn may_state_none(format: Format) -> bool {
    format.capability().systems != velvet_peg::format::Systems::Wgs84
}

fn reads_as_degrees(table: &TableLook, columns: Option<&ColumnArguments>) -> bool {
    let named = columns.and_then(|columns| columns.columns().x);
    let sample = named.and_then(|name| {
        let column = table.columns.iter().find(|column| column.name == name)?;
        Some(column.sample.clone())
    });
    let Some(text) = sample else { return table.degrees == Some(true) };
    match text.trim().replace(',', ".").parse::<f64>() {
        Ok(x) => x.abs() <= 360.0,
        Err(_) => parse(&text, Axis::Longitude).is_ok(),
    }
}
