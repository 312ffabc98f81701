//! Adding features to a layer that is there: its reference system and its columns are taken
//! over, coordinates are converted, and what does not go together is refused before a byte is
//! written.

use super::LayerReader;
use super::held_values::as_text as values_as_text;
use crate::advice::Advice;
use crate::error::{Error, Result};
use crate::format::Format;
use crate::format_support::{Appending, WriteOptions};
use crate::layer::value_type::EXACT;
use crate::layer::{Batch, GeometryKind, LayerInfo, lineage};
use crate::notice::{Notice, NoticeKind};
use arrow_array::cast::AsArray;
use arrow_array::types::Int64Type;
use arrow_array::{ArrayRef, RecordBatch, RecordBatchOptions, new_null_array};
use arrow_cast::{CastOptions, cast_with_options};
use arrow_schema::DataType;
use std::path::Path;
use velvet_peg_core::{Converter, PlanOptions};

/// How features join a layer that is there.
pub(super) struct Append {
    reader: LayerReader,
    /// The layer as it will be.
    pub(super) info: LayerInfo,
    /// For each column of the layer that is there, the column of the new features.
    places: Vec<Option<usize>>,
    converter: Option<Converter>,
    /// Features that are there.
    pub(super) before: u64,
}

impl Append {
    /// None where a file that keeps its other layers has no such layer yet: it gets a new one.
    pub(super) fn plan(
        path: &Path,
        format: Format,
        info: &LayerInfo,
        options: &WriteOptions,
        notices: &mut Vec<Notice>,
    ) -> Result<Option<Append>> {
        let store = format.description().store();
        if format.capability().appending == Appending::Refused {
            return Err(Error::usage(format!(
                "layers are not added to in {}: it may hold more than would be written again. \
                 Write a new file, or a .gpkg",
                format.name()
            ))
            .in_file(path));
        }
        let mut layers = LayerReader::open_all(path)?;
        // Features go to features, rows to tables of attributes.
        layers.retain(|layer| layer.info().bare == info.bare);
        let named = options.layer.as_deref();
        let at = match named {
            Some(name) => {
                let called = |wanted: &str| layers.iter().position(|l| l.info().name == wanted);
                called(name).or_else(|| store.and_then(|store| called(&store.layer_name(name))))
            }
            None if layers.len() == 1 => Some(0),
            // The layer of the same name, if the file has several.
            None => layers.iter().position(|layer| layer.info().name == info.name),
        };
        let Some(at) = at else {
            if store.is_some() && (named.is_some() || layers.is_empty()) {
                notices.push(Notice::note(
                    NoticeKind::NewLayer,
                    format!("{} has no layer {} yet: it gets one", path.display(), info.name),
                ));
                return Ok(None);
            }
            let names: Vec<&str> = layers.iter().map(|l| l.info().name.as_str()).collect();
            return Err(Error::usage(format!(
                "which layer is to be added to? There {} {}",
                if names.len() == 1 { "is" } else { "are" },
                names.join(", ")
            ))
            .advise(Advice::NameOutputLayer)
            .among(names)
            .in_file(path));
        };
        let mut reader = layers.swap_remove(at);
        if store.is_some() {
            // The database numbers what is added.
            reader.hide_key();
        }
        let there = reader.info();
        let refuse = |why: String| {
            Error::usage(format!("cannot be added to, and nothing was written: {why}"))
                .in_file(path)
                .in_layer(&there.name)
        };
        kinds(there, info).map_err(&refuse)?;
        let places = columns(there, info).map_err(|why| refuse(why).advise(Advice::KeepColumns))?;
        let blank: Vec<String> = there
            .schema
            .fields()
            .iter()
            .zip(&places)
            .filter(|(_, place)| place.is_none())
            .map(|(field, _)| format!("`{}`", field.name()))
            .collect();
        if !blank.is_empty() {
            notices.push(Notice::note(
                NoticeKind::ColumnChange,
                format!("the new features have no {}: left blank", blank.join(", ")),
            ));
        }
        let converter = converter_to(there, info, notices, &refuse)?;
        let before = there.count.unwrap_or(0);
        let mut info_after = there.clone();
        info_after.has_z |= info.has_z;
        info_after.has_m |= info.has_m;
        info_after.count = info.count.map(|count| count + before);
        if let Some(text) = &info.description {
            info_after.add_to_description(text);
        }
        if let Some(converter) = &converter {
            info_after.add_to_description(&lineage(converter));
        }
        if before == 0 && there.kind.is_none() {
            info_after.kind = info.kind;
        }
        Ok(Some(Append { reader, info: info_after, places, converter, before }))
    }

    /// Hands on the features that are there; from then on features are adopted.
    pub(super) fn for_each_existing(
        &mut self,
        each: &mut dyn FnMut(Batch) -> Result<()>,
    ) -> Result<()> {
        let path = self.reader.path();
        self.reader.for_each_batch(&mut |batch| match batch.unreadable.first() {
            None => each(batch),
            Some(bad) => Err(Error::data(format!(
                "cannot be added to: its record {} cannot be read ({}), and would be lost",
                bad.number, bad.reason
            ))
            .in_file(path)),
        })
    }

