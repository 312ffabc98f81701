//! Attributes on their way into a table: they are laid down first, so that the widths of the fields
//! can be just what they need.

use super::{Column, DbfWriter, MOST_RECORD};
use crate::advice::Advice;
use crate::error::{Error, Result};
use crate::format_support::declared;
use crate::layer::ValueRef;
use crate::notice::{Notice, NoticeKind};
use arrow_schema::{DataType, SchemaRef};
use csv::StringRecord;
use std::fs::File;
use std::io::{BufReader, BufWriter, Seek, SeekFrom};
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

/// Rows of attributes, laid down as text.
pub(in crate::format) struct AttributeRows {
    path: PathBuf,
    rows: csv::Writer<BufWriter<File>>,
    room: File,
    schema: SchemaRef,
    learnt: Vec<Learnt>,
    count: u32,
}

impl AttributeRows {
    /// `path` is what is written, for messages.
    pub(in crate::format) fn create(path: &Path, schema: SchemaRef) -> Result<AttributeRows> {
        let failed = |e| Error::file(path, "cannot be written", e);
        let room = tempfile::tempfile().map_err(failed)?;
        let copy = room.try_clone().map_err(failed)?;
        let rows = csv::WriterBuilder::new()
            .has_headers(false)
            .flexible(true)
            .from_writer(BufWriter::new(copy));
        let learnt = vec![Learnt::default(); schema.fields().len()];
        Ok(AttributeRows { path: path.to_path_buf(), rows, room, schema, learnt, count: 0 })
    }

    pub(in crate::format) fn add<'a>(
        &mut self,
        values: impl IntoIterator<Item = ValueRef<'a>>,
    ) -> Result<()> {
        self.count += 1;
        let mut record = StringRecord::new();
        for (value, learnt) in values.into_iter().zip(&mut self.learnt) {
            let text = text_of(value, learnt);
            learnt.bytes = learnt.bytes.max(text.len());
            record.push_field(&text);
        }
        if record.is_empty() {
            return Ok(());
        }
        self.rows.write_record(&record).map_err(|e| Error::file(&self.path, "cannot be written", e))
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
    pub(in crate::format) fn write(mut self, file: File) -> Result<()> {
        self.rows.flush().map_err(|e| Error::file(&self.path, "cannot be written", e))?;
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
                table.write(std::iter::once(Some(number.to_string().as_str()))).map_err(failed)?;
            }
            return table.finish().map_err(failed);
        }
        self.room.seek(SeekFrom::Start(0)).map_err(failed)?;
        let mut rows = csv::ReaderBuilder::new()
            .has_headers(false)
            .flexible(true)
            .from_reader(BufReader::new(&self.room));
        let mut record = StringRecord::new();
        while rows
            .read_record(&mut record)
            .map_err(|e| Error::file(&self.path, "cannot be written", e))?
        {
            let texts: Vec<String> = record
                .iter()
                .zip(&columns)
                .map(|(text, column)| match text.parse::<f64>() {
                    // Digits behind the point are the same in the whole column.
                    Ok(number) if column.kind == b'N' && text.contains('.') => {
                        let behind = column.decimals;
                        format!("{number:.behind$}")
                    }
                    _ if column.kind == b'D' => text.replace('-', ""),
                    _ => text.to_string(),
                })
                .collect();
            table.write(texts.iter().map(|text| Some(text.as_str()))).map_err(failed)?;
        }
        table.finish().map_err(failed)
    }
}

/// The text of a value, as a field holds it, with what the field has to be for it.
fn text_of(value: ValueRef<'_>, learnt: &mut Learnt) -> String {
    match value {
        ValueRef::Null => String::new(),
        ValueRef::Boolean(value) => if value { "T" } else { "F" }.to_string(),
        ValueRef::Integer(value) => {
            learnt.wide += u64::from(value.unsigned_abs() > EXACT);
            let text = value.to_string();
            learnt.front = learnt.front.max(text.len());
            text
        }
        ValueRef::Real(value) if !value.is_finite() => String::new(),
        ValueRef::Real(value) => {
            let mut text = value.to_string();
            if text.len() > MOST_TEXT {
                // A number is never cut.
                text = format!("{value:e}");
                learnt.wide += 1;
            }
            let (front, behind) = text.split_once('.').unwrap_or((&text, ""));
            learnt.front = learnt.front.max(front.len());
            learnt.behind = learnt.behind.max(behind.len());
            learnt.wide += u64::from(front.len() > MOST_NUMBER);
            text
        }
        ValueRef::Text(_) | ValueRef::Binary(_) => {
            let mut text = value.to_string();
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
            text
        }
    }
}
