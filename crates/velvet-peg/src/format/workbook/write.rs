//! Layers as a sheet of a workbook (`.xlsx`), row by row in constant memory: the header is
//! bold and stays in view, numbers are numbers, dates are dates.

use crate::error::{Error, Result};
use crate::format_support::date_time::{self, Zone};
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
    counts: Counts,
}

/// Values that a cell does not hold as they are.
#[derive(Default)]
struct Counts {
    /// Texts that were cut.
    cut: u64,
    /// Whole numbers with too many digits.
    long: u64,
    /// Dates and times that are no numbers of a cell: before its calendar, with an offset from UTC,
    /// finer than it counts.
    undated: u64,
    /// Features without a geometry and a value: their rows have no cells.
    blank: u64,
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
                "TIME" => Some(Format::new().set_num_format("hh:mm:ss")),
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
            counts: Counts::default(),
        })
    }
}

impl Sink for Writer {
    fn write(&mut self, batch: &Batch) -> Result<()> {
        let Writer { path, workbook, rows, dates, next, sum, counts } = self;
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
                let text = put(sheet, (row, column), cell, dates, counts).map_err(&failed)?;
                texts.push(text);
            }
            *next += 1;
            if texts.iter().all(String::is_empty) {
                counts.blank += 1;
                return Ok(());
            }
            *sum = sum.wrapping_add(row_sum(texts.iter().map(String::as_str)));
            Ok(())
        })
    }

    fn losses(&self) -> Vec<Notice> {
        let Counts { cut, long, undated, blank } = self.counts;
        let counted = [
            (
                cut,
                format!("texts cut to the {MOST_CHARACTERS} characters that a cell holds: {cut}"),
            ),
            (long, format!("whole numbers with more digits than a cell keeps: {long}, as text")),
            (
                undated,
                format!(
                    "dates and times that a cell cannot hold (before {FIRST_DAY}, with a mark of \
                     UTC or an offset from it, or finer than thousandths of a second): {undated}, \
                     as text"
                ),
            ),
            (
                blank,
                format!(
                    "features without a geometry and a value: {blank}; their rows are blank, and \
                     are passed over where the sheet is read"
                ),
            ),
        ];
        counted
            .into_iter()
            .filter(|(count, _)| *count > 0)
            .map(|(count, text)| Notice::warning(NoticeKind::FormatLimit, text).count(count))
            .collect()
    }

    fn finish(mut self: Box<Self>) -> Result<Finished> {
        let failed = failed(&self.path);
        let bytes = new_file(&self.path)?;
        let mut file = std::io::BufWriter::new(bytes);
        self.workbook.save_to_writer(&mut file).map_err(&failed)?;
        file.flush().map_err(|e| Error::file(&self.path, "cannot be written", e))?;
        drop(file);
        let read_back = match u64::from(self.next) - 1 - self.counts.blank {
            0 => ReadBack::Not,
            count => ReadBack::Rows {
                count,
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
    counts: &mut Counts,
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
            counts.long += u64::from(!exact);
            (value.to_string(), exact.then_some(value as f64))
        }
        FeatureCell::Attribute(_, ValueRef::Real(value)) if value.is_finite() => {
            (value.to_string(), Some(value))
        }
        FeatureCell::Attribute(at, value) => {
            let text = value.to_string();
            if let Some(format) = &dates[at] {
                if let Some((date, reads_back)) = date(&text) {
                    let format = if text.contains('.') { &fine(format) } else { format };
                    sheet.write_datetime_with_format(row, column, &date, format)?;
                    return Ok(reads_back);
                }
                counts.undated += u64::from(!text.is_empty());
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
        counts.cut += 1;
    }
    sheet.write_string(row, column, &text)?;
    Ok(text)
}

/// The first day that all spreadsheets number alike: some have a 29 February 1900.
const FIRST_DAY: &str = "1900-03-01";

/// A date, a time of the day, or a date with one, down to thousandths of a second, with the text
/// that it reads back as; other texts stay texts.
fn date(text: &str) -> Option<(ExcelDateTime, String)> {
    let thousandths = |time: time::Time| time.nanosecond().is_multiple_of(1_000_000);
    let reads_back = if let Some(time) = date_time::time_of_day(text) {
        thousandths(time).then(|| date_time::clock_text(time))?
    } else if text < FIRST_DAY {
        return None;
    } else if date_time::day(text).is_some() {
        text.to_string()
    } else {
        let (moment, zone) = date_time::moment(text)?;
        let held = zone == Zone::Local && thousandths(moment.time());
        let text = held.then(|| date_time::moment_text(moment, zone))?;
        // A cell does not tell the beginning of a day from the day.
        text.strip_suffix("T00:00:00").map(str::to_string).unwrap_or(text)
    };
    Some((ExcelDateTime::parse_from_str(text).ok()?, reads_back))
}

/// A format of times that shows thousandths of a second.
fn fine(format: &Format) -> Format {
    let clock = Format::new().set_num_format("hh:mm:ss.000");
    match *format == Format::new().set_num_format("hh:mm:ss") {
        true => clock,
        false => Format::new().set_num_format("yyyy-mm-dd hh:mm:ss.000"),
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