    /// New features with the columns and in the system of the layer.
    pub(super) fn adopt(&self, batch: &Batch) -> Result<Batch> {
        let columns = self.info.schema.fields().iter().zip(&self.places).map(|(field, place)| {
            let Some(at) = place else {
                return Ok(new_null_array(field.data_type(), batch.len()));
            };
            let column = batch.attributes().column(*at);
            match field.data_type() {
                kind if kind == column.data_type() => Ok(column.clone()),
                DataType::Utf8 => values_as_text(column, field.name()),
                DataType::Float64 => whole_as_numbers(column, field.name()),
                kind => {
                    let options = CastOptions { safe: false, ..CastOptions::default() };
                    Ok(cast_with_options(column, kind, &options)?)
                }
            }
        });
        let columns = columns.collect::<Result<Vec<ArrayRef>>>()?;
        let options = RecordBatchOptions::new().with_row_count(Some(batch.len()));
        let schema = self.info.schema.clone();
        let attributes = RecordBatch::try_new_with_options(schema, columns, &options)?;
        let mut geometry = batch.geometry.clone();
        if let Some(converter) = &self.converter {
            let failed = geometry.convert(converter);
            if failed > 0 {
                return Err(Error::data(format!(
                    "{failed} vertices cannot be carried to {}, the system of the layer added to",
                    converter.target().label()
                )));
            }
        }
        Batch::try_new(geometry, attributes, batch.first + self.before)
    }
}

/// Points do not go among lines.
fn kinds(there: &LayerInfo, new: &LayerInfo) -> Result<(), String> {
    let (Some(old), Some(kind)) = (there.kind, new.kind) else {
        return Ok(());
    };
    let fits = old == kind || (old.is_multi() && old.single() == kind);
    // A layer that was not declared single may hold both forms.
    let alike = old.single() == kind.single() && old.single() != GeometryKind::Point;
    match fits || alike {
        true => Ok(()),
        false => {
            Err(format!("it holds {}s, and the new features are {}s", old.name(), kind.name()))
        }
    }
}

/// Where each column that is there finds its values.
fn columns(there: &LayerInfo, new: &LayerInfo) -> Result<Vec<Option<usize>>, String> {
    let fields = new.schema.fields();
    let extra: Vec<String> = fields
        .iter()
        .filter(|field| {
            !there.schema.fields().iter().any(|f| f.name().eq_ignore_ascii_case(field.name()))
        })
        .map(|field| format!("`{}`", field.name()))
        .collect();
    if !extra.is_empty() {
        return Err(format!(
            "it has no column for {} (its columns are {})",
            extra.join(", "),
            crate::layer::column_names::list(
                &there.schema.fields().iter().map(|f| f.name().clone()).collect::<Vec<_>>()
            )
        ));
    }
    there
        .schema
        .fields()
        .iter()
        .map(|field| {
            let at = fields.iter().position(|f| f.name().eq_ignore_ascii_case(field.name()));
            match at {
                Some(at) if !holds(field.data_type(), fields[at].data_type()) => Err(format!(
                    "its column `{}` holds {}s, and that of the new features {}s",
                    field.name(),
                    crate::layer::type_name(field),
                    crate::layer::type_name(&fields[at])
                )),
                at => Ok(at),
            }
        })
        .collect()
}

/// True if a column of one type can take values of another.
fn holds(column: &DataType, values: &DataType) -> bool {
    column == values
        || column == &DataType::Utf8
        || matches!(
            (column, values),
            (DataType::Float64, DataType::Int64) | (DataType::Int64, DataType::Boolean)
        )
}

/// The converter from the system of the new features to that of the layer that is there.
fn converter_to(
    there: &LayerInfo,
    info: &LayerInfo,
    notices: &mut Vec<Notice>,
    refuse: &dyn Fn(String) -> Error,
) -> Result<Option<Converter>> {
    Ok(match (&info.crs, &there.crs) {
        (None, None) => None,
        (Some(new), None) => {
            return Err(refuse(format!(
                "it has no reference system, and the new features are in {}",
                new.label()
            ))
            .advise(Advice::Declare(None)));
        }
        (None, Some(old)) => {
            return Err(refuse(format!(
                "it is in {}, and the new features have no reference system",
                old.label()
            ))
            .advise(Advice::Declare(None)));
        }
        (Some(new), Some(old)) if new == old => None,
        (Some(new), Some(old)) => {
            let area = info.extent.and_then(|extent| crate::reproject::area_of(new, &extent));
            let plan = PlanOptions { area, ..PlanOptions::default() };
            let converter = Converter::plan(new, old, &plan)?;
            notices.push(Notice::note(
                NoticeKind::Carried,
                format!(
                    "converted from {} to {}, the system of the layer added to, by {}",
                    new.label(),
                    old.label(),
                    converter.route().summary()
                ),
            ));
            notices.extend(crate::reproject::route_notices(&converter));
            Some(converter)
        }
    })
}

/// Whole numbers as numbers; refused where one would lose digits.
fn whole_as_numbers(column: &ArrayRef, name: &str) -> Result<ArrayRef> {
    let long = |value: &i64| value.unsigned_abs() > EXACT;
    let whole = column.as_primitive_opt::<Int64Type>();
    if let Some(value) = whole.and_then(|whole| whole.iter().flatten().find(long)) {
        return Err(Error::data(format!(
            "column `{name}` of the layer added to holds numbers, which would lose digits of \
             {value}: nothing was written. Write the new features to a layer of their own"
        )));
    }
    Ok(arrow_cast::cast(column, &DataType::Float64)?)
}
