//! Cells that are added to the rows of a table, and the text that rows become with them.

use super::{RowBlock, RowShape};
use crate::error::{Error, Result};
use crate::format_support::{Formulas, SourceRow, without_null};
use crate::outcome::Reason;

/// Cells that are added to rows, in one text.
#[derive(Debug, Default)]
pub(crate) struct AddedCells {
    text: String,
    /// Where each cell ends in the text.
    ends: Vec<usize>,
    /// How many cells there are up to the end of each row, or why the row has none.
    rows: Vec<std::result::Result<usize, Reason>>,
}

impl AddedCells {
    /// Adds the cells of the next row, or says why it has none.
    pub(crate) fn row(
        &mut self,
        fill: impl FnOnce(&mut AddedCells) -> std::result::Result<(), Reason>,
    ) {
        let (cells, text) = (self.ends.len(), self.text.len());
        let filled = fill(self);
        if filled.is_err() {
            self.ends.truncate(cells);
            self.text.truncate(text);
        }
        self.rows.push(filled.map(|()| self.ends.len()));
    }

    /// Adds a cell that `write` puts behind the text of those before it.
    pub(crate) fn cell(&mut self, write: impl FnOnce(&mut String)) {
        write(&mut self.text);
        self.ends.push(self.text.len());
    }

    /// The texts of cells.
    fn texts(&self, cells: std::ops::Range<usize>) -> impl Iterator<Item = &str> {
        cells.map(|at| {
            let start = if at == 0 { 0 } else { self.ends[at - 1] };
            &self.text[start..self.ends[at]]
        })
    }
}

/// What became of a block of rows.
pub(super) struct Lines<S> {
    /// The rows with what is added to them, as delimited text.
    pub(super) text: Vec<u8>,
    /// The rows of the block that are rejected, and why.
    pub(super) rejected: Vec<(usize, Reason)>,
    /// Texts that would run in a spreadsheet.
    pub(super) formulas: Formulas,
    /// Texts with characters that were replaced.
    pub(super) replaced: u64,
    pub(super) seen: S,
}

impl<S> Lines<S> {
    /// The rows of a block with the cells that `fill` adds to those that fit their table.
    pub(super) fn of(
        shape: &RowShape,
        block: &RowBlock,
        delimiter: u8,
        (names, mark): (&[String], bool),
        fill: &impl Fn(&[&SourceRow], &mut AddedCells) -> S,
    ) -> Result<Lines<S>> {
        let misfits: Vec<Option<Reason>> =
            block.rows().iter().map(|row| shape.misfit_of(row)).collect();
        let fits = |(row, misfit): (_, &Option<Reason>)| misfit.is_none().then_some(row);
        let fitting: Vec<&SourceRow> = block.rows().iter().zip(&misfits).filter_map(fits).collect();
        let mut added = AddedCells::default();
        let seen = fill(&fitting, &mut added);
        let mut lines = TextLines::new(delimiter);
        let mut formulas = Formulas::new(mark);
        let mut rejected = Vec::new();
        let mut filled = std::mem::take(&mut added.rows).into_iter();
        let mut next = 0;
        for (at, (row, misfit)) in block.rows().iter().zip(misfits).enumerate() {
            let became = match misfit {
                Some(misfit) => Err(misfit),
                None => filled.next().unwrap_or_else(|| Err("it was not looked at".into())),
            };
            match became {
                Ok(end) => {
                    for (column, text) in row.texts.iter().enumerate() {
                        let name = || names.get(column).map_or("", String::as_str);
                        let place = || format!("row {}, column {}", row.number, name());
                        match formulas.marked(text, place) {
                            Some(marked) => lines.field(&marked)?,
                            None => lines.field(text)?,
                        }
                    }
                    for text in added.texts(next..end) {
                        lines.field(text)?;
                    }
                    lines.end_line()?;
                    next = end;
                }
                Err(reason) => rejected.push((at, reason)),
            }
        }
        let replaced = lines.replaced;
        Ok(Lines { text: lines.end()?, rejected, formulas, replaced, seen })
    }
}

/// Lines of delimited text.
pub(super) struct TextLines {
    writer: csv::Writer<Vec<u8>>,
    /// Texts with characters that were replaced.
    pub(super) replaced: u64,
}

impl TextLines {
    pub(super) fn new(delimiter: u8) -> TextLines {
        let writer = csv::WriterBuilder::new().delimiter(delimiter).from_writer(Vec::new());
        TextLines { writer, replaced: 0 }
    }

    pub(super) fn field(&mut self, text: &str) -> Result<()> {
        let held = without_null(text);
        self.replaced += u64::from(held.is_some());
        self.writer.write_field(held.as_deref().unwrap_or(text)).map_err(unmade)
    }

    pub(super) fn end_line(&mut self) -> Result<()> {
        self.writer.write_record(None::<&[u8]>).map_err(unmade)
    }

    pub(super) fn end(self) -> Result<Vec<u8>> {
        self.writer.into_inner().map_err(|error| unmade(error.into_error().into()))
    }
}

/// Writing to memory does not fail.
fn unmade(error: csv::Error) -> Error {
    Error::data(format!("rows cannot be written: {error}"))
}
