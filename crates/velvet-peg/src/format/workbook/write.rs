//! Layers as a sheet of a workbook (`.xlsx`), row by row in constant memory: the header is
//! bold and stays in view, numbers are numbers, dates are dates.

use crate::error::{Error, Result};
use crate::format_support::declared;
use crate::format_support::{
    FeatureCell, FeatureRows, Finished, ReadBack, Sink, TableOptions, WriteOptions,
    default_decimals, row_sum,
};
use crate::layer::{Batch, LayerInfo, ValueRef};
use crate::notice::{Notice, NoticeKind};
use crate::output::new_file;
use rust_xlsxwriter::{DocProperties, ExcelDateTime, Format, Workbook, Worksheet, XlsxError};
use std::io::Write;
use std::path::{Path, PathBuf};

/// Rows that a sheet holds, the header included.
const MOST_ROWS: u32 = 1_048_576;

/// Characters that a cell holds.
const MOST_CHARACTERS: usize = 32_767;

/// Whole numbers beyond this lose digits in a cell.
const EXACT: u64 = 1 << 53;

pub(super) struct Writer {
    path: PathBuf,
    workbook: Workbook,
    rows: FeatureRows,
    /// For each attribute, how a date in it looks.
    dates: Vec<Option<Format>>,
    next: u32,
    sum: u64,
    cut: u64,
    long: u64,
}

impl Writer {
    pub(super) fn create(path: &Path, info: &LayerInfo, options: &WriteOptions) -> Result<Writer> {
        if !path.extension().is_some_and(|e| e.eq_ignore_ascii_case("xlsx")) {
            return Err(Error::usage("workbooks are written as .xlsx only").in_file(path));
        }
        let failed = failed(path);
        let mut workbook = Workbook::new();
        if let Some(stamp) = &options.stamp {
            let made = ExcelDateTime::parse_from_str(stamp.trim_end_matches('Z'));
            let made = made.map_err(&failed)?;
            workbook.set_properties(&DocProperties::new().set_creation_datetime(&made));
        }
        let decimals = options.decimals.unwrap_or(default_decimals(info.crs.as_ref()));
        let rows = FeatureRows::new(info, options, decimals);
        let sheet = workbook.add_worksheet_with_constant_memory().map_err(&failed)?;
        sheet.set_name(sheet_name(&info.name)).map_err(&failed)?;
        sheet.set_freeze_panes(1, 0).map_err(&failed)?;
        let bold = Format::new().set_bold();
        for (column, name) in rows.header.iter().enumerate() {
            let column = u16::try_from(column).unwrap_or(u16::MAX);
            // Wide enough for the name, in characters.
            let width = name.chars().count().clamp(10, 40) as f64 + 1.0;
            sheet.set_column_width(column, width).map_err(&failed)?;
            sheet.write_string_with_format(0, column, name, &bold).map_err(&failed)?;
        }
        let dates = info
            .schema
            .fields()
            .iter()
            .map(|field| match declared(field) {
                "DATE" => Some(Format::new().set_num_format("yyyy-mm-dd")),
                "DATETIME" => Some(Format::new().set_num_format("yyyy-mm-dd hh:mm:ss")),
                _ => None,
            })
            .collect();
        Ok(Writer {
            path: path.to_path_buf(),
            workbook,
            rows,
            dates,
            next: 1,
            sum: 0,
            cut: 0,
            long: 0,
        })
    }
}

impl Sink for Writer {
    fn write(&mut self, batch: &Batch) -> Result<()> {
        let Writer { path, workbook, rows, dates, next, sum, cut, long, .. } = self;
        let failed = failed(path);
        let sheet = workbook.worksheet_from_index(0).map_err(&failed)?;
        rows.each(batch, &mut |cells| {
            if *next >= MOST_ROWS {
                return Err(Error::usage(format!(
                    "a sheet holds {MOST_ROWS} rows, and there are more: write a .csv or .gpkg"
                )));
            }
            let mut texts = Vec::with_capacity(cells.len());
            for (column, cell) in cells.into_iter().enumerate() {
                let column = u16::try_from(column).unwrap_or(u16::MAX);
                let (row, dates) = (*next, &*dates);
                let text = put(sheet, (row, column), cell, dates, cut, long).map_err(&failed)?;
                texts.push(text);
            }
            *next += 1;
            *sum = sum.wrapping_add(row_sum(texts.iter().map(String::as_str)));
            Ok(())
        })
    }

