//! An open workbook: its sheets are run through once, and their rows kept as they come.

use super::compound;
use super::sheet::{Sheet, SheetCells};
use crate::error::{Error, Result};
use crate::format_support::SheetShape;
use calamine::{Data, Reader, SheetType, SheetVisible, Sheets, open_workbook_auto};
use std::fs::File;
use std::io::{self, BufReader};
use std::path::{Path, PathBuf};

/// An open workbook.
pub(super) struct Workbook {
    path: PathBuf,
    inner: Sheets<BufReader<File>>,
    sheets: Vec<(SheetShape, Result<SheetCells>)>,
}

/// Why a sheet was not read.
enum Failed {
    /// Its cells cannot be read.
    Book(calamine::Error),
    /// They cannot be kept.
    Kept(io::Error),
    /// Its rows do not come in their order.
    Order,
}

impl From<calamine::Error> for Failed {
    fn from(error: calamine::Error) -> Failed {
        Failed::Book(error)
    }
}

impl From<io::Error> for Failed {
    fn from(error: io::Error) -> Failed {
        Failed::Kept(error)
    }
}

/// Takes a cell by its place from 0, with its value, and whether it is a formula.
type EachCell<'a> = dyn FnMut((u32, u32), Data, bool) -> std::result::Result<(), Failed> + 'a;

impl Workbook {
    /// Opens a workbook and runs through its sheets; a header is looked for in their first rows, and
    /// from the row on that is given (from 1).
    pub(super) fn open(path: &Path, header_row: Option<u32>) -> Result<Workbook> {
        if let Some(fault) = compound::fault(path).map_err(|e| unreadable(path, e))? {
            return Err(unreadable(path, &fault));
        }
        let inner = open_workbook_auto(path).map_err(|e| unreadable(path, e))?;
        let mut book = Workbook { path: path.to_path_buf(), inner, sheets: Vec::new() };
        for sheet in book.inner.sheets_metadata().to_vec() {
            let cells = book.cells(&sheet.name, header_row);
            // Charts are no sheets of cells.
            if cells.is_err() && sheet.typ != SheetType::WorkSheet {
                continue;
            }
            let (rows, columns) = cells.as_ref().map_or((0, 0), SheetCells::size);
            let hidden = sheet.visible != SheetVisible::Visible;
            let shape = SheetShape { name: sheet.name, rows, columns, hidden };
            book.sheets.push((shape, cells));
        }
        if book.sheets.is_empty() {
            return Err(Error::data("has no sheet of cells").in_file(path));
        }
        Ok(book)
    }

    /// Every sheet of cells with its shape.
    pub(super) fn shapes(&self) -> Vec<SheetShape> {
        self.sheets.iter().map(|(shape, _)| shape.clone()).collect()
    }

    /// The first sheet in sight that cannot be read.
    pub(super) fn damaged(&self) -> Option<&str> {
        let damaged =
            |(shape, cells): &&(SheetShape, Result<SheetCells>)| !shape.hidden && cells.is_err();
        self.sheets.iter().find(damaged).map(|(shape, _)| shape.name.as_str())
    }

    /// Takes a sheet out of the workbook.
    pub(super) fn sheet(&mut self, name: &str) -> Result<Sheet> {
        let at = self.sheets.iter().position(|(shape, _)| shape.name == name);
        let Some(at) = at else {
            return Err(Error::usage(format!("sheet `{name}` is named twice")).in_file(&self.path));
        };
        let cells = self.sheets.remove(at).1?;
        let merged = match &mut self.inner {
            Sheets::Xlsx(book) => book.merge_cells_by_sheet_name(name).unwrap_or_default(),
            Sheets::Xls(book) => book.merge_cells_by_sheet_name(name).unwrap_or_default(),
            _ => Vec::new(),
        };
        Ok(Sheet::new(name, cells, merged))
    }

    /// The cells of a sheet.
    fn cells(&mut self, name: &str, header_row: Option<u32>) -> Result<SheetCells> {
        let mut cells = SheetCells::new(header_row);
        let mut read = self.each(name, &mut |place, value, formula| match cells
            .take(place, &value, formula)?
        {
            true => Ok(()),
            false => Err(Failed::Order),
        });
        if let Err(Failed::Order) = read {
            // No program writes rows like that: they are put in order in memory.
            let mut all: Vec<((u32, u32), Data, bool)> = Vec::new();
            cells = SheetCells::new(header_row);
            read = self.each(name, &mut |place, value, formula| {
                all.push((place, value, formula));
                Ok(())
            });
            all.sort_by_key(|(place, ..)| *place);
            for (place, value, formula) in all {
                if let (Ok(()), Err(error)) = (&read, cells.take(place, &value, formula)) {
                    read = Err(Failed::Kept(error));
                }
            }
        }
        let path = &self.path;
        let finished = read.and_then(|()| Ok(cells.finish()?));
        finished.map_err(|failed| match failed {
            Failed::Book(error) => unreadable(path, &error).in_sheet(name),
            Failed::Kept(error) => {
                Error::file(path, "has more rows than can be laid down for the time being", error)
            }
            Failed::Order => Error::data("has rows in no order").in_file(path).in_sheet(name),
        })
    }

    /// Runs through the cells of a sheet.
    fn each(&mut self, name: &str, each: &mut EachCell<'_>) -> std::result::Result<(), Failed> {
        let formulas = match &mut self.inner {
            Sheets::Xlsx(book) => {
                let failed = |e| Failed::Book(calamine::Error::from(e));
                let mut reader = book.worksheet_cells_reader(name).map_err(failed)?;
                while let Some(cell) = reader.next_cell_with_formula_metadata().map_err(failed)? {
                    each(cell.pos, Data::from(cell.value), cell.formula.is_some())?;
                }
                return Ok(());
            }
            Sheets::Xlsb(book) => {
                let failed = |e| Failed::Book(calamine::Error::from(e));
                let mut formulas = Vec::new();
                {
                    let mut reader = book.worksheet_cells_reader(name).map_err(failed)?;
                    while let Some(cell) = reader.next_formula().map_err(failed)? {
                        if !cell.get_value().is_empty() {
                            formulas.push(cell.get_position());
                        }
                    }
                }
                formulas.sort_unstable();
                let mut reader = book.worksheet_cells_reader(name).map_err(failed)?;
                while let Some(cell) = reader.next_cell().map_err(failed)? {
                    let formula = formulas.binary_search(&cell.get_position()).is_ok();
                    each(cell.get_position(), Data::from(cell.get_value().clone()), formula)?;
                }
                return Ok(());
            }
            // Their rows and columns are few, or written one by one.
            Sheets::Xls(_) | Sheets::Ods(_) => {
                self.inner.worksheet_formula(name).unwrap_or_default()
            }
        };
        let range = self.inner.worksheet_range(name)?;
        let (top, left) = range.start().unwrap_or((0, 0));
        for (row, cells) in range.rows().enumerate() {
            for (column, value) in cells.iter().enumerate() {
                let place = (top + row as u32, left + column as u32);
                let formula = formulas.get_value(place).is_some_and(|text| !text.is_empty());
                each(place, value.clone(), formula)?;
            }
        }
        Ok(())
    }
}

fn unreadable(path: &Path, error: impl std::fmt::Display) -> Error {
    Error::data(format!(
        "cannot be read as a workbook: {error}. Is it damaged, or protected with a password?"
    ))
    .in_file(path)
}
