//! GeoJSON (RFC 7946), in and out.

mod read;
mod write;

pub(super) use read::{Scan, open, read};
pub(super) use write::Writer;
