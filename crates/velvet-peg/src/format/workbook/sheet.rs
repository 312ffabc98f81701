//! Reading the sheets of a workbook: which there are, where their tables begin, and their
//! rows as text.
//!
//! A sheet is held in memory while it is read. Numbers become the shortest text that reads
//! back the same, dates ISO 8601, formulas the value that was saved with them. Merged cells
//! repeat their value. The header is the first row that looks like one, wherever it stands;
//! one of two rows (a group above its columns) gives names like `location easting`.

use crate::error::{Error, Result};
use crate::format_support::{CellType, SheetShape};
use calamine::{
    Cell, Data, DataRef, Dimensions, Range, Reader, SheetVisible, Sheets, open_workbook_auto,
};
use std::fs::File;
use std::io::BufReader;
use std::path::Path;

/// What the reader of workbooks gives.
type Fallible<T> = std::result::Result<T, calamine::Error>;

/// An open workbook.
pub(super) struct Workbook {
    path: std::path::PathBuf,
    inner: Sheets<BufReader<File>>,
}

/// A sheet, read.
pub(super) struct Sheet {
    pub(super) name: String,
    cells: Range<Data>,
    merged: Vec<Dimensions>,
    /// Formulas that no value was saved with.
    pub(super) unsaved: usize,
    /// The first row and column in use, from 0.
    start: (u32, u32),
    end: (u32, u32),
}

/// Where the table of a sheet begins.
#[derive(Clone, Debug)]
pub(super) struct Head {
    pub(super) names: Vec<String>,
    /// The first row below the header, from 0.
    pub(super) first: u32,
    /// The first row of the header, from 1; none if there is none.
    pub(super) row: Option<u32>,
    /// The table's columns, from 0.
    columns: (u32, u32),
}

impl Workbook {
    pub(super) fn open(path: &Path) -> Result<Workbook> {
        let inner = open_workbook_auto(path).map_err(|e| unreadable(path, &e))?;
        Ok(Workbook { path: path.to_path_buf(), inner })
    }

    /// Every sheet of cells with its shape.
    pub(super) fn shapes(&mut self) -> Result<Vec<SheetShape>> {
        let sheets = self.inner.sheets_metadata().to_vec();
        let mut shapes = Vec::new();
        for sheet in sheets {
            // Charts are no sheets of cells.
            let end = match self.used_cells(&sheet.name) {
                Some(cells) => cells.map(|cells| {
                    let places = || cells.iter().map(Cell::get_position);
                    let row = places().map(|(row, _)| row).max();
                    row.zip(places().map(|(_, column)| column).max())
                }),
                None => self.inner.worksheet_range(&sheet.name).map(|cells| cells.end()),
            };
            let Ok(end) = end else { continue };
            let end = end.map_or((0, 0), |(row, column)| (row + 1, column + 1));
            shapes.push(SheetShape {
                name: sheet.name,
                rows: end.0.into(),
                columns: end.1.into(),
                hidden: sheet.visible != SheetVisible::Visible,
            });
        }
        if shapes.is_empty() {
            return Err(Error::data("has no sheet of cells").in_file(&self.path));
        }
        Ok(shapes)
    }

    /// The cells with a value of a sheet whose kind of workbook allows cells to be far apart.
    fn used_cells(&mut self, name: &str) -> Option<Fallible<Vec<Cell<Data>>>> {
        let cells = match &mut self.inner {
            Sheets::Xlsx(book) => book
                .worksheet_cells_reader(name)
                .and_then(|mut reader| every(|| Ok(reader.next_cell()?.map(owned))))
                .map_err(calamine::Error::from),
            Sheets::Xlsb(book) => book
                .worksheet_cells_reader(name)
                .and_then(|mut reader| every(|| Ok(reader.next_cell()?.map(owned))))
                .map_err(calamine::Error::from),
            // Their rows and columns are few, or written one by one.
            Sheets::Xls(_) | Sheets::Ods(_) => return None,
        };
        Some(cells.map(|mut cells| {
            cells.retain(|cell| cell.get_value() != &Data::Empty);
            cells
        }))
    }

