//! Reading: the geometry column once, to tell kinds and box, then everything in batches.

use super::KEY;
use super::native::{Native, kind_of};
use crate::error::{Error, Result};
use crate::format_support::{OpenedLayer, ReadOptions};
use crate::format_support::{Source, wkb};
use crate::layer::attribute_types::{as_text, held_column, held_field};
use crate::layer::{
    AttributeColumn, Batch, BatchBuilder, CrsOrigin, GeometryColumn, GeometryKind, LayerInfo,
    LeftOut, SchemaInference, Taken, Unread, Unreadable, Value,
};
use crate::notice::{Notice, NoticeKind};
use arrow_array::cast::AsArray;
use arrow_array::{Array, ArrayRef, BinaryArray};
use arrow_schema::{DataType, Field};
use parquet::arrow::ProjectionMask;
use parquet::arrow::arrow_reader::{ParquetRecordBatchReader, ParquetRecordBatchReaderBuilder};
use serde_json::Value as Json;
use std::fs::File;
use std::path::{Path, PathBuf};
use velvet_peg_core::{Crs, definition};

#[derive(Debug)]
struct GeoParquet {
    path: PathBuf,
    geometry: String,
    encoding: Encoding,
    /// The columns of attributes, by their names in the file.
    columns: Vec<String>,
    /// That of curves, in the units of the coordinates.
    tolerance: f64,
}

#[derive(Clone, Copy, Debug)]
enum Encoding {
    Wkb,
    Native(GeometryKind),
    /// Rows without a geometry.
    None,
}

fn wrong(path: &Path, what: impl std::fmt::Display) -> Error {
    Error::data(format!("cannot be read as GeoParquet: {what}")).in_file(path)
}

fn builder(path: &Path) -> Result<ParquetRecordBatchReaderBuilder<File>> {
    let file = File::open(path).map_err(|e| Error::file(path, "cannot be read", e))?;
    ParquetRecordBatchReaderBuilder::try_new(file).map_err(|e| wrong(path, e))
}

/// A reader of some of the columns.
fn columns(path: &Path, names: &[&str]) -> Result<ParquetRecordBatchReader> {
    let builder = builder(path)?;
    let roots: Vec<usize> = builder
        .schema()
        .fields()
        .iter()
        .enumerate()
        .filter(|(_, field)| names.contains(&field.name().as_str()))
        .map(|(at, _)| at)
        .collect();
    let mask = ProjectionMask::roots(builder.parquet_schema(), roots);
    builder
        .with_projection(mask)
        .with_batch_size(crate::layer::BATCH)
        .build()
        .map_err(|e| wrong(path, e))
}

pub(super) fn open(path: &Path, options: &ReadOptions) -> Result<OpenedLayer> {
    let builder = builder(path)?;
    let metadata = builder
        .metadata()
        .file_metadata()
        .key_value_metadata()
        .and_then(|pairs| pairs.iter().find(|pair| pair.key == KEY))
        .and_then(|pair| pair.value.as_deref());
    let Some(text) = metadata else { return open_plain(path, builder, options) };
    let metadata: Json = serde_json::from_str(text).map_err(|e| wrong(path, e))?;
    let geometry = metadata["primary_column"].as_str().unwrap_or("geometry").to_string();
    let entry = &metadata["columns"][geometry.as_str()];
    let name = entry["encoding"].as_str().unwrap_or("WKB");
    let encoding = match (name, kind_of(name)) {
        ("WKB", _) => Encoding::Wkb,
        (_, Some(kind)) => Encoding::Native(kind),
        _ => return Err(wrong(path, format!("geometries are encoded as {name}"))),
    };
    let mut notices = Vec::new();
    let (crs, origin) = system(entry.get("crs"), &mut notices)?;
    // A column of boxes only serves to find rows.
    let boxes = entry.pointer("/covering/bbox/xmin/0").and_then(Json::as_str).unwrap_or_default();
    let others: Vec<&Field> = builder
        .schema()
        .fields()
        .iter()
        .map(AsRef::as_ref)
        .filter(|field| *field.name() != geometry && field.name() != boxes)
        .collect();
    let fields: Vec<Field> = others.iter().map(|field| field_of(field)).collect();
    let columns_of: Vec<String> = others.iter().map(|field| field.name().clone()).collect();
    let tolerance = options.tolerance_in(crs.as_ref());
    let source =
        GeoParquet { path: path.to_path_buf(), geometry, encoding, columns: columns_of, tolerance };
    source.opened((crs, origin), fields, options, notices)
}

