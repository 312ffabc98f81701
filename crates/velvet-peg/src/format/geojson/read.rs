//! Reading GeoJSON (RFC 7946) feature by feature: collections, and one feature a line.

use super::nest::{Nest, Node};
use super::object::{Element, Object};
use crate::advice::Advice;
use crate::error::{Error, Result};
use crate::format_support::two_pass::{Features, Given, Item, Raw, learn, opened};
use crate::format_support::{OpenedLayer, ReadOptions};
use crate::layer::column_names::distinct;
use crate::layer::{
    Collection, CrsOrigin, GeometryColumn, GeometryKind, Taken, Unread, Unreadable, Value,
};
use crate::notice::{Notice, NoticeKind};
use serde::de::{DeserializeSeed, IgnoredAny, MapAccess, SeqAccess, Visitor};
use serde_json::{Map, Value as Json};
use std::cell::{Cell, RefCell};
use std::collections::HashSet;
use std::fmt;
use std::fs::File;
use std::io::{BufRead, BufReader};
use std::path::Path;
use velvet_peg_core::Crs;

/// Key of the features' identifiers, which are no properties.
pub(super) const ID: &str = "\u{0}id";

/// What stands in the list of a file.
pub(super) enum Found {
    Feature(Object),
    /// An object that is no feature, in a list of such.
    Record(Object),
    Other(Json),
}

/// One collection a file.
#[derive(Debug, Default)]
struct Whole {
    /// The members of the collection beside its features, after a run.
    head: RefCell<Map<String, Json>>,
    /// True if members beside those of the standard are kept.
    foreign: bool,
    /// What is no record, after a run.
    others: Cell<u64>,
}

/// One feature a line.
#[derive(Debug)]
struct Lines {
    /// True if members beside those of the standard are kept.
    foreign: bool,
}

pub(super) fn open(path: &Path, options: &ReadOptions) -> Result<OpenedLayer> {
    let collection = Whole { foreign: options.foreign_members, ..Whole::default() };
    let mut learnt = learn(path, &collection, 1)?;
    let head = collection.head.take();
    let mut notices = Vec::new();
    let (crs, origin) = system(&head, &mut notices).map_err(|error| error.in_file(path))?;
    let stem = path.file_stem().and_then(|s| s.to_str()).unwrap_or("layer");
    let name = head.get("name").and_then(Json::as_str).unwrap_or(stem);
    let mut learnt = learnt.remove(0);
    learnt.learn.put_first(ID);
    let learnt = (0, learnt);
    let within = options.tolerance_text(Some(&crs));
    // A list of records alone is a table.
    let bare = collection.others.get() == 0 && learnt.1.learn.count > 0;
    let system = if bare { (None, CrsOrigin::Given) } else { (Some(crs), origin) };
    let (mut info, source, more) =
        opened(path, collection, learnt, name, system, &within, &column_names);
    info.bare = bare;
    notices.extend(more);
    notices.extend(projected(path, &info));
    Ok((info, source, notices))
}

pub(super) fn open_lines(path: &Path, options: &ReadOptions) -> Result<OpenedLayer> {
    let lines = Lines { foreign: options.foreign_members };
    let mut learnt = learn(path, &lines, 1)?.remove(0);
    learnt.learn.put_first(ID);
    let name = path.file_stem().and_then(|s| s.to_str()).unwrap_or("layer").to_string();
    if learnt.learn.count == 0 && learnt.left_out.count > 0 {
        return Err(Error::data(format!(
            "cannot be read as GeoJSON, one feature a line: {}",
            learnt.left_out.first()
        ))
        .in_file(path));
    }
    let crs = Crs::from_epsg(4326)?;
    let within = options.tolerance_text(Some(&crs));
    let system = (Some(crs), CrsOrigin::Format);
    let (info, source, mut notices) =
        opened(path, lines, (0, learnt), &name, system, &within, &column_names);
    notices.extend(projected(path, &info));
    Ok((info, source, notices))
}

/// Coordinates that cannot be degrees.
pub(super) fn projected(path: &Path, info: &crate::layer::LayerInfo) -> Option<Notice> {
    let bounds = info.extent?;
    let beyond = bounds.west.abs().max(bounds.east.abs()) > 180.0
        || bounds.south.abs().max(bounds.north.abs()) > 90.0;
    (beyond && info.crs.as_ref().is_some_and(Crs::is_geographic)).then(|| {
        Notice::warning(
            NoticeKind::System,
            format!(
                "{}: GeoJSON coordinates are degrees by its standard, but these reach x {:.1} to \
                 {:.1}, y {:.1} to {:.1}: they look projected, and their system has to be declared",
                path.display(),
                bounds.west,
                bounds.east,
                bounds.south,
                bounds.north
            ),
        )
        .in_file(path)
        .advise(Advice::Declare(Some(path.to_path_buf())))
    })
}

