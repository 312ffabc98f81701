//! Writing: attributes as they are, geometries as WKB in the last column, compressed.

use super::column_form::ColumnForm;
use super::{DESCRIPTION, KEY, kind_name};
use crate::error::{Error, Result};
use crate::format_support::{Finished, Sink, wkb};
use crate::layer::column_names::distinct;
use crate::layer::{Batch, Extender, GeometryKind, LayerInfo};
use crate::notice::{Notice, NoticeKind};
use crate::output::new_file;
use arrow_array::builder::BinaryBuilder;
use arrow_array::{ArrayRef, RecordBatch};
use arrow_schema::{DataType, Field, Schema, SchemaRef};
use parquet::arrow::ArrowWriter;
use parquet::arrow::arrow_reader::ParquetRecordBatchReaderBuilder;
use parquet::arrow::arrow_writer::ArrowWriterOptions;
use parquet::basic::{Compression, ZstdLevel};
use parquet::file::metadata::KeyValue;
use parquet::file::properties::WriterProperties;
use parquet::schema::types::ColumnPath;
use serde_json::{Value as Json, json};
use std::collections::BTreeSet;
use std::fs::File;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use velvet_peg_core::{Crs, definition};

/// Rows of a row group: what a reader has to hold at once, and the writer too.
const GROUP: usize = 65_536;

/// Columns up to which each is packed as well as can be: each packer takes some 50 kB.
const WIDE: usize = 2_000;

pub(super) struct Writer {
    path: PathBuf,
    /// None before the first batch, which decides how dates and times are written.
    writer: Option<ArrowWriter<File>>,
    /// The attributes as they are held.
    held: SchemaRef,
    forms: Vec<ColumnForm>,
    /// The column of geometries; none for rows without.
    geometry: Option<String>,
    crs: Option<Crs>,
    description: Option<String>,
    /// The kinds of geometries, without heights and with.
    kinds: BTreeSet<(GeometryKind, bool)>,
    extent: Extender,
    /// Smallest and largest height.
    heights: Option<(f64, f64)>,
}

impl Writer {
    pub(super) fn create(path: &Path, info: &LayerInfo) -> Result<Writer> {
        let names: Vec<String> =
            info.schema.fields().iter().map(|field| field.name().clone()).collect();
        Ok(Writer {
            path: path.to_path_buf(),
            writer: None,
            held: info.schema.clone(),
            forms: info.schema.fields().iter().map(|field| ColumnForm::declared(field)).collect(),
            geometry: (!info.bare).then(|| distinct(&names, "geometry")),
            crs: info.crs.clone(),
            description: info.description.clone(),
            kinds: BTreeSet::new(),
            extent: Extender::default(),
            heights: None,
        })
    }

    /// The columns in their forms, and the geometries.
    fn schema(&self, forms: &[ColumnForm]) -> SchemaRef {
        let fields = self.held.fields().iter().zip(forms);
        let mut fields: Vec<Field> = fields.map(|(field, form)| form.field(field)).collect();
        let geometry = self.geometry.iter();
        fields.extend(geometry.map(|name| Field::new(name, DataType::Binary, true)));
        Arc::new(Schema::new(fields))
    }

    fn start(&self, forms: &[ColumnForm]) -> Result<ArrowWriter<File>> {
        let schema = self.schema(forms);
        let compression = match schema.fields().len() <= WIDE {
            true => Compression::ZSTD(ZstdLevel::default()),
            false => Compression::SNAPPY,
        };
        let mut properties = WriterProperties::builder()
            .set_compression(compression)
            .set_max_row_group_row_count(Some(GROUP))
            .set_created_by("Velvet Peg".to_string());
        // Numbers and geometries rarely repeat: a dictionary of them takes time and saves nothing.
        let repeats = |field: &Field| {
            !matches!(field.data_type(), DataType::Float64 | DataType::Int64 | DataType::Binary)
        };
        for field in schema.fields().iter().filter(|field| !repeats(field)) {
            let path = ColumnPath::new(vec![field.name().clone()]);
            properties = properties.set_column_dictionary_enabled(path, false);
        }
        // Some readers take the metadata of an Arrow schema in the file for all there are, and
        // would not see those of GeoParquet.
        let options = ArrowWriterOptions::new()
            .with_properties(properties.build())
            .with_skip_arrow_metadata(true);
        let file = new_file(&self.path)?;
        ArrowWriter::try_new_with_options(file, schema, options)
            .map_err(|e| Error::file(&self.path, "cannot be written", e))
    }

