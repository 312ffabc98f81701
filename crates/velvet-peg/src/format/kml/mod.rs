//! KML 2.3 (OGC 12-007r2), in and out: placemarks with points, lines, polygons and their multi
//! forms, recorded tracks as lines.
//!
//! `name` and `description` are columns like any other; `folder` is the path of folders around
//! a placemark, where there are any; `time` is its time stamp. Data with a schema have its
//! types, the others those that all their values fit. Styles, views, overlays and links are
//! passed over.

mod read;
mod write;

use crate::error::Result;
use crate::format_support::{
    Capability, FileStart, FormatDescription, NewFile, OpenedLayer, ReadOptions, Sink, Systems,
    Texts, UNLIMITED,
};
use std::path::Path;

/// OGC KML 2.3.
#[derive(Debug)]
pub(super) struct Kml;

impl FormatDescription for Kml {
    fn capability(&self) -> &'static Capability {
        &Capability {
            name: "KML",
            extensions: &["kml", "kmz"],
            systems: Systems::Wgs84,
            cut_at_180: true,
            m: false,
            bytes: false,
            texts: Texts::Xml { blanks: true },
            coordinate_text: true,
            height_surface: Some("sea level"),
            labels: true,
            links: true,
            ..UNLIMITED
        }
    }

    fn begins_like(&self, start: &FileStart<'_>) -> bool {
        start.text.starts_with('<') && start.text.contains("<kml")
    }

    fn open(&self, path: &Path, options: &ReadOptions) -> Result<Vec<OpenedLayer>> {
        read::open(path, options)
    }

    fn create(&self, new: &NewFile<'_>) -> Result<Box<dyn Sink>> {
        Ok(Box::new(write::Writer::create(new.path, new.info, new.options)?))
    }
}