    /// The places of the formulas of a sheet.
    fn formulas(&mut self, name: &str) -> Vec<(u32, u32)> {
        let cells = match &mut self.inner {
            Sheets::Xlsx(book) => book
                .worksheet_cells_reader(name)
                .and_then(|mut reader| every(|| reader.next_formula()))
                .unwrap_or_default(),
            Sheets::Xlsb(book) => book
                .worksheet_cells_reader(name)
                .and_then(|mut reader| every(|| reader.next_formula()))
                .unwrap_or_default(),
            Sheets::Xls(_) | Sheets::Ods(_) => {
                let formulas = self.inner.worksheet_formula(name).unwrap_or_default();
                let at = formulas.start().unwrap_or_default();
                let place = |row: usize, column: usize| (at.0 + row as u32, at.1 + column as u32);
                let used = formulas.used_cells();
                return used
                    .filter(|(.., formula)| !formula.is_empty())
                    .map(|(row, column, _)| place(row, column))
                    .collect();
            }
        };
        let written = cells.iter().filter(|cell| !cell.get_value().is_empty());
        written.map(Cell::get_position).collect()
    }

    pub(super) fn sheet(&mut self, name: &str) -> Result<Sheet> {
        let path = self.path.clone();
        let unread = |e| unreadable(&path, &e).in_sheet(name);
        let cells = match self.used_cells(name) {
            Some(cells) => {
                let cells = cells.map_err(unread)?;
                check_extent(&cells).map_err(|e| e.in_file(&path).in_sheet(name))?;
                Range::from_sparse(cells)
            }
            None => self.inner.worksheet_range(name).map_err(unread)?,
        };
        let merged = match &mut self.inner {
            Sheets::Xlsx(book) => book.merge_cells_by_sheet_name(name).unwrap_or_default(),
            Sheets::Xls(book) => book.merge_cells_by_sheet_name(name).unwrap_or_default(),
            _ => Vec::new(),
        };
        let empty =
            |place: &(u32, u32)| cells.get_value(*place).is_none_or(|value| value == &Data::Empty);
        let unsaved = self.formulas(name).iter().filter(|place| empty(place)).count();
        let start = cells.start().unwrap_or((0, 0));
        let end = cells.end().unwrap_or((0, 0));
        Ok(Sheet { name: name.to_string(), cells, merged, unsaved, start, end })
    }
}

/// A cell with a value of its own.
fn owned(cell: Cell<DataRef<'_>>) -> Cell<Data> {
    Cell::new(cell.get_position(), Data::from(cell.get_value().clone()))
}

/// What is read one by one.
fn every<T, E>(
    mut next: impl FnMut() -> std::result::Result<Option<T>, E>,
) -> std::result::Result<Vec<T>, E> {
    let mut all = Vec::new();
    while let Some(one) = next()? {
        all.push(one);
    }
    Ok(all)
}

/// The most places of a sheet that is held whatever share of them is in use.
const HELD: u64 = 20_000_000;

/// Refuses a sheet of more places than are held of which less than one in a hundred is in use:
/// every place takes memory, and a table has no such holes.
fn check_extent(cells: &[Cell<Data>]) -> Result<()> {
    let places = || cells.iter().map(Cell::get_position);
    let span = |of: fn((u32, u32)) -> u32| {
        let (least, most) = (places().map(of).min(), places().map(of).max());
        u64::from(most.unwrap_or(0) - least.unwrap_or(0)) + 1
    };
    let (rows, columns) = (span(|place| place.0), span(|place| place.1));
    let used = cells.len() as u64;
    if rows * columns <= HELD || rows * columns / 100 <= used {
        return Ok(());
    }
    let far = places().max_by_key(|(row, column)| u64::from(*row) + u64::from(*column));
    let far = far.map(place_of).unwrap_or_default();
    Err(Error::data(format!(
        "has {used} cells with a value, spread over {rows} rows and {columns} columns: far more \
         than a table has. Is {far} there by mistake? Clear it, or save the rows of the table as \
         CSV"
    )))
}

