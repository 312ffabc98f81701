//! Layers as delimited text (RFC 4180): tabs for `.tsv` and `.tab`, commas otherwise.

use super::side_file::SideFile;
use crate::error::{Error, Result};
use crate::format_support::{
    FeatureCell, FeatureRows, Finished, Formulas, Quoting, ReadBack, Sink, TableOptions,
    TextDialect, WriteOptions, default_decimals, push_fixed, row_sum,
};
use crate::layer::{Batch, LayerInfo, ValueRef};
use crate::output::new_file;
use csv::StringRecord;
use std::fmt::Write as _;
use std::fs::File;
use std::io::{BufWriter, Write as _};
use std::path::{Path, PathBuf};

pub(super) struct Writer {
    path: PathBuf,
    writer: csv::Writer<BufWriter<File>>,
    rows: FeatureRows,
    count: u64,
    sum: u64,
    /// A text runs over so many lines that it would be taken for an open quotation mark.
    many_lines: bool,
    delimiter: u8,
    /// Numbers have a decimal comma.
    comma: bool,
    formulas: Formulas,
    /// What the file beside it is to tell, if there is to be one.
    side_file: Option<SideFile>,
}

/// Lines from which a text counts as many.
const MANY_LINES: usize = 40;

impl Writer {
    pub(super) fn create(path: &Path, info: &LayerInfo, options: &WriteOptions) -> Result<Writer> {
        let failed = |e| Error::file(path, "cannot be written", e);
        let dialect = &options.text;
        let delimiter = delimiter_of(path, dialect).map_err(|error| error.in_file(path))?;
        let mut file = BufWriter::new(new_file(path)?);
        if dialect.byte_order_mark {
            file.write_all("\u{feff}".as_bytes()).map_err(failed)?;
        }
        let ends = if dialect.crlf { csv::Terminator::CRLF } else { csv::Terminator::Any(b'\n') };
        let mut writer =
            csv::WriterBuilder::new().delimiter(delimiter).terminator(ends).from_writer(file);
        let decimals = options.decimals.unwrap_or(default_decimals(info.crs.as_ref()));
        let mut rows = FeatureRows::new(info, options, decimals);
        let mut formulas = Formulas::new(dialect.formulas_as_text);
        for name in &mut rows.header {
            if let Some(marked) = formulas.marked(name, || "the header".to_string()) {
                *name = marked;
            }
        }
        writer.write_record(&rows.header).map_err(|e| Error::file(path, "cannot be written", e))?;
        let path = path.to_path_buf();
        let comma = dialect.decimal_comma;
        let told = dialect.metadata.then(|| SideFile::of(info, &rows, dialect, delimiter));
        let side_file = told.transpose().map_err(|error| error.in_file(&path))?;
        Ok(Writer {
            side_file,
            formulas,
            path,
            writer,
            rows,
            count: 0,
            sum: 0,
            many_lines: false,
            delimiter,
            comma,
        })
    }
}

/// What stands between fields.
fn delimiter_of(path: &Path, dialect: &TextDialect) -> Result<u8> {
    let tabs = path.extension().is_some_and(|e| e == "tsv" || e == "tab");
    let delimiter = dialect.delimiter.unwrap_or(match (tabs, dialect.decimal_comma) {
        (true, _) => '\t',
        (false, true) => ';',
        (false, false) => ',',
    });
    let single = u8::try_from(delimiter).ok().filter(|mark| !b"\"\r\n".contains(mark));
    match single {
        Some(b',') if dialect.decimal_comma => Err(Error::usage(
            "commas between the fields and in the numbers cannot be told apart: take another \
             delimiter, such as a semicolon",
        )),
        Some(mark) => Ok(mark),
        None => Err(Error::usage(format!("`{delimiter}` cannot stand between fields"))),
    }
}

impl Sink for Writer {
    fn write(&mut self, batch: &Batch) -> Result<()> {
        let mut record = StringRecord::new();
        let mut text = String::new();
        let Writer { path, writer, rows, count, sum, many_lines, comma, formulas, .. } = self;
        rows.each(batch, &mut |cells| {
            record.clear();
            for cell in cells {
                text.clear();
                let number = matches!(
                    cell,
                    FeatureCell::Coordinate(_)
                        | FeatureCell::Number(_)
                        | FeatureCell::Attribute(_, ValueRef::Real(_))
                );
                // Writing to a string does not fail.
                let _ = match cell {
                    FeatureCell::Attribute(column, value) => {
                        let written = write!(text, "{value}");
                        if let ValueRef::Text(_) = value {
                            // The header is the first row.
                            let place =
                                || format!("row {}, column {}", *count + 2, rows.header[column]);
                            if let Some(marked) = formulas.marked(&text, place) {
                                text = marked;
                            }
                        }
                        *many_lines |= text.bytes().filter(|b| *b == b'\n').count() >= MANY_LINES;
                        written
                    }
                    FeatureCell::Coordinate(value) => {
                        push_fixed(&mut text, value, rows.decimals);
                        Ok(())
                    }
                    FeatureCell::Number(value) => write!(text, "{}", ValueRef::Real(value)),
                    FeatureCell::Count(value) => write!(text, "{value}"),
                    FeatureCell::Text(wkt) => {
                        text = wkt;
                        Ok(())
                    }
                    FeatureCell::Blank => Ok(()),
                };
                match number && *comma {
                    true => record.push_field(&text.replace('.', ",")),
                    false => record.push_field(&text),
                }
            }
            *count += 1;
            *sum = sum.wrapping_add(row_sum(record.iter()));
            writer.write_record(&record).map_err(|e| Error::file(path, "cannot be written", e))
        })
    }

    fn finish(self: Box<Self>) -> Result<Finished> {
        let path = self.path;
        let buffer = self
            .writer
            .into_inner()
            .map_err(|e| Error::file(&path, "cannot be written", e.into_error()))?;
        buffer.into_inner().map_err(|e| Error::file(&path, "cannot be written", e.into_error()))?;
        let read_back = match self.many_lines || self.count == 0 {
            true => ReadBack::Not,
            false => ReadBack::Rows {
                count: self.count,
                sum: self.sum,
                dialect: Box::new(TableOptions {
                    delimiter: Some(char::from(self.delimiter)),
                    quoting: Some(Quoting::With('"')),
                    header: true,
                    encoding: Some("utf-8".to_string()),
                    ..TableOptions::default()
                }),
            },
        };
        let mut files = vec![path.clone()];
        if let Some(side_file) = &self.side_file {
            files.push(side_file.write(&path)?);
        }
        let notices = self.formulas.notice().into_iter().collect();
        Ok(Finished { files, read_back, notices })
    }
}
