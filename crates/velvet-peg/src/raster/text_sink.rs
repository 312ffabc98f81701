//! Writing ASCII grids.

use super::ascii_grid::header_text;
use super::samples::{Samples, each_type};
use super::sink::{Coder, Form, RasterSink};
use super::spool::rows_of_block;
use crate::error::{Error, Result};
use crate::output::new_file;
use std::fmt::Write as _;
use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::{Path, PathBuf};

pub(super) struct TextSink {
    path: PathBuf,
    file: BufWriter<File>,
    columns: usize,
    rows: usize,
}

impl TextSink {
    pub(super) fn create(path: &Path, form: &Form) -> Result<TextSink> {
        if form.bands != 1 {
            return Err(Error::usage(format!(
                "an ASCII grid holds one number a pixel, and there are {}: write .tif",
                form.bands
            ))
            .in_file(path));
        }
        let (width, height) = form.grid.pixel_size();
        if !form.grid.is_upright() || (width / height - 1.0).abs() > 1e-9 {
            return Err(Error::usage(format!(
                "an ASCII grid has square pixels and north up, and these are {width} × {height}: write .tif, \
                 or name one size"
            ))
            .in_file(path));
        }
        let mut file = BufWriter::with_capacity(1 << 18, new_file(path)?);
        let header = header_text(&form.grid, form.no_data);
        file.write_all(header.as_bytes()).map_err(|e| Error::file(path, "cannot be written", e))?;
        Ok(TextSink {
            path: path.to_path_buf(),
            file,
            columns: form.grid.columns(),
            rows: form.grid.rows(),
        })
    }
}

impl RasterSink for TextSink {
    fn block(&self) -> (usize, usize) {
        (self.columns, rows_of_block(self.columns * 8).min(self.rows))
    }

    fn coder(&self) -> Box<Coder> {
        Box::new(|samples: &Samples, (columns, _)| {
            let mut text = String::with_capacity(samples.len() * 8);
            each_type!(samples, numbers => {
                for row in numbers.chunks(columns) {
                    for (at, number) in row.iter().enumerate() {
                        let gap = if at == 0 { "" } else { " " };
                        // Writing to a text does not fail.
                        let _ = write!(text, "{gap}{number}");
                    }
                    text.push('\n');
                }
            });
            Ok(text.into_bytes())
        })
    }

    fn take(&mut self, bytes: &[u8]) -> Result<()> {
        self.file.write_all(bytes).map_err(|e| Error::file(&self.path, "cannot be written", e))
    }

    fn finish(mut self: Box<Self>) -> Result<()> {
        self.file.flush().map_err(|e| Error::file(&self.path, "cannot be written", e))
    }
}
