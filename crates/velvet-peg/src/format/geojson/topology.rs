//! TopoJSON, in: each object of a topology is a layer. Lines are stitched of arcs that neighbours
//! share; a file is held in memory, because any feature may need any arc.

use super::nest::{Nest, Node};
use super::object::Object;
use super::read::{Found, item, projected, system};
use crate::error::{Error, Result};
use crate::format_support::two_pass::{Features, Item, learn, opened};
use crate::format_support::{
    Capability, FileStart, FormatDescription, NewFile, OpenedLayer, ReadOptions, Sink, Systems,
    UNLIMITED, not_written,
};
use crate::memory::{Held, Reckoning, Share};
use crate::progress::NoProgress;
use serde::Deserialize;
use serde_json::{Map, Value as Json, json};
use std::fs::File;
use std::io::Read;
use std::path::Path;
use std::sync::Arc;

/// TopoJSON 1.0.
#[derive(Debug)]
pub(in crate::format) struct TopoJson;

impl FormatDescription for TopoJson {
    fn capability(&self) -> &'static Capability {
        &Capability {
            name: "TopoJSON",
            extensions: &["topojson"],
            writes: false,
            several_layers: true,
            systems: Systems::Wgs84,
            ..UNLIMITED
        }
    }

    fn begins_like(&self, start: &FileStart<'_>) -> bool {
        is_topology(start.text)
    }

    fn open(&self, path: &Path, options: &ReadOptions) -> Result<Vec<OpenedLayer>> {
        open(path, options)
    }

    fn create(&self, new: &NewFile<'_>) -> Result<Box<dyn Sink>> {
        Err(not_written(self.capability(), new.path))
    }
}

/// True for a text that begins as a topology does.
pub(super) fn is_topology(text: &str) -> bool {
    let near = text.get(..1000).unwrap_or(text);
    let said = near.find("\"Topology\"").map(|at| near[..at].trim_end());
    text.starts_with('{')
        && said
            .and_then(|before| before.strip_suffix(':'))
            .is_some_and(|before| before.trim_end().ends_with("\"type\""))
}

/// True for a file that begins as a topology does, whatever it is called.
pub(super) fn begins(path: &Path) -> Result<bool> {
    let mut start = Vec::new();
    File::open(path)
        .and_then(|file| file.take(1000).read_to_end(&mut start))
        .map_err(|e| Error::file(path, "cannot be read", e))?;
    let text = String::from_utf8_lossy(&start);
    Ok(is_topology(text.trim_start_matches('\u{feff}').trim_start()))
}

/// What a byte of a file takes in memory, bytes, at most: 17 to 22 were measured with features, 5 to 13 with arcs.
const IN_MEMORY: u64 = 25;

/// A place: x, y and what else there is.
type Place = Vec<f64>;

/// A file as it is parsed.
#[derive(Deserialize)]
struct TopologyFile {
    #[serde(default)]
    arcs: Nest,
    #[serde(default)]
    objects: Json,
    #[serde(default)]
    transform: Json,
    #[serde(default)]
    crs: Json,
}

#[derive(Debug)]
struct Topology {
    objects: Vec<(String, Json)>,
    arcs: Vec<Vec<Place>>,
    /// Scale and shift of whole numbers.
    transform: Option<([f64; 2], [f64; 2])>,
}

#[derive(Clone, Debug)]
struct Objects(Arc<Topology>);