    /// The writer for a batch: the first one starts the file, and one whose dates and times do not
    /// fit the forms so far starts it anew, with what was written in the new forms.
    fn fitting(&mut self, columns: &[ArrayRef]) -> Result<ArrowWriter<File>> {
        let forms: Vec<ColumnForm> =
            self.forms.iter().zip(columns).map(|(form, column)| form.with(column)).collect();
        let earlier = std::mem::replace(&mut self.forms, forms);
        match self.writer.take() {
            None => self.start(&self.forms),
            Some(writer) if earlier == self.forms => Ok(writer),
            Some(writer) => {
                writer.close().map_err(|e| Error::file(&self.path, "cannot be written", e))?;
                self.rewritten(&earlier)
            }
        }
    }

    fn rewritten(&self, earlier: &[ColumnForm]) -> Result<ArrowWriter<File>> {
        let unwritten = |e| Error::file(&self.path, "cannot be written", e);
        let aside = self.path.with_extension("earlier");
        std::fs::rename(&self.path, &aside).map_err(unwritten)?;
        let written = File::open(&aside).map_err(unwritten)?;
        let mut writer = self.start(&self.forms)?;
        let schema = self.schema(&self.forms);
        let failed = |e| Error::file(&self.path, "cannot be written", e);
        let reader = ParquetRecordBatchReaderBuilder::try_new(written)
            .and_then(|builder| builder.with_batch_size(crate::layer::BATCH).build())
            .map_err(failed)?;
        for batch in reader {
            let batch = batch?;
            // The geometries, if there are any, stay as they are.
            let (attributes, geometries) = batch.columns().split_at(self.forms.len());
            let forms = self.forms.iter().zip(earlier);
            let mut columns: Vec<ArrayRef> = attributes
                .iter()
                .zip(forms)
                .map(|(column, (form, earlier))| form.rewritten(*earlier, column))
                .collect::<Result<_>>()?;
            columns.extend(geometries.iter().cloned());
            let rows = RecordBatch::try_new(schema.clone(), columns)?;
            writer.write(&rows).map_err(failed)?;
        }
        std::fs::remove_file(&aside).map_err(unwritten)?;
        Ok(writer)
    }

    fn metadata(&self, geometry: &str) -> Json {
        let crs = match &self.crs {
            None => Json::Null,
            Some(crs) => definition::json(crs)
                .and_then(|text| serde_json::from_str(&text).ok())
                .unwrap_or(Json::Null),
        };
        let name = |(kind, has_heights): &(GeometryKind, bool)| {
            format!("{}{}", kind_name(*kind), if *has_heights { " Z" } else { "" })
        };
        let kinds: BTreeSet<String> = self.kinds.iter().map(name).collect();
        let mut column = json!({
            "encoding": "WKB",
            "geometry_types": kinds,
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
            "primary_column": geometry,
            "columns": { geometry: column },
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
            let has_heights = column.has_heights(feature);
            self.kinds.insert((kind, has_heights));
            if has_heights {
                for z in column.heights(feature) {
                    let (low, high) = self.heights.unwrap_or((f64::INFINITY, f64::NEG_INFINITY));
                    self.heights = Some((low.min(z), high.max(z)));
                }
            }
        }
        self.extent.add(column);
        let held = batch.attributes().columns();
        let mut writer = self.fitting(held)?;
        let mut columns: Vec<ArrayRef> =
            self.forms.iter().zip(held).map(|(form, column)| form.column(column)).collect();
        if self.geometry.is_some() {
            columns.push(Arc::new(blobs.finish()));
        }
        let rows = RecordBatch::try_new(self.schema(&self.forms), columns)?;
        writer.write(&rows).map_err(|e| Error::file(&self.path, "cannot be written", e))?;
        self.writer = Some(writer);
        Ok(())
    }

    fn losses(&self) -> Vec<Notice> {
        let fields = self.held.fields().iter().zip(&self.forms);
        let became_text = fields.filter(|(field, form)| {
            **form == ColumnForm::Held && ColumnForm::declared(field) != ColumnForm::Held
        });
        became_text
            .map(|(field, _)| {
                Notice::warning(
                    NoticeKind::ColumnChange,
                    format!(
                        "column `{}` is written as text: not all of its values are {}",
                        field.name(),
                        match ColumnForm::declared(field) {
                            ColumnForm::Date => "dates",
                            ColumnForm::Time => "times of the day",
                            _ => "dates with a time, all of UTC or none",
                        }
                    ),
                )
                .in_column(field.name())
            })
            .collect()
    }

    fn finish(mut self: Box<Self>) -> Result<Finished> {
        let writer = self.writer.take();
        let mut writer = writer.map_or_else(|| self.start(&self.forms), Ok)?;
        if let Some(geometry) = &self.geometry {
            let metadata = self.metadata(geometry).to_string();
            writer.append_key_value_metadata(KeyValue::new(KEY.to_string(), metadata));
        }
        if let Some(text) = self.description {
            writer.append_key_value_metadata(KeyValue::new(DESCRIPTION.to_string(), text));
        }
        writer.close().map_err(|e| Error::file(&self.path, "cannot be written", e))?;
        Ok(Finished::default())
    }
}
