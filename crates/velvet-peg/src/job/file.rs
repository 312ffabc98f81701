//! Job files: reading and writing them (TOML 1.0, a format of our own, version 1).

use super::places::{JobPlaces, line_and_column};
use super::staged::joined;
use super::validate::check_steps;
use crate::error::{Error, Result};
use indexmap::IndexMap;
use serde::{Deserialize, Serialize};
use std::path::{Path, PathBuf};
use toml_edit::{Document, Item};

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
    #[serde(skip_serializing_if = "Vec::is_empty")]
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
    pub places: JobPlaces,
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
    /// Lines passed over in front.
    #[serde(skip_serializing_if = "is_default")]
    pub skip_lines: usize,
    /// What lines begin with that are passed over.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub comment: Option<char>,
}

/// A step. Which words it may say depends on its kind: see [`super::STEP_KINDS`].
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case", default)]
#[allow(missing_docs)] // The words are explained in `words.rs`, once.
pub struct Step {
    #[serde(rename = "do")]
    pub kind: String,
    pub from: String,
    #[serde(rename = "as", skip_serializing_if = "Option::is_none")]
    pub name: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub crs: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub to: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub epoch: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub x: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub y: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub z: Option<String>,
    #[serde(skip_serializing_if = "is_default")]
    pub packed: bool,
    #[serde(skip_serializing_if = "is_default")]
    pub decimal_comma: bool,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub thousands: Option<char>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub geometry: Option<String>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub by: Vec<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub order: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub part: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub ring: Option<String>,
    #[serde(skip_serializing_if = "is_default")]
    pub repair: bool,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub bearing: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub distance: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub radius: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub delta: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub turn: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub start: Option<(f64, f64)>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub unit: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub combined_factor: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub rotate: Option<f64>,
    #[serde(skip_serializing_if = "is_default")]
    pub adjust: bool,
    #[serde(rename = "where", skip_serializing_if = "Option::is_none")]
    pub condition: Option<String>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub set: Vec<String>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub keep: Vec<String>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub drop: Vec<String>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub first: Vec<String>,
    #[serde(skip_serializing_if = "IndexMap::is_empty")]
    pub rename: IndexMap<String, String>,
    #[serde(skip_serializing_if = "IndexMap::is_empty")]
    pub constant: IndexMap<String, String>,
    #[serde(skip_serializing_if = "IndexMap::is_empty")]
    pub round: IndexMap<String, usize>,
    #[serde(skip_serializing_if = "IndexMap::is_empty")]
    pub format: IndexMap<String, String>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub coords: Vec<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub with: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub on: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub key: Option<String>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub columns: Vec<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub prefix: Option<String>,
    #[serde(skip_serializing_if = "is_default")]
    pub many: bool,
    #[serde(skip_serializing_if = "is_default")]
    pub loose: bool,
    #[serde(skip_serializing_if = "is_default")]
    pub matched_only: bool,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub within: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub tolerance: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub distance_column: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub grid: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub height: Option<f64>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub length_units: Vec<String>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub area_units: Vec<String>,
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
    /// layers or tables, a map (`.svg`, `.png`), or a quality sheet (`.md`, `.html`).
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
    /// Drawings: column that names their layers.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub layer_by: Option<String>,
    /// Drawings and maps: column whose values label features.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub label: Option<String>,
    /// Maps and quality sheets: title; of sheets, that of the job if not given.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub title: Option<String>,
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

fn is_default<T: Default + PartialEq>(value: &T) -> bool {
    *value == T::default()
}

impl Job {
    /// Reads a job file and validates what can be told from it alone: its version, its words,
    /// and that every name refers to a source or an earlier step.
    ///
    /// # Errors
    /// If it is not valid; the message has line and column.
    pub fn read(path: &Path) -> Result<Job> {
        let text =
            std::fs::read_to_string(path).map_err(|e| Error::file(path, "cannot be read", e))?;
        Job::parse(&text).map_err(|error| error.in_file(path))
    }

    /// Reads the text of a job file.
    ///
    /// ```
    /// use velvet_peg::Job;
    /// let error = Job::parse("job = 1\n[[steps]]\ndo = \"lines\"\nfrom = \"vertices\"\n").unwrap_err();
    /// assert!(error.to_string().contains("line 4, column 8: there is no source or earlier step `vertices`"));
    /// ```
    ///
    /// # Errors
    /// As [`Job::read`].
    pub fn parse(text: &str) -> Result<Job> {
        let at = |span: Option<std::ops::Range<usize>>, what: &str| {
            let (line, column) = line_and_column(text, span.map_or(0, |span| span.start));
            Error::usage(format!("line {line}, column {column}: {what}"))
        };
        let document: Document<String> =
            text.parse().map_err(|e: toml_edit::TomlError| at(e.span(), e.message().trim()))?;
        let root = document.as_table();
        match root.get("job").and_then(Item::as_integer) {
            Some(JOB_VERSION) => {}
            Some(other) => {
                return Err(at(
                    root.get("job").and_then(Item::span),
                    &format!(
                        "version {other} of job files is not known here: this reads version 1"
                    ),
                ));
            }
            None => return Err(at(None, "a job file begins with `job = 1`, its version")),
        }
        if let Some(date) = root.get("date").and_then(Item::as_str).filter(|date| !is_date(date)) {
            let what = format!("`{date}` is no date: write it as \"2026-09-01\"");
            return Err(at(root.get("date").and_then(Item::span), &what));
        }
        check_steps(root, &at)?;
        let mut job: Job = toml_edit::de::from_str(text)
            .map_err(|e: toml_edit::de::Error| at(e.span(), e.message().trim()))?;
        job.places = JobPlaces::of(root, text);
        job.check_names()?;
        Ok(job)
    }

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

/// `2026-09-01`.
fn is_date(text: &str) -> bool {
    let parts: Vec<&str> = text.split('-').collect();
    let lengths: Vec<usize> = parts.iter().map(|part| part.len()).collect();
    let number = |at: usize| parts[at].parse::<u32>().unwrap_or(0);
    lengths == [4, 2, 2]
        && text.bytes().all(|b| b == b'-' || b.is_ascii_digit())
        && (1..=12).contains(&number(1))
        && (1..=31).contains(&number(2))
}

impl Job {
    /// The name that a step's result goes by.
    pub(crate) fn name_of(&self, step: usize) -> String {
        let default = || format!("{}-{}", self.steps[step].kind, step + 1);
        self.steps[step].name.clone().unwrap_or_else(default)
    }
}
