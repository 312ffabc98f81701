//! GeoParquet 1.1, in (geometries as WKB or in the native encodings) and out (as WKB, with
//! kinds, box and reference system in the metadata). Coordinates are x, y whatever the order
//! of the system's axes, as the standard says. Arrow's own files are read in the same way; GeoArrow's
//! metadata say which of their columns are geometries.

mod arrow_sizes;
mod column_form;
mod container;
mod native;
mod read;
mod unpacked;
mod write;

use crate::error::Result;
use crate::format_support::{
    Appending, Capability, FileStart, FormatDescription, NewFile, OpenedLayer, ReadOptions, Sink,
    UNLIMITED, not_written,
};
use crate::layer::GeometryKind;
use std::path::Path;

/// GeoParquet 1.1.
#[derive(Debug)]
pub(super) struct GeoParquet;

impl FormatDescription for GeoParquet {
    fn capability(&self) -> &'static Capability {
        &Capability {
            name: "GeoParquet",
            extensions: &["parquet", "geoparquet"],
            dates: true,
            times: true,
            times_of_day: true,
            one_clock: true,
            appending: Appending::Rewritten,
            ..UNLIMITED
        }
    }

    fn begins_like(&self, start: &FileStart<'_>) -> bool {
        start.is(b"PAR1")
    }

    fn open(&self, path: &Path, options: &ReadOptions) -> Result<Vec<OpenedLayer>> {
        Ok(vec![read::open(container::Container::Parquet, path, options)?])
    }

    fn create(&self, new: &NewFile<'_>) -> Result<Box<dyn Sink>> {
        Ok(Box::new(write::Writer::create(new.path, new.info)?))
    }
}

/// Arrow files and streams, also called Feather: read as Parquet is.
#[derive(Debug)]
pub(super) struct Arrow;

impl FormatDescription for Arrow {
    fn capability(&self) -> &'static Capability {
        &Capability {
            name: "Arrow",
            extensions: &["arrow", "feather", "arrows", "ipc"],
            writes: false,
            ..UNLIMITED
        }
    }

    fn begins_like(&self, start: &FileStart<'_>) -> bool {
        start.is(b"ARROW1")
    }

    fn open(&self, path: &Path, options: &ReadOptions) -> Result<Vec<OpenedLayer>> {
        Ok(vec![read::open(container::Container::Arrow, path, options)?])
    }

    fn create(&self, new: &NewFile<'_>) -> Result<Box<dyn Sink>> {
        Err(not_written(self.capability(), new.path))
    }
}

/// The key of the metadata.
const KEY: &str = "geo";

/// The key of what is said of the layer in words.
const DESCRIPTION: &str = "description";

/// The name of a kind in the metadata.
fn kind_name(kind: GeometryKind) -> &'static str {
    match kind {
        GeometryKind::Point => "Point",
        GeometryKind::LineString => "LineString",
        GeometryKind::Polygon => "Polygon",
        GeometryKind::MultiPoint => "MultiPoint",
        GeometryKind::MultiLineString => "MultiLineString",
        GeometryKind::MultiPolygon => "MultiPolygon",
    }
}