pub(super) fn open(path: &Path, options: &ReadOptions) -> Result<Vec<OpenedLayer>> {
    let wrong =
        |what: String| Error::data(format!("cannot be read as TopoJSON: {what}")).in_file(path);
    let count = path.metadata().map_or(0, |file| file.len());
    let held = Held { count, bytes: count * IN_MEMORY, besides: 0 };
    Reckoning::new("bytes of a topology", path).at_most().take(
        held,
        Share::WHOLE,
        &mut NoProgress,
    )?;
    let mut file: TopologyFile = {
        let text = std::fs::read(path).map_err(|e| Error::file(path, "cannot be read", e))?;
        let text = text.strip_prefix("\u{feff}".as_bytes()).unwrap_or(&text);
        serde_json::from_slice(text).map_err(|error| wrong(error.to_string()))?
    };
    let mut notices = Vec::new();
    let head = Map::from_iter([("crs".to_string(), file.crs.take())]);
    let (crs, origin) = system(&head, &mut notices).map_err(|error| error.in_file(path))?;
    let topology = Topology::of(file).map_err(wrong)?;
    let names: Vec<String> = topology.objects.iter().map(|(name, _)| name.clone()).collect();
    if names.is_empty() {
        return Err(wrong("the topology has no objects".to_string()));
    }
    let objects = Objects(Arc::new(topology));
    let within = options.tolerance_text(Some(&crs));
    let mut layers = Vec::new();
    for (at, mut learnt) in learn(path, &objects, names.len())?.into_iter().enumerate() {
        learnt.learn.put_first(super::read::ID);
        let system = (Some(crs.clone()), origin);
        let keys = &super::read::column_names;
        let source = objects.clone();
        let (info, source, mut more) =
            opened(path, source, (at, learnt), &names[at], system, &within, keys);
        more.splice(..0, std::mem::take(&mut notices));
        more.extend(projected(path, &info));
        layers.push((info, source, more));
    }
    Ok(layers)
}

fn numbers(json: &Json) -> Result<Place, String> {
    let list = json.as_array().filter(|list| list.len() >= 2);
    let list = list.ok_or_else(|| format!("{json} is not a position"))?;
    let number = |n: &Json| n.as_f64().ok_or_else(|| format!("{json} is not a position"));
    list.iter().map(number).collect()
}

/// The place that an element of a list of coordinates is.
fn place(node: Node<'_>) -> Result<Place, String> {
    let numbers =
        node.elements().and_then(|list| list.map(Node::number).collect::<Option<Place>>());
    numbers.filter(|numbers| numbers.len() >= 2).ok_or_else(|| format!("{node} is not a position"))
}

impl Topology {
    fn of(file: TopologyFile) -> Result<Topology, String> {
        let pair = |json: Option<&Json>| -> Result<[f64; 2], String> {
            let found = numbers(json.unwrap_or(&Json::Null))?;
            Ok([found[0], found[1]])
        };
        let transform = match &file.transform {
            Json::Null => None,
            json => Some((pair(json.get("scale"))?, pair(json.get("translate"))?)),
        };
        let objects = match file.objects {
            Json::Object(objects) => objects.into_iter().collect(),
            _ => return Err("the topology has no objects".to_string()),
        };
        let mut topology = Topology { objects, arcs: Vec::new(), transform };
        for (number, arc) in file.arcs.root().elements().into_iter().flatten().enumerate() {
            let places = arc.elements().ok_or_else(|| format!("arc {number} is no list"))?;
            let mut at = [0.0, 0.0];
            let mut arc = Vec::new();
            for node in places {
                let mut place = place(node).map_err(|why| format!("arc {number}: {why}"))?;
                // Whole numbers are differences from the place before.
                if topology.transform.is_some() {
                    at = [at[0] + place[0], at[1] + place[1]];
                    place[..2].copy_from_slice(&at);
                }
                topology.put(&mut place);
                arc.push(place);
            }
            arc.shrink_to_fit();
            topology.arcs.push(arc);
        }
        Ok(topology)
    }

    /// Scales and shifts a place.
    fn put(&self, place: &mut Place) {
        if let Some((scale, shift)) = self.transform {
            place[0] = place[0] * scale[0] + shift[0];
            place[1] = place[1] * scale[1] + shift[1];
        }
    }

    /// A position as GeoJSON has it.
    fn position(&self, json: &Json) -> Result<Json, String> {
        let mut place = numbers(json)?;
        self.put(&mut place);
        Ok(json!(place))
    }

