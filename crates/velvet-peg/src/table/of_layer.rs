//! The rows of a table of attributes alone, of a format of layers: Parquet, GeoPackage, lists in JSON.

use crate::advice::Advice;
use crate::error::{Error, Result};
use crate::format::Format;
use crate::format_support::guard::guarded;
use crate::format_support::read_ahead::read_ahead;
use crate::format_support::{
    CellType, OpenedLayer, ReadOptions, RowSource, SourceRow, TableFacts, TableSource, TableToOpen,
    declared,
};
use crate::layer::{Batch, LayerInfo, ValueRef};
use arrow_schema::{DataType, Field};
use csv::StringRecord;
use std::path::{Path, PathBuf};
use std::sync::mpsc::Receiver;

/// A table of attributes to be read, once or several times.
#[derive(Debug)]
pub(super) struct OfLayer {
    format: Format,
    real: PathBuf,
    shown: PathBuf,
    info: LayerInfo,
    options: ReadOptions,
    facts: TableFacts,
}

/// The layer of a name.
fn layer(format: Format, real: &Path, options: &ReadOptions, name: &str) -> Result<OpenedLayer> {
    let layers = format.description().open(real, options)?;
    let found = layers.into_iter().find(|(info, ..)| info.bare && info.name == name);
    found.ok_or_else(|| Error::data(format!("has no table `{name}` any more")).in_file(real))
}

impl OfLayer {
    /// Opens the only table of attributes of a file, or the one that is named like a sheet.
    ///
    /// # Errors
    /// If there is none, or several and none is named.
    pub(super) fn open(format: Format, table: &TableToOpen<'_>) -> Result<OfLayer> {
        let (real, shown) = (table.real.to_path_buf(), table.shown.to_path_buf());
        let options =
            ReadOptions { encoding: table.options.encoding.clone(), ..ReadOptions::default() };
        let features = || {
            Error::usage("holds features already, not a table")
                .advise(Advice::UseLayer)
                .in_file(&shown)
        };
        // A drawing or a track has none, whatever is in it.
        if !format.capability().no_geometry {
            return Err(features());
        }
        let layers =
            guarded(&real, "cannot be read", || format.description().open(&real, &options));
        let layers = layers.map_err(|error| error.shown_as(&real, &shown))?;
        let mut bare: Vec<(LayerInfo, Vec<_>)> = layers
            .into_iter()
            .filter(|(info, ..)| info.bare)
            .map(|(info, _, notices)| (info, notices))
            .collect();
        let names: Vec<String> = bare.iter().map(|(info, _)| info.name.clone()).collect();
        let at = match (table.options.sheets.as_slice(), names.as_slice()) {
            (_, []) => return Err(features()),
            ([], [_]) => 0,
            ([one], names) if names.contains(one) => {
                names.iter().position(|name| name == one).unwrap_or_default()
            }
            _ => {
                return Err(Error::usage(format!(
                    "has {} tables, of which one is to be named: {}",
                    names.len(),
                    names.join(", ")
                ))
                .advise(Advice::NameTable)
                .among(names)
                .in_file(&shown));
            }
        };
        let (info, notices) = bare.swap_remove(at);
        let bytes =
            std::fs::metadata(&real).map_err(|e| Error::file(&shown, "cannot be read", e))?.len();
        let table = Some(info.name.clone());
        let facts = TableFacts { header: true, bytes, table, notices, ..TableFacts::default() };
        Ok(OfLayer { format, real, shown, info, options, facts })
    }
}

impl TableSource for OfLayer {
    fn facts(&self) -> &TableFacts {
        &self.facts
    }

    fn rows(&self) -> Result<Box<dyn RowSource>> {
        let (format, options, name) = (self.format, self.options.clone(), self.info.name.clone());
        let (real, shown) = (self.real.clone(), self.shown.clone());
        let batches = read_ahead(shown.clone(), move |each| {
            layer(format, &real, &options, &name)
                .and_then(|(info, source, _)| source.read(&info, each))
                .map_err(|error| error.shown_as(&real, &shown))
        });
        let fields = self.info.schema.fields();
        let names = fields.iter().map(|field| field.name().as_str()).collect();
        let types = fields.iter().map(|field| cell_type(field)).collect();
        let count = self.info.count.unwrap_or_default().max(1);
        Ok(Box::new(LayerRows {
            batches,
            batch: None,
            at: 0,
            names,
            types,
            read: 0,
            count,
            bytes: self.facts.bytes,
        }))
    }
}

/// What the cells of a column are.
fn cell_type(field: &Field) -> CellType {
    match (field.data_type(), declared(field)) {
        (DataType::Boolean, _) => CellType::YesNo,
        (DataType::Int64 | DataType::Float64, _) => CellType::Number,
        (DataType::Utf8, "DATE") => CellType::Date,
        (DataType::Utf8, "TIME") => CellType::Time,
        (DataType::Utf8, "DATETIME" | "TIMESTAMP") => CellType::DateTime,
        _ => CellType::Text,
    }
}

struct LayerRows {
    batches: Receiver<Result<Batch>>,
    batch: Option<Batch>,
    at: usize,
    names: StringRecord,
    types: Vec<CellType>,
    read: u64,
    count: u64,
    bytes: u64,
}

impl RowSource for LayerRows {
    fn next(&mut self, row: &mut SourceRow) -> Result<bool> {
        row.texts.clear();
        row.types.clear();
        while self.batch.as_ref().is_none_or(|batch| self.at >= batch.len()) {
            match self.batches.recv() {
                Ok(batch) => self.batch = Some(batch?),
                Err(_) => return Ok(false),
            }
            self.at = 0;
        }
        let Some(batch) = &self.batch else { return Ok(false) };
        for (column, kind) in batch.columns().iter().zip(&self.types) {
            let value = column.value(self.at);
            row.types.push(if matches!(value, ValueRef::Null) { CellType::Blank } else { *kind });
            row.texts.push_field(&value.to_string());
        }
        row.number = batch.first() + self.at as u64;
        self.at += 1;
        self.read += 1;
        Ok(true)
    }

    fn bytes_read(&self) -> u64 {
        self.bytes / self.count * self.read.min(self.count)
    }

    fn names(&self) -> &StringRecord {
        &self.names
    }
}
