//! Arguments that several commands share, by what they are about.

mod columns;
mod common;
mod map;
mod memory;
mod raster;
mod read;
mod select;
mod table;
mod typed;
mod way;
mod write;

pub(crate) use columns::ColumnArguments;
pub(crate) use common::CommonArguments;
pub(crate) use map::map_file;
pub(crate) use memory::{memory, memory_for};
pub(crate) use raster::{RasterArguments, resampling};
pub(crate) use read::ReadArguments;
pub(crate) use select::SelectArguments;
pub(crate) use table::TableArguments;
pub(crate) use typed::{Typed, in_shell, path_in_shell};
pub(crate) use way::WayArguments;
pub(crate) use write::WriteArguments;

/// Headings that options stand under in help texts.
pub(crate) mod heading {
    pub(crate) const READING: &str = "What is read";
    pub(crate) const COORDINATES: &str = "Coordinates";
    pub(crate) const CHOOSING: &str = "Choosing and computing";
    pub(crate) const OUTPUT: &str = "Output";
    pub(crate) const RASTERS: &str = "Rasters";
    pub(crate) const GENERAL: &str = "General";
}
