//! What a Parquet file unpacks to: a value that it holds once may stand in every row (encodings PLAIN_DICTIONARY,
//! RLE_DICTIONARY and DELTA_BYTE_ARRAY).

use arrow_array::cast::AsArray;
use arrow_array::{Array, RecordBatch};
use arrow_schema::DataType;
use parquet::arrow::ProjectionMask;
use parquet::basic::{Encoding, Type};
use parquet::column::page::Page;
use parquet::errors::Result;
use parquet::file::reader::{ChunkReader, FileReader, SerializedFileReader};

/// Bytes that the values of one column should not be longer than together.
const MOST: u64 = 32 << 20;

/// Bytes of texts that a file may unpack to, and how many times its size if that is more.
const MOST_TEXTS: u64 = 128 << 20;
const MOST_TIMES: u64 = 10_000;

/// Rows at once, so that texts and bytes in the columns of a mask stay within the bound whichever of the
/// values of a column they all are.
///
/// # Errors
/// If the file cannot be read.
pub(super) fn batch_rows<R: ChunkReader + 'static>(
    file: R,
    mask: &ProjectionMask,
) -> Result<usize> {
    let reader = SerializedFileReader::new(file)?;
    let mut longest = 1;
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
            longest = longest.max(match group.get_column_page_reader(at)?.get_next_page()? {
                Some(Page::DictionaryPage { buf, .. }) => longest_in(&buf),
                // Each value may begin with all of the one before it.
                _ if column.encodings().any(|e| e == Encoding::DELTA_BYTE_ARRAY) => unpacked,
                _ => 1,
            });
        }
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

/// Rows that a file of so many bytes may state: as many as this, and times its size if that is more. What is the same
/// in all rows takes hardly a byte, and a column of nothing none: written page by page, 20,000 rows of one place take 36.
const MOST_ROWS: u64 = 1_000_000;
const MOST_ROWS_A_BYTE: u64 = 1_000;

/// What is wrong if so few bytes state so many rows; no end of them stands for fewer than none.
pub(super) fn too_many_rows(rows: u64, size: u64) -> Option<String> {
    if rows == u64::MAX {
        return Some("a batch of it states fewer rows than none".to_string());
    }
    (rows > size.saturating_mul(MOST_ROWS_A_BYTE).max(MOST_ROWS)).then(|| {
        format!("its {size} bytes state {rows} rows, more than {MOST_ROWS_A_BYTE} a byte: that is no layer")
    })
}

/// The texts and bytes that were unpacked so far, of a file of so many bytes.
pub(super) struct Texts {
    size: u64,
    bytes: u64,
}

impl Texts {
    pub(super) fn new(size: u64) -> Self {
        Texts { size, bytes: 0 }
    }

    /// Counts those of a batch; what is wrong if they are more than so small a file should hold.
    pub(super) fn add(&mut self, batch: &RecordBatch) -> Option<String> {
        self.bytes += batch.columns().iter().map(|column| texts_of(column)).sum::<u64>();
        let most = self.size.saturating_mul(MOST_TIMES).max(MOST_TEXTS);
        (self.bytes > most).then(|| {
            format!(
                "its {} bytes name the same texts again and again, more than {} MB of them: unpacking stops there",
                self.size,
                most >> 20
            )
        })
    }
}

/// Bytes of the values of a column of texts or bytes.
fn texts_of(column: &dyn Array) -> u64 {
    if let DataType::Dictionary(..) = column.data_type() {
        let named = column.as_any_dictionary();
        let lengths = lengths(named.values());
        // Where nothing is there to be named, nothing is.
        let keys = if lengths.is_empty() { Vec::new() } else { named.normalized_keys() };
        return keys.into_iter().filter_map(|key| lengths.get(key)).sum();
    }
    lengths(column).iter().sum()
}

/// Bytes of each value; none of what is neither text nor bytes.
fn lengths(column: &dyn Array) -> Vec<u64> {
    fn all<'a>(values: impl Iterator<Item = Option<&'a [u8]>>) -> Vec<u64> {
        values.map(|value| value.map_or(0, <[u8]>::len) as u64).collect()
    }
    match column.data_type() {
        DataType::Utf8 => all(column.as_string::<i32>().iter().map(|text| text.map(str::as_bytes))),
        DataType::LargeUtf8 => {
            all(column.as_string::<i64>().iter().map(|text| text.map(str::as_bytes)))
        }
        DataType::Utf8View => {
            all(column.as_string_view().iter().map(|text| text.map(str::as_bytes)))
        }
        DataType::Binary => all(column.as_binary::<i32>().iter()),
        DataType::LargeBinary => all(column.as_binary::<i64>().iter()),
        DataType::BinaryView => all(column.as_binary_view().iter()),
        _ => Vec::new(),
    }
}
