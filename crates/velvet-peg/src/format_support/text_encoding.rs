//! The encoding of a text, told from its bytes, and reading it as UTF-8.

use crate::error::{Error, Result};
use chardetng::{EncodingDetector, Iso2022JpDetection, Utf8Detection};
use encoding_rs::{Encoding, UTF_8};
use encoding_rs_io::DecodeReaderBytesBuilder;
use std::fs::File;
use std::io::Read;
use std::path::Path;

/// Bytes that the delimiter is told from, and the encoding of streams that are read once.
pub(crate) const SAMPLE_BYTES: usize = 256 * 1024;

/// Characters beyond ASCII that make a text with one wrong byte UTF-8 that is damaged, and not
/// a legacy encoding: those seldom spell one by chance.
const CHARACTERS_PER_FAULT: u64 = 4;

/// The encoding of a text: that of its byte order mark, else UTF-8 if it is valid but for a few
/// bytes, else the likeliest legacy one. Reads to the end, and a second time where it is not
/// UTF-8.
pub(crate) fn encoding<R: Read>(
    open: impl Fn() -> std::io::Result<R>,
) -> std::io::Result<&'static Encoding> {
    let mut reader = open()?;
    let mut buffer = vec![0; SAMPLE_BYTES];
    // Bytes of a character that the end of the buffer has cut.
    let (mut held, mut first) = (0, true);
    let (mut characters, mut faults) = (0, 0);
    loop {
        let count = reader.read(&mut buffer[held..])?;
        let end = held + count;
        if first && let Some((found, _)) = Encoding::for_bom(&buffer[..end]) {
            return Ok(found);
        }
        first = false;
        held = 0;
        // Most texts are plain from one end to the other.
        if count > 0 && buffer[..end].is_ascii() {
            continue;
        }
        let mut at = 0;
        for chunk in buffer[..end].utf8_chunks() {
            characters += chunk.valid().bytes().filter(|byte| *byte >= 0xC0).count() as u64;
            let rest = chunk.invalid();
            at += chunk.valid().len() + rest.len();
            match std::str::from_utf8(rest) {
                // The rest of this character is still to come.
                Err(error) if error.error_len().is_none() && at == end && count > 0 => {
                    held = rest.len();
                }
                Err(_) => faults += 1,
                Ok(_) => {}
            }
        }
        buffer.copy_within(end - held..end, 0);
        if count == 0 {
            break;
        }
    }
    if faults * CHARACTERS_PER_FAULT <= characters {
        return Ok(UTF_8);
    }
    let mut detector = EncodingDetector::new(Iso2022JpDetection::Deny);
    let mut reader = open()?;
    loop {
        let count = reader.read(&mut buffer)?;
        detector.feed(&buffer[..count], count == 0);
        if count == 0 {
            return Ok(detector.guess(None, Utf8Detection::Deny));
        }
    }
}

/// The beginning of a text, decoded as it looks.
pub(crate) fn decode_start(bytes: &[u8]) -> String {
    let encoding = encoding(|| Ok(bytes)).unwrap_or(UTF_8);
    encoding.decode(bytes).0.into_owned()
}

/// The encoding that a text file looks to have.
pub(crate) fn encoding_of(path: &Path) -> Result<&'static Encoding> {
    encoding(|| File::open(path)).map_err(|e| Error::file(path, "cannot be read", e))
}

/// The encoding of a label.
pub(crate) fn by_label(label: &str) -> Result<&'static Encoding> {
    Encoding::for_label(label.as_bytes()).ok_or_else(|| {
        Error::usage(format!(
            "`{label}` is not the label of an encoding: use utf-8, windows-1252, iso-8859-1, \
             utf-16le, shift_jis or the like"
        ))
    })
}

/// A text of an encoding as UTF-8.
pub(crate) fn decoded(input: impl Read, encoding: &'static Encoding) -> impl Read {
    DecodeReaderBytesBuilder::new()
        // A named UTF-8 would be repaired on the way.
        .encoding((encoding != UTF_8).then_some(encoding))
        .bom_override(true)
        .strip_bom(true)
        // Bytes that turn out not to be UTF-8 make their row a reject, not a silent mark.
        .utf8_passthru(encoding == UTF_8)
        .build(input)
}
