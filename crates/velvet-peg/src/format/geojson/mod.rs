//! GeoJSON (RFC 7946), in and out: as a collection, or one feature a line.

mod nest;
mod object;
mod read;
mod topology;
mod write;

pub(super) use topology::TopoJson;

use crate::error::Result;
use crate::format_support::{
    Appending, Capability, FileStart, FormatDescription, NewFile, OpenedLayer, ReadOptions, Sink,
    Systems, UNLIMITED,
};
use std::path::Path;

/// What both forms can hold.
const EITHER: Capability = Capability {
    systems: Systems::Wgs84,
    cut_at_180: true,
    m: false,
    bytes: false,
    infinite: false,
    coordinate_text: true,
    // RFC 7946 section 4.
    height_surface: Some("the WGS 84 ellipsoid"),
    appending: Appending::Rewritten,
    ..UNLIMITED
};

/// A collection of features.
#[derive(Debug)]
pub(super) struct GeoJson;

impl FormatDescription for GeoJson {
    fn capability(&self) -> &'static Capability {
        &Capability { name: "GeoJSON", extensions: &["geojson", "json"], ..EITHER }
    }

    fn begins_like(&self, start: &FileStart<'_>) -> bool {
        let list =
            start.text.strip_prefix('[').is_some_and(|inside| inside.trim_start().starts_with('{'));
        let object = start.text.starts_with('{') && !is_by_lines(start.text);
        list || (object && !topology::is_topology(start.text))
    }

    fn open(&self, path: &Path, options: &ReadOptions) -> Result<Vec<OpenedLayer>> {
        match topology::begins(path)? {
            true => topology::open(path, options),
            false => Ok(vec![read::open(path, options)?]),
        }
    }

    fn create(&self, new: &NewFile<'_>) -> Result<Box<dyn Sink>> {
        Ok(Box::new(write::Writer::create(new.path, new.info, new.options, false)?))
    }
}

/// One feature a line; RFC 8142 sequences are read.
#[derive(Debug)]
pub(super) struct GeoJsonLines;

impl FormatDescription for GeoJsonLines {
    fn capability(&self) -> &'static Capability {
        &Capability {
            name: "newline-delimited GeoJSON",
            extensions: &["geojsonl", "ndjson", "jsonl"],
            ..EITHER
        }
    }

    fn begins_like(&self, start: &FileStart<'_>) -> bool {
        start.text.starts_with('{') && is_by_lines(start.text)
    }

    fn open(&self, path: &Path, options: &ReadOptions) -> Result<Vec<OpenedLayer>> {
        Ok(vec![read::open_lines(path, options)?])
    }

    fn create(&self, new: &NewFile<'_>) -> Result<Box<dyn Sink>> {
        Ok(Box::new(write::Writer::create(new.path, new.info, new.options, true)?))
    }
}

/// True if the first line is a value of its own and no collection, and others follow.
fn is_by_lines(text: &str) -> bool {
    let first = text.lines().next().unwrap_or_default();
    let whole = serde_json::from_str::<serde_json::Value>(first).is_ok();
    whole && !first.contains("\"FeatureCollection\"") && text.lines().count() > 1
}
