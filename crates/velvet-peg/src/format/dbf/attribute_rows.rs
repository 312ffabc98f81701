//! Attributes on their way into a table: they are laid down first, so that the widths of the fields
//! can be just what they need.

use super::{Column, DbfWriter, MOST_RECORD};
use crate::advice::Advice;
use crate::error::{Error, Result};
use crate::format_support::{Shortest, declared, push_fixed};
use crate::layer::ValueRef;
use crate::notice::{Notice, NoticeKind};
use arrow_schema::{DataType, SchemaRef};
use std::fmt::Write as _;
use std::fs::File;
use std::io::{BufReader, BufWriter, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

/// Bytes of a text.
const MOST_TEXT: usize = 254;

/// Characters of a number.
const MOST_NUMBER: usize = 24;

/// Whole numbers beyond this are not read back exactly by programs that take them as doubles.
const EXACT: u64 = 1 << 53;

/// What the values of a column need.
#[derive(Clone, Debug, Default)]
struct Learnt {
    /// Bytes of the longest text.
    bytes: usize,
    /// Characters before the point, sign included.
    front: usize,
    /// Digits behind it.
    behind: usize,
    cut: u64,
    wide: u64,
    /// Texts that are no dates.
    undated: u64,
}

impl Learnt {
    /// Digits behind the point for which there is room.
    fn decimals(&self) -> usize {
        self.behind.min(MOST_NUMBER.saturating_sub(self.front + 1))
    }

    fn is_rounded(&self) -> bool {
        self.front <= MOST_NUMBER && self.decimals() < self.behind
    }
}

/// Rows of attributes, laid down as texts with their sizes in front.
pub(in crate::format) struct AttributeRows {
    path: PathBuf,
    rows: BufWriter<File>,
    schema: SchemaRef,
    learnt: Vec<Learnt>,
    count: u32,
}

impl AttributeRows {
    /// `path` is what is written, for messages.
    pub(in crate::format) fn create(path: &Path, schema: SchemaRef) -> Result<AttributeRows> {
        let failed = |e| Error::file(path, "cannot be written", e);
        let rows = BufWriter::with_capacity(1 << 16, tempfile::tempfile().map_err(failed)?);
        let learnt = vec![Learnt::default(); schema.fields().len()];
        Ok(AttributeRows { path: path.to_path_buf(), rows, schema, learnt, count: 0 })
    }

    pub(in crate::format) fn add<'a>(
        &mut self,
        values: impl IntoIterator<Item = ValueRef<'a>>,
    ) -> Result<()> {
        self.count += 1;
        let mut text = String::new();
        for (value, learnt) in values.into_iter().zip(&mut self.learnt) {
            text.clear();
            push_text(&mut text, value, learnt);
            learnt.bytes = learnt.bytes.max(text.len());
            // No text is longer than a field, which takes 254 bytes at most.
            self.rows
                .write_all(&[text.len() as u8])
                .and_then(|()| self.rows.write_all(text.as_bytes()))
                .map_err(|e| Error::file(&self.path, "cannot be written", e))?;
        }
        Ok(())
    }

    /// True if what is read again differs from what was given.
    pub(in crate::format) fn changes(&self) -> bool {
        let changed = |learnt: &Learnt| learnt.cut > 0 || learnt.wide > 0 || learnt.is_rounded();
        self.schema.fields().is_empty() || self.learnt.iter().any(changed)
    }

    /// What the table cannot hold as it is; `holder` is what it is called.
    pub(in crate::format) fn losses(&self, holder: &str) -> Vec<Notice> {
        let mut losses = Vec::new();
        for (field, learnt) in self.schema.fields().iter().zip(&self.learnt) {
            if learnt.cut > 0 {
                losses.push(
                    Notice::warning(
                        NoticeKind::FormatLimit,
                        format!(
                            "column `{}`: {} texts are longer than the {MOST_TEXT} bytes that a \
                             {holder} holds and were cut",
                            field.name(),
                            learnt.cut
                        ),
                    )
                    .count(learnt.cut)
                    .in_column(field.name()),
                );
            }
            // What is written as text keeps its digits.
            if learnt.is_rounded() && learnt.wide == 0 {
                losses.push(
                    Notice::warning(
                        NoticeKind::FormatLimit,
                        format!(
                            "column `{}`: its numbers need more than the {MOST_NUMBER} \
                                 characters that a {holder} holds and were rounded to {} digits \
                                 behind the point",
                            field.name(),
                            learnt.decimals()
                        ),
                    )
                    .with("decimals", learnt.decimals() as f64, "")
                    .in_column(field.name()),
                );
            }
            if learnt.wide > 0 {
                losses.push(
                    Notice::warning(
                        NoticeKind::FormatLimit,
                        format!(
                            "column `{}`: {} numbers have more digits than readers of a \
                                 {holder} keep: the column is written as text",
                            field.name(),
                            learnt.wide
                        ),
                    )
                    .count(learnt.wide)
                    .in_column(field.name()),
                );
            }
        }
        losses
    }

    /// Writes the attributes with fields as wide as they need to be.
    pub(in crate::format) fn write(self, file: File) -> Result<()> {
        let failed = |e| Error::file(&self.path, "cannot be written", e);
        let columns: Vec<Column> = self
            .schema
            .fields()
            .iter()
            .zip(&self.learnt)
            .map(|(field, learnt)| {
                let (kind, width, decimals) = match (field.data_type(), declared(field)) {
                    (DataType::Int64, _) if learnt.wide == 0 => (b'N', learnt.front.max(1), 0),
                    (DataType::Float64, _) if learnt.wide == 0 => {
                        let decimals = learnt.decimals();
                        let point = usize::from(decimals > 0);
                        (b'N', learnt.front.max(1) + point + decimals, decimals)
                    }
                    (DataType::Boolean, _) => (b'L', 1, 0),
                    (DataType::Utf8, "DATE") if learnt.undated == 0 => (b'D', 8, 0),
                    _ => (b'C', learnt.bytes.clamp(1, MOST_TEXT), 0),
                };
                Column { name: field.name().clone(), kind, width, decimals }
            })
            .collect();
        let blank = columns.is_empty();
        // A table needs a field: the number of the feature.
        let columns = match blank {
            true => vec![Column { name: "number".into(), kind: b'N', width: 10, decimals: 0 }],
            false => columns,
        };
        let size: usize = columns.iter().map(|column| column.width).sum();
        if size > MOST_RECORD {
            return Err(Error::usage(format!(
                "a row of its attributes takes {size} bytes, and a table of this kind holds {MOST_RECORD}: \
                 a .gpkg holds more"
            ))
            .advise(Advice::KeepColumns)
            .in_file(&self.path));
        }
        let mut table = DbfWriter::create(file, columns.clone()).map_err(failed)?;
        if blank {
            for number in 1..=self.count {
                table.push_field(number.to_string().as_bytes(), 0);
                table.end_record().map_err(failed)?;
            }
            return table.finish().map_err(failed);
        }
        let mut rows = self.rows.into_inner().map_err(|e| failed(e.into_error()))?;
        rows.seek(SeekFrom::Start(0)).map_err(failed)?;
        let mut rows = BufReader::with_capacity(1 << 16, rows);
        for _ in 0..self.count {
            for column in &columns {
                let mut size = [0];
                rows.read_exact(&mut size).map_err(failed)?;
                let mut text = [0; u8::MAX as usize];
                let text = &mut text[..size[0].into()];
                rows.read_exact(text).map_err(failed)?;
                push_field(&mut table, text, column);
            }
            table.end_record().map_err(failed)?;
        }
        table.finish().map_err(failed)
    }
}

