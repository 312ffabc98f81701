//! OGC GeoPackage (12-128r18), in and out.

mod blob;
mod boxes;
mod into;
mod read;
mod schema;
mod write;

pub(super) use read::open;
pub(super) use write::{Writer, table_name};

/// A name as SQL quotes it.
fn quoted(name: &str) -> String {
    format!("\"{}\"", name.replace('"', "\"\""))
}
