//! Writing a raster block by block.

use super::colours::Colours;
use super::samples::{SampleType, Samples};
use crate::error::Result;
use velvet_peg_core::Crs;
use velvet_peg_core::raster::PixelGrid;

/// What is written.
#[derive(Clone, Debug)]
pub(crate) struct Form {
    pub(crate) grid: PixelGrid,
    pub(crate) bands: usize,
    pub(crate) samples: SampleType,
    pub(crate) colours: Colours,
    pub(crate) opacity: bool,
    pub(crate) no_data: Option<f64>,
    pub(crate) crs: Option<Crs>,
    pub(crate) vertical: Option<Crs>,
}

/// Turns the numbers of a block of so many columns and rows into the bytes that are written; several
/// threads use it.
pub(crate) type Coder = dyn Fn(&Samples, (usize, usize)) -> Result<Vec<u8>> + Send + Sync;

/// A file being written.
pub(crate) trait RasterSink {
    /// Columns and rows of a block; blocks are given row by row, those at the edges cut.
    fn block(&self) -> (usize, usize);
    fn coder(&self) -> Box<Coder>;
    /// Takes the bytes of the next block.
    fn take(&mut self, bytes: &[u8]) -> Result<()>;
    /// Writes what comes last.
    fn finish(self: Box<Self>) -> Result<()>;
}

/// A rectangle of the output: first column and row, columns and rows.
pub(super) type Rectangle = ((usize, usize), (usize, usize));

/// The blocks of an output in the order in which they are written.
pub(super) fn rectangles(
    grid: PixelGrid,
    block: (usize, usize),
) -> impl Iterator<Item = Rectangle> + 'static {
    let (columns, rows) = (grid.columns(), grid.rows());
    (0..rows).step_by(block.1).flat_map(move |row| {
        (0..columns).step_by(block.0).map(move |column| {
            ((column, row), (block.0.min(columns - column), block.1.min(rows - row)))
        })
    })
}
