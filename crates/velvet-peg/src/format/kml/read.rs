//! Reading KML placemark by placemark.

use crate::error::{Error, Result};
use crate::format_support::two_pass::{Features, Given, Item, Raw, learn, opened};
use crate::format_support::xml::{Node, Xml};
use crate::format_support::{OpenedLayer, ReadOptions};
use crate::layer::{
    Collection, CrsOrigin, GeometryColumn, GeometryKind, Taken, Unread, Unreadable, Value,
};
use std::collections::HashMap;
use std::path::Path;
use velvet_peg_core::Crs;

#[derive(Clone, Copy, Debug)]
struct Placemarks;

pub(super) fn open(path: &Path, options: &ReadOptions) -> Result<Vec<OpenedLayer>> {
    let learnt = learn(path, &Placemarks, 1)?.remove(0);
    let name = document_name(path)?;
    let stem = path.file_stem().and_then(|s| s.to_str()).unwrap_or("layer");
    let name = name.as_deref().unwrap_or(stem);
    let crs = Crs::from_epsg(4326)?;
    let within = options.tolerance_text(Some(&crs));
    let system = (Some(crs), CrsOrigin::Format);
    Ok(vec![opened(path, Placemarks, (0, learnt), name, system, &within, &|keys| keys.to_vec())])
}

/// The name of the document, before its first placemark.
fn document_name(path: &Path) -> Result<Option<String>> {
    let mut xml = Xml::open(path)?;
    loop {
        match xml.next()? {
            Node::Close(name, text) if name == "name" => {
                let direct = xml.stack.last().is_some_and(|outer| outer == "Document");
                return Ok((direct && !text.trim().is_empty()).then(|| text.trim().to_string()));
            }
            Node::Open(element) if element.name == "Placemark" || element.name == "Folder" => {
                return Ok(None);
            }
            Node::End => return Ok(None),
            _ => {}
        }
    }
}

/// A placemark being read.
#[derive(Default)]
struct Placemark {
    values: Vec<(String, Given)>,
    geometry: GeometryColumn,
    /// Kinds of the parts that its geometry has so far.
    parts: Vec<GeometryKind>,
    multi: bool,
    wrong: Option<String>,
    /// The rings of a polygon, or the vertices of a track.
    rings: Vec<Vec<[f64; 3]>>,
    inner: Vec<Vec<[f64; 3]>>,
    /// The outer ring of the polygon is among the rings.
    outer: bool,
}

impl Features for Placemarks {
    fn each(&self, path: &Path, each: &mut dyn FnMut(Item) -> Result<()>) -> Result<()> {
        let mut xml = Xml::open(path)?;
        let mut root = false;
        let mut folders: Vec<String> = Vec::new();
        let mut schemas: HashMap<String, String> = HashMap::new();
        let mut open: Option<Placemark> = None;
        let mut key: Option<String> = None;
        loop {
            match xml.next()? {
                Node::End if root => return Ok(()),
                Node::End => return Err(Error::data("is not a KML file").in_file(path)),
                Node::Open(element) => match element.name.as_str() {
                    "kml" => root = true,
                    // A placemark may be a document of its own.
                    "Placemark" => {
                        root = true;
                        open = Some(Placemark::default());
                    }
                    "Document" => root = true,
                    "Folder" => folders.push(String::new()),
                    "MultiGeometry" => {
                        if let Some(open) = &mut open {
                            open.multi = true;
                        }
                    }
                    "SimpleField" => {
                        let of = |name| element.attribute(name).unwrap_or_default().to_string();
                        schemas.insert(of("name"), of("type"));
                    }
                    "link" => {
                        if let (Some(open), Some(href)) = (&mut open, element.attribute("href")) {
                            let link = Given::Typed(Value::Text(href.to_string()));
                            open.values.push(("link".into(), link));
                        }
                    }
                    "Data" | "SimpleData" => key = element.attribute("name").map(str::to_string),
                    _ => {}
                },
                Node::Close(name, text) => {
                    let outer = xml.stack.last().map_or("", String::as_str);
                    match (name.as_str(), &mut open) {
                        ("name", None) if outer == "Folder" => {
                            if let Some(folder) = folders.last_mut() {
                                *folder = text.trim().to_string();
                            }
                        }
                        ("Folder", None) => {
                            folders.pop();
                        }
                        ("Placemark", Some(_)) => {
                            let placemark = open.take().unwrap_or_default();
                            each(placemark.finish(&folders))?;
                        }
                        (_, Some(placemark)) => {
                            placemark.close(&name, text, outer, &schemas, &mut key);
                        }
                        _ => {}
                    }
                }
            }
        }
    }
}

impl Placemark {
    fn close(
        &mut self,
        name: &str,
        text: String,
        outer: &str,
        schemas: &HashMap<String, String>,
        key: &mut Option<String>,
    ) {
        match (name, outer) {
            ("name" | "description" | "address" | "phoneNumber", "Placemark") => {
                self.values.push((name.to_string(), Given::Typed(Value::Text(text))));
            }
            ("when", "TimeStamp") => self.values.push(("time".into(), Given::Untyped(text))),
            ("begin" | "end", "TimeSpan") => {
                self.values.push((format!("time_{name}"), Given::Untyped(text)));
            }
            ("value", "Data") => {
                if let Some(key) = key.take() {
                    self.values.push((key, Given::Untyped(text)));
                }
            }
            ("SimpleData", _) => {
                if let Some(key) = key.take() {
                    let given = typed(text, schemas.get(&key).map_or("", String::as_str));
                    self.values.push((key, given));
                }
            }
            ("coordinates", _) => match vertices(&text) {
                Ok(vertices) => self.rings.push(vertices),
                Err(why) => self.wrong = Some(why),
            },
            // Recorded tracks list their places one by one, with blanks.
            ("coord", _) => {
                match vertices(&text.split_whitespace().collect::<Vec<_>>().join(",")) {
                    Ok(place) => match self.rings.last_mut() {
                        Some(track) => track.extend(place),
                        None => self.rings.push(place),
                    },
                    Err(why) => self.wrong = Some(why),
                }
            }
            // The outer ring comes first, wherever it stands.
            ("innerBoundaryIs", _) => {
                let outer = usize::from(self.outer);
                self.inner.append(&mut self.rings.split_off(outer.min(self.rings.len())));
            }
            ("outerBoundaryIs", _) => self.outer = true,
            ("Point", _) => self.part(GeometryKind::Point),
            ("LineString" | "Track", _) => self.part(GeometryKind::LineString),
            ("LinearRing", outer) if !outer.ends_with("BoundaryIs") => {
                self.part(GeometryKind::LineString);
            }
            ("Polygon", _) => self.part(GeometryKind::Polygon),
            ("Model", _) => self.wrong = Some("models are not read".to_string()),
            _ => {}
        }
    }

