//! Features pushed to a layer one by one: no value is dropped, and no geometry taken that is none.

use super::attribute_types::DECLARED;
use super::value_type::EXACT;
use super::{
    AttributeColumn, BATCH, Batch, Geometry, Layer, Pending, Value, common_kind, type_name,
};
use crate::error::{Error, Result};
use crate::format_support::date_time;
use arrow_array::{Array, ArrayRef, Float64Array, RecordBatch, RecordBatchOptions, new_null_array};
use arrow_schema::{DataType, Field, Schema};
use std::collections::HashMap;
use std::sync::{Arc, OnceLock};

impl Layer {
    /// Adds a feature with its attributes. A pair of numbers is a point, a slice, array or vector of
    /// them a line; three numbers are a vertex with its height; [`Geometry`] has the rest. The first
    /// feature decides the columns, and the first value that is not null the type of each. A whole
    /// number fits a column of numbers, and a column of whole numbers becomes one of numbers where
    /// a fraction comes.
    ///
    /// ```
    /// use velvet_peg::{Layer, Value};
    /// let mut gates = Layer::new("gates", None);
    /// gates.push((0.0, 0.0), [("cfs", 4.into()), ("opened", Value::Null)])?;
    /// gates.push((9.0, 0.0, 350.2), [("cfs", 2.5.into()), ("opened", Value::date(2026, 4, 1)?)])?;
    /// let cfs: Vec<_> = gates.features().map(|gate| gate.value("cfs")).collect();
    /// assert_eq!(cfs, [Some(4.0.into()), Some(2.5.into())]);
    /// assert!(gates.push((9.0, 0.0), [("cfs", "much".into()), ("opened", Value::Null)]).is_err());
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the layer was read from a file, the attribute names differ from the first feature's,
    /// a value does not fit the type of its column, or the geometry is none: coordinates that are no
    /// numbers, a latitude beyond 90°, too few vertices. Then nothing is added.
    pub fn push<const N: usize>(
        &mut self,
        geometry: impl Into<Geometry>,
        attributes: [(&str, Value); N],
    ) -> Result<()> {
        self.add(geometry, attributes.into_iter().collect())
    }

    /// As [`Layer::push`], with attributes whose number is not known beforehand.
    ///
    /// # Errors
    /// As [`Layer::push`].
    pub fn add(
        &mut self,
        geometry: impl Into<Geometry>,
        attributes: Vec<(&str, Value)>,
    ) -> Result<()> {
        let geometry = geometry.into();
        let in_layer = |error: Error, layer: &Layer| error.in_layer(&layer.info.name);
        if !self.open {
            return Err(Error::usage(
                "features can be pushed only to a layer made with Layer::new",
            ));
        }
        geometry.check(self.crs()).map_err(|error| in_layer(error, self))?;
        if self.is_empty() && self.info.schema.fields().is_empty() {
            let fields: Vec<Field> =
                attributes.iter().map(|(name, value)| field(name, value)).collect();
            self.untyped = vec![true; fields.len()];
            self.info.schema = Arc::new(Schema::new(fields));
        }
        let names = self.info.schema.fields().iter().map(|field| field.name().as_str());
        if !names.eq(attributes.iter().map(|(name, _)| *name)) {
            return Err(Error::usage(
                "every feature of a layer needs the same attribute names in the same order",
            ));
        }
        for (at, (_, value)) in attributes.iter().enumerate() {
            self.make_room(at, value).map_err(|error| in_layer(error, self))?;
        }
        let kind = geometry.kind();
        let mixed = !self.is_empty() && self.info.kind.is_none();
        let first = self.count as u64 + 1;
        let schema = &self.info.schema;
        let pending = self.pending.get_or_insert_with(|| Pending::new(schema.clone(), first));
        pending.rows.push(attributes.into_iter().map(|(_, value)| value))?;
        pending.geometry.push(&geometry);
        pending.batch = OnceLock::new();
        self.info.has_z |= pending.geometry.has_z();
        self.info.kind = match mixed {
            true => None,
            false => common_kind(self.info.kind.into_iter().chain(kind)),
        };
        self.info.count = Some(first);
        self.count += 1;
        if pending.geometry.len() == BATCH {
            self.batches.extend(self.pending.take().map(Pending::into_batch));
        }
        Ok(())
    }

