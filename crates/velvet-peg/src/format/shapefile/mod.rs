//! Shapefiles (technical description of 1998), in and out: geometry in `.shp` with its index
//! `.shx`, attributes in `.dbf` (in the encoding that `.cpg` names), the reference system in
//! `.prj`.
//!
//! Read and written here record by record: a damaged record has to spoil no other, and a
//! feature without a geometry has to be written as one.

mod read;
mod shape;
mod write;

use crate::error::Result;
use crate::format_support::{
    Appending, Capability, FileStart, FormatDescription, NewFile, OpenedLayer, ReadOptions, Sink,
    Systems, Texts, UNLIMITED,
};
use std::path::{Path, PathBuf};

/// A Shapefile with its side files.
#[derive(Debug)]
pub(super) struct Shapefile;

impl FormatDescription for Shapefile {
    fn capability(&self) -> &'static Capability {
        &Capability {
            name: "Shapefile",
            extensions: &["shp"],
            partial_z: false,
            systems: Systems::SideFile,
            mixed_kinds: false,
            nulls: false,
            bytes: false,
            dates: true,
            whole_bits: 53,
            name_bytes: Some(10),
            text_bytes: Some(254),
            file_bytes: Some(1 << 31),
            infinite: false,
            texts: Texts::Padded,
            appending: Appending::Rewritten,
            ..UNLIMITED
        }
    }

    /// Without its name the side files, and with them the attributes, cannot be found.
    fn begins_like(&self, _start: &FileStart<'_>) -> bool {
        false
    }

    fn has_encodings(&self) -> bool {
        true
    }

    fn open(&self, path: &Path, options: &ReadOptions) -> Result<Vec<OpenedLayer>> {
        Ok(vec![read::open(path, options)?])
    }

    fn create(&self, new: &NewFile<'_>) -> Result<Box<dyn Sink>> {
        Ok(Box::new(write::Writer::create(new.path, new.info)?))
    }

    fn stale_parts(&self, path: &Path, made: &[PathBuf]) -> Vec<PathBuf> {
        write::stale_parts(path, made)
    }
}

/// The number of a shape's type without a geometry.
const NULL: i32 = 0;

/// Below this value a measure stands for none (page 2).
const NO_MEASURE: f64 = -1e38;
