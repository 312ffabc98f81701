//! Drawing exchange files (DXF), in and out: points, lines, areas and texts; read in the text form
//! and in the binary ones, written in the text form of 2007.
//!
//! A drawing is pairs of a group code and its value. It is read and written pair by pair here,
//! because a drawing in memory would set a limit to its size. Attributes go into the extended data
//! of an entity under a name of our own, as `NAME=VALUE`; what is longer than one string goes on in
//! the next behind a 1 of group code 1070.

mod attributes;
mod blocks;
mod curve;
mod entity;
mod frame;
mod hatch;
mod header;
mod pairs;
mod plane;
mod read;
mod shape;
mod spline;
mod text;
mod write;

use crate::error::Result;
use crate::format_support::{
    Attributes, Capability, FileStart, FormatDescription, NewFile, OpenedLayer, ReadOptions, Sink,
    Systems, Texts, UNLIMITED,
};
use std::path::Path;

/// Drawing exchange files.
#[derive(Debug)]
pub(super) struct Dxf;

impl FormatDescription for Dxf {
    fn capability(&self) -> &'static Capability {
        &Capability {
            name: "DXF",
            extensions: &["dxf"],
            partial_z: false,
            partial_m: false,
            systems: Systems::None,
            m: false,
            no_geometry: false,
            nulls: false,
            bytes: false,
            text_bytes: Some(write::MOST_BYTES),
            attributes: Attributes::Extensions,
            texts: Texts::All,
            coordinate_text: true,
            drawing: true,
            labels: true,
            ..UNLIMITED
        }
    }

    fn begins_like(&self, start: &FileStart<'_>) -> bool {
        // Comments may stand in front.
        let mut lines = start.text.lines().map(str::trim);
        let mut code = lines.next();
        while code == Some("999") {
            code = lines.nth(1);
        }
        start.is(&pairs::BINARY) || (code == Some("0") && lines.next() == Some("SECTION"))
    }

    fn has_encodings(&self) -> bool {
        true
    }

    fn open(&self, path: &Path, options: &ReadOptions) -> Result<Vec<OpenedLayer>> {
        read::open(path, options)
    }

    fn create(&self, new: &NewFile<'_>) -> Result<Box<dyn Sink>> {
        Ok(Box::new(write::Writer::create(new.path, new.info, new.options)?))
    }
}

/// The application whose extended data holds attributes.
const APPLICATION: &str = "VELVET_PEG";

/// The mark of a text that repeats an attribute of its point.
const LABEL: &str = "LABEL";