    /// A line of arcs, of which a number below 0 counts from the end of the arc: the first place of
    /// each but the first repeats the last of the one before.
    fn line(&self, json: &Json) -> Result<Json, String> {
        let wrong = || format!("{json} is no list of arcs");
        let mut places: Vec<&Place> = Vec::new();
        for number in json.as_array().ok_or_else(wrong)? {
            let number = number.as_i64().ok_or_else(wrong)?;
            let at = usize::try_from(if number < 0 { !number } else { number });
            let arc = at.ok().and_then(|at| self.arcs.get(at));
            let arc = arc.ok_or_else(|| format!("there is no arc {number}"))?;
            let first = if number < 0 { arc.last() } else { arc.first() };
            let Some(first) = first else { continue };
            if places.last().is_some_and(|end| end[..2] != first[..2]) {
                return Err(format!("arc {number} does not begin where the one before it ends"));
            }
            let skip = usize::from(!places.is_empty());
            match number < 0 {
                true => places.extend(arc.iter().rev().skip(skip)),
                false => places.extend(arc.iter().skip(skip)),
            }
        }
        Ok(json!(places))
    }

    fn each(json: &Json, to: &dyn Fn(&Json) -> Result<Json, String>) -> Result<Json, String> {
        let list = json.as_array().ok_or_else(|| format!("{json} is no list"))?;
        list.iter().map(to).collect::<Result<Vec<_>, _>>().map(Json::from)
    }

    /// A geometry as GeoJSON has it.
    fn geometry(&self, object: &Json) -> Result<Json, String> {
        let kind = object["type"].as_str().unwrap_or_default();
        let line = |json: &Json| self.line(json);
        let lines = |json: &Json| Topology::each(json, &line);
        let (arcs, places) = (&object["arcs"], &object["coordinates"]);
        let coordinates = match kind {
            "" => return Ok(Json::Null),
            "Point" => self.position(places)?,
            "MultiPoint" => Topology::each(places, &|json| self.position(json))?,
            "LineString" => line(arcs)?,
            "MultiLineString" | "Polygon" => lines(arcs)?,
            "MultiPolygon" => Topology::each(arcs, &lines)?,
            "GeometryCollection" => {
                let parts = Topology::each(&object["geometries"], &|json| self.geometry(json))?;
                return Ok(json!({ "type": kind, "geometries": parts }));
            }
            other => return Ok(json!({ "type": other })),
        };
        Ok(json!({ "type": kind, "coordinates": coordinates }))
    }

    /// A feature as GeoJSON has it; a geometry that cannot be stitched stays what it is.
    fn feature(&self, object: &Json) -> (Object, Option<String>) {
        let (geometry, wrong) = match self.geometry(object) {
            Ok(geometry) => (geometry, None),
            Err(why) => (Json::Null, Some(why)),
        };
        let mut feature = Object { geometry: Some(Box::new(geometry.into())), ..Object::default() };
        feature.members.insert("properties".into(), object["properties"].clone());
        if let Some(id) = object.get("id") {
            feature.members.insert("id".into(), id.clone());
        }
        (feature, wrong)
    }
}

impl Features for Objects {
    fn each(&self, _path: &Path, each: &mut dyn FnMut(Item) -> Result<()>) -> Result<()> {
        for (layer, (_, object)) in self.0.objects.iter().enumerate() {
            let one = std::slice::from_ref(object);
            let list = match (object["type"].as_str(), object["geometries"].as_array()) {
                (Some("GeometryCollection"), Some(list)) => list.as_slice(),
                _ => one,
            };
            for object in list {
                let (feature, wrong) = self.0.feature(object);
                let of_layer = match (item(Found::Feature(feature), false), wrong) {
                    (Item::Feature(raw), Some(why)) => {
                        let kind = object["type"].as_str().unwrap_or_default();
                        let record = crate::layer::Unreadable::new(why).of_kind(kind);
                        let record = record.with_original(object.to_string());
                        Item::Unreadable(layer, record.with_given(raw.values))
                    }
                    (Item::Feature(raw), None) => {
                        Item::Feature(crate::format_support::two_pass::Raw { layer, ..raw })
                    }
                    (Item::Unreadable(_, record), _) => Item::Unreadable(layer, record),
                };
                each(of_layer)?;
            }
        }
        Ok(())
    }
}
