//! Fitting a layer to what a format can hold: its reference system, the names and types of its
//! columns; and saying what is lost by it before anything is written.

use super::Format;
use super::capability::{Attributes, Capability, Systems};
use super::held::{Held, as_text};
use super::names::cleaned;
use crate::error::{Error, Result};
use crate::layer::{Batch, LayerInfo};
use crate::notice::Notice;
use arrow_array::{ArrayRef, RecordBatch, RecordBatchOptions};
use arrow_schema::{DataType, Field, Schema, SchemaRef};
use std::borrow::Cow;
use std::collections::HashMap;
use std::path::Path;
use std::sync::Arc;
use velvet_peg_core::{Converter, Crs, Height};

/// How the batches of a layer become ones that a format can hold.
#[derive(Debug)]
pub(super) struct Fit {
    schema: SchemaRef,
    /// Columns that become text.
    texts: Vec<bool>,
    changed: bool,
    converter: Option<Converter>,
    drops_m: bool,
    /// Features have heights (and measures) at every vertex or at none.
    whole: bool,
    format: Format,
    /// Values as the format holds them.
    held: Held,
    /// Features that lost heights that they had at some vertices, and measures.
    without: (u64, u64),
}

/// What fitting a layer comes to.
pub(super) struct Fitted {
    pub(super) fit: Fit,
    /// The layer as the format will hold it.
    pub(super) info: LayerInfo,
    /// What is lost, each with what is done about it.
    pub(super) losses: Vec<Notice>,
    /// What else is worth knowing.
    pub(super) remarks: Vec<Notice>,
}

impl Fit {
    pub(super) fn plan(path: &Path, format: Format, info: &LayerInfo, wkt: bool) -> Result<Fitted> {
        let capability = Capability::of(format);
        let name = format.name();
        let (mut losses, mut remarks) = (Vec::new(), Vec::new());
        let mut fitted = info.clone();
        let converter = match capability.systems {
            Systems::Wgs84 => wgs84(path, format, info, &mut losses, &mut remarks)?,
            Systems::None => {
                if let Some(crs) = &info.crs {
                    losses.push(Notice::remark(format!(
                        "{name} has no place for a reference system: note that {} is in {}",
                        path.display(),
                        crs.label()
                    )));
                }
                None
            }
            _ => None,
        };
        if converter.is_some() {
            fitted.crs = Some(Crs::from_epsg(4326)?);
            fitted.extent = None;
        }
        if info.has_m && !capability.m {
            losses.push(Notice::warning(format!(
                "{name} cannot hold the measures (M) of vertices: they are left out"
            )));
            fitted.has_m = false;
        }
        if capability.attributes == Attributes::Extensions && !info.schema.fields().is_empty() {
            losses.push(Notice::remark(format!(
                "{name} has no columns of its own for attributes: they are written as extensions, \
                 which Velvet Peg reads back and other programs may pass over"
            )));
        }
        let (schema, texts) = columns(capability, info, &mut losses);
        let changed = schema != info.schema;
        fitted.schema = schema.clone();
        let drops_m = info.has_m && !capability.m;
        // Well-known text has no word for a missing number (ISO 19125-1 clause 7).
        let whole = !capability.partial_z || wkt;
        let without = (0, 0);
        let held = Held::new(format);
        let fit = Fit { schema, texts, changed, converter, drops_m, whole, format, held, without };
        Ok(Fitted { fit, info: fitted, losses, remarks })
    }

