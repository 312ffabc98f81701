//! A sheet of a workbook: where its table begins, and its rows as text.
//!
//! Numbers become the shortest text that reads back the same, dates ISO 8601, formulas the value
//! that was saved with them. Merged cells repeat their value. The header is the first row that looks
//! like one, wherever it stands; one of two rows (a group above its columns) gives names like
//! `location easting`.

use super::cell::{name_of, text_of, type_of};
use super::spool::{Spool, SpoolReader, SpoolWriter, SpooledCell};
use crate::error::{Error, Result};
use crate::format_support::CellType;
use calamine::{Data, Dimensions};
use std::collections::BTreeMap;
use std::io;

/// Rows from the top in which a header is looked for.
const SEARCHED: u32 = 50;
/// Rows from the top, or from the header that is given, that are held.
const HELD: u32 = 3 * SEARCHED;

/// The cells with a value of a sheet.
pub(super) struct SheetCells {
    /// Those of the first rows, and of those from the header on that is given.
    top: BTreeMap<(u32, u32), Data>,
    given: Option<u32>,
    rows: Rows,
    /// The row on its way.
    row: Option<(u32, Vec<SpooledCell>)>,
    /// The first and the last row and column in use, from 0; none of an empty sheet.
    extent: Option<Extent>,
    /// Cells below the rows that are held, by their columns, with the first row of each.
    below: BTreeMap<u32, (u64, u32)>,
    count: u64,
    /// Formulas that no value was saved with.
    unsaved: usize,
}

enum Rows {
    Coming(SpoolWriter),
    Kept(Spool),
}

#[derive(Clone, Copy, Debug)]
struct Extent {
    first: (u32, u32),
    last: (u32, u32),
}

impl SheetCells {
    /// A sheet whose header may be given, by its row from 1.
    pub(super) fn new(header_row: Option<u32>) -> SheetCells {
        SheetCells {
            top: BTreeMap::new(),
            given: header_row.map(|row| row.saturating_sub(1)),
            rows: Rows::Coming(SpoolWriter::default()),
            row: None,
            extent: None,
            below: BTreeMap::new(),
            count: 0,
            unsaved: 0,
        }
    }

    /// Takes a cell; false if it belongs to a row before the last one.
    pub(super) fn take(
        &mut self,
        (row, column): (u32, u32),
        value: &Data,
        formula: bool,
    ) -> io::Result<bool> {
        if value == &Data::Empty {
            self.unsaved += usize::from(formula);
            return Ok(true);
        }
        match &mut self.row {
            Some((open, _)) if *open > row => return Ok(false),
            Some((open, _)) if *open == row => {}
            _ => {
                self.end_row()?;
                self.row = Some((row, Vec::new()));
            }
        }
        if let Some((_, cells)) = &mut self.row {
            cells.push((column, text_of(value), type_of(value)));
        }
        self.count += 1;
        let extent =
            self.extent.get_or_insert(Extent { first: (row, column), last: (row, column) });
        extent.first.1 = extent.first.1.min(column);
        extent.last = (row, extent.last.1.max(column));
        let near = |from: u32| (from..=from.saturating_add(HELD)).contains(&row);
        if near(extent.first.0) || self.given.is_some_and(near) {
            self.top.insert((row, column), value.clone());
        } else {
            self.below.entry(column).or_insert((0, row)).0 += 1;
        }
        Ok(true)
    }

    fn end_row(&mut self) -> io::Result<()> {
        match (self.row.take(), &mut self.rows) {
            (Some((row, cells)), Rows::Coming(writer)) => writer.row(row, &cells),
            _ => Ok(()),
        }
    }

    /// Ends the sheet.
    pub(super) fn finish(mut self) -> io::Result<SheetCells> {
        self.end_row()?;
        if let Rows::Coming(writer) = self.rows {
            self.rows = Rows::Kept(writer.finish()?);
        }
        Ok(self)
    }

    /// Rows and columns from the first of the sheet to the last in use.
    pub(super) fn size(&self) -> (u64, u64) {
        self.extent
            .map_or((0, 0), |Extent { last, .. }| (u64::from(last.0) + 1, u64::from(last.1) + 1))
    }
}

/// A sheet, read.
pub(super) struct Sheet {
    pub(super) name: String,
    cells: SheetCells,
    /// In the order of their first rows.
    merged: Vec<Dimensions>,
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

/// The most places of a table whatever share of them is in use.
const PLACES: u64 = 20_000_000;

impl Sheet {
    pub(super) fn new(name: &str, cells: SheetCells, mut merged: Vec<Dimensions>) -> Sheet {
        let extent = cells.extent.unwrap_or(Extent { first: (0, 0), last: (0, 0) });
        merged.sort_by_key(|region| region.start);
        Sheet { name: name.to_string(), cells, merged, start: extent.first, end: extent.last }
    }

    pub(super) fn is_empty(&self) -> bool {
        self.cells.extent.is_none()
    }

    /// Formulas that no value was saved with.
    pub(super) fn unsaved(&self) -> usize {
        self.cells.unsaved
    }

