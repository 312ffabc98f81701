//! Writing PNG, row by row.

use super::colours::Colours;
use super::samples::{SampleType, Samples};
use super::sink::{Coder, Form, RasterSink};
use super::spool::rows_of_block;
use crate::error::{Error, Result};
use crate::output::new_file;
use png::{BitDepth, ColorType, Encoder, StreamWriter};
use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::{Path, PathBuf};

pub(super) struct PngSink {
    path: PathBuf,
    writer: StreamWriter<'static, BufWriter<File>>,
    block: (usize, usize),
}

impl PngSink {
    pub(super) fn create(path: &Path, form: &Form) -> Result<PngSink> {
        let depth = match form.samples {
            SampleType::U8 => BitDepth::Eight,
            SampleType::U16 => BitDepth::Sixteen,
            other => {
                return Err(Error::usage(format!(
                    "a PNG holds pictures of 8 or 16 bits, and these are {other}: write .tif"
                ))
                .in_file(path));
            }
        };
        let colour = match (&form.colours, form.opacity, form.bands) {
            (Colours::Palette(_), false, 1) => ColorType::Indexed,
            (Colours::Grey, false, 1) => ColorType::Grayscale,
            (Colours::Grey, true, 2) => ColorType::GrayscaleAlpha,
            (Colours::Rgb, false, 3) => ColorType::Rgb,
            (Colours::Rgb, true, 4) => ColorType::Rgba,
            _ => {
                return Err(Error::usage(format!(
                    "a PNG holds shades of grey, red, green and blue, or a list of colours, and these are {} \
                     in {} bands: write .tif",
                    form.colours.name(),
                    form.bands
                ))
                .in_file(path));
            }
        };
        let (columns, rows) = (form.grid.columns(), form.grid.rows());
        let size = |count: usize| {
            u32::try_from(count)
                .ok()
                .filter(|count| *count < 1 << 31)
                .ok_or_else(|| Error::usage("is too large for PNG: write .tif").in_file(path))
        };
        let file = BufWriter::with_capacity(1 << 18, new_file(path)?);
        let mut encoder = Encoder::new(file, size(columns)?, size(rows)?);
        encoder.set_color(colour);
        encoder.set_depth(depth);
        if let Colours::Palette(list) = &form.colours {
            encoder.set_palette(list.iter().flat_map(|c| [c[0], c[1], c[2]]).collect::<Vec<u8>>());
            if list.iter().any(|colour| colour[3] < 255) {
                encoder.set_trns(list.iter().map(|colour| colour[3]).collect::<Vec<u8>>());
            }
        } else if let (Some(value), false) = (form.no_data, form.opacity) {
            let value = (value as u16).to_be_bytes();
            encoder.set_trns(match colour {
                ColorType::Grayscale => value.to_vec(),
                _ => [value, value, value].concat(),
            });
        }
        let failed = |error: png::EncodingError| {
            Error::file(path, "cannot be written", std::io::Error::other(error))
        };
        let writer =
            encoder.write_header().map_err(failed)?.into_stream_writer().map_err(failed)?;
        let row = columns * form.bands * usize::from(form.samples.bits() / 8);
        let block = (columns, rows_of_block(row).min(rows));
        Ok(PngSink { path: path.to_path_buf(), writer, block })
    }
}

impl RasterSink for PngSink {
    fn block(&self) -> (usize, usize) {
        self.block
    }

    fn coder(&self) -> Box<Coder> {
        Box::new(|samples: &Samples, _| {
            Ok(match samples {
                // The highest byte first.
                Samples::U16(numbers) => numbers.iter().flat_map(|n| n.to_be_bytes()).collect(),
                other => other.to_bytes(),
            })
        })
    }

    fn take(&mut self, bytes: &[u8]) -> Result<()> {
        self.writer.write_all(bytes).map_err(|e| Error::file(&self.path, "cannot be written", e))
    }

    fn finish(self: Box<Self>) -> Result<()> {
        self.writer.finish().map_err(|error| {
            Error::file(&self.path, "cannot be written", std::io::Error::other(error))
        })
    }
}
