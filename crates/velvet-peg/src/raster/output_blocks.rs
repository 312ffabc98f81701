//! Making the blocks of an output, by several threads, in the order in which they are written.

use super::blocks::{BlockCache, copy};
use super::form::{Widening, widened};
use super::read_back::sum;
use super::reader::RasterReader;
use super::samples::Samples;
use super::sink::{Form, RasterSink, Rectangle, rectangles};
use crate::error::{Error, Result};
use crate::parallel::in_order;
use crate::progress::Progress;
use velvet_peg_core::raster::{At, Missing, Resampling, Sample, SourcePlaces, Window, resample};

/// Numbers of a source that one block may take at a time.
const MOST_NUMBERS: usize = 24 << 20;

/// What is needed to make the blocks of an output.
pub(super) struct Work<'a> {
    pub(super) reader: &'a RasterReader,
    pub(super) cache: BlockCache,
    /// None where pixels are copied.
    pub(super) places: Option<SourcePlaces<'a>>,
    pub(super) form: &'a Form,
    pub(super) widening: Widening,
    pub(super) way: Resampling,
    pub(super) round: bool,
}

impl Work<'_> {
    /// Writes all blocks; gives the sums over them, and how far positions were off at most.
    pub(super) fn run(
        &self,
        sink: &mut dyn RasterSink,
        watch: &mut dyn Progress,
    ) -> Result<(Vec<u64>, f64)> {
        let block = sink.block();
        let coder = sink.coder();
        let total = (self.form.grid.columns() * self.form.grid.rows()) as u64;
        let (mut sums, mut error, mut done) = (Vec::new(), 0.0f64, 0);
        in_order(
            |add| rectangles(self.form.grid, block).try_for_each(add),
            |rectangle| {
                let (samples, error) = self.block(rectangle)?;
                Ok((coder(&samples, rectangle.1)?, sum(&samples), error, rectangle.1))
            },
            |(bytes, sum, off, size)| {
                sink.take(&bytes)?;
                sums.push(sum);
                error = error.max(off);
                done += (size.0 * size.1) as u64;
                watch.at(done, Some(total));
                Ok(())
            },
        )?;
        Ok((sums, error))
    }

    fn blank(&self, count: usize) -> Samples {
        let mut blank = Samples::zeros(self.form.samples, count);
        if let Some(value) = self.form.no_data {
            super::samples::each_type!(&mut blank, numbers => {
                let none = Sample::from_f64(value);
                numbers.fill(none);
            });
        }
        blank
    }

    fn block(&self, (first, size): Rectangle) -> Result<(Samples, f64)> {
        let bands = self.form.bands;
        let Some(places) = &self.places else {
            let end = (first.0 + size.0, first.1 + size.1);
            let samples = self.reader.with_blocks(|blocks| {
                self.cache.window(blocks, (first.0, first.1, end.0, end.1))
            })?;
            return Ok((widened(samples, &self.widening, self.reader.info().bands), 0.0));
        };
        let at = if self.way == Resampling::Average { At::Corners } else { At::Middles };
        let places = places.of(first, size, at);
        let info = self.reader.info();
        let Some((left, top, right, bottom)) = places.reach() else {
            return Ok((self.blank(size.0 * size.1 * bands), places.error));
        };
        // Two more on each side for the cubic surface.
        let (columns, rows) = (info.columns as i64, info.rows as i64);
        let (top, bottom) = ((top - 2).clamp(0, rows), (bottom + 2).clamp(0, rows));
        let (left, right) = match self.round {
            true => (left - 2, right + 2),
            false => ((left - 2).clamp(0, columns), (right + 2).clamp(0, columns)),
        };
        if left >= right || top >= bottom {
            return Ok((self.blank(size.0 * size.1 * bands), places.error));
        }
        let (wide, high) = ((right - left) as usize, (bottom - top) as usize);
        if wide.saturating_mul(high).saturating_mul(info.bands) > MOST_NUMBERS && size != (1, 1) {
            return self.halves((first, size));
        }
        if wide.saturating_mul(high).saturating_mul(info.bands) > 16 * MOST_NUMBERS {
            return Err(Error::data(format!(
                "a pixel of the output would be made of {wide} × {high} pixels of the raster: choose smaller \
                 pixels, or go by way of an output of some size between"
            ))
            .in_file(self.reader.path()));
        }
        let (samples, left, _) = self.reader.with_blocks(|blocks| {
            self.cache.across(blocks, (left, top as usize, right, bottom as usize), self.round)
        })?;
        let samples = widened(samples, &self.widening, info.bands);
        let mut out = self.blank(size.0 * size.1 * bands);
        let full = self.form.opacity.then(|| self.form.samples.largest());
        macro_rules! each {
            ($($kind:ident),+) => {
                match (&samples, &mut out) {
                    $((Samples::$kind(samples), Samples::$kind(out)) => {
                        let window = Window {
                            samples,
                            first_column: left,
                            first_row: top,
                            columns: wide,
                            rows: high,
                            bands,
                        };
                        let missing =
                            Missing { value: self.form.no_data.map(Sample::from_f64), opaque: full };
                        let blank = out[..bands].to_vec();
                        resample(&window, &places, self.way, &missing, &blank, out);
                    })+
                    _ => unreachable!("the numbers of one raster have one type"),
                }
            };
        }
        each!(U8, I8, U16, I16, U32, I32, F32, F64);
        Ok((out, places.error))
    }

    /// A block in two parts, each of which takes less of the source.
    fn halves(&self, (first, size): Rectangle) -> Result<(Samples, f64)> {
        let bands = self.form.bands;
        let (a, b) = match size.0 >= size.1 {
            true => {
                let half = size.0 / 2;
                ((first, (half, size.1)), ((first.0 + half, first.1), (size.0 - half, size.1)))
            }
            false => {
                let half = size.1 / 2;
                ((first, (size.0, half)), ((first.0, first.1 + half), (size.0, size.1 - half)))
            }
        };
        let mut whole = self.blank(size.0 * size.1 * bands);
        let mut error = 0.0f64;
        for part in [a, b] {
            let (samples, off) = self.block(part)?;
            error = error.max(off);
            let (at, size_of) = part;
            for row in 0..size_of.1 {
                let from = row * size_of.0 * bands;
                let to = ((at.1 - first.1 + row) * size.0 + at.0 - first.0) * bands;
                copy(&samples, from, &mut whole, to, size_of.0 * bands);
            }
        }
        Ok((whole, error))
    }
}
