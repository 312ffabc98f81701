//! Packed files: what is in a zip, a gzip or a zstd file is read in place, and written.

#[cfg(feature = "archives")]
mod read;
#[cfg(not(feature = "archives"))]
mod unbuilt;
#[cfg(feature = "archives")]
mod write;

#[cfg(feature = "archives")]
pub(crate) use read::{is_workbook, members, start_of, unpack, unpack_member};
#[cfg(not(feature = "archives"))]
pub(crate) use unbuilt::{is_workbook, members, pack, start_of, unpack, unpack_member};
#[cfg(feature = "archives")]
pub(crate) use write::pack;

use std::path::{Path, PathBuf};

/// How a file is packed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Packing {
    /// Files in an archive (ISO/IEC 21320-1).
    Zip,
    /// One file (RFC 1952).
    Gzip,
    /// One file (RFC 8878).
    Zstd,
}

/// Beginnings of packed files.
const BEGINNINGS: [(Packing, &[u8]); 4] = [
    (Packing::Zip, b"PK\x03\x04"),
    // An archive of nothing.
    (Packing::Zip, b"PK\x05\x06"),
    (Packing::Gzip, b"\x1f\x8b"),
    (Packing::Zstd, b"\x28\xb5\x2f\xfd"),
];

impl Packing {
    /// That of a file by its name.
    pub(crate) fn of_path(path: &Path) -> Option<Packing> {
        let extension = path.extension()?.to_str()?.to_ascii_lowercase();
        Some(match extension.as_str() {
            "zip" | "kmz" => Packing::Zip,
            "gz" => Packing::Gzip,
            "zst" | "zstd" => Packing::Zstd,
            _ => return None,
        })
    }

    /// That of a file by its first bytes; workbooks are archives, too.
    pub(crate) fn of_bytes(start: &[u8]) -> Option<Packing> {
        let found = BEGINNINGS.iter().find(|(_, magic)| start.starts_with(magic));
        found.map(|(packing, _)| *packing)
    }
}

/// The name of what is packed in a file of this name: `fields.shp` of `fields.shp.zip`, `fields.kml`
/// of `fields.kmz`; none for a file that is not packed or does not say what is in it.
pub(crate) fn inner_name(path: &Path) -> Option<PathBuf> {
    Packing::of_path(path)?;
    let kmz = path.extension().is_some_and(|e| e.eq_ignore_ascii_case("kmz"));
    let inner = path.with_extension(if kmz { "kml" } else { "" });
    inner.extension().is_some().then_some(inner)
}
