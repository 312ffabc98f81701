//! The header and the features of a FlatGeobuf file as bytes.

use super::packed_index::CHILDREN;
use crate::format_support::wkt::closes;
use crate::format_support::{DECLARED, declared};
use crate::layer::{AttributeColumn, GeometryColumn, GeometryKind, LayerInfo, ValueRef};
use arrow_schema::{DataType, Field};
use flatbuffers::{FlatBufferBuilder, WIPOffset};
use flatgeobuf::{
    Column, ColumnArgs, ColumnType, Crs, CrsArgs, Feature, FeatureArgs, Geometry, GeometryArgs,
    GeometryType, Header, HeaderArgs,
};
use serde_json::json;
use std::ops::Range;
use velvet_peg_core::{Bounds, definition};

/// What a file begins with: its version is 3.
pub(super) const MAGIC: [u8; 8] = *b"fgb\x03fgb\x00";

/// The header of a layer of so many features within an extent, with its size in front.
pub(super) fn header(info: &LayerInfo, count: u64, extent: Option<&Bounds>) -> Vec<u8> {
    let mut to = FlatBufferBuilder::new();
    let text = info.crs.as_ref().and_then(definition::wkt2);
    let crs = info.crs.as_ref();
    let crs = CrsArgs {
        org: crs.and_then(|crs| crs.code()).map(|_| to.create_string("EPSG")),
        code: crs.and_then(|crs| i32::try_from(crs.code()?).ok()).unwrap_or(0),
        name: crs.map(|crs| to.create_string(crs.name())),
        wkt: text.map(|text| to.create_string(&text)),
        ..CrsArgs::default()
    };
    let crs = Crs::create(&mut to, &crs);
    let columns: Vec<WIPOffset<Column<'_>>> =
        info.schema.fields().iter().map(|field| column(field, &mut to)).collect();
    let head = HeaderArgs {
        name: Some(to.create_string(&info.name)),
        description: info.description.as_ref().map(|text| to.create_string(text)),
        envelope: extent.map(|of| to.create_vector(&[of.west, of.south, of.east, of.north])),
        geometry_type: info.kind.map_or(GeometryType::Unknown, type_of),
        has_z: info.has_z,
        has_m: info.has_m,
        columns: Some(to.create_vector(&columns)),
        features_count: count,
        index_node_size: if count > 0 { CHILDREN } else { 0 },
        crs: Some(crs),
        ..HeaderArgs::default()
    };
    let head = Header::create(&mut to, &head);
    to.finish_size_prefixed(head, None);
    to.finished_data().to_vec()
}

fn column<'a>(field: &Field, to: &mut FlatBufferBuilder<'a>) -> WIPOffset<Column<'a>> {
    // There is one type for dates with and without a time, and none for times of the day.
    let note = match declared(field) {
        kind @ ("DATE" | "TIME") => Some(json!({ DECLARED: kind }).to_string()),
        _ => None,
    };
    let args = ColumnArgs {
        name: Some(to.create_string(field.name())),
        type_: match field.data_type() {
            DataType::Int64 => ColumnType::Long,
            DataType::Float64 => ColumnType::Double,
            DataType::Boolean => ColumnType::Bool,
            DataType::Binary => ColumnType::Binary,
            _ if matches!(declared(field), "DATE" | "DATETIME") => ColumnType::DateTime,
            _ => ColumnType::String,
        },
        metadata: note.map(|note| to.create_string(&note)),
        ..ColumnArgs::default()
    };
    Column::create(to, &args)
}

fn type_of(kind: GeometryKind) -> GeometryType {
    match kind {
        GeometryKind::Point => GeometryType::Point,
        GeometryKind::LineString => GeometryType::LineString,
        GeometryKind::Polygon => GeometryType::Polygon,
        GeometryKind::MultiPoint => GeometryType::MultiPoint,
        GeometryKind::MultiLineString => GeometryType::MultiLineString,
        GeometryKind::MultiPolygon => GeometryType::MultiPolygon,
    }
}

/// Makes bytes of features, one after the other.
pub(super) struct Encoder {
    to: FlatBufferBuilder<'static>,
    /// The kind of all features, if they are of one.
    kind: Option<GeometryKind>,
    z: bool,
    m: bool,
    properties: Vec<u8>,
    xy: Vec<f64>,
    heights: Vec<f64>,
    measures: Vec<f64>,
    ends: Vec<u32>,
}

