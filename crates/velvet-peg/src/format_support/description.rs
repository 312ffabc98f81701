//! What the table of formats holds of each format.
//!
//! Whatever reads, writes, recognises, verifies or adds to files asks the description; it names no
//! format itself. A format that cannot do a thing leaves the method as it is here.

use super::{
    Capability, OpenedLayer, ReadOptions, RowSource, Sink, TableFacts, TableSource, TableToOpen,
    WriteOptions,
};
use crate::advice::Advice;
use crate::error::{Error, Result};
use crate::layer::LayerInfo;
use std::fmt::Debug;
use std::io::Read;
use std::path::{Path, PathBuf};
use velvet_peg_core::Crs;

/// One format: what it can hold, how its files are known, opened and created.
pub(crate) trait FormatDescription: Debug + Sync {
    /// Name, extensions, and what it can hold.
    fn capability(&self) -> &'static Capability;

    /// True if a file that begins like this is one of this format.
    fn begins_like(&self, start: &FileStart<'_>) -> bool;

    /// The extension for a file that begins like this and has no name of its own.
    fn extension_for(&self, _start: &FileStart<'_>) -> &'static str {
        self.capability().extensions[0]
    }

    /// Opens every layer of a file.
    fn open(&self, path: &Path, _options: &ReadOptions) -> Result<Vec<OpenedLayer>> {
        Err(Error::usage("is a table, not a layer: features have to be made of it first")
            .advise(Advice::BuildFirst)
            .in_file(path))
    }

    /// Opens the layers of a file that was just written as one layer of this name, to compare them
    /// with it.
    fn open_written(&self, path: &Path, layer: &str) -> Result<Vec<OpenedLayer>> {
        let mut layers = self.open(path, &ReadOptions::default())?;
        Ok(match layers.iter().position(|(info, ..)| info.name == layer) {
            Some(at) => vec![layers.swap_remove(at)],
            None => layers,
        })
    }

    /// True if files of this format may have texts in any encoding.
    fn has_encodings(&self) -> bool {
        false
    }

    /// Opens a table.
    fn open_table(&self, table: &TableToOpen<'_>) -> Result<Box<dyn TableSource>> {
        Err(Error::usage("holds features already, not a table")
            .advise(Advice::UseLayer)
            .in_file(table.shown))
    }

    /// The rows of a table that is read once as it comes, such as standard input, and what was told
    /// of it from its beginning; none for formats that have to be read more than once.
    fn stream_table(
        &self,
        _input: Box<dyn Read + Send>,
        _table: &TableToOpen<'_>,
    ) -> Option<Result<(Box<dyn RowSource>, TableFacts)>> {
        None
    }

    /// Starts a file.
    fn create(&self, new: &NewFile<'_>) -> Result<Box<dyn Sink>> {
        Err(not_written(self.capability(), new.path))
    }

    /// Refuses a path that would become a part of something else.
    fn refuse_target(&self, _path: &Path) -> Result<()> {
        Ok(())
    }

    /// What stands beside a file that is replaced, and would be taken for a part of the new one;
    /// `made` are the new files.
    fn stale_parts(&self, _path: &Path, _made: &[PathBuf]) -> Vec<PathBuf> {
        Vec::new()
    }

    /// How files of several layers are changed from inside, if this format's are.
    fn store(&self) -> Option<&dyn LayerStore> {
        None
    }
}

/// The error of a format that is read only.
pub(crate) fn not_written(capability: &Capability, path: &Path) -> Error {
    Error::usage(format!(
        "{} is read, not written: write a .gpkg, .shp, .geojson or .csv",
        capability.name
    ))
    .in_file(path)
}

/// A file to be written.
#[derive(Debug)]
pub(crate) struct NewFile<'a> {
    pub(crate) path: &'a Path,
    /// The layer as the format can hold it.
    pub(crate) info: &'a LayerInfo,
    pub(crate) options: &'a WriteOptions,
    /// The number that the system has in the file which the layer will be put into.
    pub(crate) system_number: Option<i32>,
}

/// The first bytes of a file.
#[derive(Debug)]
pub(crate) struct FileStart<'a> {
    pub(crate) bytes: &'a [u8],
    /// The same as text, without marks and blanks in front.
    pub(crate) text: &'a str,
}

impl FileStart<'_> {
    /// True if the file begins with these bytes.
    pub(crate) fn is(&self, magic: &[u8]) -> bool {
        self.bytes.starts_with(magic)
    }
}

/// What becomes of a layer that has the name already.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Placing {
    /// The new features are added to it.
    Add,
    /// They take the place of its features; a layer that is not there is made.
    Replace,
}

/// Files of several layers that are changed from inside, each time by one transaction.
pub(crate) trait LayerStore: Sync {
    /// The name that a layer gets in such a file.
    fn layer_name(&self, name: &str) -> String;

    /// What a file holds beside these layers.
    fn others(&self, path: &Path, layers: &[String]) -> Result<Vec<String>>;

    /// The number that a file uses, or can use, for the system of a layer.
    fn system_number(&self, path: &Path, info: &LayerInfo) -> Result<Option<i32>>;

    /// Puts the only layer of a file that was just written into one that is there.
    fn place(&self, path: &Path, staged: &Path, layer: &str, placing: Placing) -> Result<()>;

    /// Makes sure that a file can be replaced as a whole.
    fn release(&self, path: &Path) -> Result<()>;

    /// A copy of a file as it stands.
    fn copy(&self, path: &Path, to: &Path) -> Result<()>;

    /// Gives a layer another reference system where it lies; gives the number of its features.
    fn declare(&self, path: &Path, layer: &LayerInfo, crs: &Crs) -> Result<u64>;
}
