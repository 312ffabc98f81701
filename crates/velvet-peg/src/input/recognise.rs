//! Telling a format by its first bytes, where no extension says it.

use super::content::folder;
use super::packed::main_member;
use crate::error::{Error, Result};
use crate::format::Format;
use crate::format_support::FileStart;
use crate::format_support::text_encoding::decode_start;
use crate::packing::{Packing, is_workbook, start_of};
use std::fs::File;
use std::io::{BufRead, Read};
use std::path::Path;

/// The format of a file by its name or, where that says nothing, by its first bytes; text of no
/// format of layers is a table.
///
/// # Errors
/// If it is a format that this build leaves out.
pub(super) fn recognise(path: &Path, bytes: &[u8]) -> Result<Format> {
    if let Ok(format) = Format::of(path) {
        // An extension that many forms of XML have says as little as none.
        let found = with_start(bytes, Format::recognised);
        let other = format.is_any_xml() && !found.is_table();
        return Ok(if other { found } else { format });
    }
    #[cfg(feature = "rasters")]
    super::content::refuse_raster(path, bytes)?;
    match Format::left_out(path, bytes) {
        Some(error) => Err(error),
        None => Ok(with_start(bytes, Format::recognised)),
    }
}

/// The first bytes of a file.
pub(super) fn first_bytes(path: &Path) -> Result<Vec<u8>> {
    let mut start = Vec::new();
    File::open(path)
        .and_then(|file| file.take(4096).read_to_end(&mut start))
        .map_err(|e| Error::file(path, "cannot be read", e))?;
    Ok(start)
}

/// Hands on the first bytes of a file as bytes and as text.
pub(super) fn with_start<T>(bytes: &[u8], each: impl Fn(&FileStart<'_>) -> T) -> T {
    let text = decode_start(bytes);
    let text = text.trim_start_matches(['\u{feff}', '\u{1e}']).trim_start();
    each(&FileStart { bytes, text })
}

/// The format of an input: by its extension, or, where that says nothing or the input is
/// standard input (`-`), by its first bytes, of which none is taken.
///
/// ```
/// use std::path::Path;
/// assert!(velvet_peg::format_of(Path::new("gates.xlsx"))?.is_table());
/// # Ok::<(), velvet_peg::Error>(())
/// ```
///
/// # Errors
/// If it cannot be read.
pub fn format_of(path: &Path) -> Result<Format> {
    if path == Path::new("-") {
        return recognise_standard_input();
    }
    let bare = path.to_str().and_then(|text| text.split(['?', '#']).next()).unwrap_or_default();
    let address = bare.starts_with("http://") || bare.starts_with("https://");
    if let Ok(format) = Format::of(Path::new(bare)) {
        return match format.is_any_xml() && !address && path.is_file() {
            true => recognise(path, &first_bytes(path)?),
            false => Ok(format),
        };
    }
    if address {
        // What it is shows when it is fetched; features, most likely.
        return Ok(Format::of_addresses());
    }
    if path.is_dir() {
        return Err(folder(path));
    }
    let start = first_bytes(path)?;
    match packing_of(path, &start) {
        Some(Packing::Zip) => Format::of(Path::new(&main_member(path, None)?)),
        Some(packing) => recognise(path, &start_of(packing, path)?),
        None => recognise(path, &start),
    }
}

/// How a file is packed, by its first bytes; workbooks are archives that are read as they are.
pub(super) fn packing_of(path: &Path, start: &[u8]) -> Option<Packing> {
    let packing = Packing::of_bytes(start)?;
    let workbook = || {
        let named = Packing::of_path(path).is_none()
            && Format::of(path).is_ok_and(|format| format.name() == "workbook");
        named || is_workbook(path)
    };
    (packing != Packing::Zip || !workbook()).then_some(packing)
}

/// The format that standard input begins like, without taking anything from it.
pub(crate) fn recognise_standard_input() -> Result<Format> {
    let path = Path::new("-");
    let mut input = std::io::stdin().lock();
    let start = input.fill_buf().map_err(|e| Error::file(path, "cannot be read", e))?;
    recognise(path, start)
}
