//! Job files: reading and writing them (TOML 1.0, a format of our own, version 1).

use super::map::JobMap;
use super::pending_outputs::joined;
use super::spans::JobSpans;
use super::step_schema::Step;
use crate::error::{Error, Result};
use crate::format_support::Quoting;
use indexmap::IndexMap;
use serde::de::IgnoredAny;
use serde::{Deserialize, Deserializer, Serialize};
use std::path::{Path, PathBuf};

/// The version of the format that is read and written.
pub const JOB_VERSION: i64 = 1;

/// A job: where data comes from, what is done with it, where it goes, and what has to hold.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case", default)]
pub struct Job {
    /// Version of the format: 1.
    pub job: i64,
    /// What it is for.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub title: Option<String>,
    /// Date of the data, such as `2026-09-01`: the time of change in formats that hold one, so
    /// that the same data gives the same bytes; 1970 if not given.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub date: Option<String>,
    /// Where the log goes: this path for the text, and with `.json` behind it for machines.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub log: Option<String>,
    /// Folder for rejects; that of the first output if not given.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub rejects: Option<String>,
    /// Texts that stand for `{name}` in paths.
    #[serde(skip_serializing_if = "IndexMap::is_empty")]
    pub variables: IndexMap<String, String>,
    /// Files to read, by the names that steps know them by.
    pub sources: IndexMap<String, JobSource>,
    /// What is done, in order.
    #[serde(skip_serializing_if = "Vec::is_empty", deserialize_with = "read_elsewhere")]
    pub steps: Vec<Step>,
    /// What has to hold before anything is written.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub checks: Vec<JobCheck>,
    /// Files to write.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub outputs: Vec<JobOutput>,
    /// The deliverable to make of the outputs.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub pack: Option<JobPack>,
    /// Where its words stand in the text that it was read from.
    #[serde(skip)]
    pub spans: JobSpans,
}

/// A file to read.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case", default)]
pub struct JobSource {
    /// Its path, from the folder of the job file.
    pub file: String,
    /// The layer to take.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub layer: Option<String>,
    /// The reference system, whatever the file says.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub crs: Option<String>,
    /// Sheets of a workbook.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub sheets: Vec<String>,
    /// Every sheet of a workbook.
    #[serde(skip_serializing_if = "is_default")]
    pub all_sheets: bool,
    /// Row of the header.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub header_row: Option<u32>,
    /// Delimiter of a text.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub delimiter: Option<char>,
    /// Encoding of a text.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub encoding: Option<String>,
    /// The farthest, in metres, that a chord may lie from the curve that it stands for.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub tolerance: Option<f64>,
    /// True if what inserted blocks of a drawing draw is read, too.
    #[serde(skip_serializing_if = "is_default")]
    pub blocks: bool,
    /// True if members of GeoJSON features that the standard does not know are kept.
    #[serde(skip_serializing_if = "is_default")]
    pub foreign_members: bool,
    /// Quotation mark of a text: a character, or `none`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub quote: Option<Quoting>,
    /// True if the first row holds values.
    #[serde(skip_serializing_if = "is_default")]
    pub no_header: bool,
    /// True if the first row holds names, whatever it looks like.
    #[serde(skip_serializing_if = "is_default")]
    pub header: bool,
    /// Widths of the fields in characters.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub widths: Vec<usize>,
    /// Names of the columns.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub names: Vec<String>,
    /// What columns are called elsewhere, on other sheets, by their names.
    #[serde(skip_serializing_if = "IndexMap::is_empty")]
    pub same: IndexMap<String, Vec<String>>,
    /// Lines passed over in front.
    #[serde(skip_serializing_if = "is_default")]
    pub skip_lines: usize,
    /// What lines begin with that are passed over.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub comment: Option<char>,
}

/// What has to hold of a layer.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case", default)]
pub struct JobCheck {
    /// The layers (sources or steps) that it is about; several have to lie together.
    pub of: Vec<String>,
    /// Columns that have to be there and different for every feature.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub key: Vec<String>,
    /// Columns that have to be filled.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub complete: Vec<String>,
    /// The system that they have to be in.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub crs: Option<String>,
    /// The number of features.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub count: Option<u64>,
    /// An SQL condition that has to be true for every feature.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub every: Option<String>,
    /// True if warnings of the quality sheet count as failures.
    #[serde(skip_serializing_if = "is_default")]
    pub strict: bool,
}

