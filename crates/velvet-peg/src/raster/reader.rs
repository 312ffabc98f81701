//! An open raster.

use super::blocks::{BlockCache, BlockSource, Blocks, Layout};
use super::info::{PlacedBy, RasterInfo, no_place};
use super::raster_format::RasterFormat;
use super::samples::Samples;
use super::{ascii_grid, geotiff, jpeg, png, side_files};
use crate::error::{Error, Result};
use crate::fit::Fit;
use crate::input::Unchanged;
use crate::layer::{Geometry, Layer};
use crate::layer_io::LayerReader;
use crate::parallel::in_order;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};
use velvet_peg_core::Crs;
use velvet_peg_core::fit::Mapping;
use velvet_peg_core::raster::{PixelGrid, Turn};

/// An open raster: what is known of it, and its numbers, any part at a time.
///
/// ```
/// # let folder = tempfile::tempdir()?;
/// # let path = folder.path().join("heights.asc");
/// use velvet_peg::raster::RasterReader;
/// std::fs::write(&path, "ncols 3\nnrows 2\nxllcorner 0\nyllcorner 0\ncellsize 10\n1 2 3\n4 5 6\n")?;
/// let raster = RasterReader::open(&path)?;
/// assert_eq!((raster.info().columns, raster.info().rows), (3, 2));
/// let lower_row = raster.window(0, 1, 3, 2)?;
/// assert_eq!(lower_row.get(2), 6.0);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct RasterReader {
    path: PathBuf,
    info: RasterInfo,
    source: Box<dyn BlockSource>,
    /// Its file as it was opened.
    unchanged: Unchanged,
    /// Where its pixels lie, if not in a grid: columns and rows to coordinates.
    bend: Option<Mapping>,
    /// Handles that no thread works with.
    handles: Mutex<Vec<Box<dyn Blocks>>>,
}

impl std::fmt::Debug for RasterReader {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("RasterReader").field("path", &self.path).field("info", &self.info).finish()
    }
}

impl RasterReader {
    /// Opens a raster; its format is seen from its first bytes. A world file and a `.prj` beside it say
    /// what it does not say itself.
    ///
    /// # Errors
    /// If it cannot be read, is no raster, or claims more than it can hold.
    pub fn open(path: &Path) -> Result<RasterReader> {
        let format = RasterFormat::of_file(path).ok_or_else(|| {
            if !path.exists() {
                return Error::file(
                    path,
                    "cannot be read",
                    std::io::Error::new(std::io::ErrorKind::NotFound, "there is no such file"),
                );
            }
            Error::data("is no raster that is read here: TIFF, PNG, JPEG and ASCII grids are")
                .in_file(path)
        })?;
        let unchanged = Unchanged::of(path);
        let opened = match format {
            RasterFormat::GeoTiff => geotiff::open(path),
            RasterFormat::Png => png::open(path),
            RasterFormat::Jpeg => jpeg::open(path),
            RasterFormat::AsciiGrid => ascii_grid::open(path),
        };
        let (mut info, source) = unchanged.hold(path, opened)?;
        side_files::add(path, &mut info)?;
        Ok(RasterReader {
            path: path.to_path_buf(),
            info,
            source,
            unchanged,
            bend: None,
            handles: Mutex::default(),
        })
    }

    /// Places it by a fit of its pixels (columns and rows, counted from the outer corner of the first) to
    /// the ground, whatever the file says. By a fit of second order its pixels lie in no grid:
    /// [`ConvertRaster`](super::ConvertRaster) straightens it.
    ///
    /// # Errors
    /// If the fit makes a line of the pixels.
    pub fn place(&mut self, fit: &Fit) -> Result<()> {
        let info = &mut self.info;
        (info.grid, self.bend) = match fit.mapping.linear() {
            Some([origin, column, row]) => {
                (Some(PixelGrid::new(origin, column, row, info.columns, info.rows)?), None)
            }
            None => (None, Some(fit.mapping.clone())),
        };
        info.placed_by = Some(PlacedBy::ControlPoints);
        info.at_middles = false;
        Ok(())
    }

    /// Where its pixels lie, if they are placed by a mapping that bends them.
    pub(crate) fn bend(&self) -> Option<&Mapping> {
        self.bend.as_ref()
    }

    /// What is known of it.
    pub fn info(&self) -> &RasterInfo {
        &self.info
    }

    /// Its path.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Calls it otherwise than its file.
    #[cfg(feature = "jobs")]
    pub(crate) fn called(mut self, name: &str) -> RasterReader {
        self.info.name = name.to_string();
        self
    }

    /// Takes it as being in a system, whatever the file says.
    pub fn assume(&mut self, crs: Crs) {
        self.info.crs = Some(crs);
        self.info.crs_from_side_file = false;
    }

    /// The numbers of a rectangle: its first column and row, and those after its last; row by row, the
    /// bands of a pixel side by side.
    ///
    /// # Errors
    /// If the rectangle is empty or reaches beyond the raster, or the file cannot be read.
    pub fn window(&self, left: usize, top: usize, right: usize, bottom: usize) -> Result<Samples> {
        if left >= right || top >= bottom || right > self.info.columns || bottom > self.info.rows {
            return Err(Error::usage(format!(
                "columns {left} to {right} and rows {top} to {bottom} are no part of a raster of {} columns \
                 and {} rows",
                self.info.columns, self.info.rows
            ))
            .in_file(&self.path));
        }
        self.with_blocks(|blocks| self.cache().window(blocks, (left, top, right, bottom)))
    }

