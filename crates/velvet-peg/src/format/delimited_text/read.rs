//! Reading delimited text row by row. Rows keep their number as a spreadsheet shows it (the header
//! is row 1).

use super::detect;
use super::dialect::Dialect;
use super::layout::Laid;
use super::sample;
use super::side_file::{Told, ToldType};
use crate::advice::Advice;
use crate::error::{Error, Result};
use crate::format_support::text_encoding::{self, SAMPLE_BYTES, by_label, decoded};
use crate::format_support::{CellType, RowSource, SourceRow, TableFacts, TableSource, TableToOpen};
use csv::StringRecord;
use std::fs::File;
use std::io::{Cursor, Read};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

/// Lines that one row of a table may run over.
const MOST_LINES: usize = 40;

/// A text table to be read, once or several times.
#[derive(Debug)]
pub(super) struct TextTable {
    real: PathBuf,
    shown: PathBuf,
    dialect: Dialect,
    facts: TableFacts,
    /// What the file beside it says of the columns; nothing if it says nothing.
    types: Arc<[ToldType]>,
}

impl TextTable {
    /// Opens a table and tells its encoding and delimiter.
    pub(super) fn open(table: &TableToOpen<'_>) -> Result<TextTable> {
        let failed = |e| Error::file(table.shown, "cannot be read", e);
        let open = || File::open(table.real).map_err(failed);
        let metadata = open()?.metadata().map_err(failed)?;
        let told = Told::beside(table.real, table.shown);
        let options = told.complete(table.options);
        let encoding = match &options.encoding {
            Some(label) => by_label(label)?,
            None => text_encoding::encoding(|| File::open(table.real)).map_err(failed)?,
        };
        let mut sample = Vec::new();
        decoded(open()?, encoding)
            .take(SAMPLE_BYTES as u64)
            .read_to_end(&mut sample)
            .map_err(failed)?;
        if sample.contains(&0) {
            return Err(Error::data(
                "is not a text table: it holds zero bytes. Is its extension the right one?",
            )
            .in_file(table.shown));
        }
        let whole = sample.len() < SAMPLE_BYTES;
        let text = String::from_utf8_lossy(&sample);
        let dialect = Dialect::tell(&options, encoding, &text, whole)?;
        let mut facts = dialect.facts(metadata.len());
        if table.options.delimiter.is_none() {
            facts.notices.extend(told.other_delimiter(detect::delimiter(&text, whole)));
        }
        let types = told.settle(&mut facts, dialect.columns(&text, whole));
        let (real, shown) = (table.real.to_path_buf(), table.shown.to_path_buf());
        Ok(TextTable { real, shown, dialect, facts, types })
    }
}

impl TableSource for TextTable {
    fn facts(&self) -> &TableFacts {
        &self.facts
    }

    fn rows(&self) -> Result<Box<dyn RowSource>> {
        let file =
            File::open(&self.real).map_err(|e| Error::file(&self.shown, "cannot be read", e))?;
        Ok(Box::new(TextRows::new(file, &self.shown, &self.dialect, &self.types)?))
    }

    fn sample(&self) -> Result<Option<(Box<dyn RowSource>, u64)>> {
        let bytewise = !matches!(self.dialect.encoding.name(), "UTF-16LE" | "UTF-16BE");
        let plain = bytewise && self.dialect.comment.is_none();
        let Some(sample) = sample::take(&self.real, self.facts.bytes)
            .map_err(|e| Error::file(&self.shown, "cannot be read", e))?
            .filter(|_| plain)
        else {
            return Ok(None);
        };
        let lines = sample.head_lines;
        let rows =
            TextRows::new(Cursor::new(sample.text), &self.shown, &self.dialect, &self.types)?;
        Ok(Some((Box::new(rows), lines)))
    }
}

/// A table that is read once as it comes; encoding and delimiter are told from its beginning.
pub(super) fn stream(
    mut input: Box<dyn Read + Send>,
    table: &TableToOpen<'_>,
) -> Result<(Box<dyn RowSource>, TableFacts)> {
    let failed = |e| Error::file(table.shown, "cannot be read", e);
    let mut head = Vec::new();
    (&mut input).take(SAMPLE_BYTES as u64).read_to_end(&mut head).map_err(failed)?;
    let encoding = match &table.options.encoding {
        Some(label) => by_label(label)?,
        None => {
            // A character cut at the end of the sample says nothing about the encoding.
            let cut = head.len() - head.len().min(4);
            let end = match std::str::from_utf8(&head) {
                Err(e) if e.error_len().is_none() && e.valid_up_to() >= cut => e.valid_up_to(),
                _ => head.len(),
            };
            text_encoding::encoding(|| Ok(&head[..end])).map_err(failed)?
        }
    };
    let (text, _, _) = encoding.decode(&head);
    let dialect = Dialect::tell(table.options, encoding, &text, head.len() < SAMPLE_BYTES)?;
    let facts = dialect.facts(0);
    let whole = Cursor::new(head).chain(input);
    Ok((Box::new(TextRows::new(whole, table.shown, &dialect, &Arc::default())?), facts))
}

