//! Reading delimited text tables, with a header or without: CSV, TSV and their relatives.
//!
//! Delimiter, quoting and encoding are detected and can be overridden. Rows keep their
//! number as a spreadsheet shows it (the header is row 1). Nothing is dropped silently: a row
//! with too few or too many fields is handed to the caller as such.

mod columns;
mod coordinate;
mod detect;
mod infer;

pub use columns::{CoordinateColumns, NumberFormat};
pub(crate) use columns::{Found, likely, list, position};
pub(crate) use coordinate::{Notation, read_pair};
pub(crate) use detect::delimiter_name;
pub(crate) use infer::Inference;

use crate::error::{Error, Result};
use crate::format::Format;
use csv::StringRecord;
use encoding_rs::Encoding;
use encoding_rs_io::DecodeReaderBytesBuilder;
use std::fs::File;
use std::io::{Cursor, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

/// Lines that one row of a table may run over.
const MOST_LINES: usize = 40;

/// How a text table is to be read; what is none is detected.
#[derive(Clone, Debug, Default)]
pub struct TableOptions {
    /// Delimiter.
    pub delimiter: Option<char>,
    /// Encoding by its label, such as `utf-8` or `windows-1252`.
    pub encoding: Option<String>,
    /// What values with delimiters or line ends in them are wrapped in.
    pub quoting: Option<Quoting>,
    /// True if the first row holds values, not the names of columns.
    pub no_header: bool,
    /// Names of the columns, instead of those in the header; without either, columns are named
    /// by their numbers from 1.
    pub names: Vec<String>,
    /// Lines in front of the table that are passed over.
    pub skip_lines: usize,
    /// Lines that begin with this character are passed over.
    pub comment: Option<char>,
}

/// What values are wrapped in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Quoting {
    /// This character, doubled inside a value.
    With(char),
    /// Nothing: the quotation mark is a character like any other.
    None,
}

/// How the bytes of a table become fields.
#[derive(Clone, Debug)]
struct Dialect {
    encoding: &'static Encoding,
    delimiter: u8,
    quote: Option<u8>,
    comment: Option<u8>,
    header: bool,
    names: Vec<String>,
    skip_lines: usize,
}

impl Dialect {
    /// What was asked for, and for the rest what the decoded sample shows.
    fn tell(
        options: &TableOptions,
        encoding: &'static Encoding,
        sample: &str,
        whole: bool,
    ) -> Result<Dialect> {
        let byte = |c: char, what: &str| {
            u8::try_from(c)
                .map_err(|_| Error::usage(format!("the {what} `{c}` is not a single byte")))
        };
        let comment = options.comment.map(|mark| byte(mark, "comment mark")).transpose()?;
        let table: String = sample
            .split_inclusive('\n')
            .skip(options.skip_lines)
            .filter(|line| options.comment.is_none_or(|mark| !line.starts_with(mark)))
            .collect();
        let sample = table.as_str();
        let delimiter = match options.delimiter {
            Some(delimiter) => byte(delimiter, "delimiter")?,
            None => detect::delimiter(sample, whole),
        };
        let quote = match options.quoting {
            Some(Quoting::With(quote)) => Some(byte(quote, "quotation mark")?),
            Some(Quoting::None) => None,
            None => Some(detect::quote(sample, delimiter)),
        };
        Ok(Dialect {
            encoding,
            delimiter,
            quote,
            comment,
            header: !options.no_header,
            names: options.names.clone(),
            skip_lines: options.skip_lines,
        })
    }
}

/// A table to be read, once or several times.
#[derive(Debug)]
pub(crate) struct TableFile {
    /// Path as given; `-` for standard input.
    pub(crate) path: PathBuf,
    /// Standard input, laid down so that it can be read twice.
    spooled: Option<tempfile::NamedTempFile>,
    dialect: Dialect,
    /// Size in bytes.
    pub(crate) bytes: u64,
}

impl TableFile {
    /// Opens a table and tells its encoding and delimiter. `-` is standard input.
    pub(crate) fn open(path: &Path, options: &TableOptions) -> Result<TableFile> {
        if matches!(Format::of(path), Ok(Format::GeoPackage | Format::GeoJson | Format::Shapefile))
        {
            return Err(Error::usage(
                "holds features already, not a table: use `vpeg convert`, `vpeg declare` or `vpeg \
                 measure` on it",
            )
            .in_file(path));
        }
        let spooled = match path == Path::new("-") {
            true => Some(spool(path)?),
            false => None,
        };
        let real = spooled.as_ref().map_or(path, |file| file.path()).to_path_buf();
        let open = || File::open(&real).map_err(|e| Error::file(path, "cannot be read", e));
        let metadata = open()?.metadata().map_err(|e| Error::file(path, "cannot be read", e))?;
        if metadata.is_dir() {
            return Err(Error::data("is a folder, not a table").in_file(path));
        }
        let encoding = match &options.encoding {
            Some(label) => by_label(label)?,
            None => detect::encoding(|| File::open(&real))
                .map_err(|e| Error::file(path, "cannot be read", e))?,
        };
        let mut sample = Vec::new();
        decoded(open()?, encoding)
            .take(detect::SAMPLE as u64)
            .read_to_end(&mut sample)
            .map_err(|e| Error::file(path, "cannot be read", e))?;
        if sample.contains(&0) {
            return Err(Error::data(
                "is not a text table: it holds zero bytes. Workbooks and databases are not read \
                 as tables; save the sheet as CSV",
            )
            .in_file(path));
        }
        let whole = sample.len() < detect::SAMPLE;
        let dialect = Dialect::tell(options, encoding, &String::from_utf8_lossy(&sample), whole)?;
        Ok(TableFile { path: path.to_path_buf(), spooled, dialect, bytes: metadata.len() })
    }

