//! Reading tables, with a header or without: delimited text (CSV, TSV and their relatives),
//! sheets of workbooks, tables of attributes.
//!
//! Delimiter, quoting and encoding are detected and can be overridden. Rows keep their
//! number as a spreadsheet shows it (the header is row 1). Nothing is dropped silently: a row
//! with too few or too many fields is handed to the caller as such.

mod columns;
mod coordinate;
mod detect;
mod first_row;
mod infer;
mod laid_down;
mod layout;
mod likely;
mod point_file;
mod purpose;
mod sample;
mod sheets;

pub use columns::{CoordinateColumns, NumberFormat};
pub(crate) use columns::{Found, list, position};
pub(crate) use coordinate::{NEEDS_DEGREES, Notation, read_pair};
pub(crate) use detect::delimiter_name;
pub(crate) use infer::{Inference, data_type_of_text};
pub(crate) use likely::likely;
pub(crate) use point_file::names as point_file_names;
pub(crate) use purpose::vertices;
pub use sheets::SheetShape;

use crate::error::{Error, Result};
use crate::format::{Format, Located, locate};
use crate::guard::guarded;
use crate::notice::Notice;
use crate::output::TemporaryFolder;
use csv::StringRecord;
use encoding_rs::Encoding;
use encoding_rs_io::DecodeReaderBytesBuilder;
use first_row::FirstRow;
use layout::{Laid, Layout};
use std::fs::File;
use std::io::{Cursor, Read};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

/// Rows that columns are judged by.
const HEAD_ROWS: usize = 200;

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
    /// True if the first row holds values, not the names of columns; told by the rows below it if
    /// neither this nor `header` is said.
    pub no_header: bool,
    /// True if the first row holds the names of columns, whatever it looks like.
    pub header: bool,
    /// Widths of the fields in characters, of a text in which they stand in columns.
    pub widths: Vec<usize>,
    /// Names of the columns, instead of those in the header; without either, columns are named
    /// by their numbers from 1.
    pub names: Vec<String>,
    /// Lines in front of the table that are passed over.
    pub skip_lines: usize,
    /// Lines that begin with this character are passed over.
    pub comment: Option<char>,
    /// Sheets of a workbook to read; with none, the only one there is.
    pub sheets: Vec<String>,
    /// Every sheet of a workbook, hidden ones aside.
    pub all_sheets: bool,
    /// The row of a sheet that the header is in, from 1; found if not given.
    pub header_row: Option<u32>,
    /// The first of several sheets, where none is named.
    pub first_sheet: bool,
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
    layout: Option<Layout>,
    /// What was noticed while telling it.
    notices: Vec<Notice>,
    /// Why it is not clear whether the first row is a header.
    doubt: Option<String>,
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
        let mut skip_lines = options.skip_lines;
        let mut named = options.delimiter;
        // Some spreadsheets write the delimiter into a line of its own: `sep=;`.
        let first = sample.lines().nth(skip_lines).unwrap_or_default();
        if let Some(mark) = first.trim_start_matches('\u{feff}').strip_prefix("sep=") {
            let mut marks = mark.chars();
            if let (Some(mark), None) = (marks.next(), marks.next()) {
                named = named.or(Some(mark));
                skip_lines += 1;
            }
        }
        let table: String = sample
            .split_inclusive('\n')
            .skip(skip_lines)
            .filter(|line| options.comment.is_none_or(|mark| !line.starts_with(mark)))
            .collect();
        let sample = table.as_str();
        let mut notices = Vec::new();
        let mut layout =
            (!options.widths.is_empty()).then(|| Layout::Widths(options.widths.clone()));
        let mut by_blanks = named == Some(' ') && layout.is_none();
        let delimiter = match named {
            _ if layout.is_some() || by_blanks => b',',
            Some(delimiter) => byte(delimiter, "delimiter")?,
            None => match detect::delimiter(sample, whole) {
                Some(found) => found,
                None => {
                    by_blanks = detect::is_blank_delimited(sample, whole);
                    if by_blanks {
                        notices.push(Notice::remark("the fields are divided by blanks"));
                    }
                    b','
                }
            },
        };
        let quote = match options.quoting {
            Some(Quoting::With(quote)) => Some(byte(quote, "quotation mark")?),
            Some(Quoting::None) => None,
            None => Some(detect::quote(sample, delimiter)),
        };
        // What the rows look like as they are.
        let asked = options.header || options.no_header;
        if by_blanks {
            let bare = Layout::Blanks(None);
            let rows = rows_of(sample, whole, b',', quote, Some(&bare));
            let header = match asked {
                true => options.header,
                false => first_row::judge(&rows) == FirstRow::Names || is_words(&rows),
            };
            layout = Some(Layout::of_blanks(sample, header));
        }
        let rows = rows_of(sample, whole, delimiter, quote, layout.as_ref());
        let mut header = !options.no_header;
        let mut doubt = None;
        if !asked {
            match first_row::judge(&rows) {
                FirstRow::Names => {}
                FirstRow::Values => {
                    header = false;
                    let go = match options.names.is_empty() {
                        true => {
                            "the columns go by their numbers (column_1, column_2 …), unless \
                                 they are named with --names"
                        }
                        false => "the names given are its columns'",
                    };
                    notices.push(Notice::remark(format!(
                        "the first row holds values like those below it, not names: it is a row \
                         like the others, and {go}"
                    )));
                }
                FirstRow::Doubtful(why) => {
                    header = false;
                    doubt = Some(why);
                }
            }
        }
        Ok(Dialect {
            encoding,
            delimiter,
            quote,
            comment,
            header,
            names: options.names.clone(),
            skip_lines,
            layout,
            notices,
            doubt,
        })
    }

    /// # Errors
    /// If it is not clear whether the first row is a header.
    fn decided(self, path: &Path) -> Result<Dialect> {
        match &self.doubt {
            None => Ok(self),
            Some(why) => Err(Error::usage(format!(
                "its first row may hold names of columns or values ({why}): say which with --header \
                 or --no-header"
            ))
            .in_file(path)),
        }
    }
}