/// Reads the rows of a text table.
struct TextRows {
    path: PathBuf,
    reader: csv::Reader<Box<dyn Read + Send>>,
    names: StringRecord,
    row: u64,
    /// True where lines between the rows are passed over, so that rows go by their lines.
    by_line: bool,
    skipped: u64,
    read: Arc<AtomicU64>,
    types: Arc<[ToldType]>,
}

impl TextRows {
    fn new(
        input: impl Read + Send + 'static,
        path: &Path,
        dialect: &Dialect,
        types: &Arc<[ToldType]>,
    ) -> Result<TextRows> {
        let read = Arc::new(AtomicU64::new(0));
        let counted = Counted { input, read: read.clone() };
        let mut decoded: Box<dyn Read + Send> = Box::new(decoded(counted, dialect.encoding));
        if dialect.skip_lines > 0 {
            decoded = Box::new(SkipLines { input: decoded, left: dialect.skip_lines });
        }
        if let Some(layout) = &dialect.layout {
            decoded = Box::new(Laid::new(decoded, layout.clone(), dialect.comment));
        }
        if dialect.comment.is_some() {
            // Lines are counted by their ends: the last one gets one if it has none.
            decoded = Box::new(decoded.chain(Cursor::new(b"\n")));
        }
        let mut reader = csv::ReaderBuilder::new()
            .delimiter(dialect.delimiter)
            .quoting(dialect.quote.is_some())
            .quote(dialect.quote.unwrap_or(b'"'))
            .has_headers(dialect.header)
            .comment(dialect.comment)
            .flexible(true)
            .buffer_capacity(1 << 16)
            .from_reader(decoded);
        // Without a header, these are the values of the first row, which will be read again.
        let names = reader.headers().map_err(|e| unreadable(path, &e))?.clone();
        Ok(TextRows {
            path: path.to_path_buf(),
            reader,
            names,
            row: (dialect.skip_lines + usize::from(dialect.header)) as u64,
            by_line: dialect.comment.is_some(),
            skipped: dialect.skip_lines as u64,
            read,
            types: types.clone(),
        })
    }
}

impl RowSource for TextRows {
    fn next(&mut self, row: &mut SourceRow) -> Result<bool> {
        let mut bytes = std::mem::take(&mut row.texts).into_byte_record();
        let more =
            self.reader.read_byte_record(&mut bytes).map_err(|e| unreadable(&self.path, &e))?;
        (row.texts, row.garbled) = match StringRecord::from_byte_record(bytes) {
            Ok(record) => (record, None),
            Err(error) => {
                let field = error.utf8_error().field();
                (StringRecord::from_byte_record_lossy(error.into_byte_record()), Some(field))
            }
        };
        row.types.clear();
        if !self.types.is_empty() {
            let known = row.texts.iter().zip(self.types.iter());
            row.types.extend(known.map(|(cell, told)| told.of(cell)));
            row.types.resize(row.texts.len(), CellType::Untyped);
        }
        self.row += u64::from(more);
        // An opening quotation mark that is never closed would swallow the rows below it.
        let lines = memchr::memchr_iter(b'\n', row.texts.as_slice().as_bytes()).count();
        if more && self.by_line {
            // The reader stands at the line behind the row.
            self.row = self.reader.position().line() - 1 - lines as u64 + self.skipped;
        }
        row.number = self.row;
        if lines > MOST_LINES {
            return Err(Error::data(format!(
                "the row runs over {} lines: a quotation mark in it is not closed. Close it",
                lines + 1
            ))
            .advise(Advice::QuotesAsText)
            .in_file(&self.path)
            .in_row(self.row));
        }
        Ok(more)
    }

    fn bytes_read(&self) -> u64 {
        self.read.load(Ordering::Relaxed)
    }

    fn names(&self) -> &StringRecord {
        &self.names
    }
}

fn unreadable(path: &Path, error: &csv::Error) -> Error {
    let row = error.position().map(|position| position.record() + 1);
    let wrapped = Error::data(format!("cannot be read as a table: {error}")).in_file(path);
    match row {
        Some(row) => wrapped.in_row(row),
        None => wrapped,
    }
}

/// Passes over the first lines.
struct SkipLines<R> {
    input: R,
    left: usize,
}

impl<R: Read> Read for SkipLines<R> {
    fn read(&mut self, buffer: &mut [u8]) -> std::io::Result<usize> {
        loop {
            let count = self.input.read(buffer)?;
            if self.left == 0 || count == 0 {
                return Ok(count);
            }
            let mut from = 0;
            while self.left > 0
                && let Some(end) = buffer[from..count].iter().position(|byte| *byte == b'\n')
            {
                from += end + 1;
                self.left -= 1;
            }
            if self.left == 0 && from < count {
                buffer.copy_within(from..count, 0);
                return Ok(count - from);
            }
        }
    }
}

/// Counts the bytes that pass.
struct Counted<R> {
    input: R,
    read: Arc<AtomicU64>,
}

impl<R: Read> Read for Counted<R> {
    fn read(&mut self, buffer: &mut [u8]) -> std::io::Result<usize> {
        let count = self.input.read(buffer)?;
        self.read.fetch_add(count as u64, Ordering::Relaxed);
        Ok(count)
    }
}
