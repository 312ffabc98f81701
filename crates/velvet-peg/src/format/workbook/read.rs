//! Workbooks as tables: the sheets named, or all, or the only one, with their cells as they are.
//! Columns of several sheets are matched by their names.

use super::book::Workbook;
use super::sheet::{Head, Sheet, TableRows};
use crate::advice::Advice;
use crate::error::{Error, Result};
use crate::format_support::column_gaps;
use crate::format_support::{
    CellType, RowSource, SheetShape, SourceRow, TableFacts, TableOptions, TableSource, TableToOpen,
};
use crate::layer::column_names::{TakenNames, distinct, meant};
use crate::notice::{Notice, NoticeKind};
use csv::StringRecord;
use std::collections::HashMap;
use std::fmt;
use std::path::Path;
use std::sync::Arc;
use velvet_peg_core::spelling::nearest;

/// Opens what a workbook holds: the sheets named, or all, or the only one.
pub(super) fn open(table: &TableToOpen<'_>) -> Result<SheetTable> {
    let (real, shown, options) = (table.real, table.shown, table.options);
    let mut book = Workbook::open(real, options.header_row).map_err(|e| e.shown_as(real, shown))?;
    let sheets = book.shapes();
    let names = match book.damaged() {
        // Which sheet is meant cannot be told where one of them cannot be read.
        Some(damaged) if options.sheets.is_empty() => vec![damaged.to_string()],
        _ => chosen(shown, &sheets, options)?,
    };
    let mut notices = Vec::new();
    let mut tables: Vec<(Sheet, Head)> = Vec::new();
    for name in &names {
        let sheet = book.sheet(name).map_err(|e| e.shown_as(real, shown))?;
        if sheet.is_empty() {
            if names.len() == 1 {
                return Err(Error::data("is empty: there is nothing in the sheet")
                    .in_file(shown)
                    .in_sheet(name));
            }
            notices.push(
                Notice::note(NoticeKind::Unreadable, format!("sheet {name} is empty"))
                    .in_sheet(name),
            );
            continue;
        }
        let head = sheet.head(options.header_row, options.no_header);
        sheet.check_extent(&head).map_err(|e| e.in_file(shown))?;
        notices.extend(unsaved_formulas(&sheet));
        notices.extend(outside(&sheet, &head));
        notices.extend(header_found(name, &head, options.no_header));
        tables.push((sheet, head));
    }
    // Columns are matched by their names, in the order in which they come up.
    let mut columns: Vec<String> = Vec::new();
    let mut known: HashMap<String, usize> = HashMap::new();
    let mut places: Vec<Vec<usize>> = Vec::new();
    for (_, head) in &tables {
        let mut taken = TakenNames::default();
        let names = head.names.iter().enumerate().map(|(at, name)| {
            let name = if name.is_empty() { format!("column_{}", at + 1) } else { name.clone() };
            taken.take(&options.name_of(&name))
        });
        let place = |name: String| {
            *known.entry(name.to_ascii_lowercase()).or_insert_with(|| {
                columns.push(name);
                columns.len() - 1
            })
        };
        places.push(names.map(place).collect());
    }
    let shapes: Vec<(String, &[usize])> = tables
        .iter()
        .zip(&places)
        .map(|((sheet, _), places)| (format!("sheet {}", sheet.name), places.as_slice()))
        .collect();
    for (part, notice) in column_gaps(&shapes, &columns) {
        notices.push(notice.in_sheet(&tables[part].0.name));
    }
    let several = names.len() > 1;
    let sheet_column = several.then_some(columns.len());
    let header = !options.no_header || options.header_row.is_some();
    if several {
        columns.push(distinct(&columns, "sheet"));
    }
    let facts = TableFacts {
        header,
        bytes: std::fs::metadata(real).map_err(|e| Error::file(shown, "cannot be read", e))?.len(),
        sheet: (!several).then(|| names[0].clone()),
        sheet_column,
        sheets,
        notices,
        ..TableFacts::default()
    };
    let parts = tables.into_iter().zip(places);
    let parts = parts.map(|((sheet, head), places)| Part { sheet, head, places }).collect();
    Ok(SheetTable { facts, parts: Arc::new(parts), names: columns.iter().collect() })
}

/// A warning of formulas that read as blank.
fn unsaved_formulas(sheet: &Sheet) -> Option<Notice> {
    let (name, count) = (&sheet.name, sheet.unsaved());
    (count > 0).then(|| {
        Notice::warning(
            NoticeKind::Unreadable,
            format!(
                "sheet {name}: formulas without a saved value: {count}. They read as blank: open \
                 the workbook in the program that made it, and save it"
            ),
        )
        .count(count as u64)
        .in_sheet(name)
    })
}

/// A warning of cells far below the header that stand in no column of the table.
fn outside(sheet: &Sheet, head: &Head) -> Option<Notice> {
    let (count, first) = sheet.outside(head)?;
    let text = format!(
        "sheet {}: cells with a value that stand beside the columns of the table: {count}, the first \
         {first}. They are not read",
        sheet.name
    );
    Some(Notice::warning(NoticeKind::Unreadable, text).count(count).in_sheet(&sheet.name))
}

