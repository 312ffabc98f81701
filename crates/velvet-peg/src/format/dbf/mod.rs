//! Tables of attributes (`.dbf`, level III and its relatives), record by record.
//!
//! Read and written here because whole numbers have to keep every digit, rows marked as
//! deleted have to keep their place beside the shapes, and a value that cannot be read has to
//! spoil no other. Memo texts, which lie in a file of their own, are not read.

mod read;
mod rows;
mod write;

pub(super) use read::{DbfReader, DbfRecord, beside};
pub(super) use write::{Column, DbfWriter, MOST_RECORD};

use crate::error::Result;
use crate::format_support::{
    Capability, FileStart, FormatDescription, Systems, TableSource, TableToOpen, Texts, UNLIMITED,
};

/// A table of attributes alone.
#[derive(Debug)]
pub(super) struct Dbf;

impl FormatDescription for Dbf {
    fn capability(&self) -> &'static Capability {
        &Capability {
            name: "DBF table",
            table: true,
            extensions: &["dbf"],
            writes: false,
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
}
