//! Rows and features that could not be used: each with its number, its reason and its
//! original text.

use super::Reason;
use crate::error::{Error, Result};
use crate::format_support::without_null;
use crate::layer::Unreadable;
use crate::layer::column_names::TakenNames;
use crate::output::{Output, is_standard, refuse_existing, refuse_inputs, rejects_path, same_file};
use arrow_schema::Schema;
use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::{Path, PathBuf};
use velvet_peg_core::Crs;

/// The columns in front of those of the source.
const FRONT: [&str; 2] = ["source_row", "reason"];

/// The columns of features behind those: the layer, the geometry as well-known text, and what was
/// there where a record could not be taken apart.
const OF_LAYERS: [&str; 3] = ["layer", "geometry", "original"];

/// The columns of the rejects of a layer: those of all layers, and its attributes, of which one that
/// is named like one in front gets a number.
pub(crate) fn layer_columns(schema: &Schema) -> Vec<String> {
    let mut taken = TakenNames::of(FRONT.iter().chain(&OF_LAYERS));
    let own = schema.fields().iter().map(|field| taken.take(field.name()));
    OF_LAYERS.iter().map(ToString::to_string).chain(own).collect()
}

/// Where rejects go, and what becomes of those of an earlier run.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct RejectsTo<'a> {
    /// As the user named it; beside the output if not.
    pub(crate) named: Option<&'a Path>,
    pub(crate) overwrite: bool,
    /// Added to those of the output that is added to.
    pub(crate) append: bool,
}

/// Writes rejects to a file that only comes into being if there are any.
pub(crate) struct Rejects {
    /// None where they go to standard error.
    path: Option<PathBuf>,
    named: bool,
    overwrite: bool,
    append: bool,
    header: Vec<String>,
    /// Where the attributes of the layer at work stand among those of all; as they are if none.
    places: Option<(usize, Vec<usize>)>,
    open: Option<Open>,
    count: u64,
    /// Reasons of the first few, for the summary.
    first: Vec<(u64, Reason)>,
}

/// Where they are being written.
struct Open {
    writer: csv::Writer<Box<dyn Write>>,
    /// The file, if it is one that takes its place when it is whole.
    output: Option<Output>,
}

impl Rejects {
    /// Rejects of what is made of `inputs` and goes to `out` (`-` for standard output). `columns`
    /// are the headers of the original text.
    ///
    /// # Errors
    /// If the file exists and is neither to be overwritten nor added to, or is the output or one
    /// of the inputs.
    pub(crate) fn new(
        to: RejectsTo<'_>,
        inputs: &[&Path],
        out: &Path,
        columns: &[String],
    ) -> Result<Rejects> {
        let standard = is_standard(out);
        let path = match to.named {
            Some(named) => Some(named.to_path_buf()),
            None if standard => None,
            None => Some(rejects_path(out)),
        };
        let mut rejects = Rejects {
            named: to.named.is_some(),
            overwrite: to.overwrite,
            append: to.append,
            header: FRONT
                .iter()
                .copied()
                .chain(columns.iter().map(String::as_str))
                .map(kept)
                .collect(),
            places: None,
            open: None,
            count: 0,
            first: Vec::new(),
            path,
        };
        let Some(path) = rejects.path.clone() else { return Ok(rejects) };
        if rejects.named {
            refuse_inputs(&path, inputs.iter().copied())?;
            if !standard && same_file(&path, out) {
                return Err(Error::usage(
                    "is to hold the rejects, and is the output: give the rejects another name",
                )
                .in_file(&path));
            }
        }
        if is_stream(&path) {
            return Ok(rejects);
        }
        refuse_existing(&path, to.overwrite || to.append)?;
        if to.append && path.exists() && header_of(&path).as_ref() != Some(&rejects.header) {
            rejects.path = Some(free_beside(&path));
        }
        Ok(rejects)
    }

