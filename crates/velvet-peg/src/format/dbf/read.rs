//! Reading tables of attributes record by record.

use super::code_page::CodePage;
use super::memo::Memo;
use crate::advice::Advice;
use crate::error::{Error, Result};
use crate::layer::Value;
use crate::notice::{Notice, NoticeKind};
use crate::small_file::read_small;
use std::fs::File;
use std::io::{BufReader, Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};

/// A field of a table.
#[derive(Clone, Debug)]
pub(in crate::format) struct DbfField {
    pub(in crate::format) name: String,
    /// Letter of its type.
    pub(in crate::format) kind: u8,
    width: usize,
    decimals: usize,
}

impl DbfField {
    /// Whole numbers by its declaration.
    pub(in crate::format) fn is_whole(&self) -> bool {
        matches!(self.kind, b'N' | b'F') && self.decimals == 0 || self.kind == b'I'
    }

    pub(in crate::format) fn is_number(&self) -> bool {
        matches!(self.kind, b'N' | b'F' | b'I' | b'B' | b'Y')
    }
}

/// A table being read.
pub(in crate::format) struct DbfReader {
    input: BufReader<File>,
    pub(in crate::format) fields: Vec<DbfField>,
    /// Records that its header counts.
    pub(in crate::format) count: u64,
    record: Vec<u8>,
    next: u64,
    page: CodePage,
    memo: Option<Memo>,
    /// What was noticed on opening.
    pub(in crate::format) notices: Vec<Notice>,
}

/// What a record holds.
pub(in crate::format) struct DbfRecord {
    pub(in crate::format) values: Vec<Value>,
    /// The row is marked as deleted.
    pub(in crate::format) deleted: bool,
    /// Fields whose value cannot be read, with the text that is there.
    pub(in crate::format) wrong: Vec<(usize, String)>,
}

impl DbfReader {
    /// Opens a table; its code page is the one that is asked for, or what `.cpg` beside it names, or
    /// its own mark, or what its texts look like.
    pub(in crate::format) fn open(path: &Path, asked: Option<&str>) -> Result<DbfReader> {
        let failed = |e| Error::file(path, "cannot be read", e);
        let damaged = |what: &str| {
            Error::data(format!("cannot be read as attributes: the file is damaged ({what})"))
                .in_file(path)
        };
        let mut input = BufReader::with_capacity(1 << 16, File::open(path).map_err(failed)?);
        let mut head = [0; 32];
        input.read_exact(&mut head).map_err(|_| damaged("it ends in its header"))?;
        let word = |at: usize| usize::from(u16::from_le_bytes([head[at], head[at + 1]]));
        let (start, size) = (word(8), word(10));
        let count = u32::from_le_bytes([head[4], head[5], head[6], head[7]]);
        if !matches!(head[0] & 7, 3..=5) && !matches!(head[0], 0x30..=0x32) {
            return Err(damaged("it does not begin like a table"));
        }
        let mut fields: Vec<DbfField> = Vec::new();
        let mut names: Vec<Vec<u8>> = Vec::new();
        let mut width = 1;
        let mut at = 32;
        loop {
            let mut entry = [0; 32];
            input.read_exact(&mut entry[..1]).map_err(|_| damaged("it ends in its header"))?;
            if entry[0] == 0x0d || at + 32 > start {
                break;
            }
            input.read_exact(&mut entry[1..]).map_err(|_| damaged("it ends in its header"))?;
            let end = entry[..11].iter().position(|b| *b == 0).unwrap_or(11);
            // Long texts use the place of the decimals for the rest of their width.
            let wide = entry[11] == b'C';
            let field = DbfField {
                name: String::new(),
                kind: entry[11].to_ascii_uppercase(),
                width: usize::from(entry[16]) + if wide { usize::from(entry[17]) << 8 } else { 0 },
                decimals: if wide { 0 } else { entry[17].into() },
            };
            names.push(entry[..end].to_vec());
            width += field.width;
            fields.push(field);
            at += 32;
        }
        if fields.is_empty() || width > size {
            return Err(damaged("its fields do not fit its records"));
        }
        let mut notices = Vec::new();
        let place = (start as u64, size, u64::from(count));
        let utf8 = || is_utf8(&mut input, &fields, place).map_err(failed);
        let page = told(path, asked, head[29], utf8, &mut notices)?;
        for (field, name) in fields.iter_mut().zip(&names) {
            let (text, _) = page.decode(name);
            field.name = text.trim().to_string();
        }
        let memo = Memo::open(path, head[0]).map_err(failed)?;
        notices.extend(left_out(&fields, memo.is_some()));
        input.seek(SeekFrom::Start(start as u64)).map_err(failed)?;
        let record = vec![0; size];
        Ok(DbfReader { input, fields, count: count.into(), record, next: 0, page, memo, notices })
    }

