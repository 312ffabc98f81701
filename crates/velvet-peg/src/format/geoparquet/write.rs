//! Writing: attributes as they are, geometries as WKB in the last column, compressed.

use super::{KEY, kind_name};
use crate::error::{Error, Result};
use crate::format_support::{Finished, Sink, wkb};
use crate::layer::column_names::distinct;
use crate::layer::{Batch, Extender, LayerInfo};
use crate::output::new_file;
use arrow_array::builder::BinaryBuilder;
use arrow_array::{ArrayRef, RecordBatch};
use arrow_schema::{DataType, Field, Schema, SchemaRef};
use parquet::arrow::ArrowWriter;
use parquet::arrow::arrow_writer::ArrowWriterOptions;
use parquet::basic::{Compression, ZstdLevel};
use parquet::file::metadata::KeyValue;
use parquet::file::properties::WriterProperties;
use serde_json::{Value as Json, json};
use std::collections::BTreeSet;
use std::fs::File;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use velvet_peg_core::{Crs, definition};

/// Rows of a row group: what a reader has to hold at once, and the writer too.
const GROUP: usize = 65_536;

pub(super) struct Writer {
    path: PathBuf,
    writer: ArrowWriter<File>,
    schema: SchemaRef,
    geometry: String,
    crs: Option<Crs>,
    kinds: BTreeSet<String>,
    extent: Extender,
    /// Smallest and largest height.
    heights: Option<(f64, f64)>,
}

impl Writer {
    pub(super) fn create(path: &Path, info: &LayerInfo) -> Result<Writer> {
        let names: Vec<String> =
            info.schema.fields().iter().map(|field| field.name().clone()).collect();
        let geometry = distinct(&names, "geometry");
        let mut fields: Vec<Field> =
            info.schema.fields().iter().map(|field| field.as_ref().clone()).collect();
        fields.push(Field::new(&geometry, DataType::Binary, true));
        let schema: SchemaRef = Arc::new(Schema::new(fields));
        let properties = WriterProperties::builder()
            .set_compression(Compression::ZSTD(ZstdLevel::default()))
            .set_max_row_group_row_count(Some(GROUP))
            .set_created_by("Velvet Peg".to_string())
            .build();
        // Some readers take the metadata of an Arrow schema in the file for all there are, and
        // would not see those of GeoParquet.
        let options =
            ArrowWriterOptions::new().with_properties(properties).with_skip_arrow_metadata(true);
        let file = new_file(path)?;
        let writer = ArrowWriter::try_new_with_options(file, schema.clone(), options)
            .map_err(|e| Error::file(path, "cannot be written", e))?;
        Ok(Writer {
            path: path.to_path_buf(),
            writer,
            schema,
            geometry,
            crs: info.crs.clone(),
            kinds: BTreeSet::new(),
            extent: Extender::default(),
            heights: None,
        })
    }

    fn metadata(&self) -> Json {
        let crs = match &self.crs {
            None => Json::Null,
            Some(crs) => definition::json(crs)
                .and_then(|text| serde_json::from_str(&text).ok())
                .unwrap_or(Json::Null),
        };
        let mut column = json!({
            "encoding": "WKB",
            "geometry_types": self.kinds,
            "crs": crs,
        });
        if let Some(b) = self.extent.bounds() {
            column["bbox"] = match self.heights {
                Some((low, high)) => json!([b.west, b.south, low, b.east, b.north, high]),
                None => json!([b.west, b.south, b.east, b.north]),
            };
        }
        json!({
            "version": "1.1.0",
            "primary_column": self.geometry,
            "columns": { self.geometry.as_str(): column },
        })
    }
}

impl Sink for Writer {
    fn write(&mut self, batch: &Batch) -> Result<()> {
        let column = &batch.geometry;
        let mut blobs = BinaryBuilder::new();
        let mut bytes = Vec::new();
        for feature in 0..column.len() {
            let Some(kind) = column.kinds()[feature] else {
                blobs.append_null();
                continue;
            };
            bytes.clear();
            wkb::write(column, feature, kind, &mut bytes);
            blobs.append_value(&bytes);
            let mut name = kind_name(kind).to_string();
            if column.has_heights(feature) {
                name += " Z";
                for z in column.heights(feature) {
                    let (low, high) = self.heights.unwrap_or((f64::INFINITY, f64::NEG_INFINITY));
                    self.heights = Some((low.min(z), high.max(z)));
                }
            }
            self.kinds.insert(name);
        }
        self.extent.add(column);
        let mut columns: Vec<ArrayRef> = batch.attributes().columns().to_vec();
        columns.push(Arc::new(blobs.finish()));
        let failed = |e| Error::file(&self.path, "cannot be written", e);
        let rows = RecordBatch::try_new(self.schema.clone(), columns)?;
        self.writer.write(&rows).map_err(failed)
    }

    fn finish(mut self: Box<Self>) -> Result<Finished> {
        let metadata = self.metadata().to_string();
        self.writer.append_key_value_metadata(KeyValue::new(KEY.to_string(), metadata));
        self.writer.close().map_err(|e| Error::file(&self.path, "cannot be written", e))?;
        Ok(Finished::default())
    }
}
