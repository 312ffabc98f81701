//! Images and grids with a place on the Earth: looked at, given a reference system, carried into another.
//!
//! A [`RasterReader`] reads GeoTIFF and BigTIFF, PNG and JPEG with a world file and a `.prj` beside them,
//! and ASCII grids; [`ConvertRaster`] carries one into another system or format.

mod ascii_grid;
mod blocks;
mod colours;
mod convert;
mod declare;
mod form;
mod geotiff;
mod info;
mod jpeg;
mod output_blocks;
#[cfg(feature = "drawing")]
mod picture;
mod png;
mod png_sink;
mod raster_format;
mod read_back;
mod reader;
mod sampler;
mod samples;
mod side_files;
mod sink;
mod spool;
mod text_sink;
mod ways;

pub use colours::Colours;
pub use convert::{ConvertRaster, RasterSummary};
pub use declare::declare_raster;
pub use info::{PlacedBy, RasterInfo};
#[cfg(feature = "drawing")]
pub(crate) use picture::{Picture, Shown};
pub use raster_format::{RasterFormat, raster_files};
pub use reader::RasterReader;
pub use sampler::Sampler;
pub use samples::{SampleType, Samples};
#[cfg(feature = "jobs")]
pub(crate) use side_files::{said_beside, stale_beside};
pub use velvet_peg_core::raster::{PixelGrid, Resampling};
