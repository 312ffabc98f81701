//! Parts of a large text file, spread over its length, to look at it quickly.

use std::fs::File;
use std::io::{Read, Seek, SeekFrom};
use std::path::Path;

/// Files up to this size are read whole.
const SMALL_BYTES: u64 = 24 << 20;

/// Bytes from the beginning.
const HEAD_BYTES: u64 = 2 << 20;

/// Places further on, and bytes of each.
const PLACES: u64 = 48;
const PLACE_BYTES: u64 = 96 << 10;

/// Whole lines of a file.
pub(super) struct Sample {
    pub(super) text: Vec<u8>,
    /// Lines of it that stand at the beginning of the file.
    pub(super) head_lines: u64,
}

/// Takes parts of a file; none of a small one.
pub(super) fn take(path: &Path, bytes: u64) -> std::io::Result<Option<Sample>> {
    if bytes <= SMALL_BYTES {
        return Ok(None);
    }
    let mut file = File::open(path)?;
    let mut text = Vec::new();
    (&mut file).take(HEAD_BYTES).read_to_end(&mut text)?;
    text.truncate(text.iter().rposition(|byte| *byte == b'\n').map_or(0, |at| at + 1));
    let head_lines = text.iter().filter(|byte| **byte == b'\n').count() as u64;
    let step = (bytes - HEAD_BYTES) / PLACES;
    let mut part = Vec::new();
    for place in 1..=PLACES {
        // The last part ends with the file.
        let start = HEAD_BYTES + step * place - PLACE_BYTES.min(step);
        file.seek(SeekFrom::Start(start))?;
        part.clear();
        (&mut file).take(PLACE_BYTES).read_to_end(&mut part)?;
        let from = part.iter().position(|byte| *byte == b'\n').map_or(part.len(), |at| at + 1);
        let to = part.iter().rposition(|byte| *byte == b'\n').map_or(0, |at| at + 1);
        if from < to {
            text.extend_from_slice(&part[from..to]);
        }
    }
    Ok(Some(Sample { text, head_lines }))
}
