//! Delimited text (RFC 4180 and its relatives): CSV, TSV, point files divided by blanks or standing
//! in columns of fixed width. Delimiter, quoting and encoding are detected and can be overridden.

mod detect;
mod dialect;
mod layout;
mod read;
mod sample;
mod side_file;
mod write;

use crate::error::Result;
use crate::format_support::{
    Capability, FileStart, FormatDescription, NewFile, RowSource, Sink, Systems, TableFacts,
    TableSource, TableToOpen, Texts, UNLIMITED,
};
use std::io::Read;
use std::path::{Path, PathBuf};

/// Delimited text with coordinates as columns.
#[derive(Debug)]
pub(super) struct DelimitedText;

impl FormatDescription for DelimitedText {
    fn capability(&self) -> &'static Capability {
        &Capability {
            name: "delimited text",
            table: true,
            extensions: &["csv", "tsv", "txt", "tab"],
            systems: Systems::None,
            nulls: false,
            bytes: false,
            texts: Texts::NoNull,
            coordinate_text: true,
            ..UNLIMITED
        }
    }

    /// Text that is nothing else is taken for a table by whoever asks.
    fn begins_like(&self, _start: &FileStart<'_>) -> bool {
        false
    }

    fn open_table(&self, table: &TableToOpen<'_>) -> Result<Box<dyn TableSource>> {
        Ok(Box::new(read::TextTable::open(table)?))
    }

    fn stream_table(
        &self,
        input: Box<dyn Read + Send>,
        table: &TableToOpen<'_>,
    ) -> Option<Result<(Box<dyn RowSource>, TableFacts)>> {
        Some(read::stream(input, table))
    }

    fn stale_parts(&self, path: &Path, made: &[PathBuf]) -> Vec<PathBuf> {
        side_file::stale(path, made)
    }

    fn create(&self, new: &NewFile<'_>) -> Result<Box<dyn Sink>> {
        Ok(Box::new(write::Writer::create(new.path, new.info, new.options)?))
    }
}
