//! Writing FlatGeobuf: features are laid down as they come, and put in order behind an index of them
//! at the end, in bounded memory.

use super::encode::{self, Encoder};
use super::gathering::Gathering;
use super::packed_index::PackedIndex;
use crate::error::{Error, Result};
use crate::format_support::{Finished, Records, Sink, hilbert};
use crate::layer::{Batch, Extender, LayerInfo};
use crate::output::new_file;
use std::fs::File;
use std::io::{self, BufWriter, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use velvet_peg_core::Bounds;

/// Words of a record: the box of a feature (west, south, east, north), where it lies among those laid
/// down, and its size.
const WORDS: usize = 6;

pub(super) struct Writer {
    path: PathBuf,
    info: LayerInfo,
    encoder: Encoder,
    /// The features in the order in which they came.
    laid: BufWriter<File>,
    places: Records<WORDS>,
    /// Where the next one is laid down.
    next: u64,
    extent: Extender,
}

impl Writer {
    pub(super) fn create(path: &Path, info: &LayerInfo) -> Result<Writer> {
        let laid = tempfile::tempfile().map_err(|e| Error::file(path, "cannot be written", e))?;
        Ok(Writer {
            path: path.to_path_buf(),
            info: info.clone(),
            encoder: Encoder::new(info),
            laid: BufWriter::with_capacity(1 << 16, laid),
            places: Records::default(),
            next: 0,
            extent: Extender::default(),
        })
    }

    fn lay(&mut self, batch: &Batch) -> io::Result<()> {
        let columns = batch.columns();
        for feature in 0..batch.len() {
            let mut around = Extender::default();
            for at in batch.geometry.vertices(feature) {
                around.point(batch.geometry.x[at], batch.geometry.y[at]);
                self.extent.point(batch.geometry.x[at], batch.geometry.y[at]);
            }
            let bytes = self.encoder.feature(&batch.geometry, &columns, feature);
            self.laid.write_all(bytes)?;
            let size = bytes.len() as u64;
            // A feature without vertices is in no box: nothing finds it.
            let none = Bounds {
                west: f64::INFINITY,
                south: f64::INFINITY,
                east: -f64::INFINITY,
                north: -f64::INFINITY,
            };
            let Bounds { west, south, east, north } = around.bounds().unwrap_or(none);
            let [west, south, east, north] = [west, south, east, north].map(f64::to_bits);
            self.places.push([west, south, east, north, self.next, size])?;
            self.next += size;
        }
        Ok(())
    }

    /// Writes the file, which is empty.
    fn write(self, file: File) -> io::Result<()> {
        let laid = self.laid.into_inner().map_err(io::IntoInnerError::into_error)?;
        let count = self.places.len();
        let extent = self.extent.bounds();
        let mut head = BufWriter::new(file);
        let header = encode::header(&self.info, count, extent.as_ref());
        head.write_all(&encode::MAGIC)?;
        head.write_all(&header)?;
        head.flush()?;
        drop(head);
        if count == 0 {
            return Ok(());
        }
        let index = (encode::MAGIC.len() + header.len()) as u64;
        let mut index = PackedIndex::new(&self.path, index, count)?;
        let mut features = File::options().write(true).open(&self.path)?;
        features.seek(SeekFrom::Start(index.end()))?;
        let mut features = BufWriter::with_capacity(1 << 16, features);
        let key = |record: &[u64; WORDS]| match &extent {
            Some(extent) => {
                let [west, south, east, north] = box_of(record);
                u64::from(hilbert::along(extent, ((west + east) / 2.0, (south + north) / 2.0)))
            }
            None => 0,
        };
        let mut sorted = self.places.sorted(key)?;
        let mut gathering = Gathering::new(laid);
        let mut offset = 0;
        while let Some(record) = sorted.next(key)? {
            let [.., at, size] = record;
            index.add(box_of(&record), offset)?;
            offset += size;
            gathering.add(at, size, &mut features)?;
        }
        gathering.put(&mut features)?;
        features.flush()?;
        index.finish()
    }
}

/// West, south, east, north.
fn box_of(record: &[u64; WORDS]) -> [f64; 4] {
    [record[0], record[1], record[2], record[3]].map(f64::from_bits)
}

impl Sink for Writer {
    fn write(&mut self, batch: &Batch) -> Result<()> {
        self.lay(batch).map_err(|e| Error::file(&self.path, "cannot be written", e))
    }

    fn finish(self: Box<Self>) -> Result<Finished> {
        let path = self.path.clone();
        let file = new_file(&path)?;
        self.write(file).map_err(|e| Error::file(&path, "cannot be written", e))?;
        Ok(Finished::default())
    }
}
