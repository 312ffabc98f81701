//! Reading GeoJSON feature by feature.
//!
//! A first pass learns the columns, the kinds and the count; the second hands out batches.
//! Neither holds more than one feature at a time (and the batch).

use crate::error::{Error, Result};
use crate::format::{LayerReader, Source};
use crate::layer::{
    BATCH, Batch, Extender, GeometryColumn, GeometryKind, LayerInfo, Rows, Value, common_kind,
};
use crate::notice::Notice;
use arrow_schema::{DataType, Field, Schema};
use serde::de::{DeserializeSeed, IgnoredAny, MapAccess, SeqAccess, Visitor};
use serde_json::{Map, Value as Json};
use std::collections::BTreeSet;
use std::fmt;
use std::fs::File;
use std::io::BufReader;
use std::path::Path;
use std::sync::Arc;
use velvet_peg_core::Crs;

/// What the first pass learnt beyond the layer's description.
#[derive(Debug)]
pub(in crate::format) struct Scan {
    /// Name of the column for the features' identifiers, if any has one.
    id_column: Option<String>,
}

pub(in crate::format) fn open(path: &Path) -> Result<LayerReader> {
    let mut columns: Vec<(String, Option<DataType>)> = Vec::new();
    let mut kinds = BTreeSet::new();
    let mut extent = Extender::default();
    let (mut count, mut has_z, mut id_type) = (0, false, None);
    let head = each_feature(path, &mut |feature: Json| {
        count += 1;
        let mut column = GeometryColumn::new();
        geometry(&feature["geometry"], &mut column)
            .map_err(|why| format!("feature {count}: {why}"))?;
        kinds.extend(column.kinds().iter().flatten());
        has_z |= column.has_z();
        extent.add(&column);
        id_type = merged(id_type.take(), feature.get("id").and_then(type_of));
        for (name, value) in feature["properties"].as_object().into_iter().flatten() {
            let kind = type_of(value);
            match columns.iter_mut().find(|(known, _)| known == name) {
                Some((_, known)) => *known = merged(known.take(), kind),
                None => columns.push((name.clone(), kind)),
            }
        }
        Ok(())
    })?;
    let mut notices = Vec::new();
    let crs = system(&head, &mut notices).map_err(|error| error.in_file(path))?;
    if let Some(bounds) = extent.bounds() {
        let beyond = bounds.west.abs().max(bounds.east.abs()) > 180.0
            || bounds.south.abs().max(bounds.north.abs()) > 90.0;
        if beyond && crs.is_geographic() {
            notices.push(Notice::warning(format!(
                "{}: GeoJSON coordinates are degrees by its standard, but these reach x {:.1} to \
                 {:.1}, y {:.1} to {:.1}: they look projected. Say which system they are in with \
                 `vpeg declare {} --crs REF -o OUT.gpkg`",
                path.display(),
                bounds.west,
                bounds.east,
                bounds.south,
                bounds.north,
                path.display()
            )));
        }
    }
    let mut fields: Vec<Field> = columns
        .into_iter()
        .map(|(name, kind)| Field::new(name, kind.unwrap_or(DataType::Utf8), true))
        .collect();
    let id_column = id_type.map(|kind| {
        let taken: Vec<String> = fields.iter().map(|field| field.name().clone()).collect();
        let name = crate::format::csv_out::distinct(&taken, "id");
        fields.insert(0, Field::new(&name, kind, true));
        name
    });
    let stem = path.file_stem().and_then(|s| s.to_str()).unwrap_or("layer");
    let info = LayerInfo {
        name: head.get("name").and_then(Json::as_str).unwrap_or(stem).to_string(),
        crs: Some(crs),
        schema: Arc::new(Schema::new(fields)),
        kind: common_kind(kinds),
        has_z,
        count: Some(count),
        extent: extent.bounds(),
    };
    Ok(LayerReader {
        info,
        path: path.to_path_buf(),
        source: Source::GeoJson(Scan { id_column }),
        notices,
    })
}