/// Columns that hold geometries as well-known binary in files that do not say it.
const LIKELY: [&str; 6] = ["geometry", "geom", "the_geom", "shape", "wkb", "wkb_geometry"];

/// A file without the metadata of GeoParquet: rows without a geometry, or with one in a column that is
/// called so.
fn open_plain(
    path: &Path,
    builder: ParquetRecordBatchReaderBuilder<File>,
    options: &ReadOptions,
) -> Result<OpenedLayer> {
    let fields = builder.schema().fields().clone();
    let bytes = |kind: &DataType| {
        matches!(kind, DataType::Binary | DataType::LargeBinary | DataType::BinaryView)
    };
    let likely = fields.iter().find(|field| {
        LIKELY.contains(&field.name().to_ascii_lowercase().as_str()) && bytes(field.data_type())
    });
    let (geometry, encoding) = match likely {
        Some(field) => (field.name().clone(), Encoding::Wkb),
        None => (String::new(), Encoding::None),
    };
    let others: Vec<&Field> =
        fields.iter().map(AsRef::as_ref).filter(|field| *field.name() != geometry).collect();
    let attributes: Vec<Field> = others.iter().map(|field| field_of(field)).collect();
    let columns = others.iter().map(|field| field.name().clone()).collect();
    let tolerance = options.tolerance_in(None);
    let source = GeoParquet {
        path: path.to_path_buf(),
        geometry: geometry.clone(),
        encoding,
        columns,
        tolerance,
    };
    if likely.is_some() {
        let notice = Notice::note(
            NoticeKind::Assumed,
            format!(
                "the file does not say where geometries are: column `{geometry}` is taken for them, \
                 and their reference system is unknown"
            ),
        );
        return source.opened((None, CrsOrigin::Given), attributes, options, vec![notice]);
    }
    let rows = builder.metadata().file_metadata().num_rows();
    let learn = SchemaInference::default();
    let info = LayerInfo {
        bare: true,
        unit: None,
        aside: false,
        count: u64::try_from(rows).ok(),
        ..learn.info(stem(path), None, CrsOrigin::Given, attributes)
    };
    Ok((info, Box::new(source), Vec::new()))
}

fn stem(path: &Path) -> &str {
    path.file_stem().and_then(|stem| stem.to_str()).unwrap_or("layer")
}

impl GeoParquet {
    /// Runs through the geometries for what the metadata do not say.
    fn opened(
        self,
        (crs, origin): (Option<Crs>, CrsOrigin),
        fields: Vec<Field>,
        options: &ReadOptions,
        mut notices: Vec<Notice>,
    ) -> Result<OpenedLayer> {
        let path = self.path.clone();
        let source = self;
        let path = path.as_path();
        let mut learn = SchemaInference::default();
        let mut left_out = LeftOut::default();
        for batch in columns(path, &[&source.geometry])? {
            let batch = batch.map_err(|e| wrong(path, e))?;
            let column = batch.columns().first().ok_or_else(|| {
                wrong(path, format!("it has no column `{}` of geometries", source.geometry))
            })?;
            let mut geometry = GeometryColumn::new();
            source.each_row(column, &mut |_, push| {
                match push(&mut geometry) {
                    Ok(taken) => learn.taken.add(taken),
                    Err(unread) => left_out.add("", &unread.why),
                }
                if geometry.len() >= crate::layer::BATCH {
                    learn.geometry(&geometry);
                    geometry = GeometryColumn::new();
                }
                Ok(())
            })?;
            learn.geometry(&geometry);
        }
        notices.extend(left_out.notice());
        notices.extend(learn.taken.notices(&options.tolerance_text(crs.as_ref())));
        let info = learn.info(stem(path), crs, origin, fields);
        Ok((info, Box::new(source), notices))
    }
}