/// Thousandths of a second as they stand behind the seconds.
fn thousandths(milli: u16) -> String {
    if milli == 0 { String::new() } else { format!(".{milli:03}") }
}

/// A cell as it is called in a workbook: `C7`.
fn place_of((row, column): (u32, u32)) -> String {
    let mut letters = String::new();
    let mut rest = column + 1;
    while rest > 0 {
        let digit = (rest - 1) % 26;
        letters.insert(0, char::from(b'A' + digit as u8));
        rest = (rest - 1) / 26;
    }
    format!("{letters}{}", row + 1)
}

fn unreadable(path: &Path, error: &calamine::Error) -> Error {
    Error::data(format!(
        "cannot be read as a workbook: {error}. Is it damaged, or protected with a password?"
    ))
    .in_file(path)
}

/// Rows from the top in which a header is looked for.
const SEARCHED: u32 = 50;

impl Sheet {
    pub(super) fn is_empty(&self) -> bool {
        self.cells.is_empty()
    }

    /// The cell at a place from 0; what is merged into another shows that.
    fn cell(&self, row: u32, column: u32) -> &Data {
        let at = self
            .merged
            .iter()
            .find(|region| region.contains(row, column))
            .map_or((row, column), |region| region.start);
        self.cells.get_value(at).unwrap_or(&Data::Empty)
    }

    /// The text of a cell.
    fn text(&self, row: u32, column: u32) -> String {
        match self.cell(row, column) {
            Data::Empty => String::new(),
            Data::String(text) => text.clone(),
            Data::Float(number) => number.to_string(),
            Data::Int(number) => number.to_string(),
            Data::Bool(flag) => flag.to_string(),
            Data::DateTime(moment) if moment.is_duration() => {
                let (_, _, _, hours, minutes, seconds, milli) = moment.to_ymd_hms_milli();
                // Days and more count as hours.
                let hours = u64::from(hours) + 24 * moment.as_f64() as u64;
                format!("{hours:02}:{minutes:02}:{seconds:02}{}", thousandths(milli))
            }
            Data::DateTime(moment) => {
                let (year, month, day, h, m, s, milli) = moment.to_ymd_hms_milli();
                let whole = moment.as_f64().fract() == 0.0;
                // Below 1 is a time of the day without a date; midnight is 0.
                match (whole, moment.as_f64() < 1.0) {
                    (true, false) => format!("{year:04}-{month:02}-{day:02}"),
                    (_, true) => format!("{h:02}:{m:02}:{s:02}{}", thousandths(milli)),
                    (false, false) => {
                        let fine = thousandths(milli);
                        format!("{year:04}-{month:02}-{day:02}T{h:02}:{m:02}:{s:02}{fine}")
                    }
                }
            }
            Data::DateTimeIso(text) | Data::DurationIso(text) => text.clone(),
            // An error of a formula stands as it is shown: nothing reads it as a number.
            Data::Error(error) => error.to_string(),
        }
    }

    /// The columns in use of a row, and whether all of them are words.
    fn filled(&self, row: u32) -> (Vec<u32>, bool) {
        let columns: Vec<u32> = (self.start.1..=self.end.1)
            .filter(|column| !self.text(row, *column).trim().is_empty())
            .collect();
        let words = columns.iter().all(|column| match self.cell(row, *column) {
            Data::String(text) => text.trim().parse::<f64>().is_err(),
            _ => false,
        });
        (columns, words)
    }