/// The first rows of a sample.
fn rows_of(
    sample: &str,
    whole: bool,
    delimiter: u8,
    quote: Option<u8>,
    layout: Option<&Layout>,
) -> Vec<StringRecord> {
    // The last line of a cut sample may be cut too.
    let text = match sample.rfind('\n') {
        Some(end) if !whole => &sample[..end],
        _ => sample,
    };
    let input: Box<dyn Read + '_> = match layout {
        Some(layout) => Box::new(Laid::new(text.as_bytes(), layout.clone(), None)),
        None => Box::new(text.as_bytes()),
    };
    csv::ReaderBuilder::new()
        .delimiter(delimiter)
        .quoting(quote.is_some())
        .quote(quote.unwrap_or(b'"'))
        .has_headers(false)
        .flexible(true)
        .from_reader(input)
        .records()
        .take(HEAD_ROWS)
        .filter_map(std::result::Result::ok)
        .collect()
}

/// True if the first row holds nothing but words.
fn is_words(rows: &[StringRecord]) -> bool {
    rows.first().is_some_and(|row| row.iter().all(|cell| !first_row::is_figure(cell)))
}

/// A table to be read, once or several times.
#[derive(Debug)]
pub(crate) struct TableFile {
    /// Path as given; `-` for standard input.
    pub(crate) path: PathBuf,
    real: PathBuf,
    /// What was laid down so that it can be read twice.
    _keep: (Option<Arc<TemporaryFolder>>, Option<TemporaryFolder>),
    /// The first field of each row is its number, not a column.
    numbered: bool,
    dialect: Dialect,
    /// Size in bytes.
    pub(crate) bytes: u64,
    pub(crate) format: Format,
    /// The sheet it is from, if it is from one.
    pub(crate) sheet: Option<String>,
    sheet_column: Option<usize>,
    /// The sheets of the workbook it is from.
    pub(crate) sheets: Vec<SheetShape>,
    /// What was noticed on opening.
    pub(crate) notices: Vec<Notice>,
}

