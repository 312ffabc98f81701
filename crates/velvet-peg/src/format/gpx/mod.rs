//! GPX 1.1, in and out: waypoints, routes and tracks.
//!
//! A file gives up to five layers: `waypoints`, `routes`, `tracks`, and the vertices of the
//! latter two with their own names and times, `route_points` and `track_points`. `ele` is the
//! height. Written are waypoints (points) and tracks (lines; the rings of polygons). Attributes
//! that GPX has elements for go there, all others into `extensions`.

mod read;
mod write;

use crate::error::Result;
use crate::format_support::{
    Attributes, Capability, FileStart, FormatDescription, NewFile, OpenedLayer, ReadOptions, Sink,
    Systems, Texts, UNLIMITED,
};
use std::path::Path;

/// The namespace of attributes that GPX has no elements for.
const FIELDS: &str = "urn:velvet-peg:fields";

/// GPS exchange format 1.1.
#[derive(Debug)]
pub(super) struct Gpx;

impl FormatDescription for Gpx {
    fn capability(&self) -> &'static Capability {
        &Capability {
            name: "GPX",
            extensions: &["gpx"],
            systems: Systems::Wgs84,
            below_180: true,
            infinite: false,
            several_layers: true,
            m: false,
            no_geometry: false,
            bytes: false,
            attributes: Attributes::Extensions,
            texts: Texts::Xml { blanks: false },
            coordinate_text: true,
            height_surface: Some("sea level"),
            ..UNLIMITED
        }
    }

    fn begins_like(&self, start: &FileStart<'_>) -> bool {
        start.text.starts_with('<') && start.text.contains("<gpx")
    }

    fn open(&self, path: &Path, options: &ReadOptions) -> Result<Vec<OpenedLayer>> {
        read::open(path, options)
    }

    /// One layer was written as waypoints and tracks; their vertices are layers of their own.
    fn open_written(&self, path: &Path, _layer: &str) -> Result<Vec<OpenedLayer>> {
        let mut layers = read::open(path, &ReadOptions::default())?;
        layers.retain(|(info, ..)| !info.name.ends_with("_points"));
        Ok(layers)
    }

    fn create(&self, new: &NewFile<'_>) -> Result<Box<dyn Sink>> {
        Ok(Box::new(write::Writer::create(new.path, new.info, new.options)?))
    }
}
