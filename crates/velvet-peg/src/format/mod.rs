//! The formats of layers and tables, and what each can hold: [`Format::all`], [`Capability`].

// A new format is a folder with its `FormatDescription` and a line in `TABLE`. What reads, writes,
// recognises, verifies and adds to files goes through the table.

#[cfg(feature = "shapefile")]
mod dbf;
mod delimited_text;
#[cfg(feature = "dxf")]
mod dxf;
#[cfg(feature = "flatgeobuf")]
mod flatgeobuf;
#[cfg(feature = "geojson")]
mod geojson;
#[cfg(feature = "geopackage")]
mod geopackage;
#[cfg(feature = "geoparquet")]
mod geoparquet;
#[cfg(feature = "gml")]
mod gml;
#[cfg(feature = "gpx")]
mod gpx;
mod in_memory;
#[cfg(feature = "kml")]
mod kml;
#[cfg(feature = "landxml")]
mod landxml;
#[cfg(feature = "nmea")]
mod nmea;
#[cfg(feature = "shapefile")]
mod shapefile;
#[cfg(feature = "workbooks")]
mod workbook;

pub use crate::format_support::{Appending, Attributes, Capability, Systems, Texts};

use crate::error::{Error, Result};
use crate::format_support::{FileStart, FormatDescription, HEADINGS};
use crate::layer::column_names;
use crate::output::named;
use crate::packing::inner_name;
use std::fmt;
use std::path::Path;
use velvet_peg_core::spelling::nearest;

/// Every format, in the order of the documentation.
static TABLE: &[&dyn FormatDescription] = &[
    #[cfg(feature = "geopackage")]
    &geopackage::GeoPackage,
    #[cfg(feature = "shapefile")]
    &shapefile::Shapefile,
    #[cfg(feature = "geojson")]
    &geojson::GeoJson,
    #[cfg(feature = "geojson")]
    &geojson::GeoJsonLines,
    #[cfg(feature = "geojson")]
    &geojson::TopoJson,
    #[cfg(feature = "flatgeobuf")]
    &flatgeobuf::FlatGeobuf,
    #[cfg(feature = "geoparquet")]
    &geoparquet::GeoParquet,
    #[cfg(feature = "geoparquet")]
    &geoparquet::Arrow,
    #[cfg(feature = "kml")]
    &kml::Kml,
    #[cfg(feature = "gpx")]
    &gpx::Gpx,
    #[cfg(feature = "gml")]
    &gml::Gml,
    #[cfg(feature = "dxf")]
    &dxf::Dxf,
    #[cfg(feature = "landxml")]
    &landxml::LandXml,
    #[cfg(feature = "nmea")]
    &nmea::Nmea,
    &delimited_text::DelimitedText,
    #[cfg(feature = "workbooks")]
    &workbook::Workbook,
    #[cfg(feature = "shapefile")]
    &dbf::Dbf,
];

/// Formats that this build leaves out: the name, the extensions, the first bytes where they are
/// unmistakable, and the feature of the library that holds it.
type Unbuilt = (&'static str, &'static [&'static str], &'static [u8], &'static str);

static UNBUILT: &[Unbuilt] = &[
    #[cfg(not(feature = "geopackage"))]
    ("GeoPackage", &["gpkg"], b"SQLite format 3\0", "geopackage"),
    #[cfg(not(feature = "flatgeobuf"))]
    ("FlatGeobuf", &["fgb"], b"fgb", "flatgeobuf"),
    #[cfg(not(feature = "geoparquet"))]
    ("GeoParquet", &["parquet", "geoparquet"], b"PAR1", "geoparquet"),
    #[cfg(not(feature = "geoparquet"))]
    ("an Arrow file", &["arrow", "feather", "arrows", "ipc"], b"ARROW1", "geoparquet"),
    #[cfg(not(feature = "shapefile"))]
    ("a Shapefile", &["shp"], b"\x00\x00\x27\x0a", "shapefile"),
    #[cfg(not(feature = "shapefile"))]
    ("a table of a Shapefile", &["dbf"], b"", "shapefile"),
    #[cfg(not(feature = "geojson"))]
    ("GeoJSON", &["geojson", "json", "geojsonl", "ndjson", "jsonl", "topojson"], b"{", "geojson"),
    #[cfg(not(feature = "kml"))]
    ("KML", &["kml", "kmz"], b"", "kml"),
    #[cfg(not(feature = "gpx"))]
    ("GPX", &["gpx"], b"", "gpx"),
    #[cfg(not(feature = "gml"))]
    ("GML", &["gml"], b"", "gml"),
    #[cfg(not(feature = "dxf"))]
    ("a DXF drawing", &["dxf"], b"", "dxf"),
    #[cfg(not(feature = "landxml"))]
    ("LandXML", &["landxml", "xml"], b"", "landxml"),
    #[cfg(not(feature = "nmea"))]
    ("an NMEA 0183 log", &["nmea", "nma"], b"$G", "nmea"),
    #[cfg(not(feature = "workbooks"))]
    ("a workbook", &["xlsx", "xlsm", "xlsb", "xls", "ods"], b"PK", "workbooks"),
];

/// A format of layers or tables: one of [`Format::all`].
#[derive(Clone, Copy)]
pub struct Format(&'static dyn FormatDescription);

impl PartialEq for Format {
    fn eq(&self, other: &Format) -> bool {
        self.name() == other.name()
    }
}

impl Eq for Format {}

impl fmt::Debug for Format {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Format({})", self.name())
    }
}

/// The name.
impl fmt::Display for Format {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())
    }
}

