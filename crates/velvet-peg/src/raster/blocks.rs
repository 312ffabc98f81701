//! Reading a raster block by block.

use super::samples::{SampleType, Samples};
use crate::error::Result;
use std::collections::HashMap;
use std::sync::{Arc, Mutex, OnceLock};

/// How a raster is divided, as far as its reader is concerned.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Layout {
    pub(crate) columns: usize,
    pub(crate) rows: usize,
    pub(crate) bands: usize,
    pub(crate) samples: SampleType,
    /// Columns and rows of a block; those at the right and lower edge may be smaller.
    pub(crate) block: (usize, usize),
}

impl Layout {
    /// What a block takes in memory. A header may state any size.
    pub(crate) fn block_bytes(&self) -> usize {
        let pixels = self.block.0.saturating_mul(self.block.1);
        let numbers = pixels.saturating_mul(self.bands);
        numbers.saturating_mul(usize::from(self.samples.bits() / 8))
    }

    pub(crate) fn blocks_across(&self) -> usize {
        self.columns.div_ceil(self.block.0)
    }

    /// Columns and rows of a block that lie in the raster.
    pub(crate) fn size_of(&self, block: (usize, usize)) -> (usize, usize) {
        (
            self.block.0.min(self.columns - block.0 * self.block.0),
            self.block.1.min(self.rows - block.1 * self.block.1),
        )
    }
}

/// One handle on a raster's numbers; each thread has its own.
pub(crate) trait Blocks: Send {
    /// The numbers of a block, named by its column and row among the blocks.
    fn read(&mut self, block: (usize, usize)) -> Result<Samples>;

    /// Of a block that the file leaves out one pixel, which stands for all of it.
    fn left_out(&self, _block: (usize, usize)) -> Option<Samples> {
        None
    }
}

/// Opens handles.
pub(crate) trait BlockSource: Send + Sync {
    fn layout(&self) -> Layout;
    fn open(&self) -> Result<Box<dyn Blocks>>;
}

/// A block that is read once, or is being read.
type Held = Arc<OnceLock<std::result::Result<Samples, String>>>;

struct Entry {
    held: Held,
    used: u64,
}

/// Blocks by their place, and a count of what was asked for.
#[derive(Default)]
struct Entries {
    held: HashMap<(usize, usize), Entry>,
    clock: u64,
}

/// The blocks that were used last, for several threads.
pub(crate) struct BlockCache {
    layout: Layout,
    entries: Mutex<Entries>,
    most: usize,
}

/// Memory for blocks that may be wanted again.
const CACHE_BYTES: usize = 64 << 20;

impl BlockCache {
    pub(crate) fn new(layout: Layout) -> BlockCache {
        let most = (CACHE_BYTES / layout.block_bytes().max(1)).max(4);
        BlockCache { layout, entries: Mutex::default(), most }
    }

    fn entry(&self, block: (usize, usize)) -> Held {
        let mut guard = self.entries.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        guard.clock += 1;
        let now = guard.clock;
        let entries = &mut guard.held;
        if let Some(entry) = entries.get_mut(&block) {
            entry.used = now;
            return Arc::clone(&entry.held);
        }
        if entries.len() >= self.most {
            // A tenth of them at a time, the longest unused.
            let mut used: Vec<u64> = entries.values().map(|entry| entry.used).collect();
            used.sort_unstable();
            let limit = used[used.len() / 10];
            entries.retain(|_, entry| entry.used > limit);
        }
        let held = Held::default();
        entries.insert(block, Entry { held: Arc::clone(&held), used: now });
        held
    }

    /// As [`BlockCache::window`], for columns that may lie beyond the raster: they are cut, or, of a raster
    /// that goes around the Earth, go on at its other end. Gives the first column that is there, too, and
    /// the one after the last.
    pub(crate) fn across(
        &self,
        blocks: &mut dyn Blocks,
        (left, top, right, bottom): (i64, usize, i64, usize),
        round: bool,
    ) -> Result<(Samples, i64, i64)> {
        let columns = self.layout.columns as i64;
        if !round {
            let (left, right) = (left.max(0), right.min(columns));
            let rectangle = (left as usize, top, right as usize, bottom);
            return Ok((self.window(blocks, rectangle)?, left, right));
        }
        let (wide, bands) = ((right - left) as usize, self.layout.bands);
        let mut window = Samples::zeros(self.layout.samples, wide * (bottom - top) * bands);
        let mut column = left;
        while column < right {
            let own = column.rem_euclid(columns);
            let count = (columns - own).min(right - column) as usize;
            let own = own as usize;
            let part = self.window(blocks, (own, top, own + count, bottom))?;
            let to = (column - left) as usize;
            for row in 0..bottom - top {
                let (from, to) = (row * count, row * wide + to);
                copy(&part, from * bands, &mut window, to * bands, count * bands);
            }
            column += count as i64;
        }
        Ok((window, left, right))
    }

    /// A rectangle of the raster, row by row, cut at its edges: first column and row, and those after
    /// the last.
    pub(crate) fn window(
        &self,
        blocks: &mut dyn Blocks,
        (left, top, right, bottom): (usize, usize, usize, usize),
    ) -> Result<Samples> {
        let layout = &self.layout;
        let (wide, bands) = (right - left, layout.bands);
        let mut window = Samples::zeros(layout.samples, wide * (bottom - top) * bands);
        for block_row in top / layout.block.1..bottom.div_ceil(layout.block.1) {
            for block_column in left / layout.block.0..right.div_ceil(layout.block.0) {
                let at = (block_column, block_row);
                let held = self.entry(at);
                let read = held.get_or_init(|| blocks.read(at).map_err(|error| error.to_string()));
                let samples = match read {
                    Ok(samples) => samples,
                    // Read again for the error itself.
                    Err(text) => {
                        blocks.read(at)?;
                        return Err(crate::error::Error::data(text.clone()));
                    }
                };
                let size = layout.size_of(at);
                let first = (block_column * layout.block.0, block_row * layout.block.1);
                let columns = (left.max(first.0), right.min(first.0 + size.0));
                let rows = (top.max(first.1), bottom.min(first.1 + size.1));
                for row in rows.0..rows.1 {
                    let from = ((row - first.1) * size.0 + columns.0 - first.0) * bands;
                    let to = ((row - top) * wide + columns.0 - left) * bands;
                    copy(samples, from, &mut window, to, (columns.1 - columns.0) * bands);
                }
            }
        }
        Ok(window)
    }
}

/// Copies numbers of one type.
pub(crate) fn copy(from: &Samples, at: usize, to: &mut Samples, place: usize, count: usize) {
    macro_rules! same {
        ($($kind:ident),+) => {
            match (from, to) {
                $((Samples::$kind(from), Samples::$kind(to)) => {
                    to[place..place + count].copy_from_slice(&from[at..at + count]);
                })+
                _ => unreachable!("the numbers of one raster have one type"),
            }
        };
    }
    same!(U8, I8, U16, I16, U32, I32, F32, F64);
}