    /// The next record; none at the end, or where the file is cut.
    pub(in crate::format) fn next(&mut self) -> std::io::Result<Option<DbfRecord>> {
        if self.next >= self.count {
            return Ok(None);
        }
        match self.input.read_exact(&mut self.record) {
            Ok(()) => {}
            Err(e) if e.kind() == std::io::ErrorKind::UnexpectedEof => return Ok(None),
            Err(e) => return Err(e),
        }
        self.next += 1;
        let mut record = DbfRecord {
            values: Vec::with_capacity(self.fields.len()),
            deleted: self.record[0] == b'*',
            wrong: Vec::new(),
        };
        let mut at = 1;
        for (number, field) in self.fields.iter().enumerate() {
            let bytes = &self.record[at..at + field.width];
            at += field.width;
            let read = match field.kind {
                b'M' => match (block_of(bytes), &mut self.memo) {
                    (Some(block), Some(memo)) => text_of(block, memo.text(block)?, &self.page),
                    _ => Ok(Value::Null),
                },
                _ => value(field, bytes, &self.page),
            };
            match read {
                Ok(value) => record.values.push(value),
                Err(text) => {
                    record.values.push(Value::Null);
                    record.wrong.push((number, text));
                }
            }
        }
        Ok(Some(record))
    }
}

/// A file beside another, with this extension in small letters or capitals.
pub(in crate::format) fn beside(path: &Path, extension: &str) -> PathBuf {
    let small = path.with_extension(extension);
    let capital = path.with_extension(extension.to_ascii_uppercase());
    if !small.exists() && capital.exists() { capital } else { small }
}

/// How the code page of a table was told.
fn told(
    path: &Path,
    asked: Option<&str>,
    mark: u8,
    utf8: impl FnOnce() -> Result<Option<bool>>,
    notices: &mut Vec<Notice>,
) -> Result<CodePage> {
    if let Some(label) = asked {
        return CodePage::by_label(label).ok_or_else(|| {
            Error::usage(format!(
                "`{label}` is not the name of a code page: use utf-8, 1252, 437, 850, iso-8859-1 or \
                 the like"
            ))
            .in_file(path)
        });
    }
    let side = beside(path, "cpg");
    if let Ok(label) = read_small(&side, 1024) {
        let label = String::from_utf8_lossy(&label);
        match CodePage::by_label(&label) {
            Some(page) => return Ok(page),
            None => {
                let text = format!(
                    "`{}`, which {} names, is no code page that is known: the table is read as if \
                     it named none",
                    label.trim(),
                    side.file_name().unwrap_or_default().to_string_lossy()
                );
                notices.push(Notice::warning(NoticeKind::Assumed, text).in_file(&side));
            }
        }
    }
    if let Some(page) = CodePage::by_mark(mark) {
        return Ok(page);
    }
    let (page, known) = match utf8()? {
        // Nothing tells, and nothing hangs on it.
        None => return Ok(CodePage::Web(encoding_rs::UTF_8)),
        Some(true) => (CodePage::Web(encoding_rs::UTF_8), "its texts are valid UTF-8"),
        Some(false) => (CodePage::Web(encoding_rs::WINDOWS_1252), "most tables are of it"),
    };
    let text =
        format!("the table states no code page: it is read as {}, because {known}", page.name());
    notices.push(Notice::note(NoticeKind::Assumed, text).advise(Advice::NameEncoding));
    Ok(page)
}

/// True if the texts of a table are valid UTF-8, false if not; none if they are all ASCII.
fn is_utf8(
    input: &mut BufReader<File>,
    fields: &[DbfField],
    (start, size, count): (u64, usize, u64),
) -> std::io::Result<Option<bool>> {
    input.seek(SeekFrom::Start(start))?;
    let mut record = vec![0; size];
    let mut beyond = None;
    for _ in 0..count {
        match input.read_exact(&mut record) {
            Ok(()) => {}
            Err(e) if e.kind() == std::io::ErrorKind::UnexpectedEof => break,
            Err(e) => return Err(e),
        }
        let mut at = 1;
        for field in fields {
            let bytes = &record[at..at + field.width];
            at += field.width;
            if field.kind != b'C' || bytes.is_ascii() {
                continue;
            }
            // A text that fills its field may be cut within a character.
            let cut = |error: std::str::Utf8Error| error.error_len().is_none();
            if std::str::from_utf8(bytes).is_err_and(|error| !cut(error)) {
                return Ok(Some(false));
            }
            beyond = Some(true);
        }
    }
    Ok(beyond)
}

/// Fields whose values are not read: texts whose file is gone, and objects of other programs.
fn left_out(fields: &[DbfField], has_memo: bool) -> Vec<Notice> {
    let of = |kinds: &[u8]| {
        let names = fields.iter().filter(|field| kinds.contains(&field.kind));
        names.map(|field| format!("`{}`", field.name)).collect::<Vec<_>>().join(", ")
    };
    let memos = if has_memo { String::new() } else { of(b"M") };
    let mut notices = Vec::new();
    for (names, why) in [
        (memos, "its texts lie in a .dbt or .fpt beside the table, which is not there"),
        (of(b"GP"), "it holds objects of other programs"),
    ] {
        if !names.is_empty() {
            let text = format!("column {names} reads as blank: {why}");
            notices.push(Notice::warning(NoticeKind::Unreadable, text));
        }
    }
    notices
}

