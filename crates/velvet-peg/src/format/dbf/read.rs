//! Reading tables of attributes record by record.

use crate::error::{Error, Result};
use crate::layer::Value;
use encoding_rs::Encoding;
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
    encoding: &'static Encoding,
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
    /// Opens a table; the encoding is what `.cpg` beside it names, or its own mark, or
    /// Windows-1252.
    pub(in crate::format) fn open(path: &Path) -> Result<DbfReader> {
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
        let mut fields = Vec::new();
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
                name: String::from_utf8_lossy(&entry[..end]).trim().to_string(),
                kind: entry[11].to_ascii_uppercase(),
                width: usize::from(entry[16]) + if wide { usize::from(entry[17]) << 8 } else { 0 },
                decimals: if wide { 0 } else { entry[17].into() },
            };
            width += field.width;
            fields.push(field);
            at += 32;
        }
        if fields.is_empty() || width > size {
            return Err(damaged("its fields do not fit its records"));
        }
        input.seek(SeekFrom::Start(start as u64)).map_err(failed)?;
        let encoding = encoding_beside(path).or_else(|| by_mark(head[29]));
        let encoding = encoding.unwrap_or(encoding_rs::WINDOWS_1252);
        let record = vec![0; size];
        Ok(DbfReader { input, fields, count: count.into(), record, next: 0, encoding })
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
            match value(field, bytes, self.encoding) {
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

fn encoding_beside(path: &Path) -> Option<&'static Encoding> {
    let label = std::fs::read_to_string(beside(path, "cpg")).ok()?;
    let label = label.trim().trim_start_matches('\u{feff}').to_ascii_lowercase();
    let digits: String = label.chars().filter(char::is_ascii_digit).collect();
    Encoding::for_label(label.as_bytes()).or_else(|| match digits.as_str() {
        "65001" => Some(encoding_rs::UTF_8),
        "932" => Some(encoding_rs::SHIFT_JIS),
        "936" => Some(encoding_rs::GBK),
        "949" => Some(encoding_rs::EUC_KR),
        "950" => Some(encoding_rs::BIG5),
        "866" => Some(encoding_rs::IBM866),
        _ => match digits.strip_prefix("8859") {
            Some(part) => Encoding::for_label(format!("iso-8859-{part}").as_bytes()),
            None => Encoding::for_label(format!("windows-{digits}").as_bytes()),
        },
    })
}

/// The encoding of a mark in the header.
fn by_mark(mark: u8) -> Option<&'static Encoding> {
    Some(match mark {
        0x03 | 0x57..=0x59 => encoding_rs::WINDOWS_1252,
        0x13 | 0x7b => encoding_rs::SHIFT_JIS,
        0x26 | 0x65 => encoding_rs::IBM866,
        0x4d | 0x7a => encoding_rs::GBK,
        0x4e | 0x79 => encoding_rs::EUC_KR,
        0x4f | 0x78 => encoding_rs::BIG5,
        0x50 | 0x7c => encoding_rs::WINDOWS_874,
        0x7d => encoding_rs::WINDOWS_1255,
        0x7e => encoding_rs::WINDOWS_1256,
        0xc8 => encoding_rs::WINDOWS_1250,
        0xc9 => encoding_rs::WINDOWS_1251,
        0xca => encoding_rs::WINDOWS_1254,
        0xcb => encoding_rs::WINDOWS_1253,
        0xcc => encoding_rs::WINDOWS_1257,
        _ => return None,
    })
}

/// A value, or the text that is none.
fn value(
    field: &DbfField,
    bytes: &[u8],
    encoding: &'static Encoding,
) -> std::result::Result<Value, String> {
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
        b'M' | b'G' | b'P' => return Ok(Value::Null),
        _ => {}
    }
    let (text, garbled) = encoding.decode_without_bom_handling(bytes);
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
