//! Rows and features that could not be used: each with its number, its reason and its
//! original text.

use crate::error::{Error, Result};
use crate::output::{Output, refuse_existing};
use std::fs::File;
use std::io::BufWriter;
use std::path::{Path, PathBuf};

/// Writes rejects to a file that only comes into being if there are any.
pub(crate) struct Rejects {
    path: PathBuf,
    overwrite: bool,
    header: Vec<String>,
    open: Option<(Output, csv::Writer<BufWriter<File>>)>,
    count: u64,
    /// Reasons of the first few, for the summary.
    first: Vec<(u64, String)>,
}

impl Rejects {
    /// `columns` are the headers of the original text.
    ///
    /// # Errors
    /// If the file exists and is not to be overwritten.
    pub(crate) fn new(path: &Path, overwrite: bool, columns: &[String]) -> Result<Rejects> {
        refuse_existing(path, overwrite)?;
        let mut header = vec!["source_row".to_string(), "reason".to_string()];
        header.extend(columns.iter().cloned());
        Ok(Rejects {
            path: path.to_path_buf(),
            overwrite,
            header,
            open: None,
            count: 0,
            first: Vec::new(),
        })
    }

    pub(crate) fn add<'a>(
        &mut self,
        row: u64,
        reason: &str,
        original: impl IntoIterator<Item = &'a str>,
    ) -> Result<()> {
        if self.open.is_none() {
            let output = Output::create(&self.path, self.overwrite)?;
            let mut writer = csv::WriterBuilder::new()
                .flexible(true)
                .from_writer(BufWriter::new(output.reopen()?));
            writer.write_record(&self.header).map_err(|e| self.failed(e))?;
            self.open = Some((output, writer));
        }
        self.count += 1;
        if self.first.len() < 5 {
            self.first.push((row, reason.to_string()));
        }
        let number = row.to_string();
        let mut record = csv::StringRecord::from(vec![number.as_str(), reason]);
        original.into_iter().for_each(|field| record.push_field(field));
        let written = match &mut self.open {
            Some((_, writer)) => writer.write_record(&record),
            None => Ok(()),
        };
        written.map_err(|e| self.failed(e))
    }

    fn failed(&self, error: csv::Error) -> Error {
        Error::file(&self.path, "cannot be written", error)
    }

    /// Row and reason of the first few.
    pub(crate) fn first(&self) -> &[(u64, String)] {
        &self.first
    }

    pub(crate) fn count(&self) -> u64 {
        self.count
    }

    /// Completes the file, if there is one, and gives its path with the count and the first
    /// reasons. A file of rejects from an earlier run is removed where overwriting was asked
    /// for and nothing is rejected now: it would tell of another result.
    pub(crate) fn finish(self) -> Result<Rejected> {
        let mut rejected = Rejected { count: self.count, path: None, first: self.first };
        match self.open {
            Some((output, writer)) => {
                let buffer = writer
                    .into_inner()
                    .map_err(|e| Error::file(&self.path, "cannot be written", e.into_error()))?;
                buffer
                    .into_inner()
                    .map_err(|e| Error::file(&self.path, "cannot be written", e.into_error()))?;
                output.finish()?;
                rejected.path = Some(self.path);
            }
            None if self.overwrite && self.path.exists() => {
                std::fs::remove_file(&self.path)
                    .map_err(|e| Error::file(&self.path, "cannot be removed", e))?;
            }
            None => {}
        }
        Ok(rejected)
    }
}

/// What was rejected.
#[derive(Clone, Debug, Default)]
pub struct Rejected {
    /// Number of rows or features.
    pub count: u64,
    /// File that holds them; none if there are none.
    pub path: Option<PathBuf>,
    /// Row and reason of the first few.
    pub first: Vec<(u64, String)>,
}
