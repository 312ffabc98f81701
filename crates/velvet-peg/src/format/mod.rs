//! Formats of layers: reading and writing in batches.
//!
//! The format follows the extension (what comes without one is told by its first bytes). Each
//! format is one file behind [`Source`] or [`Sink`]; [`Capability`] says what it can hold.

mod capability;
mod dbf;
mod dxf;
mod extend;
mod fit;
mod flatgeobuf;
mod geojson;
mod geopackage;
mod geoparquet;
mod gpx;
mod held;
mod kml;
mod locate;
mod names;
mod reader;
mod shapefile;
mod sniff;
mod stage;
mod table_out;
mod two_pass;
mod verify;
mod wkb;
pub(crate) mod wkt;
mod writer;
mod xml;

pub use capability::{Attributes, CAPABILITIES, Capability, Systems};
pub(crate) use dbf::DbfReader;
pub(crate) use fit::KEY;
pub(crate) use geopackage::{
    copy as copy_geopackage, declare as declare_in_geopackage, others as others_in_geopackage,
    release as release_geopackage, table_name as geopackage_table,
};
pub(crate) use locate::{Located, locate};
pub use reader::LayerReader;
pub use sniff::format_of;
pub(crate) use sniff::sniff_standard_input;
pub(crate) use stage::Stage;
pub(crate) use table_out::{coordinate_names, distinct};
pub(crate) use wkb::read as read_wkb;
pub use writer::{LayerWriter, WriteOptions, Written};

use crate::error::{Error, Result};
use crate::layer::{Batch, LayerInfo};
use crate::notice::Notice;
use std::fmt::Debug;
use std::path::Path;
use velvet_peg_core::Crs;

/// A format of layers or tables.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Format {
    /// OGC GeoPackage (12-128r18): `.gpkg`.
    GeoPackage,
    /// Shapefile: `.shp` with its side files.
    Shapefile,
    /// GeoJSON (RFC 7946): `.geojson`, `.json`.
    GeoJson,
    /// One GeoJSON feature a line: `.geojsonl`, `.ndjson`, `.jsonl`; RFC 8142 sequences are read.
    GeoJsonLines,
    /// FlatGeobuf: `.fgb`.
    FlatGeobuf,
    /// GeoParquet 1.1: `.parquet`, `.geoparquet`.
    GeoParquet,
    /// OGC KML 2.3 (12-007r2): `.kml`.
    Kml,
    /// GPS exchange format 1.1: `.gpx`.
    Gpx,
    /// Drawing exchange format, text form: `.dxf`.
    Dxf,
    /// Delimited text with coordinates as columns: `.csv`, `.tsv`.
    Csv,
    /// Workbooks: `.xlsx` in and out; `.xls`, `.ods`, `.xlsm`, `.xlsb` in.
    Workbook,
    /// A table of attributes alone: `.dbf`.
    Dbf,
}

impl Format {
    /// The format of a path by its extension.
    ///
    /// ```
    /// use std::path::Path;
    /// use velvet_peg::Format;
    /// assert_eq!(Format::of(Path::new("fields.gpkg"))?, Format::GeoPackage);
    /// assert!(Format::of(Path::new("fields.xyz")).is_err());
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the extension is none that is known.
    pub fn of(path: &Path) -> Result<Format> {
        let extension = path.extension().and_then(|e| e.to_str()).unwrap_or_default();
        let extension = extension.to_ascii_lowercase();
        CAPABILITIES
            .iter()
            .find(|entry| entry.extensions.contains(&extension.as_str()))
            .map(|entry| entry.format)
            .ok_or_else(|| {
                let written: Vec<String> = CAPABILITIES
                    .iter()
                    .filter(|entry| entry.writes)
                    .map(|entry| format!(".{}", entry.extensions[0]))
                    .collect();
                Error::usage(format!(
                    "the extension names no format that can be used here: use {}",
                    written.join(", ")
                ))
                .in_file(path)
            })
    }

    /// Name of the format.
    pub fn name(self) -> &'static str {
        match self {
            Format::GeoPackage => "GeoPackage",
            Format::Shapefile => "Shapefile",
            Format::GeoJson => "GeoJSON",
            Format::GeoJsonLines => "newline-delimited GeoJSON",
            Format::FlatGeobuf => "FlatGeobuf",
            Format::GeoParquet => "GeoParquet",
            Format::Kml => "KML",
            Format::Gpx => "GPX",
            Format::Dxf => "DXF",
            Format::Csv => "delimited text",
            Format::Workbook => "workbook",
            Format::Dbf => "DBF table",
        }
    }

    /// True for tables, from which features have to be built.
    pub fn is_table(self) -> bool {
        matches!(self, Format::Csv | Format::Workbook | Format::Dbf)
    }
}

/// Where the features of a layer come from: one a format.
pub(crate) trait Source: Debug {
    /// Hands every batch of features to `each`, in order.
    fn read(&self, info: &LayerInfo, each: &mut dyn FnMut(Batch) -> Result<()>) -> Result<()>;

    /// The column of whole numbers that features are known by in the file, if there is one that the
    /// columns of the layer may leave out, because it merely counts them.
    fn key(&self) -> Option<&str> {
        None
    }
}

/// Where the features of a layer go to: one a format. The batches fit what the format can
/// hold.
pub(crate) trait Sink {
    /// Writes a batch.
    fn write(&mut self, batch: &Batch) -> Result<()>;

    /// What turned out to be lost on the way, each with what was done about it.
    fn losses(&self) -> Vec<Notice> {
        Vec::new()
    }

    /// Completes the files, which appear under their names now.
    fn finish(self: Box<Self>) -> Result<Finished>;
}

/// What a sink says at its end.
#[derive(Debug, Default)]
pub(crate) struct Finished {
    /// Files written, side files included; none for the one that was asked for.
    pub(crate) files: Vec<std::path::PathBuf>,
    /// What is worth knowing.
    pub(crate) notices: Vec<Notice>,
    /// How the file can be compared with what was meant to be in it.
    pub(crate) check: Check,
}

/// How a file can be compared with what was meant to be in it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum Check {
    /// Counts, coordinates and attributes.
    #[default]
    All,
    /// Counts and coordinates: attributes were changed, and it was said how.
    Coordinates,
    /// As a table: so many rows with this sum.
    Rows(u64, u64),
    /// Not at all: the file holds other features than those given, and it was said why.
    Not,
}

/// Digits for coordinates of a system when none are asked for.
pub(crate) fn default_decimals(crs: Option<&Crs>) -> usize {
    if crs.is_some_and(Crs::is_geographic) { 9 } else { 4 }
}
