//! The pairs of a drawing, group code and value, in the text form and in the two binary ones.

use crate::error::{Error, Result};
use encoding_rs::Encoding;
use encoding_rs_io::DecodeReaderBytesBuilder;
use std::fs::File;
use std::io::{BufRead, BufReader, Read};
use std::path::Path;

/// The first bytes of the binary form: a line of 18 characters, its end, 26 and 0.
pub(super) const BINARY: [u8; 22] = [
    0x41, 0x75, 0x74, 0x6f, 0x43, 0x41, 0x44, 0x20, 0x42, 0x69, 0x6e, 0x61, 0x72, 0x79, 0x20, 0x44,
    0x58, 0x46, 0x0d, 0x0a, 0x1a, 0x00,
];

/// One pair of a drawing.
#[derive(Clone, Debug)]
pub(super) struct Pair {
    pub(super) code: i32,
    pub(super) value: String,
}

impl Pair {
    /// Its value as a number; not a number if it is none.
    pub(super) fn number(&self) -> f64 {
        self.value.trim().parse().unwrap_or(f64::NAN)
    }
}

/// The number behind the first pair of a code.
pub(super) fn find(pairs: &[Pair], code: i32) -> Option<f64> {
    pairs.iter().find(|pair| pair.code == code).map(Pair::number)
}

/// The whole number behind the first pair of a code; 0 if there is none.
pub(super) fn flags(pairs: &[Pair], code: i32) -> i64 {
    find(pairs, code).map_or(0, |flags| flags as i64)
}

/// The text behind the first pair of a code.
pub(super) fn text(pairs: &[Pair], code: i32) -> Option<&str> {
    pairs.iter().find(|pair| pair.code == code).map(|pair| pair.value.as_str())
}

/// How group codes are written in the binary form.
#[derive(Clone, Copy, Debug)]
enum Codes {
    /// One byte, or 255 and two more: drawings of before 1994.
    Byte,
    Two,
}

/// The type of a value in the binary form (DXF reference, group code value types).
enum Type {
    Text,
    Real,
    Byte,
    Short,
    Long,
    Huge,
    Chunk,
}

fn type_of(code: i32) -> Option<Type> {
    Some(match code {
        0..=9
        | 100..=102
        | 105
        | 300..=309
        | 320..=369
        | 390..=399
        | 410..=419
        | 430..=439
        | 470..=481
        | 999..=1003
        | 1005..=1009 => Type::Text,
        10..=59 | 110..=149 | 210..=239 | 460..=469 | 1010..=1059 => Type::Real,
        60..=79 | 170..=179 | 270..=289 | 370..=389 | 400..=409 | 1060..=1070 => Type::Short,
        90..=99 | 420..=429 | 440..=459 | 1071 => Type::Long,
        160..=169 => Type::Huge,
        290..=299 => Type::Byte,
        310..=319 | 1004 => Type::Chunk,
        _ => return None,
    })
}

enum Form {
    Lines(BufReader<Box<dyn Read>>),
    Binary { input: BufReader<File>, codes: Codes, encoding: &'static Encoding },
}

/// The pairs of a file, one after the other.
pub(super) struct Pairs<'a> {
    path: &'a Path,
    form: Form,
    /// The line, or the byte in the binary form.
    at: u64,
    /// Characters that bytes of the file do not spell in its encoding.
    pub(super) misspelt: u64,
}

/// True for a drawing in the binary form.
pub(super) fn is_binary(path: &Path) -> Result<bool> {
    let mut start = Vec::new();
    File::open(path)
        .and_then(|file| file.take(BINARY.len() as u64).read_to_end(&mut start))
        .map_err(|e| Error::file(path, "cannot be read", e))?;
    Ok(start == BINARY)
}