    /// Its outline as a layer of one polygon, by which it is found as layers are: its zone, and whether it
    /// lies where others do.
    ///
    /// # Errors
    /// If nothing says where its pixels lie, or they lie where its system has no places.
    pub fn outline(&self) -> Result<Layer> {
        self.outline_of_sides(1)
    }

    /// As [`RasterReader::outline`], each side in so many parts.
    pub(crate) fn outline_of_sides(&self, parts: usize) -> Result<Layer> {
        let grid = self.info.grid.ok_or_else(|| no_place(&self.info).in_file(&self.path))?;
        let mut layer = Layer::new(&self.info.name, self.info.crs.clone());
        // Pixels whose middles are the poles reach half of one beyond: there is nothing there.
        let pole = self.info.crs.as_ref().and_then(Turn::of).map(|turn| turn.full / 4.0);
        let on_earth = |(x, y): (f64, f64)| match pole {
            Some(pole) if y.abs() < pole + grid.pixel_size().1 => (x, y.clamp(-pole, pole)),
            _ => (x, y),
        };
        let (columns, rows) = (grid.columns() as f64, grid.rows() as f64);
        let corners = [(0.0, 0.0), (columns, 0.0), (columns, rows), (0.0, rows)];
        let side = |at: usize| {
            let (from, to) = (corners[at], corners[(at + 1) % 4]);
            (0..parts).map(move |part| {
                let share = part as f64 / parts as f64;
                let at = (from.0 + share * (to.0 - from.0), from.1 + share * (to.1 - from.1));
                on_earth(grid.place(at.0, at.1))
            })
        };
        let ring = (0..4).flat_map(side).collect();
        let pushed = layer.push(Geometry::Polygon(vec![ring]), []);
        pushed.map_err(|error| error.in_file(&self.path))?;
        Ok(layer)
    }

    /// Middles of some of its pixels as a layer of points, spread evenly, so many each way at most.
    ///
    /// # Errors
    /// If nothing says where its pixels lie.
    pub fn places(&self, each_way: usize) -> Result<Layer> {
        let grid = self.info.grid.ok_or_else(|| no_place(&self.info).in_file(&self.path))?;
        let mut layer = Layer::new(&self.info.name, self.info.crs.clone());
        let spread = |count: usize| {
            let steps = count.min(each_way.max(1));
            (0..steps)
                .map(move |at| ((at as f64 + 0.5) * count as f64 / steps as f64).floor() + 0.5)
        };
        for row in spread(grid.rows()) {
            for column in spread(grid.columns()) {
                let pushed = layer.push(Geometry::Point(grid.place(column, row)), []);
                pushed.map_err(|error| error.in_file(&self.path))?;
            }
        }
        Ok(layer)
    }

    /// The outline of a raster file as an open layer; none if the file is no raster.
    ///
    /// # Errors
    /// As [`RasterReader::open`] and [`RasterReader::outline`].
    pub fn outline_of(path: &Path) -> Result<Option<LayerReader>> {
        match RasterFormat::of_file(path) {
            Some(_) => {
                let outline = RasterReader::open(path)?.outline()?;
                Ok(Some(LayerReader::of_layer(&outline, path)))
            }
            None => Ok(None),
        }
    }

    pub(crate) fn layout(&self) -> Layout {
        self.source.layout()
    }

    /// The blocks that are read once for several threads.
    pub(crate) fn cache(&self) -> BlockCache {
        BlockCache::new(self.source.layout())
    }

    /// Reads every block once, in several threads: `look` sees it (of one that the file leaves out a pixel),
    /// and what it gives is handed to `take` in order.
    pub(crate) fn each_block<T: Send>(
        &self,
        look: impl Fn(Samples) -> T + Sync,
        mut take: impl FnMut(T),
    ) -> Result<()> {
        let layout = self.layout();
        let (across, down) = (layout.blocks_across(), layout.rows.div_ceil(layout.block.1));
        in_order(
            |add| {
                let mut blocks =
                    (0..down).flat_map(|row| (0..across).map(move |column| (column, row)));
                blocks.try_for_each(add)
            },
            |block| {
                let read = |blocks: &mut dyn Blocks| match blocks.left_out(block) {
                    Some(pixel) => Ok(pixel),
                    None => blocks.read(block),
                };
                Ok(look(self.with_blocks(read)?))
            },
            |seen| {
                take(seen);
                Ok(())
            },
        )
    }

    /// Works with a handle that no other thread has meanwhile.
    pub(crate) fn with_blocks<T>(
        &self,
        work: impl FnOnce(&mut dyn Blocks) -> Result<T>,
    ) -> Result<T> {
        let free = || self.handles.lock().unwrap_or_else(PoisonError::into_inner);
        let handle = free().pop();
        let mut handle = match handle {
            Some(handle) => handle,
            None => self.source.open()?,
        };
        let done = work(&mut *handle);
        free().push(handle);
        self.unchanged.hold(&self.path, done)
    }
}
