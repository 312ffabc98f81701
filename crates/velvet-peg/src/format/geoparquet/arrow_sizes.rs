//! What an Arrow file or stream says of its sizes, held against the file before it is read: the reader of its
//! crate takes the memory that it says (Arrow Columnar Format, "Serialization and Interprocess Communication").

use super::unpacked::too_many_rows;
use arrow_ipc::{RecordBatch, root_as_footer, root_as_message};
use std::fs::File;
use std::io::{Read, Result, Seek, SeekFrom};
use std::path::Path;

/// Bytes of an unpacked batch.
const MOST_BATCH: u64 = 512 << 20;
/// In front of a message; files of older writers lack it.
const CONTINUES: [u8; 4] = [0xff; 4];
/// At the beginning and at the end of a file; a stream has none.
const MAGIC: &[u8] = b"ARROW1";

/// At the beginning of files of Feather's first version, which has no messages.
pub(super) const FIRST_FEATHER: &[u8] = b"FEA1";

/// What cannot be as it is said; none if all can, or if it cannot be read at all: the reader says why.
pub(super) fn fault(path: &Path) -> Result<Option<String>> {
    let mut file = File::open(path)?;
    let length = file.metadata()?.len();
    let mut start = [0; 6];
    let is_file = length > 18 && file.read_exact(&mut start).is_ok() && start == MAGIC;
    if !is_file {
        return of_stream(&mut file, length);
    }
    let mut end = [0; 4];
    file.seek(SeekFrom::End(-10))?;
    file.read_exact(&mut end)?;
    let footer = u64::from(u32::from_le_bytes(end));
    if footer > length - 18 {
        return Ok(Some(format!("its footer is stated as {footer} bytes")));
    }
    let bytes = part(&mut file, length - 10 - footer, footer)?;
    let Ok(footer) = root_as_footer(&bytes) else { return Ok(None) };
    let mut rows = 0;
    let blocks = footer.dictionaries().into_iter().chain(footer.recordBatches()).flatten();
    for block in blocks {
        let known = |number: i64| u64::try_from(number).ok();
        let place = known(block.offset())
            .zip(known(block.metaDataLength().into()))
            .zip(known(block.bodyLength()));
        let Some(((at, head), body)) = place
            .filter(|((at, head), body)| at.saturating_add(*head).saturating_add(*body) <= length)
        else {
            return Ok(Some("a batch of it lies beyond its end".to_string()));
        };
        let message = part(&mut file, at, head)?;
        let skipped = if message.starts_with(&CONTINUES) { 8 } else { 4 };
        let message = message.get(skipped..).unwrap_or(&[]);
        rows = rows_with(rows, message);
        let fault = of_message(&mut file, message, at + head, body)?;
        if fault.is_some() {
            return Ok(fault);
        }
    }
    Ok(too_many_rows(rows, length))
}

/// The rows of a message and of those before it; fewer than none count as no end of them, as they do for the reader.
fn rows_with(rows: u64, message: &[u8]) -> u64 {
    let batch = root_as_message(message).ok().and_then(|message| message.header_as_record_batch());
    rows.saturating_add(batch.map_or(0, |batch| u64::try_from(batch.length()).unwrap_or(u64::MAX)))
}

/// Message after message, as they come.
fn of_stream(file: &mut File, length: u64) -> Result<Option<String>> {
    let (mut at, mut rows) = (0, 0);
    loop {
        let head = part(file, at, 8)?;
        let size_at = if head.starts_with(&CONTINUES) { 4 } else { 0 };
        if at == 0 && head.starts_with(FIRST_FEATHER) {
            return Ok(None);
        }
        let Some(size) = head.get(size_at..).and_then(|bytes| bytes.first_chunk()) else {
            return Ok(None);
        };
        let size = u64::from(u32::from_le_bytes(*size));
        at += size_at as u64 + 4;
        // A message of no bytes ends the stream.
        if size == 0 || size > length.saturating_sub(at) {
            return Ok((size > 0).then(|| format!("a message of it is stated as {size} bytes")));
        }
        let message = part(file, at, size)?;
        let Ok(told) = root_as_message(&message) else { return Ok(None) };
        at += size;
        let body = u64::try_from(told.bodyLength()).unwrap_or(u64::MAX);
        if body > length.saturating_sub(at) {
            return Ok(Some("a batch of it lies beyond its end".to_string()));
        }
        rows = rows_with(rows, &message);
        let fault = of_message(file, &message, at, body)?.or_else(|| too_many_rows(rows, length));
        if fault.is_some() {
            return Ok(fault);
        }
        at += body;
    }
}

/// The sizes of what is packed in the batch of a message, whose body begins at a place of the file.
fn of_message(file: &mut File, message: &[u8], at: u64, body: u64) -> Result<Option<String>> {
    let Ok(message) = root_as_message(message) else { return Ok(None) };
    let dictionary = || message.header_as_dictionary_batch()?.data();
    let batch: Option<RecordBatch<'_>> = message.header_as_record_batch().or_else(dictionary);
    let Some(batch) = batch.filter(|batch| batch.compression().is_some()) else { return Ok(None) };
    let mut unpacked: u64 = 0;
    for buffer in batch.buffers().into_iter().flatten() {
        let offset = u64::try_from(buffer.offset()).unwrap_or(u64::MAX);
        if buffer.length() < 8 || offset > body {
            continue;
        }
        // In front of what is packed stands its size; -1 for what is not packed after all.
        let size = part(file, at + offset, 8)?;
        let size = size.first_chunk().map_or(0, |bytes| i64::from_le_bytes(*bytes));
        unpacked = unpacked.saturating_add(u64::try_from(size).unwrap_or(0));
    }
    Ok((unpacked > MOST_BATCH)
        .then(|| format!("a batch of it is stated as {unpacked} bytes: write it in smaller ones")))
}

/// Bytes of a file from a place on, or those that there are.
fn part(file: &mut File, at: u64, count: u64) -> Result<Vec<u8>> {
    let mut bytes = Vec::new();
    file.seek(SeekFrom::Start(at))?;
    file.take(count).read_to_end(&mut bytes)?;
    Ok(bytes)
}