/// Columns are called like the properties; the identifiers' one is `id`, or the next that is
/// free.
pub(super) fn column_names(keys: &[String]) -> Vec<String> {
    keys.iter().map(|key| if key == ID { distinct(keys, "id") } else { key.clone() }).collect()
}

impl Features for Whole {
    fn each(&self, path: &Path, each: &mut dyn FnMut(Item) -> Result<()>) -> Result<()> {
        let mut failed = None;
        self.others.set(0);
        let head = each_feature(path, &mut |found| {
            let other = !matches!(found, Found::Record(_));
            self.others.set(self.others.get() + u64::from(other));
            each(item(found, self.foreign)).map_err(|error| {
                let text = error.to_string();
                failed = Some(error);
                text
            })
        });
        if let Some(error) = failed {
            return Err(error);
        }
        self.head.replace(head?);
        Ok(())
    }
}

impl Features for Lines {
    fn each(&self, path: &Path, each: &mut dyn FnMut(Item) -> Result<()>) -> Result<()> {
        let failed = |e| Error::file(path, "cannot be read", e);
        let mut input = BufReader::with_capacity(1 << 16, File::open(path).map_err(failed)?);
        let mut line = Vec::new();
        let mut number = 0;
        while input.read_until(b'\n', &mut line).map_err(failed)? > 0 {
            number += 1;
            let text = String::from_utf8_lossy(&line);
            // Sequences (RFC 8142) mark the beginning of each text.
            let text = text.trim_start_matches(['\u{feff}', '\u{1e}']).trim();
            if !text.is_empty() {
                let item = match serde_json::from_str::<Element>(text) {
                    Ok(element) => match feature_of(element) {
                        Some(feature) => item(Found::Feature(feature), self.foreign),
                        None => left_out(format!("line {number} is no GeoJSON feature"), text),
                    },
                    Err(error) => left_out(format!("line {number} is not JSON: {error}"), text),
                };
                each(item)?;
            }
            line.clear();
        }
        Ok(())
    }
}

/// A feature, or what makes one of a bare geometry.
fn feature_of(element: Element) -> Option<Object> {
    let Element::Object(object) = element else { return None };
    match object.kind() {
        Some("Feature") => Some(object),
        Some(_) if object.coordinates.is_some() => {
            let mut feature = Object::default();
            feature.members.insert("type".into(), "Feature".into());
            feature.geometry = Some(Box::new(Element::Object(object)));
            Some(feature)
        }
        _ => None,
    }
}

/// An item that is no feature.
fn left_out(why: String, text: &str) -> Item {
    Item::Unreadable(0, Unreadable::new(why).with_original(text))
}

/// Members of a feature that the standard knows (RFC 7946).
const MEMBERS: [&str; 5] = ["type", "id", "geometry", "properties", "bbox"];

pub(super) fn item(found: Found, foreign: bool) -> Item {
    let mut raw = Raw::default();
    let mut feature = match found {
        Found::Feature(feature) => feature,
        Found::Record(record) => {
            raw.geometry.end_feature(None);
            let Json::Object(record) = record.json() else { return Item::Feature(raw) };
            let given = |(key, json)| (key, Given::Typed(value(json)));
            raw.values.extend(record.into_iter().map(given));
            return Item::Feature(raw);
        }
        Found::Other(json) => {
            return left_out("it is no feature, but a bare value".into(), &json.to_string());
        }
    };
    let read = geometry(feature.geometry.as_deref(), &mut raw.geometry);
    if feature.has("id") {
        raw.values.push((ID.to_string(), Given::Typed(value(feature.take("id")))));
    }
    if let Json::Object(properties) = feature.take("properties") {
        let given = |(key, json)| (key, Given::Typed(value(json)));
        raw.values.extend(properties.into_iter().map(given));
    }
    if foreign {
        // A property of that name is another thing.
        let own: HashSet<String> = raw.values.iter().map(|(known, _)| known.clone()).collect();
        let keys: Vec<String> = feature.members.keys().cloned().collect();
        for key in keys.into_iter().filter(|key| !MEMBERS.contains(&key.as_str())) {
            let member = value(feature.take(&key));
            let key = if own.contains(&key) { format!("{key}_member") } else { key };
            raw.values.push((key, Given::Typed(member)));
        }
    }
    match read {
        Ok(taken) => {
            raw.taken = taken;
            Item::Feature(raw)
        }
        Err(unread) => {
            let kind = feature.geometry.as_deref().and_then(Element::object).and_then(Object::kind);
            let kind = kind.unwrap_or_default().to_string();
            // The vertices in front of what is wrong are not all.
            let original = feature.take("geometry").to_string();
            let record = Unreadable::new(unread).of_kind(kind).with_original(original);
            Item::Unreadable(0, record.with_given(raw.values))
        }
    }
}

