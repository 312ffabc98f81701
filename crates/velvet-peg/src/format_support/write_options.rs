//! How a layer is written.

use velvet_peg_core::Crs;

/// How delimited text is written, as whoever receives it needs it.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct TextDialect {
    /// What stands between fields; none for a tab in `.tsv` and `.tab`, a semicolon behind decimal
    /// commas, and else a comma.
    pub delimiter: Option<char>,
    /// A byte-order mark in front, by which some spreadsheets know UTF-8.
    pub byte_order_mark: bool,
    /// Lines end with a carriage return and a line feed.
    pub crlf: bool,
    /// Numbers have a decimal comma.
    pub decimal_comma: bool,
    /// Texts that a spreadsheet would take for a formula have an apostrophe in front, by which it knows
    /// that they are text. Without it they are written as they are, and told.
    pub formulas_as_text: bool,
    /// A file beside it, `NAME-metadata.json`, tells the reference system, the types of the columns
    /// and how the text is divided (W3C, Metadata Vocabulary for Tabular Data).
    pub metadata: bool,
}

/// How a layer is written.
#[derive(Clone, Debug, Default)]
pub struct WriteOptions {
    /// Replace an existing file; of a GeoPackage the layer of that name, and what else it holds
    /// stays.
    pub overwrite: bool,
    /// Replace a GeoPackage as a whole, with everything that it holds.
    pub replace_file: bool,
    /// Digits behind the point of coordinates in text formats; none for 9 in degrees (0.1 mm)
    /// and 4 in metres or feet.
    pub decimals: Option<usize>,
    /// Add to the layer of an existing file, whose reference system and columns are taken over.
    pub append: bool,
    /// Name of the layer in the file; that of the layer written if none.
    pub layer: Option<String>,
    /// Refuse to write what the format cannot hold in full.
    pub strict: bool,
    /// Geometries as well-known text in one column of a text table or workbook, not as
    /// coordinates in several.
    pub wkt: bool,
    /// One row a feature in a text table, workbook or DBF table, without its geometry.
    pub no_geometry: bool,
    /// How delimited text is written.
    pub text: TextDialect,
    /// Column whose values name the layers of a drawing.
    pub layer_by: Option<String>,
    /// Column whose values label the points of a drawing, or name the placemarks of KML.
    pub label: Option<String>,
    /// Column whose values describe the placemarks of KML.
    pub description: Option<String>,
    /// Column whose values are addresses that the placemarks of KML lead to.
    pub link: Option<String>,
    /// Time of the last change (UTC, ISO 8601) in formats that hold one; now if none.
    pub stamp: Option<String>,
    /// Read the file again and compare; none for layers of under a million features.
    pub verify: Option<bool>,
}

impl WriteOptions {
    /// True if a file that is there is no obstacle.
    pub(crate) fn replaces(&self) -> bool {
        self.overwrite || self.append || self.replace_file
    }
}

/// Digits for coordinates of a system when none are asked for.
pub(crate) fn default_decimals(crs: Option<&Crs>) -> usize {
    if crs.is_some_and(Crs::is_geographic) { 9 } else { 4 }
}
