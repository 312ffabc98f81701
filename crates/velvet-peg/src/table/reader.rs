//! Reading the rows of a table.

use super::RowShape;
use crate::error::{Error, Result};
use crate::format_support::{CellType, RowSource, SourceRow, TableFacts};
use crate::input::Unchanged;
use crate::layer::column_names::{TakenNames, list};
use crate::notice::{Notice, NoticeKind};
use crate::outcome::Reason;
use csv::StringRecord;
use std::fmt;
use std::path::{Path, PathBuf};

/// Reads the rows of a table, one after the other: an iterator of [`Row`]s.
pub struct TableReader {
    path: PathBuf,
    source: Box<dyn RowSource>,
    /// Its file as it was opened.
    unchanged: Unchanged,
    /// Column names: blank ones are numbered, repeated ones get a suffix.
    shape: RowShape,
    /// Names that had to be changed.
    renamed: Vec<String>,
    /// The row last read; its texts are with whoever read it.
    row: SourceRow,
    failed: bool,
}

impl fmt::Debug for TableReader {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("TableReader").field("path", &self.path).finish_non_exhaustive()
    }
}

impl TableReader {
    pub(super) fn new(
        source: Box<dyn RowSource>,
        path: &Path,
        facts: &TableFacts,
        names: &[String],
    ) -> Result<TableReader> {
        let raw = source.names();
        // Without a header a blank first row is a row.
        if raw.is_empty() || raw.iter().all(|field| field.trim().is_empty()) {
            return Err(Error::data(
                "is empty: a table needs a header row with column names, and rows below it",
            )
            .in_file(path));
        }
        if !names.is_empty() && names.len() != raw.len() {
            return Err(Error::usage(format!(
                "{} names were given for its {} columns",
                names.len(),
                raw.len()
            ))
            .in_file(path));
        }
        let (headers, renamed) = match (names, facts.header) {
            ([], true) => distinct(raw),
            ([], false) => ((1..=raw.len()).map(|at| format!("column_{at}")).collect(), Vec::new()),
            (names, _) => distinct(&names.iter().collect()),
        };
        Ok(TableReader {
            path: path.to_path_buf(),
            source,
            unchanged: Unchanged::default(),
            shape: RowShape {
                headers,
                sheet_column: facts.sheet_column,
                part: if facts.part.is_empty() { "sheet" } else { facts.part },
            },
            renamed,
            row: SourceRow::default(),
            failed: false,
        })
    }

    /// The same reader, which fails at its end if the file was changed meanwhile.
    pub(super) fn watching(self, unchanged: Unchanged) -> TableReader {
        TableReader { unchanged, ..self }
    }

    /// Names of the columns: blank ones are numbered, repeated ones get a suffix.
    pub fn columns(&self) -> &[String] {
        &self.shape.headers
    }

    /// What its rows have to be like.
    pub(crate) fn shape(&self) -> &RowShape {
        &self.shape
    }

    /// Reads the next row into `row`; false at the end.
    pub(super) fn read_row(&mut self, row: &mut SourceRow) -> Result<bool> {
        match self.source.next(row) {
            Ok(true) => Ok(true),
            ended => self.unchanged.hold(&self.path, ended),
        }
    }

    /// Reads the next row; false at the end. Bytes that are not text come as replacement
    /// characters, and `misfit` tells of them.
    pub(crate) fn read(&mut self, record: &mut StringRecord) -> Result<bool> {
        std::mem::swap(record, &mut self.row.texts);
        let mut row = std::mem::take(&mut self.row);
        std::mem::swap(record, &mut row.texts);
        let more = self.read_row(&mut row);
        std::mem::swap(record, &mut row.texts);
        self.row = row;
        more
    }

    /// Number of the row last read, the header being row 1.
    pub(crate) fn row(&self) -> u64 {
        self.row.number
    }

    /// The types of the cells of the row last read; none where they are all untyped.
    pub(crate) fn types(&self) -> &[CellType] {
        &self.row.types
    }

    /// What is wrong with a row, with the sheet it is on if there are several.
    pub(crate) fn on_sheet(&self, record: &StringRecord, reason: Reason) -> Reason {
        self.shape.on_sheet(record, reason)
    }

    /// Bytes of the file read so far.
    pub fn bytes_read(&self) -> u64 {
        self.source.bytes_read()
    }

    /// True if the row last read holds bytes that are not text in the encoding.
    pub(crate) fn is_garbled(&self) -> bool {
        self.row.garbled.is_some()
    }

    /// Runs through the rows.
    pub(crate) fn each_row(
        mut self,
        each: &mut dyn FnMut(&TableReader, &StringRecord) -> Result<()>,
    ) -> Result<()> {
        let mut record = StringRecord::new();
        while self.read(&mut record)? {
            each(&self, &record)?;
        }
        Ok(())
    }

