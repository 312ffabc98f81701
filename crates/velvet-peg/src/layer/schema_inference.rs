//! Learning what a layer is like from its features, on a first reading.

use super::value_type::ValueType;
use super::{
    CrsOrigin, Extender, GeometryColumn, GeometryKind, LayerInfo, TakenApart, common_kind,
};
use arrow_schema::{DataType, Field, Schema};
use std::collections::{BTreeSet, HashMap};
use std::sync::Arc;
use velvet_peg_core::Crs;

/// Columns, kinds, number and extent, gathered feature by feature.
#[derive(Debug, Default)]
pub(crate) struct SchemaInference {
    /// Keys of the columns in the order in which they came.
    pub(crate) keys: Vec<String>,
    types: Vec<Option<ValueType>>,
    places: HashMap<String, usize>,
    kinds: BTreeSet<GeometryKind>,
    pub(crate) has_z: bool,
    pub(crate) has_m: bool,
    pub(crate) count: u64,
    pub(crate) extent: Extender,
    /// Collections and curves met.
    pub(crate) taken: TakenApart,
}

impl SchemaInference {
    /// Takes a feature, alone in its column, with the types of its values by key; no type for
    /// nothing.
    pub(crate) fn feature<'a>(
        &mut self,
        geometry: &GeometryColumn,
        values: impl IntoIterator<Item = (&'a str, Option<ValueType>)>,
    ) {
        self.geometry(geometry);
        for (key, kind) in values {
            match self.places.get(key) {
                Some(at) => {
                    let known = &mut self.types[*at];
                    *known = match (*known, kind) {
                        (None, kind) | (kind, None) => kind,
                        (Some(known), Some(kind)) => Some(known.with(kind)),
                    };
                }
                None => {
                    self.places.insert(key.to_string(), self.keys.len());
                    self.keys.push(key.to_string());
                    self.types.push(kind);
                }
            }
        }
    }

    /// Takes the geometry of a feature whose columns are known otherwise.
    pub(crate) fn geometry(&mut self, geometry: &GeometryColumn) {
        self.count += geometry.len() as u64;
        self.kinds.extend(geometry.kinds().iter().flatten());
        self.has_z |= geometry.has_z();
        self.has_m |= geometry.has_m();
        self.extent.add(geometry);
    }

    /// Makes the column of a key, if there is one, the first.
    pub(crate) fn put_first(&mut self, key: &str) {
        if let Some(at) = self.places.get(key).copied() {
            self.keys[..=at].rotate_right(1);
            self.types[..=at].rotate_right(1);
            self.places = self.keys.iter().enumerate().map(|(at, key)| (key.clone(), at)).collect();
        }
    }

    pub(crate) fn kind(&self) -> Option<GeometryKind> {
        common_kind(self.kinds.iter().copied())
    }

    /// The fields of the columns, under these names.
    pub(crate) fn fields(&self, names: &[String]) -> Vec<Field> {
        names
            .iter()
            .zip(&self.types)
            .map(|(name, kind)| {
                let kind = kind.map_or(DataType::Utf8, ValueType::data_type);
                Field::new(name, kind, true)
            })
            .collect()
    }

    /// The description of the layer.
    pub(crate) fn info(
        &self,
        name: &str,
        crs: Option<Crs>,
        crs_origin: CrsOrigin,
        fields: Vec<Field>,
    ) -> LayerInfo {
        LayerInfo {
            name: name.to_string(),
            description: None,
            crs,
            crs_origin,
            schema: Arc::new(Schema::new(fields)),
            kind: self.kind(),
            bare: false,
            unit: None,
            aside: false,
            has_z: self.has_z,
            has_m: self.has_m,
            count: Some(self.count),
            extent: self.extent.bounds(),
        }
    }
}
