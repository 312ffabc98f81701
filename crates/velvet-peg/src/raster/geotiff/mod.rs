//! GeoTIFF 1.1 (OGC 19-008r4) and BigTIFF. A crate decodes the numbers and writes the directories; places
//! and reference systems are read and written here.

mod directories;
mod keys;
mod methods;
mod place;
mod read;
mod tags;
mod write;
mod write_keys;

pub(super) use read::open;
pub(super) use write::TiffSink;

use velvet_peg_core::Crs;

/// True if keys can say a system.
pub(super) fn can_say(crs: &Crs) -> bool {
    write_keys::keys_of(crs, None).is_some()
}