    /// Name of the encoding.
    pub(crate) fn encoding_name(&self) -> &'static str {
        self.dialect.encoding.name()
    }

    pub(crate) fn delimiter(&self) -> u8 {
        self.dialect.delimiter
    }

    /// Starts reading from the header.
    pub(crate) fn rows(&self) -> Result<TableReader> {
        let real = self.spooled.as_ref().map_or(self.path.as_path(), |file| file.path());
        let file = File::open(real).map_err(|e| Error::file(&self.path, "cannot be read", e))?;
        TableReader::new(file, &self.path, &self.dialect)
    }
}

/// Reads the rows of a table.
pub(crate) struct TableReader {
    path: PathBuf,
    reader: csv::Reader<Box<dyn Read>>,
    /// Column names: blank ones are numbered, repeated ones get a suffix.
    pub(crate) headers: Vec<String>,
    /// Names that had to be changed.
    pub(crate) renamed: Vec<String>,
    row: u64,
    /// True where lines between the rows are passed over, so that rows go by their lines.
    by_line: bool,
    skipped: u64,
    /// The field of the row last read that is not text in the encoding.
    garbled: Option<usize>,
    read: Arc<AtomicU64>,
}

impl TableReader {
    fn new(input: impl Read + 'static, path: &Path, dialect: &Dialect) -> Result<TableReader> {
        let read = Arc::new(AtomicU64::new(0));
        let counted = Counted { input, read: read.clone() };
        let mut decoded: Box<dyn Read> = Box::new(decoded(counted, dialect.encoding));
        if dialect.skip_lines > 0 {
            decoded = Box::new(SkipLines { input: decoded, left: dialect.skip_lines });
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
        let raw = reader.headers().map_err(|e| unreadable(path, &e))?.clone();
        if raw.is_empty() || raw.iter().all(|field| field.trim().is_empty()) {
            return Err(Error::data(
                "is empty: a table needs a header row with column names, and rows below it",
            )
            .in_file(path));
        }
        if !dialect.names.is_empty() && dialect.names.len() != raw.len() {
            return Err(Error::usage(format!(
                "{} names were given for its {} columns",
                dialect.names.len(),
                raw.len()
            ))
            .in_file(path));
        }
        let (headers, renamed) = match (dialect.names.as_slice(), dialect.header) {
            ([], true) => distinct(&raw),
            ([], false) => ((1..=raw.len()).map(|at| format!("column_{at}")).collect(), Vec::new()),
            (names, _) => distinct(&names.iter().collect()),
        };
        Ok(TableReader {
            path: path.to_path_buf(),
            reader,
            headers,
            renamed,
            row: (dialect.skip_lines + usize::from(dialect.header)) as u64,
            by_line: dialect.comment.is_some(),
            skipped: dialect.skip_lines as u64,
            garbled: None,
            read,
        })
    }

    /// A table that is read once as it comes, such as standard input; encoding and
    /// delimiter are told from its beginning.
    pub(crate) fn stream(
        mut input: impl Read + 'static,
        path: &Path,
        options: &TableOptions,
    ) -> Result<(TableReader, u8)> {
        let mut head = Vec::new();
        (&mut input)
            .take(detect::SAMPLE as u64)
            .read_to_end(&mut head)
            .map_err(|e| Error::file(path, "cannot be read", e))?;
        let encoding = match &options.encoding {
            Some(label) => by_label(label)?,
            None => {
                // A character cut at the end of the sample says nothing about the encoding.
                let cut = head.len() - head.len().min(4);
                let end = match std::str::from_utf8(&head) {
                    Err(e) if e.error_len().is_none() && e.valid_up_to() >= cut => e.valid_up_to(),
                    _ => head.len(),
                };
                detect::encoding(|| Ok(&head[..end]))
                    .map_err(|e| Error::file(path, "cannot be read", e))?
            }
        };
        let (text, _, _) = encoding.decode(&head);
        let dialect = Dialect::tell(options, encoding, &text, head.len() < detect::SAMPLE)?;
        let whole = Cursor::new(head).chain(input);
        Ok((TableReader::new(whole, path, &dialect)?, dialect.delimiter))
    }

    /// Reads the next row; false at the end. Bytes that are not text come as replacement
    /// characters, and `misfit` tells of them.
    pub(crate) fn next(&mut self, record: &mut StringRecord) -> Result<bool> {
        let mut bytes = std::mem::take(record).into_byte_record();
        let more =
            self.reader.read_byte_record(&mut bytes).map_err(|e| unreadable(&self.path, &e))?;
        (*record, self.garbled) = match StringRecord::from_byte_record(bytes) {
            Ok(record) => (record, None),
            Err(error) => {
                let field = error.utf8_error().field();
                (StringRecord::from_byte_record_lossy(error.into_byte_record()), Some(field))
            }
        };
        self.row += u64::from(more);
        // An opening quotation mark that is never closed would swallow the rows below it.
        let lines = record.as_slice().bytes().filter(|byte| *byte == b'\n').count();
        if more && self.by_line {
            // The reader stands at the line behind the row.
            self.row = self.reader.position().line() - 1 - lines as u64 + self.skipped;
        }
        if lines > MOST_LINES {
            return Err(Error::data(format!(
                "the row runs over {} lines: a quotation mark in it is not closed. Close it, or read \
                 marks as ordinary characters with --quote none",
                lines + 1
            ))
            .in_file(&self.path)
            .in_row(self.row));
        }
        Ok(more)
    }

    /// Number of the row last read, the header being row 1.
    pub(crate) fn row(&self) -> u64 {
        self.row
    }

    /// Bytes of the file read so far.
    pub(crate) fn bytes_read(&self) -> u64 {
        self.read.load(Ordering::Relaxed)
    }

    /// True if the row last read holds bytes that are not text in the encoding.
    pub(crate) fn is_garbled(&self) -> bool {
        self.garbled.is_some()
    }

    /// Why the row last read does not fit its header or its encoding, if it does not.
    pub(crate) fn misfit(&self, record: &StringRecord) -> Option<String> {
        if let Some(field) = self.garbled {
            let column = self.headers.get(field).map_or(String::new(), |name| format!(" `{name}`"));
            return Some(format!(
                "column{column} holds bytes that are not UTF-8 text (shown as \u{fffd}): correct \
                 them, or name the encoding with --encoding"
            ));
        }
        (record.len() != self.headers.len()).then(|| {
            format!(
                "the row has {} fields where the header has {}",
                record.len(),
                self.headers.len()
            )
        })
    }
}

fn by_label(label: &str) -> Result<&'static Encoding> {
    Encoding::for_label(label.as_bytes()).ok_or_else(|| {
        Error::usage(format!(
            "`{label}` is not the label of an encoding: use utf-8, windows-1252, iso-8859-1, \
             utf-16le, shift_jis or the like"
        ))
    })
}

