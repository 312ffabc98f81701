//! KML 2.3 (OGC 12-007r2), in and out: placemarks with points, lines, polygons and their multi
//! forms, recorded tracks as lines.
//!
//! `name` and `description` are columns like any other; `folder` is the path of folders around
//! a placemark, where there are any; `time` is its time stamp. Data with a schema have its
//! types, the others those that all their values fit. Styles, views, overlays and links are
//! passed over.

use super::reader::Opened;
use super::two_pass::{Features, Given, Item, Raw, learn, opened};
use super::xml::{Node, Xml, escaped, short};
use super::{Finished, Sink, WriteOptions, default_decimals};
use crate::error::{Error, Result};
use crate::layer::{Batch, CrsOrigin, GeometryColumn, GeometryKind, LayerInfo, Value};
use crate::output::new_file;
use arrow_schema::{DataType, SchemaRef};
use std::collections::HashMap;
use std::fs::File;
use std::io::{BufWriter, Write};
use std::ops::Range;
use std::path::{Path, PathBuf};
use velvet_peg_core::{Crs, planar};

#[derive(Clone, Copy, Debug)]
struct Kml;

pub(super) fn open(path: &Path) -> Result<Vec<Opened>> {
    let learnt = learn(path, &Kml, 1)?.remove(0);
    let name = document_name(path)?;
    let stem = path.file_stem().and_then(|s| s.to_str()).unwrap_or("layer");
    let name = name.as_deref().unwrap_or(stem);
    let system = (Some(Crs::from_epsg(4326)?), CrsOrigin::Format);
    Ok(vec![opened(path, Kml, (0, learnt), name, system, &|keys| keys.to_vec())])
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

impl Features for Kml {
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
            ("LineString" | "Track", _) => self.part(GeometryKind::Line),
            ("LinearRing", outer) if !outer.ends_with("BoundaryIs") => {
                self.part(GeometryKind::Line);
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
        let describe = |values: &[(String, Given)]| {
            values
                .iter()
                .find_map(|(key, value)| match value {
                    Given::Typed(value) if key == "name" => Some(value.to_text()),
                    _ => None,
                })
                .unwrap_or_default()
        };
        let kind = match self.parts.as_slice() {
            [] => None,
            [kind] if !self.multi => Some(*kind),
            [kind, rest @ ..] if rest.iter().all(|other| other == kind) => Some(kind.multi()),
            _ => {
                self.wrong = Some("its geometry mixes points, lines and polygons".to_string());
                None
            }
        };
        if let Some(why) = self.wrong {
            let name = describe(&self.values);
            return Item::Unreadable(format!("placemark `{name}`: {why}"), name);
        }
        self.geometry.end_feature(kind);
        let folder: Vec<&str> =
            folders.iter().map(String::as_str).filter(|name| !name.is_empty()).collect();
        let mut values: Vec<(String, Given)> = Vec::new();
        if !folder.is_empty() {
            values.push(("folder".into(), Given::Typed(Value::Text(folder.join("/")))));
        }
        for (key, value) in self.values {
            if !values.iter().any(|(other, _)| *other == key) {
                values.push((key, value));
            }
        }
        Item::Feature(Raw { layer: 0, geometry: self.geometry, values })
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

/// Writes one document with one placemark a feature.
pub(super) struct Writer {
    path: PathBuf,
    file: BufWriter<File>,
    schema: SchemaRef,
    decimals: usize,
}

impl Writer {
    pub(super) fn create(path: &Path, info: &LayerInfo, options: &WriteOptions) -> Result<Writer> {
        let mut file = BufWriter::with_capacity(1 << 16, new_file(path)?);
        let mut head = format!(
            "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<kml \
             xmlns=\"http://www.opengis.net/kml/2.2\"><Document><name>{}</name>\n",
            escaped(&info.name)
        );
        head += "<Schema name=\"fields\" id=\"fields\">";
        for field in info.schema.fields() {
            if own(field.name(), field.data_type()) {
                continue;
            }
            let kind = match field.data_type() {
                DataType::Int64 => "int",
                DataType::Float64 => "double",
                DataType::Boolean => "bool",
                _ => "string",
            };
            head += &format!(
                "<SimpleField type=\"{kind}\" name=\"{}\"></SimpleField>",
                escaped(field.name())
            );
        }
        head += "</Schema>\n";
        file.write_all(head.as_bytes()).map_err(|e| Error::file(path, "cannot be written", e))?;
        Ok(Writer {
            path: path.to_path_buf(),
            file,
            schema: info.schema.clone(),
            decimals: options.decimals.unwrap_or(default_decimals(info.crs.as_ref())),
        })
    }

    fn placemark(&self, values: &[Value]) -> String {
        let mut text = String::from("<Placemark>");
        let fields = self.schema.fields();
        // In the order of the standard: name before description before extended data.
        for element in ["name", "description"] {
            let at = fields.iter().position(|f| f.name() == element && own(element, f.data_type()));
            if let Some(Value::Text(value)) = at.map(|at| &values[at]) {
                text += &format!("<{element}>{}</{element}>", escaped(value));
            }
        }
        let mut data = String::new();
        for (field, value) in fields.iter().zip(values) {
            if own(field.name(), field.data_type()) || *value == Value::Null {
                continue;
            }
            data += &format!(
                "<SimpleData name=\"{}\">{}</SimpleData>",
                escaped(field.name()),
                escaped(&value.to_text())
            );
        }
        if !data.is_empty() {
            text += "<ExtendedData><SchemaData schemaUrl=\"#fields\">";
            text += &data;
            text += "</SchemaData></ExtendedData>";
        }
        text
    }

    fn part(
        &self,
        column: &GeometryColumn,
        part: usize,
        kind: GeometryKind,
        has_z: bool,
        text: &mut String,
    ) {
        let mode = match has_z {
            true => "<altitudeMode>absolute</altitudeMode>",
            false => "",
        };
        match kind {
            GeometryKind::Point | GeometryKind::Line => {
                let name = if kind == GeometryKind::Point { "Point" } else { "LineString" };
                let places = self.places(column, column.ring(column.rings(part).start));
                *text += &format!("<{name}>{mode}{places}</{name}>");
            }
            _ => {
                *text += &format!("<Polygon>{mode}");
                for (number, ring) in column.rings(part).enumerate() {
                    let ring: Range<usize> = column.ring(ring);
                    let side = if number == 0 { "outer" } else { "inner" };
                    let area = planar::ring_area(&column.x[ring.clone()], &column.y[ring.clone()]);
                    // Outer rings run counter-clockwise.
                    let reversed = (area > 0.0) != (number == 0);
                    let mut order: Vec<usize> = ring.clone().collect();
                    if super::wkt::closes(column, &ring) {
                        order.push(ring.start);
                    }
                    if reversed {
                        order.reverse();
                    }
                    let places = self.places(column, order.into_iter());
                    *text += &format!(
                        "<{side}BoundaryIs><LinearRing>{places}</LinearRing></{side}BoundaryIs>"
                    );
                }
                *text += "</Polygon>";
            }
        }
    }

    fn places(&self, column: &GeometryColumn, order: impl Iterator<Item = usize>) -> String {
        let places: Vec<String> = order
            .map(|at| {
                let (x, y) =
                    (short(column.x[at], self.decimals), short(column.y[at], self.decimals));
                match column.z.get(at).filter(|z| z.is_finite()) {
                    Some(z) => format!("{x},{y},{z}"),
                    None => format!("{x},{y}"),
                }
            })
            .collect();
        format!("<coordinates>{}</coordinates>", places.join(" "))
    }
}

/// True for a column that has an element of its own.
fn own(name: &str, kind: &DataType) -> bool {
    kind == &DataType::Utf8 && (name == "name" || name == "description")
}

impl Sink for Writer {
    fn write(&mut self, batch: &Batch) -> Result<()> {
        let geometry = &batch.geometry;
        for feature in 0..geometry.len() {
            let mut text = self.placemark(&batch.values(feature));
            if let Some(kind) = geometry.kinds()[feature] {
                let multi = kind.is_multi();
                text += if multi { "<MultiGeometry>" } else { "" };
                let has_z = geometry.has_heights(feature);
                for part in geometry.parts(feature) {
                    self.part(geometry, part, kind.single(), has_z, &mut text);
                }
                text += if multi { "</MultiGeometry>" } else { "" };
            }
            text += "</Placemark>\n";
            self.file
                .write_all(text.as_bytes())
                .map_err(|e| Error::file(&self.path, "cannot be written", e))?;
        }
        Ok(())
    }

    fn finish(mut self: Box<Self>) -> Result<Finished> {
        self.file
            .write_all(b"</Document></kml>\n")
            .and_then(|()| self.file.flush())
            .map_err(|e| Error::file(&self.path, "cannot be written", e))?;
        drop(self.file);
        Ok(Finished::default())
    }
}