    /// Changes the type of a column where a value needs it: one without values so far, or one of
    /// whole numbers for a fraction.
    fn make_room(&mut self, at: usize, value: &Value) -> Result<()> {
        let field = self.info.schema.field(at);
        let fits = match field.metadata().get(DECLARED).map(String::as_str) {
            Some("DATE") => match value {
                Value::Null | Value::Date(_) => true,
                Value::Text(text) => date_time::day(text).is_some(),
                _ => false,
            },
            Some("DATETIME") => match value {
                Value::Null | Value::DateTime(_) => true,
                Value::Text(text) => date_time::moment(text).is_some(),
                _ => false,
            },
            _ => true,
        };
        if !fits {
            return Err(Error::data(format!(
                "`{}` does not fit column `{}` (of the type: {})",
                value.to_text(),
                field.name(),
                type_name(field)
            )));
        }
        let wanted = match value {
            Value::Null => return Ok(()),
            _ if self.untyped.get(at) == Some(&true) => {
                self.untyped[at] = false;
                self::field(field.name(), value)
            }
            Value::Real(_) if *field.data_type() == DataType::Int64 => {
                field.clone().with_data_type(DataType::Float64)
            }
            _ => return Ok(()),
        };
        if wanted.data_type() == field.data_type() && wanted.metadata() == field.metadata() {
            return Ok(());
        }
        self.batches.extend(self.pending.take().map(Pending::into_batch));
        let mut fields: Vec<Arc<Field>> = self.info.schema.fields().iter().cloned().collect();
        fields[at] = Arc::new(wanted);
        let schema = Arc::new(Schema::new(fields));
        let changed = self.batches.iter().map(|batch| with_column(batch, at, &schema));
        self.batches = changed.collect::<Result<_>>()?;
        self.info.schema = schema;
        Ok(())
    }
}

/// The batch with one column of the type that a schema has for it.
fn with_column(batch: &Batch, at: usize, schema: &Arc<Schema>) -> Result<Batch> {
    let field = schema.field(at);
    let mut columns: Vec<ArrayRef> = batch.attributes().columns().to_vec();
    columns[at] = match AttributeColumn::of(&columns[at]) {
        Some(AttributeColumn::Integer(whole)) if *field.data_type() == DataType::Float64 => {
            let exact = |value: i64| match value.unsigned_abs() <= EXACT {
                true => Ok(value as f64),
                false => Err(Error::data(format!(
                    "column `{}` holds the {} {value}, which no number with a fraction is exactly",
                    field.name(),
                    type_name(&Field::new("", DataType::Int64, true))
                ))),
            };
            let values = whole.iter().map(|value| value.map(exact).transpose());
            Arc::new(values.collect::<Result<Float64Array>>()?)
        }
        // Nothing is in it so far.
        _ => new_null_array(field.data_type(), columns[at].len()),
    };
    let options = RecordBatchOptions::new().with_row_count(Some(batch.len()));
    let rows = RecordBatch::try_new_with_options(schema.clone(), columns, &options)?;
    batch.clone().with_attributes(rows)
}

/// The column of a value.
fn field(name: &str, value: &Value) -> Field {
    let (kind, declared) = match value {
        Value::Integer(_) => (DataType::Int64, ""),
        Value::Real(_) => (DataType::Float64, ""),
        Value::Boolean(_) => (DataType::Boolean, ""),
        Value::Binary(_) => (DataType::Binary, ""),
        Value::Date(_) => (DataType::Utf8, "DATE"),
        Value::DateTime(_) => (DataType::Utf8, "DATETIME"),
        Value::Text(_) | Value::Null => (DataType::Utf8, ""),
    };
    let field = Field::new(name, kind, true);
    match declared {
        "" => field,
        declared => {
            let metadata = HashMap::from([(DECLARED.to_string(), declared.to_string())]);
            field.with_metadata(metadata)
        }
    }
}
