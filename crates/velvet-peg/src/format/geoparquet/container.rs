//! The files that hold batches of Arrow columns: Parquet, and Arrow's own (IPC, also called Feather).

use super::unpacked::{Texts, batch_rows, too_many_rows};
use super::{DESCRIPTION, KEY, arrow_sizes};
use crate::error::{Error, Result};
use arrow_array::RecordBatch;
use arrow_ipc::reader::{FileReader, StreamReader};
use arrow_schema::{ArrowError, Schema, SchemaRef};
use parquet::arrow::ProjectionMask;
use parquet::arrow::arrow_reader::ParquetRecordBatchReaderBuilder;
use std::collections::HashSet;
use std::fs::File;
use std::io::{BufReader, Read};
use std::path::Path;

/// A kind of file that holds batches of columns.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Container {
    Parquet,
    Arrow,
}

/// What a file says of itself.
pub(super) struct Facts {
    pub(super) schema: SchemaRef,
    /// The metadata of geometries.
    pub(super) metadata: Option<String>,
    /// What is said of the layer in words.
    pub(super) description: Option<String>,
    /// The number of rows, where the file states it.
    rows: Option<u64>,
}

/// Batches, one after the other.
pub(super) type Batches = Box<dyn Iterator<Item = Result<RecordBatch>>>;

/// The same as Arrow hands them on, with their columns.
type ArrowBatches = (SchemaRef, Box<dyn Iterator<Item = Result<RecordBatch, ArrowError>>>);

fn opened(path: &Path) -> Result<File> {
    File::open(path).map_err(|e| Error::file(path, "cannot be read", e))
}

fn places(schema: &Schema, names: &[&str]) -> Vec<usize> {
    let names: HashSet<&str> = names.iter().copied().collect();
    let fields = schema.fields().iter().enumerate();
    fields.filter(|(_, field)| names.contains(field.name().as_str())).map(|(at, _)| at).collect()
}

impl Container {
    pub(super) fn wrong(self, path: &Path, what: impl std::fmt::Display) -> Error {
        let name = match self {
            Container::Parquet => "GeoParquet",
            Container::Arrow => "an Arrow file",
        };
        Error::data(format!("cannot be read as {name}: {what}")).in_file(path)
    }

    fn parquet(self, path: &Path) -> Result<ParquetRecordBatchReaderBuilder<File>> {
        let file = opened(path)?;
        ParquetRecordBatchReaderBuilder::try_new(file).map_err(|e| self.wrong(path, e))
    }

    /// The batches of an Arrow file, or of a stream of them.
    fn arrow(self, path: &Path, columns: Option<Vec<usize>>) -> Result<ArrowBatches> {
        let mut start = [0; 6];
        let count =
            opened(path)?.read(&mut start).map_err(|e| Error::file(path, "cannot be read", e))?;
        let wrong = |e: ArrowError| self.wrong(path, e);
        let file = BufReader::with_capacity(1 << 16, opened(path)?);
        match &start[..count] {
            b"ARROW1" => {
                let reader = FileReader::try_new(file, columns).map_err(wrong)?;
                Ok((reader.schema(), Box::new(reader)))
            }
            start if start.starts_with(arrow_sizes::FIRST_FEATHER) => Err(self.wrong(
                path,
                "it is in the first version of Feather: write it again with a newer one, or as Parquet",
            )),
            _ => {
                let reader = StreamReader::try_new(file, columns).map_err(wrong)?;
                Ok((reader.schema(), Box::new(reader)))
            }
        }
    }

    pub(super) fn facts(self, path: &Path) -> Result<Facts> {
        if self == Container::Parquet {
            let builder = self.parquet(path)?;
            let file = builder.metadata().file_metadata();
            let of = |key| {
                let pairs = file.key_value_metadata()?;
                pairs.iter().find(|pair| pair.key == key)?.value.clone()
            };
            let (metadata, description) = (of(KEY), of(DESCRIPTION));
            let rows = u64::try_from(file.num_rows()).ok();
            let size =
                std::fs::metadata(path).map_err(|e| Error::file(path, "cannot be read", e))?;
            if let Some(fault) = rows.and_then(|rows| too_many_rows(rows, size.len())) {
                return Err(self.wrong(path, fault));
            }
            return Ok(Facts { schema: builder.schema().clone(), metadata, description, rows });
        }
        let unread = |e| Error::file(path, "cannot be read", e);
        if let Some(fault) = arrow_sizes::fault(path).map_err(unread)? {
            return Err(self.wrong(path, fault));
        }
        let (schema, _) = self.arrow(path, None)?;
        let of = |key| schema.metadata().get(key).cloned();
        let (metadata, description) = (of(KEY), of(DESCRIPTION));
        Ok(Facts { schema, metadata, description, rows: None })
    }

    /// The number of rows; they are counted where the file does not state it.
    pub(super) fn rows(self, path: &Path, facts: &Facts) -> Result<u64> {
        if let Some(rows) = facts.rows {
            return Ok(rows);
        }
        let mut rows = 0;
        for batch in
            self.arrow(path, Some(vec![0]).filter(|_| !facts.schema.fields().is_empty()))?.1
        {
            rows += batch.map_err(|e| self.wrong(path, e))?.num_rows() as u64;
        }
        Ok(rows)
    }

    /// The batches of some of the columns.
    pub(super) fn batches(self, path: &Path, names: &[&str]) -> Result<Batches> {
        let shown = path.to_path_buf();
        if self == Container::Parquet {
            let builder = self.parquet(path)?;
            let roots = places(builder.schema(), names);
            let mask = ProjectionMask::roots(builder.parquet_schema(), roots);
            let rows = batch_rows(opened(path)?, &mask).map_err(|e| self.wrong(path, e))?;
            let reader = builder
                .with_projection(mask)
                .with_batch_size(rows)
                .build()
                .map_err(|e| self.wrong(path, e))?;
            let size =
                opened(path)?.metadata().map_err(|e| Error::file(path, "cannot be read", e))?;
            let mut texts = Texts::new(size.len());
            return Ok(Box::new(reader.map(move |batch| {
                let batch = batch.map_err(|e| self.wrong(&shown, e))?;
                texts.add(&batch).map_or(Ok(batch), |what| Err(self.wrong(&shown, what)))
            })));
        }
        let (schema, _) = self.arrow(path, None)?;
        let (_, batches) = self.arrow(path, Some(places(&schema, names)))?;
        Ok(Box::new(batches.map(move |batch| batch.map_err(|e| self.wrong(&shown, e)))))
    }
}
