//! A table that was opened, to be read once or several times.

use super::TableReader;
use super::many::{ManyTables, in_folder};
use super::of_layer::OfLayer;
use crate::advice::Advice;
use crate::error::{Error, Result};
use crate::format::Format;
use crate::format_support::{SheetShape, TableFacts, TableOptions, TableSource, TableToOpen};
use crate::input::{Located, Unchanged, format_of, locate, recognise_standard_input};
use crate::notice::Notice;
use crate::output::TemporaryFolder;
use csv::StringRecord;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use velvet_peg_core::Crs;

/// Rows that columns are judged by.
const HEAD_ROWS: usize = 200;

/// A table to be read, once or several times: delimited text, sheets of a workbook, or a table
/// of attributes.
///
/// ```
/// # let folder = tempfile::tempdir()?;
/// # velvet_peg::demo::lay_out(folder.path(), false)?;
/// # let file = |name: &str| folder.path().join(name);
/// use velvet_peg::table::{Cell, TableFile, TableOptions};
/// let table = TableFile::open(&file("headgates.csv"), &TableOptions::default())?;
/// let rows = table.rows()?;
/// let northing = rows.columns().iter().position(|name| name == "northing");
/// for row in rows {
///     let row = row?; // row.number() is its number in the file: the header is row 1
///     assert_ne!(row.cell(northing.unwrap_or(1)), Some(Cell::Blank));
/// }
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug)]
pub struct TableFile {
    path: PathBuf,
    /// Every file that it is read from.
    inputs: Vec<PathBuf>,
    /// Keeps an input that was laid down.
    _keep: Option<Arc<TemporaryFolder>>,
    format: Format,
    source: Box<dyn TableSource>,
    /// Its file as it was opened.
    unchanged: Unchanged,
    names: Vec<String>,
}

impl TableFile {
    /// Opens a table and tells how its text is encoded and divided. `-` is standard input; of a
    /// folder, all tables in it are read as one.
    ///
    /// # Errors
    /// If it is no table, cannot be read, or it is not clear whether its first row is a header and
    /// the options do not say it.
    pub fn open(path: &Path, options: &TableOptions) -> Result<TableFile> {
        if path.is_dir() || !options.more.is_empty() || !options.same.is_empty() {
            return TableFile::open_many(path, options);
        }
        TableFile::open_single(path, options)
    }

    pub(super) fn open_single(path: &Path, options: &TableOptions) -> Result<TableFile> {
        let file = TableFile::open_located(locate(path)?, options)?;
        decided(path, file.source.facts())?;
        Ok(file)
    }

    /// Tables of one shape as one: a folder of them, or one with more behind it.
    fn open_many(path: &Path, options: &TableOptions) -> Result<TableFile> {
        let mut paths = Vec::new();
        for path in std::iter::once(path).chain(options.more.iter().map(PathBuf::as_path)) {
            match path.is_dir() {
                true => paths.extend(in_folder(path)?),
                false => paths.push(path.to_path_buf()),
            }
        }
        let (source, format) = (ManyTables::open(&paths, options)?, format_of(&paths[0])?);
        Ok(TableFile {
            path: path.to_path_buf(),
            inputs: paths,
            _keep: None,
            format,
            source: Box::new(source),
            // Each of them is watched by itself.
            unchanged: Unchanged::default(),
            names: Vec::new(),
        })
    }

    /// Every file that it is read from.
    pub fn inputs(&self) -> &[PathBuf] {
        &self.inputs
    }

    /// As [`TableFile::open`], of an input that was found already, and whether or not it is clear
    /// what the first row holds: it counts as values then.
    pub(crate) fn open_located(at: Located, options: &TableOptions) -> Result<TableFile> {
        let table = TableToOpen { real: &at.real, shown: &at.shown, options };
        let unchanged = Unchanged::of(&at.real);
        let opened = match at.format.is_table() {
            true => at.format.description().open_table(&table),
            false => OfLayer::open(at.format, &table).map(|layer| Box::new(layer) as Box<_>),
        };
        let source = unchanged.hold(&at.shown, opened)?;
        let sheets_are_asked =
            !options.sheets.is_empty() || options.all_sheets || options.header_row.is_some();
        if sheets_are_asked && !at.format.capability().several_layers {
            return Err(
                Error::usage("is no workbook: it has no sheets to choose from").in_file(&at.shown)
            );
        }
        let names = match options.names.is_empty() {
            true => source.facts().names.clone(),
            false => options.names.clone(),
        };
        Ok(TableFile {
            inputs: vec![at.shown.clone()],
            path: at.shown,
            _keep: at.keep,
            format: at.format,
            source,
            unchanged,
            names,
        })
    }

