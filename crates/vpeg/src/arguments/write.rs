//! How an output is written.

use super::heading;
use super::map_file;
use super::table::delimiter;
use clap::Args;
use std::path::PathBuf;
use velvet_peg::{TextDialect, WriteOptions};

/// How an output is written.
#[derive(Debug, Clone, Default, Args)]
pub(crate) struct WriteArguments {
    /// Replace existing files; of a GeoPackage the layer of that name, and the rest of the file
    /// stays.
    #[arg(long, help_heading = heading::OUTPUT)]
    pub(crate) overwrite: bool,
    /// Draw a map of what is written: .svg, .png or .html; in characters if no FILE is given.
    #[arg(long, value_name = "FILE", num_args = 0..=1, default_missing_value = "-", value_parser = map_file, help_heading = heading::OUTPUT, hide_short_help = true)]
    pub(crate) map: Option<PathBuf>,
    /// Replace an existing GeoPackage as a whole, with every layer and table in it.
    #[arg(long, help_heading = heading::OUTPUT, hide_short_help = true)]
    pub(crate) replace_file: bool,
    /// Add to the layer of an existing file: its reference system and columns are taken over.
    #[arg(long, conflicts_with_all = ["overwrite", "replace_file"], help_heading = heading::OUTPUT, hide_short_help = true)]
    pub(crate) append: bool,
    /// Name of the layer in the file written.
    #[arg(long, value_name = "NAME", help_heading = heading::OUTPUT, hide_short_help = true)]
    output_layer: Option<String>,
    /// Digits behind the point of coordinates in text formats.
    #[arg(long, help_heading = heading::OUTPUT, hide_short_help = true)]
    pub(crate) decimals: Option<usize>,
    /// Tables: geometries as well-known text in one column, not as coordinates.
    #[arg(long, help_heading = heading::OUTPUT, hide_short_help = true)]
    wkt: bool,
    /// Tables: one row a feature, its attributes alone.
    #[arg(long, conflicts_with = "wkt", help_heading = heading::OUTPUT, hide_short_help = true)]
    no_geometry: bool,
    /// Delimited text: what stands between fields (comma, semicolon, tab, or a sign).
    #[arg(long, value_name = "SIGN", value_parser = delimiter, help_heading = heading::OUTPUT, hide_short_help = true)]
    out_delimiter: Option<char>,
    /// Delimited text: numbers with a decimal comma (and semicolons between fields).
    #[arg(long, help_heading = heading::OUTPUT, hide_short_help = true)]
    out_decimal_comma: bool,
    /// Delimited text: a byte-order mark in front, by which some spreadsheets know UTF-8.
    #[arg(long, help_heading = heading::OUTPUT, hide_short_help = true)]
    byte_order_mark: bool,
    /// Delimited text: lines end with carriage return and line feed.
    #[arg(long, help_heading = heading::OUTPUT, hide_short_help = true)]
    crlf: bool,
    /// Delimited text: an apostrophe in front of texts that a spreadsheet would take for formulas.
    #[arg(long, help_heading = heading::OUTPUT, hide_short_help = true)]
    formulas_as_text: bool,
    /// Delimited text: beside it a file NAME-metadata.json with the reference system, the types of
    /// the columns and how the text is divided (W3C), which is read with the table again.
    #[arg(long, help_heading = heading::OUTPUT, hide_short_help = true)]
    metadata: bool,
    /// DXF: column whose values name the layers of the drawing.
    #[arg(long, value_name = "COLUMN", help_heading = heading::OUTPUT, hide_short_help = true)]
    layer_by: Option<String>,
    /// DXF: column whose values label the points; KML: column whose values name the placemarks.
    #[arg(long, value_name = "COLUMN", help_heading = heading::OUTPUT, hide_short_help = true)]
    label: Option<String>,
    /// KML: column whose values describe the placemarks.
    #[arg(long, value_name = "COLUMN", help_heading = heading::OUTPUT, hide_short_help = true)]
    description: Option<String>,
    /// KML: column whose values are addresses that the placemarks lead to.
    #[arg(long, value_name = "COLUMN", help_heading = heading::OUTPUT, hide_short_help = true)]
    link: Option<String>,
    /// Read the file again and compare, whatever its size (under a million features it is
    /// done anyway).
    #[arg(long, conflicts_with = "no_verify", help_heading = heading::OUTPUT, hide_short_help = true)]
    verify: bool,
    /// Do not read the file again.
    #[arg(long, help_heading = heading::OUTPUT, hide_short_help = true)]
    no_verify: bool,
}

impl WriteArguments {
    pub(crate) fn options(&self) -> WriteOptions {
        WriteOptions {
            overwrite: self.overwrite,
            replace_file: self.replace_file,
            decimals: self.decimals,
            append: self.append,
            layer: self.output_layer.clone(),
            strict: crate::show::is_strict(),
            wkt: self.wkt,
            no_geometry: self.no_geometry,
            text: TextDialect {
                delimiter: self.out_delimiter,
                byte_order_mark: self.byte_order_mark,
                formulas_as_text: self.formulas_as_text,
                crlf: self.crlf,
                decimal_comma: self.out_decimal_comma,
                metadata: self.metadata,
            },
            layer_by: self.layer_by.clone(),
            label: self.label.clone(),
            description: self.description.clone(),
            link: self.link.clone(),
            verify: (self.verify || self.no_verify).then_some(self.verify),
            ..WriteOptions::default()
        }
    }
}
