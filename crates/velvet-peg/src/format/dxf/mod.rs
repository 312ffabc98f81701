//! The text form of drawing exchange files (DXF), in and out: points and polylines.
//!
//! A drawing is lines in pairs: a group code and its value. It is read and written pair by
//! pair here, because a drawing in memory would set a limit to its size. Attributes go into
//! the extended data of an entity under a name of our own, as `NAME=VALUE`.

mod read;
mod write;

use crate::error::Result;
use crate::format_support::{
    Attributes, Capability, FileStart, FormatDescription, NewFile, OpenedLayer, ReadOptions, Sink,
    Systems, Texts, UNLIMITED,
};
use std::path::Path;

/// Drawing exchange files, text form.
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
            text_bytes: Some(250),
            attributes: Attributes::Extensions,
            texts: Texts::Line,
            coordinate_text: true,
            drawing: true,
            ..UNLIMITED
        }
    }

    fn begins_like(&self, start: &FileStart<'_>) -> bool {
        let mut lines = start.text.lines().map(str::trim);
        lines.next() == Some("0") && lines.next() == Some("SECTION")
    }

    fn has_encodings(&self) -> bool {
        true
    }

    fn open(&self, path: &Path, options: &ReadOptions) -> Result<Vec<OpenedLayer>> {
        Ok(vec![read::open(path, options)?])
    }

    fn create(&self, new: &NewFile<'_>) -> Result<Box<dyn Sink>> {
        Ok(Box::new(write::Writer::create(new.path, new.info, new.options)?))
    }
}

/// The application whose extended data holds attributes.
const APPLICATION: &str = "VELVET_PEG";

/// The mark of a text that repeats an attribute of its point.
const LABEL: &str = "LABEL";