    /// A batch as the format will hold it.
    pub(super) fn apply<'a>(&mut self, batch: &'a Batch) -> Result<Cow<'a, Batch>> {
        let mut batch = Cow::Borrowed(batch);
        if self.changed {
            batch.to_mut().attributes = self.attributes(&batch.attributes)?;
        }
        let held: Vec<Option<ArrayRef>> =
            batch.attributes.columns().iter().map(|column| self.held.column(column)).collect();
        if held.iter().any(Option::is_some) {
            let attributes = &batch.attributes;
            let columns = attributes.columns().iter().zip(held);
            let columns = columns.map(|(column, held)| held.unwrap_or_else(|| column.clone()));
            let (schema, columns) = (attributes.schema(), columns.collect());
            batch.to_mut().attributes = RecordBatch::try_new(schema, columns)?;
        }
        if self.drops_m && batch.geometry.has_m() {
            batch.to_mut().geometry.m.clear();
        }
        if let Some(converter) = &self.converter {
            let failed = batch.to_mut().geometry.convert(converter);
            if failed > 0 {
                return Err(Error::data(format!(
                    "{failed} vertices cannot be carried to WGS 84, which {} demands: is the \
                     declared reference system right?",
                    self.format.name()
                )));
            }
        }
        if self.whole && (batch.geometry.has_z() || batch.geometry.has_m()) {
            let geometry = &mut batch.to_mut().geometry;
            self.without.0 += geometry.drop_partial(false);
            // Shapefiles have a number that stands for no measure.
            if self.format != Format::Shapefile {
                self.without.1 += geometry.drop_partial(true);
            }
        }
        Ok(batch)
    }

    /// What was lost on the way.
    pub(super) fn losses(&self) -> Vec<Notice> {
        let lost = |count: u64, what: &str| {
            let have = if count == 1 { "feature has" } else { "features have" };
            let text = format!(
                "{count} {have} {what} at some vertices only, and {} has no word for a missing one: \
                 written without any",
                self.format.name()
            );
            (count > 0).then(|| Notice::warning(text))
        };
        [lost(self.without.0, "heights"), lost(self.without.1, "measures")]
            .into_iter()
            .flatten()
            .chain(self.held.losses())
            .collect()
    }

    fn attributes(&self, attributes: &RecordBatch) -> Result<RecordBatch> {
        let columns: Vec<ArrayRef> = attributes
            .columns()
            .iter()
            .zip(&self.texts)
            .map(|(column, text)| -> ArrayRef {
                if *text { as_text(column) } else { column.clone() }
            })
            .collect();
        let options = RecordBatchOptions::new().with_row_count(Some(attributes.num_rows()));
        Ok(RecordBatch::try_new_with_options(self.schema.clone(), columns, &options)?)
    }
}

/// The way to WGS 84 for formats that hold nothing else.
fn wgs84(
    path: &Path,
    format: Format,
    info: &LayerInfo,
    losses: &mut Vec<Notice>,
    remarks: &mut Vec<Notice>,
) -> Result<Option<Converter>> {
    let name = format.name();
    let crs = info.crs.as_ref().ok_or_else(|| {
        Error::usage(format!(
            "{name} is always WGS 84 longitude and latitude, and this layer has no reference \
             system to convert from: declare it first with `vpeg declare`, or write a .gpkg"
        ))
        .in_file(path)
    })?;
    let metres =
        |crs: &Crs| matches!(crs.height(), Height::Ellipsoidal(unit) if unit.metres() == 1.0);
    if info.has_z && !metres(crs) {
        let surface = match format {
            Format::GeoJson | Format::GeoJsonLines => "the WGS 84 ellipsoid",
            _ => "sea level",
        };
        remarks.push(Notice::warning(format!(
            "readers of {name} take heights as metres above {surface}; these are written as they \
             are, whatever their unit and surface"
        )));
    }
    if matches!(crs.code(), Some(4326 | 4979)) {
        return Ok(None);
    }
    let converter = Converter::new(crs, &Crs::from_epsg(4326)?)?;
    losses.push(Notice::remark(format!(
        "{name} is WGS 84 longitude and latitude by its standard and cannot keep {}: converted \
         back by {}. Write a .gpkg to keep it",
        crs.label(),
        converter.route().summary()
    )));
    Ok(Some(converter))
}

