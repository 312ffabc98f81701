//! Tables that are not text, laid down as text to be read like all others: sheets of workbooks
//! and tables of attributes. The first field of each row is its number in the source.

use super::TableOptions;
use super::sheets::{Head, Sheet, SheetShape, Workbook};
use crate::error::{Error, Result};
use crate::format::{DbfReader, Located, distinct};
use crate::layer::Value;
use crate::notice::Notice;
use crate::output::{TemporaryFolder, new_file};
use std::path::{Path, PathBuf};

/// A table laid down.
pub(super) struct LaidDown {
    pub(super) folder: TemporaryFolder,
    pub(super) path: PathBuf,
    pub(super) notices: Vec<Notice>,
    /// The sheet it is from, if it is from one.
    pub(super) sheet: Option<String>,
    /// The column that names the sheet, if there are several.
    pub(super) sheet_column: Option<usize>,
    /// The sheets of the workbook.
    pub(super) sheets: Vec<SheetShape>,
}

/// Lays down what a workbook holds: the sheets named, or all, or the only one.
pub(super) fn workbook(at: &Located, options: &TableOptions) -> Result<LaidDown> {
    let shown = at.shown.as_path();
    let mut book = Workbook::open(&at.real).map_err(|e| e.shown_as(&at.real, shown))?;
    let sheets = book.shapes().map_err(|e| e.shown_as(&at.real, shown))?;
    let names = chosen(shown, &sheets, options)?;
    let mut notices = Vec::new();
    let mut tables: Vec<(Sheet, Head)> = Vec::new();
    for name in &names {
        let sheet = book.sheet(name).map_err(|e| e.shown_as(&at.real, shown))?;
        if sheet.is_empty() {
            if names.len() == 1 {
                return Err(Error::data("is empty: there is nothing in the sheet")
                    .in_file(shown)
                    .in_sheet(name));
            }
            notices.push(Notice::remark(format!("sheet {name} is empty")));
            continue;
        }
        if sheet.unsaved > 0 {
            notices.push(Notice::warning(format!(
                "sheet {name}: formulas without a saved value: {}. They read as blank: open the \
                 workbook in the program that made it, and save it",
                sheet.unsaved
            )));
        }
        let head = sheet.head(options.header_row, options.no_header);
        match head.row {
            Some(1) => {}
            Some(row) => {
                notices.push(Notice::remark(format!("sheet {name}: the header is in row {row}")));
            }
            None if options.no_header => {}
            None => notices.push(Notice::warning(format!(
                "sheet {name} has no row that looks like a header: columns go by their numbers \
                 (name the row with --header-row)"
            ))),
        }
        tables.push((sheet, head));
    }
    // Columns are matched by their names, in the order in which they come up.
    let mut columns: Vec<String> = Vec::new();
    let mut places: Vec<Vec<usize>> = Vec::new();
    for (_, head) in &tables {
        let mut own: Vec<String> = Vec::new();
        for (at, name) in head.names.iter().enumerate() {
            let name = if name.is_empty() { format!("column_{}", at + 1) } else { name.clone() };
            own.push(distinct(&own, &name));
        }
        let place = |columns: &mut Vec<String>, name: &String| {
            columns.iter().position(|c| c.eq_ignore_ascii_case(name)).unwrap_or_else(|| {
                columns.push(name.clone());
                columns.len() - 1
            })
        };
        places.push(own.iter().map(|name| place(&mut columns, name)).collect());
    }
    for ((sheet, _), places) in tables.iter().zip(&places) {
        let lacks: Vec<String> = (0..columns.len())
            .filter(|at| !places.contains(at))
            .map(|at| format!("`{}`", columns[at]))
            .collect();
        if !lacks.is_empty() {
            notices.push(Notice::warning(format!(
                "sheet {} has no column {}: blank in its rows",
                sheet.name,
                lacks.join(", ")
            )));
        }
    }
    let failed = |e| Error::file(shown, "cannot be read", e);
    let folder = TemporaryFolder::new().map_err(failed)?;
    let path = folder.path().join("table.csv");
    let mut writer = csv::WriterBuilder::new().from_writer(new_file(&path)?);
    let several = names.len() > 1;
    let mut header = vec![String::new()];
    header.extend(columns.iter().cloned());
    if several {
        header.push(distinct(&columns, "sheet"));
    }
    let unwritten = |e: csv::Error| Error::file(shown, "cannot be read", e);
    if !options.no_header || options.header_row.is_some() {
        writer.write_record(&header).map_err(unwritten)?;
    }
    for ((sheet, head), places) in tables.iter().zip(&places) {
        for (row, cells) in sheet.rows(head) {
            let mut record = vec![String::new(); header.len()];
            record[0] = row.to_string();
            for (cell, at) in cells.into_iter().zip(places) {
                record[at + 1] = cell;
            }
            if let Some(last) = record.last_mut().filter(|_| several) {
                last.clone_from(&sheet.name);
            }
            writer.write_record(&record).map_err(unwritten)?;
        }
    }
    writer.flush().map_err(failed)?;
    drop(writer);
    let sheet = (!several).then(|| names[0].clone());
    let sheet_column = several.then_some(columns.len());
    Ok(LaidDown { folder, path, notices, sheet, sheet_column, sheets })
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
                        Error::usage(format!("has no sheet `{wanted}`: there {list}")).in_file(path)
                    })
            })
            .collect();
    }
    let used: Vec<&SheetShape> = sheets.iter().filter(|s| s.rows > 0 && !s.hidden).collect();
    match used.as_slice() {
        [only] => Ok(vec![only.name.clone()]),
        [] => Ok(vec![sheets[0].name.clone()]),
        [first, ..] if options.first_sheet => Ok(vec![first.name.clone()]),
        _ => Err(Error::usage(format!(
            "has several sheets: name one with --sheet (or take --all-sheets); there {}",
            list(sheets)
        ))
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

/// Lays down a table of attributes. Rows count from 2, as if there were a header.
pub(super) fn dbf(at: &Located) -> Result<LaidDown> {
    let shown = at.shown.as_path();
    let failed = |e| Error::file(shown, "cannot be read", e);
    let mut reader = DbfReader::open(&at.real).map_err(|e| e.shown_as(&at.real, shown))?;
    let folder = TemporaryFolder::new().map_err(failed)?;
    let path = folder.path().join("table.csv");
    let mut writer = csv::WriterBuilder::new().from_writer(new_file(&path)?);
    let unwritten = |e: csv::Error| Error::file(shown, "cannot be read", e);
    let mut header = vec![String::new()];
    header.extend(reader.fields.iter().map(|field| field.name.clone()));
    writer.write_record(&header).map_err(unwritten)?;
    let (mut row, mut deleted) = (1u64, 0u64);
    while let Some(record) = reader.next().map_err(failed)? {
        row += 1;
        if record.deleted {
            deleted += 1;
            continue;
        }
        let mut texts = vec![row.to_string()];
        texts.extend(record.values.iter().map(Value::to_text));
        for (at, text) in record.wrong {
            texts[at + 1] = text;
        }
        writer.write_record(&texts).map_err(unwritten)?;
    }
    writer.flush().map_err(failed)?;
    drop(writer);
    let mut notices = Vec::new();
    if deleted > 0 {
        notices.push(Notice::remark(format!(
            "rows that are marked as deleted are left out: {deleted}"
        )));
    }
    if row - 1 < reader.count {
        notices.push(Notice::warning(format!(
            "the file is damaged: it says that it has {} rows, and {} are there",
            reader.count,
            row - 1
        )));
    }
    Ok(LaidDown { folder, path, notices, sheet: None, sheet_column: None, sheets: Vec::new() })
}