    /// A remark on headers that had to be changed.
    pub(crate) fn renamed(&self) -> Option<Notice> {
        let names = self.renamed.as_slice();
        (!names.is_empty()).then(|| {
            Notice::note(
                NoticeKind::ColumnChange,
                format!("column names that were blank or repeated became {}", list(names)),
            )
        })
    }

    /// Why the row last read does not fit its header or its encoding, if it does not.
    pub(crate) fn misfit(&self, record: &StringRecord) -> Option<Reason> {
        let SourceRow { misfit, garbled, .. } = &self.row;
        self.shape.misfit(misfit.as_ref(), *garbled, record)
    }
}

impl Iterator for TableReader {
    type Item = Result<Row>;

    fn next(&mut self) -> Option<Result<Row>> {
        if self.failed {
            return None;
        }
        let mut texts = StringRecord::new();
        match self.read(&mut texts) {
            Ok(true) => Some(Ok(Row {
                misfit: self.misfit(&texts),
                sheet: self.shape.sheet_column.and_then(|at| texts.get(at)).map(str::to_string),
                texts,
                types: self.row.types.clone(),
                number: self.row.number,
            })),
            Ok(false) => None,
            Err(error) => {
                self.failed = true;
                Some(Err(error))
            }
        }
    }
}

/// A row of a table, with its place.
#[derive(Clone, Debug)]
pub struct Row {
    texts: StringRecord,
    types: Vec<CellType>,
    number: u64,
    sheet: Option<String>,
    misfit: Option<Reason>,
}

/// A cell of a row, as its file holds it.
#[derive(Clone, Copy, Debug, PartialEq)]
#[non_exhaustive]
pub enum Cell<'a> {
    /// Nothing.
    Blank,
    /// A text of which nobody says whether it is a number: all that delimited text has.
    Untyped(&'a str),
    /// A text.
    Text(&'a str),
    /// A whole number.
    Whole(i64),
    /// A number with a fraction, or beyond 64 bits.
    Number(f64),
    /// Yes or no.
    YesNo(bool),
    /// A date as ISO 8601 has it: `2026-05-01`.
    Date(&'a str),
    /// A time of the day or a duration: `09:30:00`.
    Time(&'a str),
    /// A date with a time: `2026-05-01T09:30:00`.
    DateTime(&'a str),
}

impl Row {
    /// Its number as whoever made the file counts: the header of a text table is row 1, and rows of
    /// a sheet are those that a spreadsheet shows.
    pub fn number(&self) -> u64 {
        self.number
    }

    /// The sheet that it is on or the file that it is from, where several are read as one table.
    pub fn sheet(&self) -> Option<&str> {
        self.sheet.as_deref()
    }

    /// Cells of the row.
    pub fn len(&self) -> usize {
        self.texts.len()
    }

    /// True for a row without cells.
    pub fn is_empty(&self) -> bool {
        self.texts.is_empty()
    }

    /// Why the row does not fit its header or its encoding, if it does not.
    pub fn misfit(&self) -> Option<&str> {
        self.misfit.as_ref().map(|reason| reason.text.as_str())
    }

    /// A cell as text: numbers in the shortest form that reads back the same, yes and no as `true`
    /// and `false`, dates as ISO 8601 has them; none beyond the last cell.
    pub fn text(&self, column: usize) -> Option<&str> {
        self.texts.get(column)
    }

    /// A cell as its file holds it; none beyond the last cell.
    pub fn cell(&self, column: usize) -> Option<Cell<'_>> {
        let text = self.texts.get(column)?;
        let number = || match (text.parse::<i64>(), text.parse::<f64>()) {
            (Ok(whole), _) => Cell::Whole(whole),
            (_, Ok(number)) => Cell::Number(number),
            // A number that a format writes in another way is handed on as it stands.
            _ => Cell::Text(text),
        };
        Some(match self.types.get(column).copied().unwrap_or_default() {
            CellType::Blank => Cell::Blank,
            CellType::Untyped if text.is_empty() => Cell::Blank,
            CellType::Untyped => Cell::Untyped(text),
            CellType::Text => Cell::Text(text),
            CellType::Number => number(),
            CellType::YesNo => Cell::YesNo(text == "true"),
            CellType::Date => Cell::Date(text),
            CellType::Time => Cell::Time(text),
            CellType::DateTime => Cell::DateTime(text),
        })
    }
}

/// Column names made distinct and never blank, and the ones that had to be changed.
fn distinct(raw: &StringRecord) -> (Vec<String>, Vec<String>) {
    let (mut headers, mut renamed): (Vec<String>, Vec<String>) = (Vec::new(), Vec::new());
    let mut taken = TakenNames::default();
    for (at, field) in raw.iter().enumerate() {
        let base = match field.trim() {
            "" => format!("column_{}", at + 1),
            name => name.to_string(),
        };
        let name = taken.take(&base);
        if name != field.trim() {
            renamed.push(name.clone());
        }
        headers.push(name);
    }
    (headers, renamed)
}
