//! Tables of attributes (`.dbf`, level III and its relatives), record by record.
//!
//! Read and written here because whole numbers have to keep every digit, rows marked as
//! deleted have to keep their place beside the shapes, and a value that cannot be read has to
//! spoil no other.

mod attribute_rows;
mod code_page;
mod memo;
mod read;
mod rows;
mod sink;
mod write;

pub(super) use attribute_rows::AttributeRows;
pub(super) use read::{DbfReader, DbfRecord, beside};
use write::{Column, DbfWriter, MOST_RECORD};

use crate::error::{Error, Result};
use crate::format_support::{
    Capability, FileStart, FormatDescription, NewFile, Sink, Systems, TableSource, TableToOpen,
    Texts, UNLIMITED,
};
use std::path::Path;

/// A table of attributes alone.
#[derive(Debug)]
pub(super) struct Dbf;

impl FormatDescription for Dbf {
    fn capability(&self) -> &'static Capability {
        &Capability {
            name: "DBF table",
            table: true,
            extensions: &["dbf"],
            systems: Systems::None,
            nulls: false,
            bytes: false,
            dates: true,
            whole_bits: 53,
            name_bytes: Some(10),
            text_bytes: Some(254),
            file_bytes: Some(1 << 31),
            infinite: false,
            texts: Texts::Padded,
            ..UNLIMITED
        }
    }

    /// Its first byte is a version that other files begin with, too.
    fn begins_like(&self, _start: &FileStart<'_>) -> bool {
        false
    }

    fn open_table(&self, table: &TableToOpen<'_>) -> Result<Box<dyn TableSource>> {
        Ok(Box::new(rows::DbfTable::open(table)?))
    }

    /// The table beside a Shapefile holds its attributes.
    fn refuse_target(&self, path: &Path) -> Result<()> {
        match ["shp", "SHP"].iter().any(|shapes| path.with_extension(shapes).is_file()) {
            true => Err(Error::usage(
                "would become the table of the Shapefile beside it: choose another name",
            )
            .in_file(path)),
            false => Ok(()),
        }
    }

    fn create(&self, new: &NewFile<'_>) -> Result<Box<dyn Sink>> {
        Ok(Box::new(sink::Writer::create(new.path, new.info, new.options)?))
    }
}