    /// Finds the header, or takes the row given (from 1).
    pub(super) fn head(&self, given: Option<u32>, no_header: bool) -> Head {
        let last = self.end.0.min(self.start.0 + SEARCHED);
        let width = |from: u32| {
            (from..=(from + SEARCHED).min(self.end.0))
                .map(|row| self.filled(row).0.len())
                .max()
                .unwrap_or(0)
        };
        let looks = |row: u32| {
            let (columns, words) = self.filled(row);
            // A merged title is one word over many columns.
            let mut texts: Vec<String> = columns.iter().map(|c| self.text(row, *c)).collect();
            texts.sort();
            texts.dedup();
            let most = width(row + 1);
            words && texts.len() >= 2.min(most.max(1)) && 2 * columns.len() >= most
        };
        let found = match (given, no_header) {
            (Some(row), _) => Some(row.saturating_sub(1)),
            (None, true) => None,
            (None, false) => (self.start.0..=last).find(|row| looks(*row)),
        };
        let Some(top) = found else {
            // Values from the first row on.
            let first = (self.start.0..=last)
                .find(|row| no_header || !self.filled(*row).0.is_empty())
                .unwrap_or(self.start.0);
            let columns = (self.start.1, self.end.1);
            let names = (columns.0..=columns.1).map(|c| format!("column_{}", c + 1)).collect();
            return Head { names, first, row: None, columns };
        };
        // A header of two rows has a group over several columns, or a cell down both.
        let grouped = self.merged.iter().any(|region| {
            region.start.0 == top
                && (region.end.0 == top + 1
                    || (region.end.1 > region.start.1 && region.end.0 == top))
        });
        let two = given.is_none() && grouped && top < self.end.0 && self.filled(top + 1).1;
        let bottom = if two { top + 1 } else { top };
        let used: Vec<u32> = (top..=bottom).flat_map(|row| self.filled(row).0).collect();
        // Columns without a name count as long as there are values below.
        let below: Vec<u32> = (bottom + 1..=(bottom + SEARCHED).min(self.end.0))
            .flat_map(|row| self.filled(row).0)
            .collect();
        let all = || used.iter().chain(&below).copied();
        let columns = (all().min().unwrap_or(self.start.1), all().max().unwrap_or(self.end.1));
        let names = (columns.0..=columns.1)
            .map(|column| {
                let mut words: Vec<String> =
                    (top..=bottom).map(|row| self.text(row, column)).collect();
                words.dedup();
                words.retain(|word| !word.is_empty());
                words.join(" ").split_whitespace().collect::<Vec<_>>().join(" ")
            })
            .collect();
        Head { names, first: bottom + 1, row: Some(top + 1), columns }
    }

    /// The cells of a row of the table, with what they are; none below the last row.
    pub(super) fn row(&self, head: &Head, row: u32) -> Option<Vec<(String, CellType)>> {
        let columns = head.columns.0..=head.columns.1;
        (row <= self.end.0 && !self.is_empty()).then(|| {
            columns.map(|column| (self.text(row, column), self.cell_type(row, column))).collect()
        })
    }

    /// The last row in use, from 0.
    pub(super) fn last(&self) -> u32 {
        self.end.0
    }

    fn cell_type(&self, row: u32, column: u32) -> CellType {
        match self.cell(row, column) {
            Data::Empty => CellType::Blank,
            Data::String(_) | Data::Error(_) => CellType::Text,
            Data::Float(_) | Data::Int(_) => CellType::Number,
            Data::Bool(_) => CellType::YesNo,
            Data::DateTime(moment) if moment.is_duration() => CellType::Time,
            Data::DateTime(moment) => {
                match (moment.as_f64().fract() == 0.0, moment.as_f64() < 1.0) {
                    (true, false) => CellType::Date,
                    (_, true) => CellType::Time,
                    (false, false) => CellType::DateTime,
                }
            }
            Data::DateTimeIso(text) if text.contains('T') => CellType::DateTime,
            Data::DateTimeIso(_) => CellType::Date,
            Data::DurationIso(_) => CellType::Time,
        }
    }
}
