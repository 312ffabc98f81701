//! Workbooks: `.xlsx` in and out; `.xls`, `.ods`, `.xlsm`, `.xlsb` in.

mod book;
mod cell;
mod compound;
mod read;
mod sheet;
mod spool;
mod write;

use crate::error::Result;
use crate::format_support::guard::guarded;
use crate::format_support::{
    Capability, FileStart, FormatDescription, NewFile, Sink, Systems, TableSource, TableToOpen,
    UNLIMITED,
};

/// Workbooks of sheets.
#[derive(Debug)]
pub(super) struct Workbook;

/// The first bytes of the older workbooks (compound files).
const COMPOUND: &[u8] = b"\xd0\xcf\x11\xe0";

impl FormatDescription for Workbook {
    fn capability(&self) -> &'static Capability {
        &Capability {
            name: "workbook",
            table: true,
            extensions: &["xlsx", "xls", "ods", "xlsm", "xlsb"],
            systems: Systems::None,
            several_layers: true,
            nulls: false,
            bytes: false,
            dates: true,
            times: true,
            times_of_day: true,
            whole_bits: 53,
            text_bytes: Some(32_767),
            infinite: false,
            ..UNLIMITED
        }
    }

    fn begins_like(&self, start: &FileStart<'_>) -> bool {
        start.is(b"PK\x03\x04") || start.is(COMPOUND)
    }

    fn extension_for(&self, start: &FileStart<'_>) -> &'static str {
        let open_document = start.bytes.windows(11).any(|word| word == b"opendocument");
        match (start.is(COMPOUND), open_document) {
            (true, _) => "xls",
            (_, true) => "ods",
            _ => "xlsx",
        }
    }

    fn open_table(&self, table: &TableToOpen<'_>) -> Result<Box<dyn TableSource>> {
        let open = || read::open(table).map(|table| Box::new(table) as _);
        guarded(table.shown, "cannot be read as a workbook", open)
    }

    fn create(&self, new: &NewFile<'_>) -> Result<Box<dyn Sink>> {
        Ok(Box::new(write::Writer::create(new.path, new.info, new.options)?))
    }
}