impl TableFile {
    /// Opens a table and tells its encoding and delimiter. `-` is standard input.
    pub(crate) fn open(path: &Path, options: &TableOptions) -> Result<TableFile> {
        let mut file = TableFile::open_located(locate(path)?, options)?;
        file.dialect = file.dialect.decided(path)?;
        Ok(file)
    }

    /// Why it is not clear whether the first row is a header, if it is not: it counts as values.
    pub(crate) fn doubt(&self) -> Option<&str> {
        self.dialect.doubt.as_deref()
    }

    /// False if the first row holds values.
    pub(crate) fn has_header(&self) -> bool {
        self.dialect.header
    }

    /// As [`TableFile::open`], of an input that was found already, and whether or not it is clear
    /// what the first row holds.
    pub(crate) fn open_located(at: Located, options: &TableOptions) -> Result<TableFile> {
        let path = at.shown.clone();
        let path = path.as_path();
        let laid_down = match at.format {
            Format::Workbook => Some(guarded(path, "cannot be read as a workbook", || {
                laid_down::workbook(&at, options)
            })?),
            Format::Dbf => Some(laid_down::dbf(&at)?),
            // Text under the name of something else is for whoever calls it a table.
            Format::Csv => None,
            _ => {
                return Err(Error::usage(
                    "holds features already, not a table: use `vpeg convert`, `vpeg declare` or \
                     `vpeg measure` on it",
                )
                .in_file(path));
            }
        };
        let about_sheets =
            !options.sheets.is_empty() || options.all_sheets || options.header_row.is_some();
        if about_sheets && at.format != Format::Workbook {
            return Err(
                Error::usage("is no workbook: it has no sheets to choose from").in_file(path)
            );
        }
        let failed = |e| Error::file(path, "cannot be read", e);
        if let Some(laid) = laid_down {
            let dialect = Dialect {
                encoding: encoding_rs::UTF_8,
                delimiter: b',',
                quote: Some(b'"'),
                comment: None,
                header: !options.no_header || options.header_row.is_some(),
                names: options.names.clone(),
                skip_lines: 0,
                layout: None,
                notices: Vec::new(),
                doubt: None,
            };
            return Ok(TableFile {
                path: path.to_path_buf(),
                bytes: std::fs::metadata(&laid.path).map_err(failed)?.len(),
                real: laid.path,
                _keep: (at.keep, Some(laid.folder)),
                numbered: true,
                dialect,
                format: at.format,
                sheet: laid.sheet,
                sheet_column: laid.sheet_column,
                sheets: laid.sheets,
                notices: laid.notices,
            });
        }
        let open = || File::open(&at.real).map_err(failed);
        let metadata = open()?.metadata().map_err(failed)?;
        let encoding = match &options.encoding {
            Some(label) => by_label(label)?,
            None => detect::encoding(|| File::open(&at.real)).map_err(failed)?,
        };
        let mut sample = Vec::new();
        decoded(open()?, encoding)
            .take(detect::SAMPLE as u64)
            .read_to_end(&mut sample)
            .map_err(failed)?;
        if sample.contains(&0) {
            return Err(Error::data(
                "is not a text table: it holds zero bytes. Is its extension the right one?",
            )
            .in_file(path));
        }
        let whole = sample.len() < detect::SAMPLE;
        let dialect = Dialect::tell(options, encoding, &String::from_utf8_lossy(&sample), whole)?;
        let notices = dialect.notices.clone();
        Ok(TableFile {
            path: path.to_path_buf(),
            real: at.real,
            _keep: (at.keep, None),
            numbered: false,
            dialect,
            bytes: metadata.len(),
            format: Format::Csv,
            sheet: None,
            sheet_column: None,
            sheets: Vec::new(),
            notices,
        })
    }