impl<'a> Pairs<'a> {
    pub(super) fn open(path: &'a Path, encoding: &'static Encoding) -> Result<Pairs<'a>> {
        let failed = |e| Error::file(path, "cannot be read", e);
        let file = File::open(path).map_err(failed)?;
        if is_binary(path)? {
            let mut input = BufReader::with_capacity(1 << 16, file);
            input.read_exact(&mut [0; BINARY.len()]).map_err(failed)?;
            // The first code is 0, the first letter that of SECTION.
            let codes = match input.fill_buf().map_err(failed)? {
                [0, 0, ..] => Codes::Two,
                _ => Codes::Byte,
            };
            let form = Form::Binary { input, codes, encoding };
            return Ok(Pairs { path, form, at: BINARY.len() as u64, misspelt: 0 });
        }
        let decoded: Box<dyn Read> = Box::new(
            DecodeReaderBytesBuilder::new().encoding(Some(encoding)).strip_bom(true).build(file),
        );
        let form = Form::Lines(BufReader::with_capacity(1 << 16, decoded));
        Ok(Pairs { path, form, at: 0, misspelt: 0 })
    }

    pub(super) fn next(&mut self) -> Result<Option<Pair>> {
        let pair = match &mut self.form {
            Form::Lines(_) => self.lines()?,
            Form::Binary { .. } => self.binary()?,
        };
        if let Some(pair) = &pair {
            self.misspelt += pair.value.matches(char::REPLACEMENT_CHARACTER).count() as u64;
        }
        Ok(pair)
    }

    fn line(&mut self) -> Result<Option<String>> {
        let Form::Lines(input) = &mut self.form else { return Ok(None) };
        let mut line = String::new();
        let count =
            input.read_line(&mut line).map_err(|e| Error::file(self.path, "cannot be read", e))?;
        self.at += 1;
        Ok((count > 0).then(|| line.trim_end_matches(['\r', '\n']).to_string()))
    }

    fn lines(&mut self) -> Result<Option<Pair>> {
        let Some(code) = self.line()? else { return Ok(None) };
        let wrong = |line: u64, what: String| {
            Error::data(format!("is no drawing in text form, or is cut short: line {line} {what}"))
                .in_file(self.path)
        };
        let number = code.trim().parse().map_err(|_| {
            let shown: String = code.chars().take(20).collect();
            wrong(self.at, format!("holds `{shown}` where a group code belongs"))
        })?;
        let line = self.at;
        match self.line()? {
            Some(value) => Ok(Some(Pair { code: number, value })),
            None => Err(wrong(line, "has no value behind it".to_string())),
        }
    }

    /// So many bytes of the binary form; none at the end of the file.
    fn bytes<const N: usize>(&mut self) -> Result<Option<[u8; N]>> {
        let Form::Binary { input, .. } = &mut self.form else { return Ok(None) };
        let mut bytes = [0; N];
        match input.read_exact(&mut bytes) {
            Ok(()) => {
                self.at += N as u64;
                Ok(Some(bytes))
            }
            Err(e) if e.kind() == std::io::ErrorKind::UnexpectedEof => Ok(None),
            Err(e) => Err(Error::file(self.path, "cannot be read", e)),
        }
    }

    fn cut(&self) -> Error {
        Error::data(format!("is cut short: byte {} begins a pair that has no end", self.at))
            .in_file(self.path)
    }

    fn needed<const N: usize>(&mut self) -> Result<[u8; N]> {
        self.bytes()?.ok_or_else(|| self.cut())
    }

    fn binary(&mut self) -> Result<Option<Pair>> {
        let Form::Binary { codes, encoding, .. } = self.form else { return Ok(None) };
        let code = match codes {
            Codes::Two => self.bytes::<2>()?.map(|bytes| i32::from(i16::from_le_bytes(bytes))),
            Codes::Byte => match self.bytes::<1>()? {
                Some([255]) => Some(i32::from(i16::from_le_bytes(self.needed()?))),
                other => other.map(|[byte]| i32::from(byte)),
            },
        };
        let Some(code) = code else { return Ok(None) };
        let Some(kind) = type_of(code) else {
            return Err(Error::data(format!(
                "is no drawing in binary form: {code} is no group code (byte {})",
                self.at
            ))
            .in_file(self.path));
        };
        let value = match kind {
            Type::Real => f64::from_le_bytes(self.needed()?).to_string(),
            Type::Byte => u8::from_le_bytes(self.needed()?).to_string(),
            Type::Short => i16::from_le_bytes(self.needed()?).to_string(),
            Type::Long => i32::from_le_bytes(self.needed()?).to_string(),
            Type::Huge => i64::from_le_bytes(self.needed()?).to_string(),
            Type::Chunk => {
                let [count] = self.needed::<1>()?;
                for _ in 0..count {
                    self.needed::<1>()?;
                }
                String::new()
            }
            Type::Text => {
                let mut bytes = Vec::new();
                let cut = self.cut();
                let Form::Binary { input, .. } = &mut self.form else { return Ok(None) };
                // No text is longer than a line of the text form may be.
                input
                    .take(1 << 24)
                    .read_until(0, &mut bytes)
                    .map_err(|e| Error::file(self.path, "cannot be read", e))?;
                self.at += bytes.len() as u64;
                if bytes.pop() != Some(0) {
                    return Err(cut);
                }
                encoding.decode_without_bom_handling(&bytes).0.into_owned()
            }
        };
        Ok(Some(Pair { code, value }))
    }
}