    /// Refuses a table of very many places of which less than one in a hundred is in use: a table has
    /// no such holes, and each place takes time.
    ///
    /// # Errors
    /// With the place that is far away.
    pub(super) fn check_extent(&self, head: &Head) -> Result<()> {
        let rows = u64::from(self.end.0.saturating_sub(head.first)) + 1;
        let columns = u64::from(head.columns.1 - head.columns.0) + 1;
        let used = self.cells.count;
        if rows * columns <= PLACES || rows * columns / 100 <= used {
            return Ok(());
        }
        let far = self.cells.top.keys().max_by_key(|(_, column)| *column);
        let far = far.copied().map(name_of).unwrap_or_default();
        Err(Error::data(format!(
            "has {used} cells with a value, spread over {rows} rows and {columns} columns: far more \
             than a table has. Is {far} there by mistake? Clear it, or save the rows of the table as \
             CSV"
        ))
        .in_sheet(&self.name))
    }

    /// Cells with a value, far below the header, that stand in none of the table's columns: how many,
    /// and the first.
    pub(super) fn outside(&self, head: &Head) -> Option<(u64, String)> {
        let columns = head.columns.0..=head.columns.1;
        let outside = || self.cells.below.iter().filter(|(column, _)| !columns.contains(column));
        let count = outside().map(|(_, (count, _))| count).sum();
        let first = outside().map(|(column, (_, row))| (*row, *column)).min()?;
        Some((count, name_of(first)))
    }

    /// The cell at a place from 0 in the rows that are held; what is merged into another shows that.
    fn cell(&self, row: u32, column: u32) -> &Data {
        let at = self
            .merged
            .iter()
            .take_while(|region| region.start.0 <= row)
            .find(|region| region.contains(row, column))
            .map_or((row, column), |region| region.start);
        self.cells.top.get(&at).unwrap_or(&Data::Empty)
    }

    /// The text of a cell in the rows that are held.
    fn text(&self, row: u32, column: u32) -> String {
        text_of(self.cell(row, column))
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

    /// Runs through the rows of the table.
    pub(super) fn rows(&self, head: &Head) -> io::Result<TableRows> {
        let reader = match &self.cells.rows {
            Rows::Kept(spool) => spool.read()?,
            Rows::Coming(_) => return Err(io::Error::other("the rows are not whole")),
        };
        Ok(TableRows {
            reader,
            ahead: None,
            row: 0,
            first: head.first,
            columns: head.columns,
            merged: self.merged.clone(),
            next: 0,
            active: Vec::new(),
        })
    }

    /// Bytes of its rows.
    pub(super) fn bytes(&self) -> u64 {
        match &self.cells.rows {
            Rows::Kept(spool) => spool.bytes,
            Rows::Coming(_) => 0,
        }
    }
}

/// Runs through the rows of a table in a sheet.
pub(super) struct TableRows {
    reader: SpoolReader,
    /// The next row with cells of its own, where it was read already.
    ahead: Option<(u32, Vec<SpooledCell>)>,
    /// The next row, from 0.
    row: u32,
    first: u32,
    columns: (u32, u32),
    merged: Vec<Dimensions>,
    /// The next merged region.
    next: usize,
    /// The regions that the row may lie in, with what they show.
    active: Vec<(Dimensions, String, CellType)>,
}

impl TableRows {
    pub(super) fn read(&self) -> u64 {
        self.reader.read
    }

    /// The cells of the next row that is not blank into `cells`, column by column, and its number from
    /// 0; none behind the last.
    pub(super) fn next(&mut self, cells: &mut Vec<(String, CellType)>) -> io::Result<Option<u32>> {
        loop {
            if self.ahead.is_none() {
                let mut own = Vec::new();
                self.ahead = self.reader.next(&mut own)?.map(|row| (row, own));
            }
            // Regions that are merged end with the last row that has cells.
            let Some((own_row, _)) = &self.ahead else { return Ok(None) };
            let own_row = *own_row;
            if self.active.is_empty() || self.row >= own_row {
                self.row = own_row;
            }
            let at = self.row;
            self.row += 1;
            let own = match at == own_row {
                true => self.ahead.take().map(|(_, own)| own).unwrap_or_default(),
                false => Vec::new(),
            };
            self.merge(at, &own);
            if at < self.first {
                continue;
            }
            cells.clear();
            let (left, right) = self.columns;
            cells.resize((right - left) as usize + 1, (String::new(), CellType::Blank));
            for (column, text, kind) in own {
                if (left..=right).contains(&column) {
                    cells[(column - left) as usize] = (text, kind);
                }
            }
            for (region, text, kind) in &self.active {
                for column in region.start.1.max(left)..=region.end.1.min(right) {
                    cells[(column - left) as usize] = (text.clone(), *kind);
                }
            }
            if cells.iter().any(|(text, _)| !text.trim().is_empty()) {
                return Ok(Some(at));
            }
        }
    }

    /// Takes up the regions that begin in a row or before it, and leaves those that ended.
    fn merge(&mut self, row: u32, own: &[SpooledCell]) {
        self.active.retain(|(region, ..)| region.end.0 >= row);
        while let Some(region) = self.merged.get(self.next).filter(|region| region.start.0 <= row) {
            // One that begins in a row without cells shows nothing.
            let shown =
                own.iter().find(|(column, ..)| region.start.0 == row && *column == region.start.1);
            if let Some((_, text, kind)) = shown
                && region.end.0 >= row
            {
                self.active.push((*region, text.clone(), *kind));
            }
            self.next += 1;
        }
    }
}
