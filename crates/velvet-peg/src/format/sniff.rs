//! Telling a format by its first bytes, where no extension says it.

use super::Format;
use crate::error::{Error, Result};
use crate::table::decode_start;
use std::fs::File;
use std::io::{BufRead, Read};
use std::path::Path;

/// The format that bytes begin like; text of no format of layers is a table.
pub(crate) fn sniff(bytes: &[u8]) -> Format {
    let begins = |magic: &[u8]| bytes.starts_with(magic);
    if begins(b"SQLite format 3\0") {
        return Format::GeoPackage;
    } else if begins(b"fgb\x03") {
        return Format::FlatGeobuf;
    } else if begins(b"PAR1") {
        return Format::GeoParquet;
    } else if begins(b"PK\x03\x04") || begins(b"\xd0\xcf\x11\xe0") {
        return Format::Workbook;
    }
    let text = decode_start(bytes);
    let start = text.trim_start_matches(['\u{feff}', '\u{1e}']).trim_start();
    if start.starts_with('{') {
        let first = start.lines().next().unwrap_or_default();
        let whole = serde_json::from_str::<serde_json::Value>(first).is_ok();
        let collection = first.contains("\"FeatureCollection\"");
        return if whole && !collection && start.lines().count() > 1 {
            Format::GeoJsonLines
        } else {
            Format::GeoJson
        };
    }
    if start.starts_with('<') {
        if start.contains("<gpx") {
            return Format::Gpx;
        } else if start.contains("<kml") {
            return Format::Kml;
        }
    }
    let mut lines = text.lines().map(str::trim);
    if lines.next() == Some("0") && lines.next() == Some("SECTION") {
        return Format::Dxf;
    }
    Format::Csv
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
        return sniff_standard_input().map_err(|e| Error::file(path, "cannot be read", e));
    }
    let bare = path.to_str().and_then(|text| text.split(['?', '#']).next()).unwrap_or_default();
    if let Ok(format) = Format::of(Path::new(bare)) {
        return Ok(format);
    }
    if bare.starts_with("http://") || bare.starts_with("https://") {
        // What it is shows when it is fetched; features, most likely.
        return Ok(Format::GeoJson);
    }
    if path.is_dir() {
        return Err(Error::data("is a folder, not a file of data").in_file(path));
    }
    let mut start = Vec::new();
    File::open(path)
        .and_then(|file| file.take(4096).read_to_end(&mut start))
        .map_err(|e| Error::file(path, "cannot be read", e))?;
    Ok(sniff(&start))
}

/// The format that standard input begins like, without taking anything from it.
pub(crate) fn sniff_standard_input() -> std::io::Result<Format> {
    Ok(sniff(std::io::stdin().lock().fill_buf()?))
}