/// Gives a record the next field: digits behind the point are the same in the whole column.
fn push_field(table: &mut DbfWriter, text: &[u8], column: &Column) {
    let behind = text.iter().position(|byte| *byte == b'.').map(|point| text.len() - point - 1);
    match (column.kind, behind) {
        (b'N', Some(behind)) if behind <= column.decimals => {
            table.push_field(text, column.decimals - behind);
        }
        (b'N', Some(_)) => {
            let number: Option<f64> = std::str::from_utf8(text).ok().and_then(|t| t.parse().ok());
            let mut rounded = String::new();
            push_fixed(&mut rounded, number.unwrap_or(f64::NAN), column.decimals);
            table.push_field(rounded.as_bytes(), 0);
        }
        (b'D', _) => {
            let digits: Vec<u8> = text.iter().copied().filter(|byte| *byte != b'-').collect();
            table.push_field(&digits, 0);
        }
        _ => table.push_field(text, 0),
    }
}

/// Writes a value as a field holds it behind a text that is blank, with what the field has to be for it.
fn push_text(text: &mut String, value: ValueRef<'_>, learnt: &mut Learnt) {
    // Writing to a string does not fail.
    match value {
        ValueRef::Null => {}
        ValueRef::Boolean(value) => text.push(if value { 'T' } else { 'F' }),
        ValueRef::Integer(value) => {
            learnt.wide += u64::from(value.unsigned_abs() > EXACT);
            _ = write!(text, "{value}");
            learnt.front = learnt.front.max(text.len());
        }
        ValueRef::Real(value) if !value.is_finite() => {}
        ValueRef::Real(value) => {
            text.push_str(Shortest::new().of(value));
            if text.len() > MOST_TEXT {
                // A number is never cut.
                text.clear();
                _ = write!(text, "{value:e}");
                learnt.wide += 1;
            }
            let (front, behind) = text.split_once('.').unwrap_or((text, ""));
            learnt.front = learnt.front.max(front.len());
            learnt.behind = learnt.behind.max(behind.len());
            learnt.wide += u64::from(front.len() > MOST_NUMBER);
        }
        ValueRef::Text(_) | ValueRef::Binary(_) => {
            _ = write!(text, "{value}");
            let bytes = text.as_bytes();
            let date = bytes.len() == 10
                && bytes[4] == b'-'
                && bytes[7] == b'-'
                && bytes.iter().enumerate().all(|(n, b)| n == 4 || n == 7 || b.is_ascii_digit());
            learnt.undated += u64::from(!date);
            if text.len() > MOST_TEXT {
                let end = (0..=MOST_TEXT).rev().find(|at| text.is_char_boundary(*at));
                text.truncate(end.unwrap_or(0));
                learnt.cut += 1;
            }
        }
    }
}