impl Encoder {
    pub(super) fn new(info: &LayerInfo) -> Encoder {
        Encoder {
            to: FlatBufferBuilder::new(),
            kind: info.kind,
            z: info.has_z,
            m: info.has_m,
            properties: Vec::new(),
            xy: Vec::new(),
            heights: Vec::new(),
            measures: Vec::new(),
            ends: Vec::new(),
        }
    }

    /// The bytes of a feature, with their size in front.
    pub(super) fn feature(
        &mut self,
        geometry: &GeometryColumn,
        columns: &[AttributeColumn<'_>],
        feature: usize,
    ) -> &[u8] {
        self.to.reset();
        let shape = self.geometry(geometry, feature);
        self.properties.clear();
        for (at, column) in columns.iter().enumerate() {
            push_property(&mut self.properties, at, column.value(feature));
        }
        let properties = self.to.create_vector(&self.properties);
        let args = FeatureArgs {
            geometry: Some(shape),
            properties: Some(properties),
            ..FeatureArgs::default()
        };
        let done = Feature::create(&mut self.to, &args);
        self.to.finish_size_prefixed(done, None);
        self.to.finished_data()
    }

    fn geometry(
        &mut self,
        column: &GeometryColumn,
        feature: usize,
    ) -> WIPOffset<Geometry<'static>> {
        // Files of one kind hold it in all features; one without a geometry is an empty one there.
        let kind = self.kind.or(column.kinds()[feature]);
        let type_ = match (self.kind, kind) {
            (None, Some(kind)) => type_of(kind),
            _ => GeometryType::Unknown,
        };
        let parts = column.parts(feature);
        if kind != Some(GeometryKind::MultiPolygon) || parts.is_empty() {
            for part in parts {
                self.rings(column, column.rings(part), kind);
            }
            return self.end_part(type_);
        }
        let mut polygons = Vec::with_capacity(parts.len());
        for part in parts {
            self.rings(column, column.rings(part), kind);
            polygons.push(self.end_part(GeometryType::Unknown));
        }
        let parts = Some(self.to.create_vector(&polygons));
        Geometry::create(&mut self.to, &GeometryArgs { parts, type_, ..GeometryArgs::default() })
    }

    fn rings(&mut self, column: &GeometryColumn, rings: Range<usize>, kind: Option<GeometryKind>) {
        let of = kind.map(GeometryKind::single);
        for ring in rings {
            let range = column.ring(ring);
            let polygon = of == Some(GeometryKind::Polygon);
            let closing = (polygon && closes(column, &range)).then_some(range.start);
            for at in range.chain(closing) {
                let value = |values: &[f64]| values.get(at).copied().unwrap_or(f64::NAN);
                self.xy.extend([column.x[at], column.y[at]]);
                if self.z {
                    self.heights.push(value(&column.z));
                }
                if self.m {
                    self.measures.push(value(&column.m));
                }
            }
            if of != Some(GeometryKind::Point) {
                self.ends.push(self.xy.len() as u32 / 2);
            }
        }
    }

    /// The geometry of the vertices since the last.
    fn end_part(&mut self, type_: GeometryType) -> WIPOffset<Geometry<'static>> {
        // The end of a single ring is that of its vertices.
        let several = self.ends.len() > 1;
        let args = GeometryArgs {
            ends: several.then(|| self.to.create_vector(&self.ends)),
            xy: Some(self.to.create_vector(&self.xy)),
            z: (!self.heights.is_empty()).then(|| self.to.create_vector(&self.heights)),
            m: (!self.measures.is_empty()).then(|| self.to.create_vector(&self.measures)),
            type_,
            ..GeometryArgs::default()
        };
        self.ends.clear();
        for values in [&mut self.xy, &mut self.heights, &mut self.measures] {
            values.clear();
        }
        Geometry::create(&mut self.to, &args)
    }
}

/// A value behind those before it: the number of its column, and what it is.
fn push_property(to: &mut Vec<u8>, column: usize, value: ValueRef<'_>) {
    if value.is_null() {
        return;
    }
    to.extend((column as u16).to_le_bytes());
    let mut sized = |bytes: &[u8]| {
        to.extend((bytes.len() as u32).to_le_bytes());
        to.extend(bytes);
    };
    match value {
        ValueRef::Text(text) => sized(text.as_bytes()),
        ValueRef::Binary(bytes) => sized(bytes),
        ValueRef::Boolean(value) => to.push(value.into()),
        ValueRef::Integer(value) => to.extend(value.to_le_bytes()),
        ValueRef::Real(value) => to.extend(value.to_le_bytes()),
        ValueRef::Null => {}
    }
}
