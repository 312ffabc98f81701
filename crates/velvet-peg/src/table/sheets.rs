//! Reading the sheets of a workbook: which there are, where their tables begin, and their
//! rows as text.
//!
//! A sheet is held in memory while it is read. Numbers become the shortest text that reads
//! back the same, dates ISO 8601, formulas the value that was saved with them. Merged cells
//! repeat their value. The header is the first row that looks like one, wherever it stands;
//! one of two rows (a group above its columns) gives names like `location easting`.

use crate::error::{Error, Result};
use calamine::{Data, Dimensions, Range, Reader, SheetVisible, Sheets, open_workbook_auto};
use std::fs::File;
use std::io::BufReader;
use std::path::Path;

/// A sheet as it is listed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SheetShape {
    /// Name.
    pub name: String,
    /// Rows in use.
    pub rows: u64,
    /// Columns in use.
    pub columns: u64,
    /// It is not shown by the programs that made it.
    pub hidden: bool,
}

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
            let Ok(cells) = self.inner.worksheet_range(&sheet.name) else { continue };
            let end = cells.end().map_or((0, 0), |(row, column)| (row + 1, column + 1));
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

    pub(super) fn sheet(&mut self, name: &str) -> Result<Sheet> {
        let cells = self
            .inner
            .worksheet_range(name)
            .map_err(|e| unreadable(&self.path, &e).in_sheet(name))?;
        let merged = match &mut self.inner {
            Sheets::Xlsx(book) => book.merge_cells_by_sheet_name(name).unwrap_or_default(),
            Sheets::Xls(book) => book.merge_cells_by_sheet_name(name).unwrap_or_default(),
            _ => Vec::new(),
        };
        let formulas = self.inner.worksheet_formula(name).unwrap_or_default();
        let at = formulas.start().unwrap_or_default();
        let unsaved = formulas
            .used_cells()
            .filter(|(row, column, formula)| {
                let place = (at.0 + *row as u32, at.1 + *column as u32);
                let value = cells.get_value(place).unwrap_or(&Data::Empty);
                !formula.is_empty() && value == &Data::Empty
            })
            .count();
        let start = cells.start().unwrap_or((0, 0));
        let end = cells.end().unwrap_or((0, 0));
        Ok(Sheet { name: name.to_string(), cells, merged, unsaved, start, end })
    }
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
                let (_, _, _, hours, minutes, seconds, _) = moment.to_ymd_hms_milli();
                // Days and more count as hours.
                let hours = u64::from(hours) + 24 * moment.as_f64() as u64;
                format!("{hours:02}:{minutes:02}:{seconds:02}")
            }
            Data::DateTime(moment) => {
                let (year, month, day, h, m, s, milli) = moment.to_ymd_hms_milli();
                let whole = moment.as_f64().fract() == 0.0;
                match (whole, moment.as_f64() < 1.0, milli) {
                    (true, ..) => format!("{year:04}-{month:02}-{day:02}"),
                    // A time of day without a date.
                    (false, true, _) => format!("{h:02}:{m:02}:{s:02}"),
                    (false, _, 0) => {
                        format!("{year:04}-{month:02}-{day:02}T{h:02}:{m:02}:{s:02}")
                    }
                    (false, _, milli) => {
                        format!("{year:04}-{month:02}-{day:02}T{h:02}:{m:02}:{s:02}.{milli:03}")
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

    /// The rows below the header that are not blank: their number as the sheet shows it, and
    /// their cells.
    pub(super) fn rows<'a>(
        &'a self,
        head: &'a Head,
    ) -> impl Iterator<Item = (u32, Vec<String>)> + 'a {
        (head.first..=self.end.0).filter(|_| !self.is_empty()).filter_map(|row| {
            let cells: Vec<String> =
                (head.columns.0..=head.columns.1).map(|column| self.text(row, column)).collect();
            cells.iter().any(|cell| !cell.trim().is_empty()).then_some((row + 1, cells))
        })
    }
}