    /// Path as given; `-` for standard input.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Format of the file.
    pub fn format(&self) -> Format {
        self.format
    }

    /// What was noticed on opening.
    pub fn notices(&self) -> &[Notice] {
        &self.facts().notices
    }

    /// The reference system of its coordinates, where a file beside it says so.
    pub fn crs(&self) -> Option<&Crs> {
        self.facts().crs.as_ref()
    }

    /// False if the first row holds values, not names.
    pub fn has_header(&self) -> bool {
        self.facts().header
    }

    /// The sheets of the workbook that it is from; none of other files.
    pub fn sheets(&self) -> &[SheetShape] {
        &self.facts().sheets
    }

    /// The sheet that it is from, if it is from one.
    pub fn sheet(&self) -> Option<&str> {
        self.facts().sheet.as_deref()
    }

    /// Size in bytes.
    pub fn bytes(&self) -> u64 {
        self.facts().bytes
    }

    /// What the format tells of the table.
    pub(crate) fn facts(&self) -> &TableFacts {
        self.source.facts()
    }

    /// Why it is not clear whether the first row is a header, if it is not: it counts as values.
    pub(crate) fn doubt(&self) -> Option<&str> {
        self.facts().doubt.as_deref()
    }

    /// The first rows, to judge columns by.
    pub(crate) fn head(&self) -> Result<Vec<StringRecord>> {
        let mut reader = self.rows()?;
        let mut rows = Vec::new();
        let mut record = StringRecord::new();
        while rows.len() < HEAD_ROWS && reader.read(&mut record)? {
            if reader.misfit(&record).is_none() {
                rows.push(record.clone());
            }
        }
        Ok(rows)
    }

    /// A reader of parts spread over a large file, and how many of its rows stand at the
    /// beginning of the file; none for a file that is better read whole.
    pub(crate) fn sample(&self) -> Result<Option<(TableReader, u64)>> {
        let Some((rows, lines)) = self.source.sample()? else { return Ok(None) };
        Ok(Some((TableReader::new(rows, &self.path, self.facts(), &self.names)?, lines)))
    }

    /// Starts reading at the first row below the header.
    ///
    /// # Errors
    /// If the file cannot be read or is empty.
    pub fn rows(&self) -> Result<TableReader> {
        let rows = self.unchanged.hold(&self.path, self.source.rows())?;
        let reader = TableReader::new(rows, &self.path, self.facts(), &self.names)?;
        Ok(reader.watching(self.unchanged.clone()))
    }
}

/// # Errors
/// If it is not clear whether the first row is a header.
fn decided(path: &Path, facts: &TableFacts) -> Result<()> {
    match &facts.doubt {
        None => Ok(()),
        Some(why) => {
            Err(Error::usage(format!("its first row may hold names of columns or values ({why})"))
                .advise(Advice::StateHeader)
                .in_file(path))
        }
    }
}

/// Standard input as a table that is read once as it comes, with what was told of it from its
/// beginning; none if it is of a format that has to be read more than once.
pub(crate) fn standard_input(
    path: &Path,
    options: &TableOptions,
) -> Result<Option<(TableReader, TableFacts)>> {
    let Ok(format) = recognise_standard_input() else { return Ok(None) };
    let table = TableToOpen { real: path, shown: path, options };
    let input = Box::new(std::io::stdin());
    let Some(opened) = format.description().stream_table(input, &table) else { return Ok(None) };
    let (rows, facts) = opened?;
    decided(path, &facts)?;
    let reader = TableReader::new(rows, path, &facts, &options.names)?;
    Ok(Some((reader, facts)))
}