fn decoded(input: impl Read, encoding: &'static Encoding) -> impl Read {
    DecodeReaderBytesBuilder::new()
        // A named UTF-8 would be repaired on the way.
        .encoding((encoding != encoding_rs::UTF_8).then_some(encoding))
        .bom_override(true)
        .strip_bom(true)
        // Bytes that turn out not to be UTF-8 make their row a reject, not a silent mark.
        .utf8_passthru(encoding == encoding_rs::UTF_8)
        .build(input)
}

fn unreadable(path: &Path, error: &csv::Error) -> Error {
    let row = error.position().map(|position| position.record() + 1);
    let wrapped = Error::data(format!("cannot be read as a table: {error}")).in_file(path);
    match row {
        Some(row) => wrapped.in_row(row),
        None => wrapped,
    }
}

fn spool(path: &Path) -> Result<tempfile::NamedTempFile> {
    let failed = |e| Error::file(path, "cannot be read", e);
    let mut file = tempfile::NamedTempFile::new().map_err(failed)?;
    std::io::copy(&mut std::io::stdin().lock(), &mut file).map_err(failed)?;
    file.flush().map_err(failed)?;
    file.seek(SeekFrom::Start(0)).map_err(failed)?;
    Ok(file)
}

/// Column names made distinct and never blank, and the ones that had to be changed.
fn distinct(raw: &StringRecord) -> (Vec<String>, Vec<String>) {
    let (mut headers, mut renamed): (Vec<String>, Vec<String>) = (Vec::new(), Vec::new());
    for (at, field) in raw.iter().enumerate() {
        let base = match field.trim() {
            "" => format!("column_{}", at + 1),
            name => name.to_string(),
        };
        let mut name = base.clone();
        let mut suffix = 2;
        while headers.iter().any(|other| other.eq_ignore_ascii_case(&name)) {
            name = format!("{base}_{suffix}");
            suffix += 1;
        }
        if name != field.trim() {
            renamed.push(name.clone());
        }
        headers.push(name);
    }
    (headers, renamed)
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
