//! Formats whose features say themselves which attributes they have: a first pass learns the
//! columns, kinds, number and extent, a second hands out batches. Neither holds more than one
//! feature at a time (and the batch).

use super::text_type::type_of_text;
use super::{OpenedLayer, Source};
use crate::error::Result;
use crate::layer::value_type::ValueType;
use crate::layer::{
    Batch, BatchBuilder, CrsOrigin, GeometryColumn, LayerInfo, LeftOut, SchemaInference, Taken,
    Unreadable, Value,
};
use crate::notice::Notice;
use arrow_schema::DataType;
use std::collections::HashMap;
use std::fmt::Debug;
use std::path::{Path, PathBuf};
use velvet_peg_core::Crs;

/// What a file yields, one after the other.
pub(crate) enum Item {
    /// A feature.
    Feature(Raw),
    /// A record of one of the file's layers that no feature can be made of.
    Unreadable(usize, Unreadable),
}

/// A feature as it stands in a file.
#[derive(Default)]
pub(crate) struct Raw {
    /// Which of the file's layers it belongs to.
    pub(crate) layer: usize,
    /// Its geometry, alone in the column; a collection is several features there.
    pub(crate) geometry: GeometryColumn,
    /// What became of the geometry.
    pub(crate) taken: Taken,
    /// Its attributes by key.
    pub(crate) values: Vec<(String, Given)>,
}

/// A value as it stands in a file.
pub(crate) enum Given {
    /// With its type.
    Typed(Value),
    /// As a text of which nobody says whether it is a number: the whole column decides.
    Untyped(String),
}

impl Given {
    /// As it would stand in a text.
    pub(crate) fn text(&self) -> String {
        match self {
            Given::Typed(value) => value.to_text(),
            Given::Untyped(text) => text.clone(),
        }
    }

    fn kind(&self) -> Option<ValueType> {
        match self {
            Given::Typed(value) => ValueType::of(value),
            Given::Untyped(text) => type_of_text(text),
        }
    }

    fn value(self, column: &DataType) -> Value {
        match (self, column) {
            // Among texts a number keeps the look of one: 0.0 is not 0.
            (Given::Typed(Value::Real(number)), DataType::Utf8) => {
                Value::Text(format!("{number:?}"))
            }
            (Given::Typed(value), _) => value,
            (Given::Untyped(text), DataType::Int64) => {
                text.trim().parse().map_or(Value::Null, Value::Integer)
            }
            (Given::Untyped(text), DataType::Float64) => {
                text.trim().parse().map_or(Value::Null, Value::Real)
            }
            (Given::Untyped(text), DataType::Boolean) => match text.trim() {
                "true" => Value::Boolean(true),
                "false" => Value::Boolean(false),
                _ => Value::Null,
            },
            (Given::Untyped(text), _) => Value::Text(text),
        }
    }
}

impl Unreadable {
    /// The same with its attributes as they stand in the file.
    pub(crate) fn with_given(self, values: Vec<(String, Given)>) -> Unreadable {
        let values = values.into_iter().map(|(key, value)| (key, value.text())).collect();
        Unreadable { values, ..self }
    }
}

/// A file that can be run through from its beginning.
pub(crate) trait Features: Debug + Send {
    /// Hands each feature to `each`.
    fn each(&self, path: &Path, each: &mut dyn FnMut(Item) -> Result<()>) -> Result<()>;
}

/// One layer of a file read in two passes.
#[derive(Debug)]
struct TwoPass<F> {
    path: PathBuf,
    features: F,
    layer: usize,
    keys: Vec<String>,
}

/// What the first pass learnt of one layer.
#[derive(Default)]
pub(crate) struct Learnt {
    pub(crate) learn: SchemaInference,
    /// Records that could not be read.
    pub(crate) left_out: LeftOut,
}

/// Runs through a file and learns each of its layers: so many, or more where more are met.
pub(crate) fn learn(path: &Path, features: &dyn Features, layers: usize) -> Result<Vec<Learnt>> {
    let mut learnt: Vec<Learnt> = (0..layers).map(|_| Learnt::default()).collect();
    features.each(path, &mut |item| {
        let (Item::Feature(Raw { layer, .. }) | Item::Unreadable(layer, _)) = &item;
        if *layer >= learnt.len() {
            learnt.resize_with(layer + 1, Learnt::default);
        }
        match item {
            Item::Feature(raw) => {
                let learn = &mut learnt[raw.layer].learn;
                learn.taken.add(raw.taken);
                let values = raw.values.iter();
                learn.feature(
                    &raw.geometry,
                    values.map(|(key, value)| (key.as_str(), value.kind())),
                );
            }
            Item::Unreadable(layer, record) => {
                learnt[layer].left_out.add(&record.kind, &record.reason);
            }
        }
        Ok(())
    })?;
    Ok(learnt)
}

/// Describes a layer that was learnt, its curves read within a tolerance, given in words; `name_of`
/// gives the name of a key's column.
pub(crate) fn opened(
    path: &Path,
    features: impl Features + 'static,
    (layer, learnt): (usize, Learnt),
    name: &str,
    (crs, origin): (Option<Crs>, CrsOrigin),
    tolerance: &str,
    name_of: &dyn Fn(&[String]) -> Vec<String>,
) -> OpenedLayer {
    let names = name_of(&learnt.learn.keys);
    let fields = learnt.learn.fields(&names);
    let info = learnt.learn.info(name, crs, origin, fields);
    let source = TwoPass { path: path.to_path_buf(), features, layer, keys: learnt.learn.keys };
    let mut notices: Vec<Notice> = learnt.left_out.notice().into_iter().collect();
    notices.extend(learnt.learn.taken.notices(tolerance));
    (info, Box::new(source), notices)
}

impl<F: Features> Source for TwoPass<F> {
    fn read(&self, info: &LayerInfo, each: &mut dyn FnMut(Batch) -> Result<()>) -> Result<()> {
        let places: HashMap<&str, usize> =
            self.keys.iter().enumerate().map(|(at, key)| (key.as_str(), at)).collect();
        let mut gather = BatchBuilder::new(info.schema.clone(), each);
        self.features.each(&self.path, &mut |item| match item {
            Item::Feature(raw) if raw.layer == self.layer => {
                let mut values = vec![Value::Null; self.keys.len()];
                for (key, value) in raw.values {
                    if let Some(at) = places.get(key.as_str()) {
                        values[*at] = value.value(info.schema.field(*at).data_type());
                    }
                }
                for feature in 0..raw.geometry.len() {
                    gather.geometry().push_from(&raw.geometry, feature);
                }
                gather.features(raw.geometry.len(), values)
            }
            Item::Unreadable(layer, mut record) if layer == self.layer => {
                // By the names of the columns.
                for (key, _) in &mut record.values {
                    if let Some(at) = places.get(key.as_str()) {
                        *key = info.schema.field(*at).name().clone();
                    }
                }
                gather.unreadable(record)
            }
            _ => Ok(()),
        })?;
        gather.finish()
    }
}
