//! Features pushed to a layer one by one: no value is dropped, and no geometry taken that is none.

use super::attribute_types::DECLARED;
use super::row_builder::{RowBuilder, misfit};
use super::value_type::EXACT;
use super::{AttributeColumn, BATCH, Batch, Geometry, Layer, Pending, Value, common_kind};
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
        let values: Vec<Value> = attributes.into_iter().map(|(_, value)| value).collect();
        self.make_room(&values).map_err(|error| in_layer(error, self))?;
        let there: Vec<bool> = values.iter().map(|value| *value != Value::Null).collect();
        let kind = geometry.kind();
        let mixed = !self.is_empty() && self.info.kind.is_none();
        let first = self.count as u64 + 1;
        let schema = &self.info.schema;
        let pending = self.pending.get_or_insert_with(|| Pending::new(schema.clone(), first));
        pending.rows.push(values).map_err(|error| error.in_layer(&self.info.name))?;
        for (untyped, there) in self.untyped.iter_mut().zip(there) {
            *untyped &= !there;
        }
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

    /// Changes the types of columns where values need it: of those without values so far, and of whole
    /// numbers where a fraction comes.
    ///
    /// # Errors
    /// If the values do not fit: then nothing is changed.
    fn make_room(&mut self, values: &[Value]) -> Result<()> {
        let mut changes: Vec<(usize, Field)> = Vec::new();
        for (at, value) in values.iter().enumerate() {
            let wanted = self.wanted(at, value)?;
            changes.extend(wanted.map(|field| (at, field)));
        }
        if changes.is_empty() {
            return Ok(());
        }
        let mut fields: Vec<Arc<Field>> = self.info.schema.fields().iter().cloned().collect();
        for (at, field) in &changes {
            fields[*at] = Arc::new(field.clone());
        }
        let schema = Arc::new(Schema::new(fields));
        // Values that do not fit are found before anything is changed.
        RowBuilder::new(schema.clone()).push(values.iter().cloned())?;
        let changed: Vec<usize> = changes.iter().map(|(at, _)| *at).collect();
        let batches = self.batches().map(|batch| with_columns(batch, &changed, &schema));
        self.batches = batches.collect::<Result<_>>()?;
        self.pending = None;
        self.info.schema = schema;
        Ok(())
    }

    /// The type that a column has to have for a value, if it is another one.
    fn wanted(&self, at: usize, value: &Value) -> Result<Option<Field>> {
        let own = self.info.schema.field(at);
        if *value == Value::Null {
            return Ok(None);
        }
        if self.untyped.get(at) == Some(&true) {
            let wanted = field(own.name(), value);
            return Ok(Some(wanted).filter(|wanted| wanted != own));
        }
        let fits = match own.metadata().get(DECLARED).map(String::as_str) {
            Some("DATE") => match value {
                Value::Date(_) => true,
                Value::Text(text) => date_time::day(text).is_some(),
                _ => false,
            },
            Some("DATETIME") => match value {
                Value::DateTime(_) => true,
                Value::Text(text) => date_time::moment(text).is_some(),
                _ => false,
            },
            _ => true,
        };
        if !fits {
            return Err(misfit(own, value));
        }
        let widens = matches!(value, Value::Real(_)) && *own.data_type() == DataType::Int64;
        Ok(widens.then(|| own.clone().with_data_type(DataType::Float64)))
    }
}

/// The batch with some columns of the types that a schema has for them.
fn with_columns(batch: &Batch, changed: &[usize], schema: &Arc<Schema>) -> Result<Batch> {
    let mut columns: Vec<ArrayRef> = batch.attributes().columns().to_vec();
    for at in changed {
        columns[*at] = of_type(schema.field(*at), &columns[*at])?;
    }
    let options = RecordBatchOptions::new().with_row_count(Some(batch.len()));
    let rows = RecordBatch::try_new_with_options(schema.clone(), columns, &options)?;
    batch.clone().with_attributes(rows)
}

/// A column of whole numbers as one of numbers, or one without values as one of another type.
fn of_type(field: &Field, column: &ArrayRef) -> Result<ArrayRef> {
    let Some(AttributeColumn::Integer(whole)) = AttributeColumn::of(column) else {
        return Ok(new_null_array(field.data_type(), column.len()));
    };
    let exact = |value: i64| match value.unsigned_abs() <= EXACT {
        true => Ok(value as f64),
        false => Err(Error::data(format!(
            "column `{}` holds the whole number {value}, which no number with a fraction is exactly",
            field.name()
        ))),
    };
    let values = whole.iter().map(|value| value.map(exact).transpose());
    Ok(Arc::new(values.collect::<Result<Float64Array>>()?))
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