pub(in crate::format) fn read(
    path: &Path,
    scan: &Scan,
    info: &LayerInfo,
    each: &mut dyn FnMut(Batch) -> Result<()>,
) -> Result<()> {
    let mut rows = Rows::new(info.schema.clone());
    let mut column = GeometryColumn::new();
    let mut first = 1;
    let mut failed = None;
    let mut flush = |rows: &mut Rows, column: &mut GeometryColumn| -> Result<()> {
        let batch = Batch { geometry: std::mem::take(column), attributes: rows.finish()?, first };
        first += batch.geometry.len() as u64;
        each(batch)
    };
    let done = each_feature(path, &mut |feature: Json| {
        geometry(&feature["geometry"], &mut column)?;
        let properties = feature["properties"].as_object();
        let values: Vec<Value> = info
            .schema
            .fields()
            .iter()
            .map(|field| match &scan.id_column {
                Some(name) if name == field.name() => value(feature.get("id"), field.data_type()),
                _ => value(properties.and_then(|p| p.get(field.name())), field.data_type()),
            })
            .collect();
        rows.push(values);
        if rows.len() == BATCH {
            flush(&mut rows, &mut column).map_err(|error| {
                let text = error.to_string();
                failed = Some(error);
                text
            })?;
        }
        Ok(())
    });
    if let Some(error) = failed {
        return Err(error);
    }
    done?;
    if rows.len() > 0 {
        flush(&mut rows, &mut column)?;
    }
    Ok(())
}

/// The column type that a JSON value asks for; none for nothing.
fn type_of(value: &Json) -> Option<DataType> {
    match value {
        Json::Null => None,
        Json::Bool(_) => Some(DataType::Boolean),
        Json::Number(number) if number.is_i64() => Some(DataType::Int64),
        Json::Number(_) => Some(DataType::Float64),
        _ => Some(DataType::Utf8),
    }
}

fn merged(a: Option<DataType>, b: Option<DataType>) -> Option<DataType> {
    match (a, b) {
        (None, kind) | (kind, None) => kind,
        (Some(a), Some(b)) if a == b => Some(a),
        (Some(DataType::Int64), Some(DataType::Float64))
        | (Some(DataType::Float64), Some(DataType::Int64)) => Some(DataType::Float64),
        _ => Some(DataType::Utf8),
    }
}

fn value(json: Option<&Json>, kind: &DataType) -> Value {
    match json {
        None | Some(Json::Null) => Value::Null,
        Some(Json::Bool(value)) if *kind == DataType::Boolean => Value::Boolean(*value),
        Some(Json::Number(number)) if *kind == DataType::Int64 => {
            number.as_i64().map_or(Value::Null, Value::Integer)
        }
        Some(Json::Number(number)) if *kind == DataType::Float64 => {
            number.as_f64().map_or(Value::Null, Value::Real)
        }
        Some(Json::String(text)) => Value::Text(text.clone()),
        // Lists and objects inside properties are kept as JSON text.
        Some(other) => Value::Text(other.to_string()),
    }
}

/// RFC 7946 coordinates are WGS 84. Its forerunner had a `crs` member, which is honoured.
fn system(head: &Map<String, Json>, notices: &mut Vec<Notice>) -> Result<Crs> {
    let name =
        head.get("crs").and_then(|crs| crs.pointer("/properties/name")).and_then(Json::as_str);
    let Some(name) = name else {
        return Ok(Crs::from_epsg(4326)?);
    };
    let crs = Crs::parse(name)?;
    if crs.code() != Some(4326) {
        notices.push(Notice::remark(format!(
            "the file has the `crs` member of GeoJSON before RFC 7946: its coordinates are taken \
             as {}",
            crs.label()
        )));
    }
    Ok(crs)
}

