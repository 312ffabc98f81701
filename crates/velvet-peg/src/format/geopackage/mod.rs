//! OGC GeoPackage (12-128r18), in and out.

mod blob;
mod data_columns;
mod defence;
mod definitions;
mod existing;
mod packed_rtree;
mod read;
mod schema;
mod write;

use crate::error::Result;
use crate::format_support::{
    Appending, Capability, FileStart, FormatDescription, LayerStore, NewFile, OpenedLayer, Placing,
    ReadOptions, Sink, UNLIMITED,
};
use crate::layer::LayerInfo;
use std::path::Path;
use velvet_peg_core::Crs;

/// OGC GeoPackage.
#[derive(Debug)]
pub(super) struct GeoPackage;

impl FormatDescription for GeoPackage {
    fn capability(&self) -> &'static Capability {
        &Capability {
            name: "GeoPackage",
            extensions: &["gpkg"],
            several_layers: true,
            dates: true,
            foreign_types: true,
            times: true,
            appending: Appending::Inside,
            ..UNLIMITED
        }
    }

    fn begins_like(&self, start: &FileStart<'_>) -> bool {
        start.is(b"SQLite format 3\0")
    }

    fn open(&self, path: &Path, options: &ReadOptions) -> Result<Vec<OpenedLayer>> {
        read::open(path, options)
    }

    fn create(&self, new: &NewFile<'_>) -> Result<Box<dyn Sink>> {
        let writer = write::Writer::create(new.path, new.info, new.options, new.system_number)?;
        Ok(Box::new(writer))
    }

    fn store(&self) -> Option<&dyn LayerStore> {
        Some(self)
    }
}

impl LayerStore for GeoPackage {
    fn layer_name(&self, name: &str) -> String {
        write::table_name(name)
    }

    fn others(&self, path: &Path, layers: &[String]) -> Result<Vec<String>> {
        existing::others(path, layers)
    }

    fn system_number(&self, path: &Path, info: &LayerInfo) -> Result<Option<i32>> {
        existing::system_number(path, info)
    }

    fn place(&self, path: &Path, staged: &Path, layer: &str, placing: Placing) -> Result<()> {
        existing::place(path, staged, layer, placing)
    }

    fn release(&self, path: &Path) -> Result<()> {
        existing::release(path)
    }

    fn copy(&self, path: &Path, to: &Path) -> Result<()> {
        existing::copy(path, to)
    }

    fn declare(&self, path: &Path, layer: &LayerInfo, crs: &Crs) -> Result<u64> {
        existing::declare(path, layer, crs)
    }
}

/// A name as SQL quotes it.
fn quoted(name: &str) -> String {
    format!("\"{}\"", name.replace('"', "\"\""))
}