fn value(json: Json) -> Value {
    match json {
        Json::Null => Value::Null,
        Json::Bool(value) => Value::Boolean(value),
        Json::Number(number) => match number.as_i64() {
            Some(whole) => Value::Integer(whole),
            // Beyond the whole numbers that columns hold, its digits are kept as text.
            None if number.is_u64() => Value::Text(number.to_string()),
            None => number.as_f64().map_or(Value::Null, Value::Real),
        },
        Json::String(text) => Value::Text(text),
        // Lists and objects inside properties are kept as JSON text.
        other => Value::Text(other.to_string()),
    }
}

/// RFC 7946 coordinates are WGS 84. Its forerunner had a `crs` member, which is honoured.
pub(super) fn system(
    head: &Map<String, Json>,
    notices: &mut Vec<Notice>,
) -> Result<(Crs, CrsOrigin)> {
    let name =
        head.get("crs").and_then(|crs| crs.pointer("/properties/name")).and_then(Json::as_str);
    let Some(name) = name else {
        return Ok((Crs::from_epsg(4326)?, CrsOrigin::Format));
    };
    let crs = Crs::parse(name)?;
    if crs.code() != Some(4326) {
        notices.push(Notice::note(
            NoticeKind::System,
            format!(
                "the file has the `crs` member of GeoJSON before RFC 7946: its coordinates are \
                 taken as {}",
                crs.label()
            ),
        ));
    }
    Ok((crs, CrsOrigin::File))
}

/// Collections in collections that are followed.
const DEEPEST: usize = 32;

/// Adds a GeoJSON geometry to a column, or says what is wrong with it.
fn geometry(
    element: Option<&Element>,
    column: &mut GeometryColumn,
) -> std::result::Result<Taken, Unread> {
    let Some(element) = element.filter(|element| !matches!(element, Element::Other(Json::Null)))
    else {
        column.end_feature(None);
        return Ok(Taken::default());
    };
    if is_collection(element) {
        let mut parts = Collection::default();
        members(element, &mut parts, 0)?;
        return Ok(Taken::collection(parts.finish(column), 0));
    }
    column.attempt(|column| simple(element, column))?;
    Ok(Taken::default())
}

fn is_collection(element: &Element) -> bool {
    element.object().and_then(Object::kind) == Some("GeometryCollection")
}

/// The geometries of a collection (RFC 7946 section 3.1.8).
fn members(
    element: &Element,
    parts: &mut Collection,
    depth: usize,
) -> std::result::Result<(), String> {
    let list = element.object().and_then(|object| object.geometries.as_deref());
    let Some(Element::List(geometries)) = list else {
        return Err("the geometries of a GeometryCollection are no list".into());
    };
    if depth > DEEPEST {
        return Err(format!("collections in collections are read {DEEPEST} deep"));
    }
    for geometry in geometries {
        match is_collection(geometry) {
            true => members(geometry, parts, depth + 1)?,
            false => parts.add(|column| simple(geometry, column))?,
        }
    }
    Ok(())
}

/// Adds the parts of a geometry of one kind to a column.
fn simple(
    element: &Element,
    column: &mut GeometryColumn,
) -> std::result::Result<Option<GeometryKind>, String> {
    let kind = element.object().and_then(Object::kind).unwrap_or("nothing");
    let found = match kind {
        "Point" => GeometryKind::Point,
        "LineString" => GeometryKind::LineString,
        "Polygon" => GeometryKind::Polygon,
        "MultiPoint" => GeometryKind::MultiPoint,
        "MultiLineString" => GeometryKind::MultiLineString,
        "MultiPolygon" => GeometryKind::MultiPolygon,
        other => return Err(format!("a geometry of type {other} cannot be read")),
    };
    let none = Nest::default();
    let given = element.object().and_then(|object| object.coordinates.as_ref());
    let coordinates = given.unwrap_or(&none).root();
    let Some(positions) = coordinates.elements() else {
        return Err(format!("the coordinates of a {kind} are not a list, but {coordinates}"));
    };
    let bare = match found.is_multi() {
        true => positions.into_iter().all(Node::is_bare),
        false => coordinates.is_bare(),
    };
    if bare {
        return Ok(None);
    }
    let single = found.single();
    let mut part = |part: Node<'_>| {
        match (single, part.elements()) {
            (GeometryKind::Polygon, Some(mut rings)) => {
                rings.try_for_each(|ring| add_ring(kind, single, ring, column))?;
            }
            _ => add_ring(kind, single, part, column)?,
        }
        column.end_part();
        Ok::<(), String>(())
    };
    match found.is_multi() {
        true => positions.into_iter().try_for_each(&mut part)?,
        false => part(coordinates)?,
    }
    Ok(Some(found))
}

