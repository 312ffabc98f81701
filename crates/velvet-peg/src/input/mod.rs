//! Inputs: where one lies (a path, standard input, an address), and what format it is of.

mod content;
#[cfg(feature = "http")]
mod fetch;
mod locate;
mod packed;
#[cfg(feature = "rasters")]
mod raster_format;
mod recognise;
mod unchanged;

pub(crate) use locate::{Located, locate};
#[cfg(feature = "rasters")]
pub use raster_format::RasterFormat;
pub use recognise::format_of;
pub(crate) use recognise::recognise_standard_input;
pub(crate) use unchanged::Unchanged;
