//! OGC GeoPackage (12-128r18), in and out.

mod blob;
mod boxes;
mod existing;
mod read;
mod schema;
mod write;

pub(super) use existing::{Placing, place, system_number};
pub(crate) use existing::{copy, declare, others, release};
pub(super) use read::open;
pub(super) use write::Writer;
pub(crate) use write::table_name;

/// A name as SQL quotes it.
fn quoted(name: &str) -> String {
    format!("\"{}\"", name.replace('"', "\"\""))
}