/// Adds a GeoJSON geometry to a column, or says what is wrong with it.
fn geometry(json: &Json, column: &mut GeometryColumn) -> std::result::Result<(), String> {
    if json.is_null() {
        column.end_feature(None);
        return Ok(());
    }
    let kind = json["type"].as_str().unwrap_or("nothing");
    let coordinates = &json["coordinates"];
    let list = |json: &Json| -> std::result::Result<Vec<Json>, String> {
        json.as_array()
            .cloned()
            .ok_or_else(|| format!("the coordinates of a {kind} are not a list"))
    };
    let found = match kind {
        "Point" => GeometryKind::Point,
        "LineString" => GeometryKind::Line,
        "Polygon" => GeometryKind::Polygon,
        "MultiPoint" => GeometryKind::MultiPoint,
        "MultiLineString" => GeometryKind::MultiLine,
        "MultiPolygon" => GeometryKind::MultiPolygon,
        other => return Err(format!("a geometry of type {other} cannot be read")),
    };
    let parts = if found.is_multi() { list(coordinates)? } else { vec![coordinates.clone()] };
    if parts.iter().all(|part| part.as_array().is_none_or(Vec::is_empty)) {
        column.end_feature(None);
        return Ok(());
    }
    for part in &parts {
        let rings = match found.single() {
            GeometryKind::Point => vec![Json::Array(vec![part.clone()])],
            GeometryKind::Line => vec![part.clone()],
            _ => list(part)?,
        };
        for ring in &rings {
            for position in list(ring)? {
                let number = |at: usize| position.get(at).and_then(Json::as_f64);
                let (Some(x), Some(y)) = (number(0), number(1)) else {
                    return Err(format!("{position} is not a position of longitude and latitude"));
                };
                column.push_vertex(x, y, number(2));
            }
            column.end_ring();
        }
        column.end_part();
    }
    column.end_feature(Some(found));
    Ok(())
}

type Each<'a> = &'a mut dyn FnMut(Json) -> std::result::Result<(), String>;

/// Hands each feature of a file to `each` and gives the other members of the collection.
fn each_feature(path: &Path, each: Each<'_>) -> Result<Map<String, Json>> {
    let file = File::open(path).map_err(|e| Error::file(path, "cannot be read", e))?;
    let mut json = serde_json::Deserializer::from_reader(BufReader::with_capacity(1 << 16, file));
    let mut head = Map::new();
    let mut single = Map::new();
    let root = Root { each, head: &mut head, single: &mut single };
    root.deserialize(&mut json).and_then(|()| json.end()).map_err(|error| {
        Error::data(format!("cannot be read as GeoJSON: {error}")).in_file(path)
    })?;
    Ok(head)
}

/// The outermost object.
struct Root<'a> {
    each: Each<'a>,
    head: &'a mut Map<String, Json>,
    single: &'a mut Map<String, Json>,
}

impl<'de> DeserializeSeed<'de> for Root<'_> {
    type Value = ();

    fn deserialize<D: serde::Deserializer<'de>>(
        self,
        input: D,
    ) -> std::result::Result<(), D::Error> {
        input.deserialize_map(self)
    }
}

impl<'de> Visitor<'de> for Root<'_> {
    type Value = ();

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a GeoJSON object")
    }

    fn visit_map<M: MapAccess<'de>>(self, mut map: M) -> std::result::Result<(), M::Error> {
        let mut collection = false;
        while let Some(key) = map.next_key::<String>()? {
            match key.as_str() {
                "features" => {
                    collection = true;
                    map.next_value_seed(Features { each: &mut *self.each })?;
                }
                "bbox" => {
                    map.next_value::<IgnoredAny>()?;
                }
                _ => {
                    let value = map.next_value()?;
                    self.single.insert(key, value);
                }
            }
        }
        if collection {
            *self.head = std::mem::take(self.single);
            return Ok(());
        }
        // A lone feature or geometry counts as a collection of one.
        let object = Json::Object(std::mem::take(self.single));
        let feature = match object["type"].as_str() {
            Some("Feature") => object,
            Some(_) if object.get("coordinates").is_some() => {
                serde_json::json!({ "type": "Feature", "geometry": object, "properties": {} })
            }
            _ => return Err(serde::de::Error::custom("there is no list of features")),
        };
        (self.each)(feature).map_err(serde::de::Error::custom)
    }
}

struct Features<'a> {
    each: Each<'a>,
}

impl<'de> DeserializeSeed<'de> for Features<'_> {
    type Value = ();

    fn deserialize<D: serde::Deserializer<'de>>(
        self,
        input: D,
    ) -> std::result::Result<(), D::Error> {
        input.deserialize_seq(self)
    }
}

impl<'de> Visitor<'de> for Features<'_> {
    type Value = ();

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a list of features")
    }

    fn visit_seq<S: SeqAccess<'de>>(self, mut list: S) -> std::result::Result<(), S::Error> {
        while let Some(feature) = list.next_element::<Json>()? {
            (self.each)(feature).map_err(serde::de::Error::custom)?;
        }
        Ok(())
    }
}
