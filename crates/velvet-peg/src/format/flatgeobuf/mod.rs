//! FlatGeobuf, in and out, with its spatial index. Features come back in the order of the
//! index (along a Hilbert curve), not in that in which they were written.

mod encode;
mod gathering;
mod packed_index;
mod read;
mod write;

use crate::error::Result;
use crate::format_support::{
    Appending, Capability, FileStart, FormatDescription, NewFile, OpenedLayer, ReadOptions, Sink,
    UNLIMITED,
};
use std::path::Path;

/// FlatGeobuf 3.
#[derive(Debug)]
pub(super) struct FlatGeobuf;

impl FormatDescription for FlatGeobuf {
    fn capability(&self) -> &'static Capability {
        &Capability {
            name: "FlatGeobuf",
            extensions: &["fgb"],
            dates: true,
            times: true,
            times_of_day: true,
            appending: Appending::Rewritten,
            ..UNLIMITED
        }
    }

    fn begins_like(&self, start: &FileStart<'_>) -> bool {
        start.is(b"fgb\x03")
    }

    fn open(&self, path: &Path, options: &ReadOptions) -> Result<Vec<OpenedLayer>> {
        Ok(vec![read::open(path, options)?])
    }

    fn create(&self, new: &NewFile<'_>) -> Result<Box<dyn Sink>> {
        Ok(Box::new(write::Writer::create(new.path, new.info)?))
    }
}