/// The block of a text beside the table: digits, or a number of four bytes.
fn block_of(bytes: &[u8]) -> Option<u64> {
    match bytes.try_into() {
        Ok(word) => Some(u32::from_le_bytes(word).into()).filter(|block| *block > 0),
        Err(_) => std::str::from_utf8(bytes).ok()?.trim_matches(['\0', ' ']).parse().ok(),
    }
}

/// A text of a block beside the table, or that there is none.
fn text_of(
    block: u64,
    bytes: Option<Vec<u8>>,
    page: &CodePage,
) -> std::result::Result<Value, String> {
    let Some(bytes) = bytes else {
        return Err(format!("(block {block} of its texts is not there)"));
    };
    let (text, _) = page.decode(&bytes);
    // Soft line ends of an editor are none of the text's.
    let text = text.replace("\u{8d}\n", "").replace("\r\n", "\n");
    let text = text.trim_end_matches(['\0', ' ', '\n']);
    Ok(if text.is_empty() { Value::Null } else { Value::Text(text.to_string()) })
}

/// A value, or the text that is none.
fn value(field: &DbfField, bytes: &[u8], page: &CodePage) -> std::result::Result<Value, String> {
    let fixed = |count: usize| bytes.get(..count);
    match field.kind {
        b'I' => {
            let bytes = fixed(4).and_then(|b| b.try_into().ok());
            return Ok(bytes.map_or(Value::Null, |b| i64::from(i32::from_le_bytes(b)).into()));
        }
        b'B' if field.width == 8 => {
            let bytes = fixed(8).and_then(|b| b.try_into().ok());
            return Ok(bytes.map_or(Value::Null, |b| f64::from_le_bytes(b).into()));
        }
        b'Y' => {
            let bytes = fixed(8).and_then(|b| b.try_into().ok());
            return Ok(bytes.map_or(Value::Null, |b| (i64::from_le_bytes(b) as f64 / 1e4).into()));
        }
        b'T' | b'@' => return Ok(moment(bytes)),
        b'G' | b'P' => return Ok(Value::Null),
        _ => {}
    }
    let (text, garbled) = page.decode(bytes);
    let plain = text.trim_matches(['\0', ' ']);
    if plain.is_empty() {
        return Ok(Value::Null);
    }
    let wrong = || plain.to_string();
    match field.kind {
        b'N' | b'F' if plain.bytes().all(|b| b == b'*') => Ok(Value::Null),
        b'N' | b'F' => {
            let plain = plain.trim();
            match plain.parse::<i64>() {
                Ok(whole) if field.decimals == 0 => Ok(Value::Integer(whole)),
                // More digits than a number keeps: told as they stand.
                Err(_) if field.decimals == 0 && is_long(plain) => Err(wrong()),
                // Some writers put a comma for the point.
                _ => plain.replace(',', ".").parse().map(Value::Real).map_err(|_| wrong()),
            }
        }
        b'L' => match plain {
            "T" | "t" | "Y" | "y" => Ok(Value::Boolean(true)),
            "F" | "f" | "N" | "n" => Ok(Value::Boolean(false)),
            "?" => Ok(Value::Null),
            _ => Err(wrong()),
        },
        b'D' => match (plain.len() == 8 && plain.bytes().all(|b| b.is_ascii_digit()), plain) {
            (_, "00000000") => Ok(Value::Null),
            (true, d) => Ok(Value::Text(format!("{}-{}-{}", &d[..4], &d[4..6], &d[6..]))),
            (false, _) => Err(wrong()),
        },
        _ if garbled => Err(wrong()),
        // Blanks at the end fill the field; those in front are the value's own.
        _ => Ok(Value::Text(text.trim_end_matches(['\0', ' ']).to_string())),
    }
}

/// A whole number of more digits than 64 bits hold.
fn is_long(text: &str) -> bool {
    let digits = text.strip_prefix(['-', '+']).unwrap_or(text);
    digits.len() >= 19 && digits.bytes().all(|byte| byte.is_ascii_digit())
}

/// A day number and milliseconds of the day.
fn moment(bytes: &[u8]) -> Value {
    let word = |at: usize| -> Option<i64> {
        Some(i32::from_le_bytes(bytes.get(at..at + 4)?.try_into().ok()?).into())
    };
    let (Some(day), Some(milliseconds)) = (word(0), word(4)) else { return Value::Null };
    if day <= 0 {
        return Value::Null;
    }
    // Julian day number to the Gregorian calendar (Richards 2013, algorithm of section 15.11.3).
    let f = day + 1401 + (((4 * day + 274_277) / 146_097) * 3) / 4 - 38;
    let e = 4 * f + 3;
    let h = 5 * ((e % 1461) / 4) + 2;
    let (d, m) = ((h % 153) / 5 + 1, (h / 153 + 2) % 12 + 1);
    let y = e / 1461 - 4716 + (12 + 2 - m) / 12;
    let s = milliseconds / 1000;
    Value::Text(format!("{y:04}-{m:02}-{d:02}T{:02}:{:02}:{:02}", s / 3600, s / 60 % 60, s % 60))
}
