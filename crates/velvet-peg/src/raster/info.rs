//! What is known of a raster.

use super::blocks::Layout;
use super::colours::Colours;
use super::raster_format::RasterFormat;
use super::samples::SampleType;
use crate::advice::Advice;
use crate::error::Error;
use crate::notice::Notice;
use std::path::Path;
use velvet_peg_core::raster::{PixelGrid, Turn};
use velvet_peg_core::{Bounds, Crs};

/// What says where the pixels of a raster lie.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PlacedBy {
    /// A tie point and the size of a pixel.
    TiePoint,
    /// A matrix.
    Matrix,
    /// The header of the grid.
    Header,
    /// A world file beside it.
    WorldFile,
    /// Control points, to which it was fitted.
    ControlPoints,
}

impl PlacedBy {
    /// In words.
    pub fn name(self) -> &'static str {
        match self {
            PlacedBy::TiePoint => "a tie point and the size of a pixel",
            PlacedBy::Matrix => "a matrix",
            PlacedBy::Header => "its header",
            PlacedBy::WorldFile => "a world file beside it",
            PlacedBy::ControlPoints => "control points",
        }
    }
}

/// What is known of a raster.
#[derive(Clone, Debug)]
pub struct RasterInfo {
    /// Name of the file, without its extension.
    pub name: String,
    /// Format.
    pub format: RasterFormat,
    /// Columns.
    pub columns: usize,
    /// Rows.
    pub rows: usize,
    /// Bands, one of opacity included.
    pub bands: usize,
    /// Type of the numbers.
    pub samples: SampleType,
    /// Bits of a number in the file: 1, 2 and 4 are read as 8.
    pub bits: u16,
    /// What the numbers stand for.
    pub colours: Colours,
    /// The last band says how opaque a pixel is.
    pub opacity: bool,
    /// The number that stands for no value.
    pub no_data: Option<f64>,
    /// Where the pixels lie, if that is said.
    pub grid: Option<PixelGrid>,
    /// What says it.
    pub placed_by: Option<PlacedBy>,
    /// True if the figures that place it are of middles of pixels.
    pub at_middles: bool,
    /// Reference system, if one is said.
    pub crs: Option<Crs>,
    /// Vertical system of the values, if one is said.
    pub vertical: Option<Crs>,
    /// True if a file beside it says the system.
    pub crs_from_side_file: bool,
    /// How the numbers are packed, in words.
    pub packing: String,
    /// Smaller copies of the picture in the file.
    pub overviews: usize,
    /// What was noticed when it was opened.
    pub notices: Vec<Notice>,
}

impl RasterInfo {
    /// A raster of values of which nothing else is known.
    pub(super) fn plain(path: &Path, format: RasterFormat, layout: &Layout) -> RasterInfo {
        RasterInfo {
            name: path
                .file_stem()
                .map(|stem| stem.to_string_lossy().into_owned())
                .unwrap_or_default(),
            format,
            columns: layout.columns,
            rows: layout.rows,
            bands: layout.bands,
            samples: layout.samples,
            bits: layout.samples.bits(),
            colours: Colours::Values,
            opacity: false,
            no_data: None,
            grid: None,
            placed_by: None,
            at_middles: false,
            crs: None,
            vertical: None,
            crs_from_side_file: false,
            packing: String::new(),
            overviews: 0,
            notices: Vec::new(),
        }
    }

    /// The smallest box around it, in the unit of its system.
    pub fn extent(&self) -> Option<Bounds> {
        self.grid.map(|grid| grid.bounds())
    }

    /// True if it goes once around the Earth: its last column is beside its first.
    pub(super) fn goes_around(&self) -> bool {
        let turn = self.crs.as_ref().and_then(Turn::of);
        turn.zip(self.grid).is_some_and(|(turn, grid)| turn.is_filled_by(&grid))
    }

    /// Bands of values, without one of opacity.
    pub fn value_bands(&self) -> usize {
        self.bands - usize::from(self.opacity)
    }
}

/// The error of a raster whose pixels lie nowhere.
pub(super) fn no_place(info: &RasterInfo) -> Error {
    Error::data(format!(
        "does not say where its pixels lie: {} has no place in it, and there is no world file beside it",
        info.format
    ))
}

/// The error of a raster whose coordinates are in no known system.
pub(super) fn no_system(info: &RasterInfo) -> Error {
    Error::usage(format!(
        "the raster {} does not say which reference system it is in: state it",
        info.name
    ))
    .advise(Advice::Declare(None))
}