/// A file to write.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case", default)]
pub struct JobOutput {
    /// Its path, from the folder of the job file. The extension says what it is: a format of
    /// layers or tables, a raster (`.tif`, `.asc`), a map (`.svg`, `.png`; `.html` with `map`), or a quality sheet (`.md`; `.html` is
    /// the report of it).
    pub file: String,
    /// What goes into it: one layer, or several for a map, a quality sheet or a GeoPackage.
    pub from: Vec<String>,
    /// Name of the layer in the file.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub layer: Option<String>,
    /// Digits behind the point of coordinates in text formats.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub decimals: Option<usize>,
    /// Tables: geometries as well-known text.
    #[serde(skip_serializing_if = "is_default")]
    pub wkt: bool,
    /// Tables: one row a feature, without its geometry.
    #[serde(skip_serializing_if = "is_default")]
    pub no_geometry: bool,
    /// Delimited text: what stands between fields.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub delimiter: Option<char>,
    /// Delimited text: numbers with a decimal comma.
    #[serde(skip_serializing_if = "is_default")]
    pub decimal_comma: bool,
    /// Delimited text: a byte-order mark in front.
    #[serde(skip_serializing_if = "is_default")]
    pub byte_order_mark: bool,
    /// Delimited text: lines end with carriage return and line feed.
    #[serde(skip_serializing_if = "is_default")]
    pub crlf: bool,
    /// Delimited text: an apostrophe in front of what a spreadsheet would take for a formula.
    #[serde(skip_serializing_if = "is_default")]
    pub formulas_as_text: bool,
    /// Delimited text: a file beside it with its system, types and dialect.
    #[serde(skip_serializing_if = "is_default")]
    pub metadata: bool,
    /// Drawings: column that names their layers.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub layer_by: Option<String>,
    /// Drawings, KML and maps: column whose values label features.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub label: Option<String>,
    /// KML: column whose values describe features.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub description: Option<String>,
    /// KML: column whose values are addresses that features lead to.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub link: Option<String>,
    /// Rasters: smaller copies in the file, for programs that show it from afar.
    #[serde(skip_serializing_if = "is_default")]
    pub overviews: bool,
    /// Maps and quality sheets: title; of sheets, that of the job if not given.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub title: Option<String>,
    /// Maps: how they look. With it, a `.html` is a page to look around in.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub map: Option<JobMap>,
}

impl JobOutput {
    /// Sources and steps that it is made of, or that its map shows as well.
    pub(super) fn layers(&self) -> impl Iterator<Item = &String> {
        self.from.iter().chain(self.map.iter().flat_map(JobMap::names))
    }

    /// True if it is a raster. A picture, `.png`, is a map.
    pub(super) fn is_raster(&self) -> bool {
        let file = self.file.to_lowercase();
        [".tif", ".tiff", ".asc"].iter().any(|ending| file.ends_with(ending))
    }

    /// True if it is drawn.
    pub(super) fn is_map(&self, extension: &str) -> bool {
        matches!(extension, "svg" | "png") || (extension == "html" && self.map.is_some())
    }
}

/// The deliverable to make.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case", default)]
pub struct JobPack {
    /// The zip file to write.
    pub file: String,
    /// Outputs to put into it; all of them if not given.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub outputs: Vec<String>,
}

/// Steps are read with their places, by [`super::step_schema`].
fn read_elsewhere<'de, D: Deserializer<'de>>(steps: D) -> Result<Vec<Step>, D::Error> {
    IgnoredAny::deserialize(steps).map(|_| Vec::new())
}

fn is_default<T: Default + PartialEq>(value: &T) -> bool {
    *value == T::default()
}

impl Job {
    /// The text of the job file.
    ///
    /// # Errors
    /// If a value cannot be written as TOML.
    pub fn to_toml(&self) -> Result<String> {
        toml_edit::ser::to_string_pretty(self)
            .map_err(|e| Error::data(format!("the job cannot be written: {e}")))
    }

    /// A path of the job with its variables filled in, from the folder of the job file.
    ///
    /// # Errors
    /// If it names a variable that is not there.
    pub fn path(&self, text: &str, folder: &Path, given: &[(String, String)]) -> Result<PathBuf> {
        let mut filled = String::new();
        let mut rest = text;
        while let Some(open) = rest.find('{') {
            let close = rest[open..]
                .find('}')
                .map(|at| open + at)
                .ok_or_else(|| Error::usage(format!("`{text}`: the brace is not closed")))?;
            let name = &rest[open + 1..close];
            let value = given
                .iter()
                .find(|(other, _)| other == name)
                .map(|(_, value)| value)
                .or_else(|| self.variables.get(name))
                .ok_or_else(|| {
                    let known: Vec<&str> = self.variables.keys().map(String::as_str).collect();
                    Error::usage(format!(
                        "`{text}`: there is no variable `{name}`; the job has {}",
                        if known.is_empty() { "none".to_string() } else { known.join(", ") }
                    ))
                })?;
            filled.push_str(&rest[..open]);
            filled.push_str(value);
            rest = &rest[close + 1..];
        }
        filled.push_str(rest);
        Ok(joined(folder, filled))
    }
}

impl Job {
    /// The name that a step's result goes by.
    pub(crate) fn name_of(&self, step: usize) -> String {
        let default = || format!("{}-{}", self.steps[step].kind().name, step + 1);
        self.steps[step].name().map_or_else(default, str::to_string)
    }
}