/// A `crs` that is left out stands for longitude and latitude on WGS 84, one that is null for
/// an unknown system.
fn system(json: Option<&Json>, notices: &mut Vec<Notice>) -> Result<(Option<Crs>, CrsOrigin)> {
    match json {
        None => Ok((Some(Crs::from_epsg(4326)?), CrsOrigin::Format)),
        Some(Json::Null) => Ok((None, CrsOrigin::Given)),
        Some(json) => {
            let code = json.pointer("/id/code").and_then(|code| {
                let text = code.as_str().and_then(|text| text.parse().ok());
                text.or_else(|| code.as_u64().and_then(|code| u32::try_from(code).ok()))
            });
            let authority = json.pointer("/id/authority").and_then(Json::as_str);
            let known = code.filter(|_| authority == Some("EPSG"));
            if let Some(crs) = known.and_then(|code| Crs::from_epsg(code).ok()) {
                return Ok((Some(crs), CrsOrigin::File));
            }
            // Longitude and latitude on WGS 84, under the name that OGC gave the order.
            if authority == Some("OGC") && json.pointer("/id/code") == Some(&"CRS84".into()) {
                return Ok((Some(Crs::from_epsg(4326)?), CrsOrigin::File));
            }
            match definition::resolve(&json.to_string()) {
                Ok(crs) => Ok((Some(crs), CrsOrigin::File)),
                Err(error) => {
                    notices.push(Notice::warning(
                        NoticeKind::System,
                        format!(
                            "the reference system that the file states cannot be read ({error}): \
                             the layer counts as having none"
                        ),
                    ));
                    Ok((None, CrsOrigin::Given))
                }
            }
        }
    }
}

type Push<'a> = &'a dyn Fn(&mut GeometryColumn) -> std::result::Result<Taken, Unread>;

impl GeoParquet {
    /// Hands on each row with what pushes its geometry.
    fn each_row(
        &self,
        column: &ArrayRef,
        each: &mut dyn FnMut(usize, Push<'_>) -> Result<()>,
    ) -> Result<()> {
        match self.encoding {
            // Nobody asks for them.
            Encoding::None => {}
            Encoding::Native(kind) => {
                let native = Native::of(column, kind).map_err(|why| wrong(&self.path, why))?;
                for row in 0..column.len() {
                    each(row, &|geometry| {
                        native.push(row, geometry);
                        Ok(Taken::default())
                    })?;
                }
            }
            Encoding::Wkb => {
                let bytes = arrow_cast::cast(column, &DataType::Binary)?;
                let bytes: &BinaryArray = bytes.as_binary::<i32>();
                for row in 0..column.len() {
                    each(row, &|geometry| match bytes.is_null(row) {
                        true => {
                            geometry.end_feature(None);
                            Ok(Taken::default())
                        }
                        false => wkb::read(bytes.value(row), geometry, self.tolerance),
                    })?;
                }
            }
        }
        Ok(())
    }
}

impl Source for GeoParquet {
    fn read(&self, info: &LayerInfo, each: &mut dyn FnMut(Batch) -> Result<()>) -> Result<()> {
        let mut names: Vec<&str> = self.columns.iter().map(String::as_str).collect();
        names.push(&self.geometry);
        let mut gather = BatchBuilder::new(info.schema.clone(), each);
        for batch in columns(&self.path, &names)? {
            let batch = batch.map_err(|e| wrong(&self.path, e))?;
            let values: Vec<ArrayRef> = self
                .columns
                .iter()
                .filter_map(|name| Some(values_of(batch.column_by_name(name)?, name)))
                .collect::<Result<_>>()
                .map_err(|error| error.in_file(&self.path))?;
            let values: Vec<AttributeColumn<'_>> =
                values.iter().filter_map(AttributeColumn::of).collect();
            if matches!(self.encoding, Encoding::None) {
                for row in 0..batch.num_rows() {
                    gather.geometry().end_feature(None);
                    gather.feature(values.iter().map(|column| column.value(row).to_value()))?;
                }
                continue;
            }
            let column = batch
                .column_by_name(&self.geometry)
                .ok_or_else(|| wrong(&self.path, "its geometries are gone"))?;
            self.each_row(column, &mut |row, push| {
                let of_row: Vec<Value> =
                    values.iter().map(|column| column.value(row).to_value()).collect();
                match push(gather.geometry()) {
                    Ok(taken) => gather.features(taken.features, of_row),
                    Err(unread) => gather
                        .unreadable(Unreadable::new(unread).with_values(&info.schema, &of_row)),
                }
            })?;
        }
        gather.finish()
    }
}

/// The attribute that a column becomes: lists and records become text.
fn field_of(column: &Field) -> Field {
    held_field(column).unwrap_or_else(|| Field::new(column.name(), DataType::Utf8, true))
}

fn values_of(column: &ArrayRef, name: &str) -> Result<ArrayRef> {
    match held_column(column, name)? {
        Some(column) => Ok(column),
        None => as_text(column, name),
    }
}