    pub(crate) fn add<'a>(
        &mut self,
        row: u64,
        reason: impl Into<Reason>,
        original: impl IntoIterator<Item = &'a str>,
    ) -> Result<()> {
        let reason = reason.into();
        if self.open.is_none() {
            self.open = Some(self.begin()?);
        }
        self.count += 1;
        if self.first.len() < 5 {
            self.first.push((row, reason.clone()));
        }
        let number = row.to_string();
        let mut record = csv::StringRecord::from(vec![number]);
        record.push_field(&kept(&reason.text));
        original.into_iter().for_each(|field| record.push_field(&kept(field)));
        let written = match &mut self.open {
            Some(open) => open.writer.write_record(&record),
            None => Ok(()),
        };
        written.map_err(|e| self.failed(e))
    }

    /// From now on, features are of one of several layers, whose columns together are a schema.
    pub(crate) fn enter(&mut self, whole: &Schema, layer: &Schema) {
        let place = |name: &String| whole.index_of(name).unwrap_or_default();
        let places = layer.fields().iter().map(|field| place(field.name())).collect();
        self.places = Some((whole.fields().len(), places));
    }

    /// Attributes of the layer at work, each in its column.
    fn in_columns<'a>(&self, attributes: Vec<&'a str>) -> Vec<&'a str> {
        let Some((count, places)) = &self.places else { return attributes };
        let mut all = vec![""; *count];
        for (place, attribute) in places.iter().zip(attributes) {
            all[*place] = attribute;
        }
        all
    }

    /// Adds a feature of a layer with its geometry, as well-known text, and its attributes.
    pub(crate) fn add_feature(
        &mut self,
        number: u64,
        reason: impl Into<Reason>,
        layer: &str,
        geometry: &str,
        attributes: &[String],
    ) -> Result<()> {
        let front = [layer, geometry, ""].into_iter();
        let attributes = self.in_columns(attributes.iter().map(String::as_str).collect());
        self.add(number, reason, front.chain(attributes))
    }

    /// Adds a record of a layer that no feature could be made of, by the names of its attributes;
    /// those that the layer has no column for stand with what was there.
    pub(crate) fn add_unreadable(
        &mut self,
        record: &Unreadable,
        layer: &str,
        schema: &Schema,
    ) -> Result<()> {
        let mut attributes = vec![""; schema.fields().len()];
        let mut original: Vec<String> = Vec::new();
        if !record.original.is_empty() {
            original.push(record.original.clone());
        }
        for (name, text) in &record.values {
            match schema.index_of(name) {
                Ok(at) => attributes[at] = text,
                Err(_) => original.push(format!("{name}={text}")),
            }
        }
        let original = original.join("; ");
        let front = [layer, record.geometry.as_str(), original.as_str()];
        let attributes = self.in_columns(attributes);
        self.add(record.number, &record.reason, front.into_iter().chain(attributes))
    }

    fn begin(&self) -> Result<Open> {
        let mut header = true;
        let (output, file): (Option<Output>, Box<dyn Write>) = match &self.path {
            None => (None, Box::new(std::io::stderr())),
            Some(path) if is_stream(path) => {
                let file = File::options().append(true).open(path);
                (None, Box::new(file.map_err(|e| self.failed(e))?))
            }
            Some(path) => {
                let mut output = Output::create(path, self.overwrite || self.append)?;
                if self.append && path.exists() {
                    header = false;
                    File::open(path)
                        .and_then(|mut there| std::io::copy(&mut there, output.file()))
                        .map_err(|e| self.failed(e))?;
                }
                let file = output.reopen()?;
                (Some(output), Box::new(BufWriter::new(file)))
            }
        };
        let mut writer = csv::WriterBuilder::new().flexible(true).from_writer(file);
        if header {
            writer.write_record(&self.header).map_err(|e| self.failed(e))?;
        }
        Ok(Open { writer, output })
    }

    fn failed(&self, error: impl std::error::Error + Send + Sync + 'static) -> Error {
        let path = self.path.as_deref().unwrap_or(Path::new("-"));
        Error::file(path, "cannot be written", error)
    }

    /// Row and reason of the first few.
    pub(crate) fn first(&self) -> &[(u64, Reason)] {
        &self.first
    }

    pub(crate) fn count(&self) -> u64 {
        self.count
    }

    /// Completes the file, if there is one, and gives its path with the count and the first
    /// reasons. A file of rejects that an earlier run put beside the same output is removed where
    /// overwriting was asked for and nothing is rejected now, because it would tell of another
    /// result; what the user named is never removed.
    pub(crate) fn finish(mut self) -> Result<Rejected> {
        let mut rejected = Rejected {
            count: self.count,
            first: std::mem::take(&mut self.first),
            ..Rejected::default()
        };
        match self.open.take() {
            Some(Open { mut writer, output }) => {
                writer.flush().map_err(|e| self.failed(e))?;
                drop(writer);
                if let Some(output) = output {
                    output.finish()?;
                }
                rejected.path = self.path;
            }
            None => {
                let stale = self.path.as_deref().filter(|_| !self.named && self.overwrite);
                if let Some(stale) = stale.filter(|path| is_ours(path)) {
                    std::fs::remove_file(stale)
                        .map_err(|e| Error::file(stale, "cannot be removed", e))?;
                }
            }
        }
        Ok(rejected)
    }
}

/// A text as it is kept: what is rejected has to be read again.
fn kept(text: &str) -> String {
    without_null(text).unwrap_or_else(|| text.to_string())
}

/// True for devices and pipes, which are written to as they are.
fn is_stream(path: &Path) -> bool {
    std::fs::metadata(path).is_ok_and(|there| !there.is_file() && !there.is_dir())
}

/// The columns of a file, if it is a table of text.
fn header_of(path: &Path) -> Option<Vec<String>> {
    let mut reader = csv::ReaderBuilder::new().flexible(true).from_path(path).ok()?;
    Some(reader.headers().ok()?.iter().map(String::from).collect())
}

/// True for a regular file that begins as files of rejects do.
pub(crate) fn is_ours(path: &Path) -> bool {
    let regular = std::fs::symlink_metadata(path).is_ok_and(|there| there.is_file());
    regular && header_of(path).is_some_and(|header| header.iter().take(2).eq(FRONT.iter()))
}

/// The first name of a row of names that is not taken.
fn free_beside(path: &Path) -> PathBuf {
    let stem = path.file_stem().unwrap_or_default().to_string_lossy();
    let mut number = 2;
    loop {
        let candidate = path.with_file_name(format!("{stem}-{number}.csv"));
        if !candidate.exists() {
            return candidate;
        }
        number += 1;
    }
}

/// What was rejected.
#[derive(Clone, Debug, Default)]
pub struct Rejected {
    /// Number of rows or features.
    pub count: u64,
    /// File that holds them; none if there are none, or they went to standard error.
    pub path: Option<PathBuf>,
    /// Row and reason of the first few.
    pub first: Vec<(u64, Reason)>,
    /// Where the first features lie that could be placed and were not made, one place of each.
    pub places: Vec<RejectedPlace>,
}

/// Where something lies that was rejected.
#[derive(Clone, Debug)]
pub struct RejectedPlace {
    /// Row of the source.
    pub row: u64,
    /// First and second coordinate.
    pub at: (f64, f64),
    /// The system of the coordinates; none if it is not known.
    pub crs: Option<Crs>,
    /// Why it was rejected.
    pub reason: String,
}