impl Format {
    /// Every format, in the order of the documentation.
    ///
    /// ```
    /// let written = velvet_peg::Format::all().filter(|format| format.capability().writes);
    /// assert!(written.count() > 10);
    /// ```
    pub fn all() -> impl Iterator<Item = Format> {
        TABLE.iter().map(|description| Format(*description))
    }

    /// The format of an extension, written without the dot, in small letters or capitals.
    pub fn of_extension(extension: &str) -> Option<Format> {
        let extension = extension.to_ascii_lowercase();
        Format::all().find(|format| format.capability().extensions.contains(&extension.as_str()))
    }

    /// The format of a path by its extension.
    ///
    /// ```
    /// use std::path::Path;
    /// use velvet_peg::Format;
    /// assert_eq!(Format::of(Path::new("fields.gpkg"))?.name(), "GeoPackage");
    /// assert!(Format::of(Path::new("fields.xyz")).is_err());
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the extension is none that is known.
    pub fn of(path: &Path) -> Result<Format> {
        // What is packed says it itself.
        let inner = inner_name(path);
        let named = inner.as_deref().unwrap_or(path);
        let extension = named.extension().and_then(|e| e.to_str()).unwrap_or_default();
        Format::of_extension(extension).ok_or_else(|| {
            if let Some(error) = Format::left_out(path, &[]) {
                return error;
            }
            let written: Vec<String> = Format::all()
                .map(Format::capability)
                .filter(|entry| entry.writes)
                .map(|entry| format!(".{}", entry.extensions[0]))
                .collect();
            let known = written.iter().map(|known| known.trim_start_matches('.'));
            let alike = nearest(extension, known).map(|known| format!(".{known}"));
            Error::usage(format!(
                "the extension names no format that can be used here: use {}{}",
                written.join(", "),
                column_names::meant(alike.as_deref())
            ))
            .in_file(path)
        })
    }

    /// That of an output: a layer on standard output is GeoJSON if nothing else is said.
    pub(crate) fn of_output(path: &Path) -> Result<Format> {
        Format::of(&named(path))
    }

    /// The error of a file whose format this build leaves out, by its extension or, where that
    /// says nothing, by its first bytes.
    pub(crate) fn left_out(path: &Path, start: &[u8]) -> Option<Error> {
        let extension = path.extension().and_then(|e| e.to_str()).map(str::to_ascii_lowercase);
        let (name, .., feature) = UNBUILT.iter().find(|(_, extensions, magic, _)| {
            extension.as_deref().is_some_and(|e| extensions.contains(&e))
                || (!magic.is_empty() && start.starts_with(magic))
        })?;
        Some(
            Error::usage(format!(
                "is {name}, which this build of the library leaves out: build it with the feature \
                 `{feature}`"
            ))
            .in_file(path),
        )
    }

    /// The format that the first bytes of a file show; text of no other format is a table.
    pub(crate) fn recognised(start: &FileStart<'_>) -> Format {
        let found = Format::all().find(|format| format.0.begins_like(start));
        found.unwrap_or(Format(&delimited_text::DelimitedText))
    }

    /// The format of an address whose extension says nothing: features, most likely.
    pub(crate) fn of_addresses() -> Format {
        Format::of_extension("geojson").unwrap_or(Format(&delimited_text::DelimitedText))
    }

    /// What a layer in memory counts as: a format without limits.
    pub(crate) fn of_memory() -> Format {
        Format(&in_memory::InMemory)
    }

    /// Name of the format.
    pub fn name(self) -> &'static str {
        self.capability().name
    }

    /// What the format can hold.
    pub fn capability(self) -> &'static Capability {
        self.0.capability()
    }

    /// True for tables, from which features have to be built.
    pub fn is_table(self) -> bool {
        self.capability().table
    }

    /// True for tables of delimited text, which are written row by row as they are read.
    pub fn is_text_table(self) -> bool {
        self.is_table() && self.capability().coordinate_text
    }

    /// True for files of several layers that are changed from inside, so that what else they hold
    /// stays.
    ///
    /// ```
    /// use velvet_peg::Format;
    /// let names: Vec<&str> =
    ///     Format::all().filter(|f| f.keeps_other_layers()).map(Format::name).collect();
    /// assert_eq!(names, ["GeoPackage"]);
    /// ```
    pub fn keeps_other_layers(self) -> bool {
        self.0.store().is_some()
    }

    /// True for a format one of whose extensions is that of all XML.
    pub(crate) fn is_any_xml(self) -> bool {
        self.capability().extensions.contains(&"xml")
    }

    /// What is known of the format beside what it can hold.
    pub(crate) fn description(self) -> &'static dyn FormatDescription {
        self.0
    }

    /// The table of formats for the documentation, in Markdown.
    ///
    /// ```
    /// assert!(velvet_peg::Format::markdown_table().contains("| Shapefile |"));
    /// ```
    pub fn markdown_table() -> String {
        let mut lines =
            vec![format!("| {} |", HEADINGS.join(" | ")), "| --- ".repeat(HEADINGS.len()) + "|"];
        lines.extend(Format::all().map(|f| format!("| {} |", f.capability().cells().join(" | "))));
        lines.join("\n") + "\n"
    }
}