    /// Ends a part of the geometry, of the rings gathered for it.
    fn part(&mut self, kind: GeometryKind) {
        let mut rings = std::mem::take(&mut self.rings);
        rings.append(&mut self.inner);
        self.outer = false;
        rings.retain(|ring| !ring.is_empty());
        if rings.is_empty() {
            return;
        }
        let most = if kind == GeometryKind::Point { 1 } else { usize::MAX };
        for ring in &rings {
            for [x, y, z] in ring.iter().take(most) {
                self.geometry.push_vertex(*x, *y, z.is_finite().then_some(*z));
            }
            self.geometry.end_ring();
        }
        self.geometry.end_part();
        self.parts.push(kind);
    }

    fn finish(mut self, folders: &[String]) -> Item {
        if let Some(why) = self.wrong {
            let mut names = self.values.iter().filter(|(key, _)| key == "name");
            let name = names.next().map(|(_, value)| value.text()).unwrap_or_default();
            let why = format!("placemark `{name}`: {why}");
            let record = Unreadable::new(Unread::after(why, &self.geometry, 0));
            return Item::Unreadable(0, record.with_given(self.values));
        }
        let mut taken = Taken::default();
        match self.parts.as_slice() {
            [] => self.geometry.end_feature(None),
            [kind] if !self.multi => self.geometry.end_feature(Some(*kind)),
            [kind, rest @ ..] if rest.iter().all(|other| other == kind) => {
                self.geometry.end_feature(Some(kind.multi()));
            }
            _ => {
                let mixed = Collection::of(std::mem::take(&mut self.geometry), self.parts);
                taken = Taken::collection(mixed.finish(&mut self.geometry), 0);
            }
        }
        let folder: Vec<&str> =
            folders.iter().map(String::as_str).filter(|name| !name.is_empty()).collect();
        let mut values: Vec<(String, Given)> = Vec::new();
        if !folder.is_empty() {
            values.push(("folder".into(), Given::Typed(Value::Text(folder.join("/")))));
        }
        let mut places: HashMap<String, usize> =
            values.iter().enumerate().map(|(at, (key, _))| (key.clone(), at)).collect();
        let mut repeated: HashMap<String, usize> = HashMap::new();
        for (key, value) in self.values {
            // What is said twice counts once.
            match places.get(&key).map(|at| &values[*at].1) {
                None => {
                    places.insert(key.clone(), values.len());
                    values.push((key, value));
                }
                Some(known) if known.text() == value.text() => {}
                Some(_) => {
                    let mut name = format!("{key}_data");
                    while let Some(at) = places.get(&name)
                        && values[*at].1.text() != value.text()
                    {
                        let again = repeated.entry(key.clone()).or_insert(1);
                        *again += 1;
                        name = format!("{key}_data_{again}");
                    }
                    if !places.contains_key(&name) {
                        places.insert(name.clone(), values.len());
                        values.push((name, value));
                    }
                }
            }
        }
        Item::Feature(Raw { layer: 0, geometry: self.geometry, taken, values })
    }
}

/// A value of a schema's type.
fn typed(text: String, kind: &str) -> Given {
    let trimmed = text.trim();
    let value = match kind {
        "int" | "uint" | "short" | "ushort" | "long" => trimmed.parse().ok().map(Value::Integer),
        "float" | "double" => trimmed.parse().ok().map(Value::Real),
        "bool" => match trimmed {
            "1" | "true" => Some(Value::Boolean(true)),
            "0" | "false" => Some(Value::Boolean(false)),
            _ => None,
        },
        "" => return Given::Untyped(text),
        _ => None,
    };
    Given::Typed(value.unwrap_or(Value::Text(text)))
}

/// Longitude, latitude and perhaps height, with commas between them, places apart by blanks.
fn vertices(text: &str) -> std::result::Result<Vec<[f64; 3]>, String> {
    // Some write blanks behind the commas.
    let mut joined = String::with_capacity(text.len());
    for word in text.split_whitespace() {
        if !joined.is_empty() && !joined.ends_with(',') && !word.starts_with(',') {
            joined.push(' ');
        }
        joined.push_str(word);
    }
    joined
        .split_whitespace()
        .map(|place| {
            let mut numbers = place.split(',').map(|number| number.parse::<f64>());
            let wrong = || format!("`{place}` is not longitude, latitude and height");
            let (Some(Ok(x)), Some(Ok(y))) = (numbers.next(), numbers.next()) else {
                return Err(wrong());
            };
            match numbers.next() {
                None => Ok([x, y, f64::NAN]),
                Some(Ok(z)) => Ok([x, y, z]),
                Some(Err(_)) => Err(wrong()),
            }
        })
        .collect()
}