    fn losses(&self) -> Vec<Notice> {
        let mut losses = Vec::new();
        if self.cut > 0 {
            losses.push(
                Notice::warning(
                    NoticeKind::FormatLimit,
                    format!(
                        "{} texts were cut to the {MOST_CHARACTERS} characters that a cell holds",
                        self.cut
                    ),
                )
                .count(self.cut),
            );
        }
        if self.long > 0 {
            losses.push(
                Notice::warning(
                    NoticeKind::FormatLimit,
                    format!(
                        "{} whole numbers have more digits than a cell keeps: written as text",
                        self.long
                    ),
                )
                .count(self.long),
            );
        }
        losses
    }

    fn finish(mut self: Box<Self>) -> Result<Finished> {
        let failed = failed(&self.path);
        let bytes = new_file(&self.path)?;
        let mut file = std::io::BufWriter::new(bytes);
        self.workbook.save_to_writer(&mut file).map_err(&failed)?;
        file.flush().map_err(|e| Error::file(&self.path, "cannot be written", e))?;
        drop(file);
        let read_back = match self.next {
            1 => ReadBack::Not,
            next => ReadBack::Rows {
                count: u64::from(next) - 1,
                sum: self.sum,
                dialect: Box::new(TableOptions { header_row: Some(1), ..TableOptions::default() }),
            },
        };
        Ok(Finished { read_back, ..Finished::default() })
    }
}

/// Writes a cell and gives the text that it reads back as.
fn put(
    sheet: &mut Worksheet,
    (row, column): (u32, u16),
    cell: FeatureCell<'_>,
    dates: &[Option<Format>],
    cut: &mut u64,
    long: &mut u64,
) -> std::result::Result<String, XlsxError> {
    let (text, number) = match cell {
        FeatureCell::Blank | FeatureCell::Attribute(_, ValueRef::Null) => return Ok(String::new()),
        FeatureCell::Coordinate(value) | FeatureCell::Number(value) => {
            (value.to_string(), Some(value))
        }
        FeatureCell::Count(value) => (value.to_string(), Some(value as f64)),
        FeatureCell::Text(text) => (text, None),
        FeatureCell::Attribute(_, ValueRef::Boolean(value)) => {
            sheet.write_boolean(row, column, value)?;
            return Ok(value.to_string());
        }
        FeatureCell::Attribute(_, ValueRef::Integer(value)) => {
            let exact = value.unsigned_abs() <= EXACT;
            *long += u64::from(!exact);
            (value.to_string(), exact.then_some(value as f64))
        }
        FeatureCell::Attribute(_, ValueRef::Real(value)) if value.is_finite() => {
            (value.to_string(), Some(value))
        }
        FeatureCell::Attribute(at, value) => {
            let text = value.to_string();
            if let Some(format) = &dates[at]
                && let Some(date) = date(&text)
            {
                sheet.write_datetime_with_format(row, column, &date, format)?;
                // A cell does not tell the beginning of a day from the day.
                let day = text.strip_suffix("T00:00:00");
                return Ok(day.map(str::to_string).unwrap_or(text));
            }
            (text, None)
        }
    };
    if let Some(number) = number {
        sheet.write_number(row, column, number)?;
        return Ok(text);
    }
    let mut text = text;
    if let Some((end, _)) = text.char_indices().nth(MOST_CHARACTERS) {
        text.truncate(end);
        *cut += 1;
    }
    sheet.write_string(row, column, &text)?;
    Ok(text)
}

/// The first day that all spreadsheets number alike: some have a 29 February 1900.
const FIRST_DAY: &str = "1900-03-01";

/// A date or a date with whole seconds, as it reads back; other texts stay texts.
fn date(text: &str) -> Option<ExcelDateTime> {
    let digits = text.bytes().all(|b| b.is_ascii_digit() || b"-T:".contains(&b));
    let form = matches!((text.len(), text.as_bytes().get(10)), (10, None) | (19, Some(b'T')));
    match digits && form && text >= FIRST_DAY {
        true => ExcelDateTime::parse_from_str(text).ok(),
        false => None,
    }
}

fn failed(path: &Path) -> impl Fn(XlsxError) -> Error {
    let path = path.to_path_buf();
    move |error| Error::file(&path, "cannot be written", error)
}

/// A name that sheets may have: 31 characters, some not among them.
fn sheet_name(name: &str) -> String {
    let clean: String =
        name.chars().map(|c| if "[]:*?/\\".contains(c) { '_' } else { c }).take(31).collect();
    let clean = clean.trim_matches('\'');
    if clean.is_empty() { "layer".to_string() } else { clean.to_string() }
}