/// A word on where the header is, if that is not the first row.
fn header_found(name: &str, head: &Head, none_is_asked_for: bool) -> Option<Notice> {
    let said = match head.row {
        Some(1) => return None,
        None if none_is_asked_for => return None,
        Some(row) => {
            Notice::note(NoticeKind::Assumed, format!("sheet {name}: the header is in row {row}"))
                .with("row", row as f64, "")
        }
        None => Notice::warning(
            NoticeKind::Assumed,
            format!(
                "sheet {name} has no row that looks like a header: columns go by their numbers"
            ),
        )
        .advise(Advice::NameHeaderRow),
    };
    Some(said.in_sheet(name))
}

/// The sheets of a workbook that are read as one table.
pub(super) struct SheetTable {
    facts: TableFacts,
    parts: Arc<Vec<Part>>,
    names: StringRecord,
}

/// The table of one sheet, and the column of the whole table that each of its columns is.
struct Part {
    sheet: Sheet,
    head: Head,
    places: Vec<usize>,
}

impl fmt::Debug for SheetTable {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("SheetTable").field("facts", &self.facts).finish_non_exhaustive()
    }
}

impl TableSource for SheetTable {
    fn facts(&self) -> &TableFacts {
        &self.facts
    }

    fn rows(&self) -> Result<Box<dyn RowSource>> {
        Ok(Box::new(SheetRows {
            parts: self.parts.clone(),
            names: self.names.clone(),
            sheet_column: self.facts.sheet_column,
            part: 0,
            rows: None,
            cells: Vec::new(),
            bytes: self.facts.bytes,
            done: 0,
        }))
    }
}

/// Reads the rows of sheets that are kept.
struct SheetRows {
    parts: Arc<Vec<Part>>,
    names: StringRecord,
    sheet_column: Option<usize>,
    part: usize,
    rows: Option<TableRows>,
    cells: Vec<(String, CellType)>,
    /// Bytes of the workbook.
    bytes: u64,
    /// Bytes of the kept rows of the sheets that are done.
    done: u64,
}

impl RowSource for SheetRows {
    fn next(&mut self, row: &mut SourceRow) -> Result<bool> {
        row.texts.clear();
        row.types.clear();
        row.types.resize(self.names.len(), CellType::Blank);
        while let Some(part) = self.parts.get(self.part) {
            let failed = |error| Error::from(error).in_sheet(&part.sheet.name);
            let rows = match &mut self.rows {
                Some(rows) => rows,
                none => none.insert(part.sheet.rows(&part.head).map_err(failed)?),
            };
            let Some(at) = rows.next(&mut self.cells).map_err(failed)? else {
                self.done += part.sheet.bytes();
                self.part += 1;
                self.rows = None;
                continue;
            };
            row.number = u64::from(at) + 1;
            let mut texts = vec![""; self.names.len()];
            for ((text, kind), place) in self.cells.iter().zip(&part.places) {
                texts[*place] = text;
                row.types[*place] = *kind;
            }
            if let Some(column) = self.sheet_column {
                texts[column] = &part.sheet.name;
                row.types[column] = CellType::Text;
            }
            row.texts.extend(texts);
            return Ok(true);
        }
        Ok(false)
    }

    fn bytes_read(&self) -> u64 {
        // The file was read on opening: what is left is divided over the rows that were kept.
        let all: u64 = self.parts.iter().map(|part| part.sheet.bytes()).sum();
        let read = self.done + self.rows.as_ref().map_or(0, TableRows::read);
        (self.bytes as f64 * read as f64 / all.max(1) as f64) as u64
    }

    fn names(&self) -> &StringRecord {
        &self.names
    }
}

/// The sheets to read.
fn chosen(path: &Path, sheets: &[SheetShape], options: &TableOptions) -> Result<Vec<String>> {
    if options.all_sheets {
        return Ok(sheets.iter().filter(|s| !s.hidden).map(|s| s.name.clone()).collect());
    }
    if !options.sheets.is_empty() {
        return options
            .sheets
            .iter()
            .map(|wanted| {
                let same = |sheet: &&SheetShape| sheet.name == *wanted;
                let alike = |sheet: &&SheetShape| sheet.name.eq_ignore_ascii_case(wanted.trim());
                sheets
                    .iter()
                    .find(same)
                    .or_else(|| sheets.iter().find(alike))
                    .map(|sheet| sheet.name.clone())
                    .ok_or_else(|| {
                        let list = list(sheets);
                        let names = sheets.iter().map(|sheet| sheet.name.as_str());
                        let meant = meant(nearest(wanted, names));
                        Error::usage(format!("has no sheet `{wanted}`: there {list}{meant}"))
                            .in_file(path)
                    })
            })
            .collect();
    }
    let used: Vec<&SheetShape> = sheets.iter().filter(|s| s.rows > 0 && !s.hidden).collect();
    match used.as_slice() {
        [only] => Ok(vec![only.name.clone()]),
        [] => Ok(vec![sheets[0].name.clone()]),
        [first, ..] if options.first_sheet => Ok(vec![first.name.clone()]),
        _ => Err(Error::usage(format!("has several sheets; there {}", list(sheets)))
            .advise(Advice::NameSheet)
            .among(used.iter().map(|sheet| &sheet.name))
            .in_file(path)),
    }
}

fn list(sheets: &[SheetShape]) -> String {
    let texts: Vec<String> = sheets
        .iter()
        .map(|sheet| {
            let hidden = if sheet.hidden { ", hidden" } else { "" };
            format!(
                "`{}` ({} rows with the header, {} columns{hidden})",
                sheet.name, sheet.rows, sheet.columns
            )
        })
        .collect();
    let are = if texts.len() == 1 { "is" } else { "are" };
    format!("{are} {}", texts.join(", "))
}
