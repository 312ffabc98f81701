//! Rasters that can only be read from their beginning, laid down on disk so that any part can be read.

use super::blocks::{BlockSource, Blocks, Layout};
use super::samples::Samples;
use crate::error::{Error, Result};
use crate::output::TemporaryFolder;
use std::fs::File;
use std::io::{BufWriter, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use std::sync::{Arc, OnceLock};

/// Reads a raster from its beginning and hands on its rows, some at a time.
pub(super) type ReadAll =
    Box<dyn Fn(&mut dyn FnMut(&Samples) -> Result<()>) -> Result<()> + Send + Sync>;

/// A raster that is laid down when its numbers are asked for first.
pub(super) struct Spooled {
    shown: PathBuf,
    layout: Layout,
    read_all: ReadAll,
    laid: OnceLock<Arc<Laid>>,
}

/// Numbers on disk.
struct Laid {
    /// Goes away with the last that reads it.
    _folder: TemporaryFolder,
    path: PathBuf,
}

/// Bytes of a block, about.
const BLOCK_BYTES: usize = 1 << 19;

/// Rows of a block for rows of so many bytes.
pub(super) fn rows_of_block(row_bytes: usize) -> usize {
    (BLOCK_BYTES / row_bytes.max(1)).clamp(1, 256)
}

impl Spooled {
    /// `layout` has blocks of whole rows.
    pub(super) fn new(shown: &Path, layout: Layout, read_all: ReadAll) -> Spooled {
        Spooled { shown: shown.to_path_buf(), layout, read_all, laid: OnceLock::new() }
    }

    fn lay(&self) -> Result<Arc<Laid>> {
        if let Some(laid) = self.laid.get() {
            return Ok(Arc::clone(laid));
        }
        let failed = |e| Error::file(&self.shown, "cannot be laid down in the temporary folder", e);
        let folder = TemporaryFolder::new().map_err(failed)?;
        let path = folder.path().join("numbers");
        let mut file = BufWriter::with_capacity(1 << 18, File::create(&path).map_err(failed)?);
        let mut count = 0;
        (self.read_all)(&mut |samples| {
            count += samples.len();
            file.write_all(&samples.to_bytes()).map_err(failed)
        })?;
        file.flush().map_err(failed)?;
        let needed = self.layout.columns * self.layout.rows * self.layout.bands;
        if count != needed {
            return Err(Error::data(format!(
                "holds {count} numbers, and its header says {needed}"
            ))
            .in_file(&self.shown));
        }
        let laid = Arc::new(Laid { _folder: folder, path });
        Ok(Arc::clone(self.laid.get_or_init(|| laid)))
    }
}

impl BlockSource for Spooled {
    fn layout(&self) -> Layout {
        self.layout
    }

    fn open(&self) -> Result<Box<dyn Blocks>> {
        let laid = self.lay()?;
        let file =
            File::open(&laid.path).map_err(|e| Error::file(&self.shown, "cannot be read", e))?;
        Ok(Box::new(Rows { file, _laid: laid, shown: self.shown.clone(), layout: self.layout }))
    }
}

struct Rows {
    file: File,
    _laid: Arc<Laid>,
    shown: PathBuf,
    layout: Layout,
}

impl Blocks for Rows {
    fn read(&mut self, block: (usize, usize)) -> Result<Samples> {
        let (wide, high) = self.layout.size_of(block);
        let row = wide * self.layout.bands * usize::from(self.layout.samples.bits() / 8);
        let mut bytes = vec![0; row * high];
        let at = (block.1 * self.layout.block.1 * row) as u64;
        let read =
            self.file.seek(SeekFrom::Start(at)).and_then(|_| self.file.read_exact(&mut bytes));
        read.map_err(|e| Error::file(&self.shown, "cannot be read", e))?;
        Ok(Samples::of_bytes(self.layout.samples, &bytes))
    }
}
