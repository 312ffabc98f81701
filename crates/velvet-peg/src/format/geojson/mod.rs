//! GeoJSON (RFC 7946), in and out: as a collection, or one feature a line.

mod read;
mod write;

pub(super) use read::{open, open_lines};
pub(super) use write::Writer;
