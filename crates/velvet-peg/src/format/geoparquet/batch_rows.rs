//! How many rows of a Parquet file are unpacked at once: a value that a file holds once may stand in every
//! row of it (Parquet encodings: PLAIN_DICTIONARY, RLE_DICTIONARY, DELTA_BYTE_ARRAY).

use parquet::arrow::ProjectionMask;
use parquet::basic::{Encoding, Type};
use parquet::column::page::Page;
use parquet::errors::{ParquetError, Result};
use parquet::file::reader::{ChunkReader, FileReader, SerializedFileReader};

/// Bytes that the values of one column should not be longer than together.
const MOST: u64 = 32 << 20;

/// Bytes up to which, and times its size up to which, a file may unpack.
const MOST_UNPACKED: u64 = 256 << 20;
const MOST_TIMES: u64 = 10_000;

/// Rows at once, so that texts and bytes in the columns of a mask stay within the bound whichever of the
/// values of a column they all are.
///
/// # Errors
/// If the file cannot be read; if so few bytes could not hold so much but by repeating it.
pub(super) fn batch_rows<R: ChunkReader + 'static>(
    file: R,
    mask: &ProjectionMask,
) -> Result<usize> {
    let size = file.len();
    let reader = SerializedFileReader::new(file)?;
    let mut longest = 1;
    let mut in_all: u64 = 0;
    for number in 0..reader.num_row_groups() {
        let group = reader.get_row_group(number)?;
        for (at, column) in group.metadata().columns().iter().enumerate() {
            if !mask.leaf_included(at) || column.column_type() != Type::BYTE_ARRAY {
                continue;
            }
            let unpacked = u64::try_from(column.uncompressed_size()).unwrap_or(u64::MAX);
            let once = |encoding| {
                matches!(
                    encoding,
                    Encoding::PLAIN_DICTIONARY
                        | Encoding::RLE_DICTIONARY
                        | Encoding::DELTA_BYTE_ARRAY
                )
            };
            // Few rows cannot be much.
            let rows = u64::try_from(column.num_values()).unwrap_or(0);
            if !column.encodings().any(once) || rows.saturating_mul(unpacked) <= MOST {
                continue;
            }
            let here = match group.get_column_page_reader(at)?.get_next_page()? {
                Some(Page::DictionaryPage { buf, .. }) => longest_in(&buf),
                // Each value may begin with all of the one before it.
                _ if column.encodings().any(|e| e == Encoding::DELTA_BYTE_ARRAY) => unpacked,
                _ => 1,
            };
            longest = longest.max(here);
            in_all = in_all.saturating_add(rows.saturating_mul(here));
        }
    }
    if in_all > MOST_UNPACKED && in_all / MOST_TIMES > size {
        return Err(ParquetError::General(format!(
            "its {size} bytes stand for up to {} MB of texts, more than {MOST_TIMES} times as much",
            in_all >> 20
        )));
    }
    Ok(usize::try_from(MOST / longest).unwrap_or(1).clamp(16, crate::layer::BATCH))
}

/// The longest of the values of a dictionary, each of which stands behind its length.
fn longest_in(mut dictionary: &[u8]) -> u64 {
    let mut longest = 0;
    while let Some((length, rest)) = dictionary.split_first_chunk() {
        let length = u32::from_le_bytes(*length);
        longest = longest.max(u64::from(length));
        dictionary = rest.get(length as usize..).unwrap_or_default();
    }
    longest
}