    /// Name of the encoding.
    pub(crate) fn encoding_name(&self) -> &'static str {
        self.dialect.encoding.name()
    }

    pub(crate) fn delimiter(&self) -> u8 {
        self.dialect.delimiter
    }

    /// The first rows, to judge columns by.
    pub(crate) fn head(&self) -> Result<Vec<StringRecord>> {
        let mut reader = self.rows()?;
        let mut rows = Vec::new();
        let mut record = StringRecord::new();
        while rows.len() < HEAD_ROWS && reader.next(&mut record)? {
            if reader.misfit(&record).is_none() {
                rows.push(record.clone());
            }
        }
        Ok(rows)
    }

    /// A reader of parts spread over a large file, and how many of its rows stand at the
    /// beginning of the file; none for a file that is better read whole.
    pub(crate) fn sample(&self) -> Result<Option<(TableReader, u64)>> {
        let bytewise = !matches!(self.dialect.encoding.name(), "UTF-16LE" | "UTF-16BE");
        let plain = self.format == Format::Csv && bytewise && self.dialect.comment.is_none();
        let Some(sample) = sample::take(&self.real, self.bytes)
            .map_err(|e| Error::file(&self.path, "cannot be read", e))?
            .filter(|_| plain)
        else {
            return Ok(None);
        };
        let lines = sample.head_lines;
        let input = Cursor::new(sample.text);
        let reader = TableReader::new(input, &self.path, &self.dialect, false)?;
        Ok(Some((reader, lines)))
    }

    /// Starts reading from the header.
    pub(crate) fn rows(&self) -> Result<TableReader> {
        let file =
            File::open(&self.real).map_err(|e| Error::file(&self.path, "cannot be read", e))?;
        let mut reader = TableReader::new(file, &self.path, &self.dialect, self.numbered)?;
        reader.sheet_column = self.sheet_column;
        Ok(reader)
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
    /// The column that names the sheet, if there are several.
    sheet_column: Option<usize>,
    /// The first field of each row is its number in the source.
    numbered: bool,
    /// True where lines between the rows are passed over, so that rows go by their lines.
    by_line: bool,
    skipped: u64,
    /// The field of the row last read that is not text in the encoding.
    garbled: Option<usize>,
    read: Arc<AtomicU64>,
}

impl TableReader {
    fn new(
        input: impl Read + 'static,
        path: &Path,
        dialect: &Dialect,
        numbered: bool,
    ) -> Result<TableReader> {
        let read = Arc::new(AtomicU64::new(0));
        let counted = Counted { input, read: read.clone() };
        let mut decoded: Box<dyn Read> = Box::new(decoded(counted, dialect.encoding));
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
        let mut raw = reader.headers().map_err(|e| unreadable(path, &e))?.clone();
        if numbered {
            raw = raw.iter().skip(1).collect();
        }
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
            sheet_column: None,
            numbered,
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
    ) -> Result<(TableReader, u8, Vec<Notice>)> {
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
        let dialect = dialect.decided(path)?;
        let whole = Cursor::new(head).chain(input);
        let reader = TableReader::new(whole, path, &dialect, false)?;
        Ok((reader, dialect.delimiter, dialect.notices))
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
        if self.numbered {
            self.row = record.get(0).and_then(|number| number.parse().ok()).unwrap_or(self.row);
            *record = record.iter().skip(1).collect();
            return Ok(more);
        }
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

    /// What is wrong with a row, with the sheet it is on if there are several.
    pub(crate) fn on_sheet(&self, record: &StringRecord, reason: String) -> String {
        match self.sheet_column.and_then(|at| record.get(at)) {
            Some(sheet) => format!("sheet {sheet}: {reason}"),
            None => reason,
        }
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

/// The beginning of a text, decoded as it looks.
pub(crate) fn decode_start(bytes: &[u8]) -> String {
    let encoding = detect::encoding(|| Ok(bytes)).unwrap_or(encoding_rs::UTF_8);
    encoding.decode(bytes).0.into_owned()
}

/// The encoding that a text file looks to have.
pub(crate) fn encoding_of(path: &Path) -> Result<&'static Encoding> {
    detect::encoding(|| File::open(path)).map_err(|e| Error::file(path, "cannot be read", e))
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