/// Adds the positions of a line or ring, or a position.
fn add_ring(
    kind: &str,
    single: GeometryKind,
    ring: Node<'_>,
    column: &mut GeometryColumn,
) -> std::result::Result<(), String> {
    let mut add = |position: Node<'_>| {
        let mut numbers = position.elements().into_iter().flatten();
        let mut number = || numbers.next().and_then(Node::number);
        let (Some(x), Some(y)) = (number(), number()) else {
            return Err(format!("{position} is not a position of longitude and latitude"));
        };
        column.push_vertex(x, y, number());
        Ok(())
    };
    match (single, ring.elements()) {
        (GeometryKind::Point, _) => add(ring)?,
        (_, Some(positions)) => positions.into_iter().try_for_each(add)?,
        (_, None) => return Err(format!("the coordinates of a {kind} hold {ring}")),
    }
    column.end_ring();
    Ok(())
}

type Each<'a> = &'a mut dyn FnMut(Found) -> std::result::Result<(), String>;

/// Hands each feature of a file to `each` and gives the other members of the collection.
fn each_feature(path: &Path, each: Each<'_>) -> Result<Map<String, Json>> {
    let failed = |e| Error::file(path, "cannot be read", e);
    let mut file = BufReader::with_capacity(1 << 16, File::open(path).map_err(failed)?);
    // Some editors put a byte-order mark in front (RFC 8259 section 8.1 lets readers pass over it).
    let mark = "\u{feff}".as_bytes();
    if file.fill_buf().map_err(failed)?.starts_with(mark) {
        file.consume(mark.len());
    }
    let mut json = serde_json::Deserializer::from_reader(file);
    let mut head = Map::new();
    let mut single = Object::default();
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
    single: &'a mut Object,
}

impl<'de> DeserializeSeed<'de> for Root<'_> {
    type Value = ();

    fn deserialize<D: serde::Deserializer<'de>>(
        self,
        input: D,
    ) -> std::result::Result<(), D::Error> {
        input.deserialize_any(self)
    }
}

impl<'de> Visitor<'de> for Root<'_> {
    type Value = ();

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a GeoJSON object or a list of features")
    }

    /// Features without a collection around them, or records.
    fn visit_seq<S: SeqAccess<'de>>(self, mut list: S) -> std::result::Result<(), S::Error> {
        while let Some(element) = list.next_element::<Element>()? {
            let known = element.object().is_some_and(|object| {
                object.kind().is_some() && (object.has("geometry") || object.has("coordinates"))
            });
            let found = match element {
                element if known => {
                    feature_of(element).map_or(Found::Other(Json::Null), Found::Feature)
                }
                Element::Object(record) => Found::Record(record),
                other => Found::Other(other.json()),
            };
            (self.each)(found).map_err(serde::de::Error::custom)?;
        }
        Ok(())
    }

    fn visit_map<M: MapAccess<'de>>(self, mut map: M) -> std::result::Result<(), M::Error> {
        let mut collection = false;
        while let Some(key) = map.next_key::<String>()? {
            match key.as_str() {
                "features" => {
                    collection = true;
                    map.next_value_seed(FeatureList { each: &mut *self.each })?;
                }
                "bbox" => {
                    map.next_value::<IgnoredAny>()?;
                }
                _ => self.single.read(key, &mut map)?,
            }
        }
        if collection {
            *self.head = std::mem::take(&mut self.single.members);
            return Ok(());
        }
        // A lone feature or geometry counts as a collection of one.
        let object = Element::Object(std::mem::take(self.single));
        let feature = feature_of(object)
            .ok_or_else(|| serde::de::Error::custom("there is no list of features"))?;
        (self.each)(Found::Feature(feature)).map_err(serde::de::Error::custom)
    }
}

struct FeatureList<'a> {
    each: Each<'a>,
}

impl<'de> DeserializeSeed<'de> for FeatureList<'_> {
    type Value = ();

    fn deserialize<D: serde::Deserializer<'de>>(
        self,
        input: D,
    ) -> std::result::Result<(), D::Error> {
        input.deserialize_seq(self)
    }
}

impl<'de> Visitor<'de> for FeatureList<'_> {
    type Value = ();

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a list of features")
    }

    fn visit_seq<S: SeqAccess<'de>>(self, mut list: S) -> std::result::Result<(), S::Error> {
        while let Some(element) = list.next_element::<Element>()? {
            let found = match element {
                Element::Object(feature) => Found::Feature(feature),
                other => Found::Other(other.json()),
            };
            (self.each)(found).map_err(serde::de::Error::custom)?;
        }
        Ok(())
    }
}