/// Key of field metadata that keeps a column's declared type, such as DATE.
pub(super) const DECLARED: &str = "declared_type";

/// Metadata of a field whose whole numbers are what the features are known by in their file.
pub(crate) const KEY: &str = "feature_key";

/// A column of whole numbers that features are known by.
pub(crate) fn key_field(name: &str) -> Field {
    let metadata = HashMap::from([
        (KEY.to_string(), String::new()),
        (DECLARED.to_string(), "INTEGER".to_string()),
    ]);
    Field::new(name, DataType::Int64, true).with_metadata(metadata)
}

/// The type that a column was declared with where it came from.
pub(super) fn declared(field: &Field) -> &str {
    field.metadata().get(DECLARED).map_or("", String::as_str)
}

/// A schema in which text columns of these names are declared to be of a type.
pub(super) fn declare(schema: &Schema, names: &[&str], kind: &str) -> SchemaRef {
    let fields: Vec<Field> = schema
        .fields()
        .iter()
        .map(|field| {
            let field = field.as_ref().clone();
            let text = field.data_type() == &DataType::Utf8;
            if !text || !names.contains(&field.name().as_str()) {
                return field;
            }
            field.with_metadata(HashMap::from([(DECLARED.to_string(), kind.to_string())]))
        })
        .collect();
    Arc::new(Schema::new(fields))
}

/// The columns as the format can hold them, and which of them become text.
fn columns(
    capability: &Capability,
    info: &LayerInfo,
    losses: &mut Vec<Notice>,
) -> (SchemaRef, Vec<bool>) {
    let name = capability.format.name();
    let fields = info.schema.fields();
    let names: Vec<&str> = fields.iter().map(|field| field.name().as_str()).collect();
    let clean = cleaned(&names, capability.name_bytes);
    let mapping: Vec<String> = names
        .iter()
        .zip(&clean)
        .filter(|(old, new)| old != new)
        .map(|(old, new)| format!("`{old}` as `{new}`"))
        .collect();
    if !mapping.is_empty() {
        let why = match capability.name_bytes {
            Some(bytes) => format!("{name} holds names of up to {bytes} plain letters"),
            None => "readers stumble over some names".to_string(),
        };
        losses.push(Notice::warning(format!("{why}: written are {}", mapping.join(", "))));
    }
    let mut texts = Vec::new();
    let (mut bytes, mut times, mut dates) = (Vec::new(), Vec::new(), Vec::new());
    let fitted: Vec<Field> = fields
        .iter()
        .zip(clean)
        .map(|(field, clean)| {
            let text = field.data_type() == &DataType::Binary && !capability.bytes;
            if text {
                bytes.push(format!("`{}`", field.name()));
            }
            match declared(field) {
                "DATETIME" if !capability.times => times.push(format!("`{}`", field.name())),
                "DATE" if !capability.dates => dates.push(format!("`{}`", field.name())),
                _ => {}
            }
            texts.push(text);
            let kind = if text { DataType::Utf8 } else { field.data_type().clone() };
            Field::new(clean, kind, true).with_metadata(field.metadata().clone())
        })
        .collect();
    for (columns, what, done) in [
        (bytes, "bytes", "written as hexadecimal text"),
        (times, "dates with a time", "written as text"),
        (dates, "dates", "written as text"),
    ] {
        if !columns.is_empty() {
            losses.push(Notice::warning(format!(
                "{name} cannot hold {what}: {} {} {done}",
                columns.join(", "),
                if columns.len() == 1 { "is" } else { "are" }
            )));
        }
    }
    if info.kind.is_none() && !capability.mixed_kinds && info.count != Some(0) {
        losses.push(Notice::warning(format!(
            "{name} holds one kind of geometry a file: points, lines and polygons go to files of \
             their own if there are several kinds"
        )));
    }
    (Arc::new(Schema::new(fitted)), texts)
}
