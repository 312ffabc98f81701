//! GPX 1.1, in and out: waypoints, routes and tracks.
//!
//! A file gives up to five layers: `waypoints`, `routes`, `tracks`, and the vertices of the
//! latter two with their own names and times, `route_points` and `track_points`. `ele` is the
//! height. Written are waypoints (points) and tracks (lines; the rings of polygons). Attributes
//! that GPX has elements for go there, all others into `extensions`.

use super::fit::declare;
use super::reader::Opened;
use super::two_pass::{Features, Given, Item, Raw, learn, opened};
use super::xml::{Element, Node, Xml, escaped, short};
use super::{Check, Finished, Sink, WriteOptions, default_decimals};
use crate::error::{Error, Result};
use crate::layer::{Batch, CrsOrigin, GeometryColumn, GeometryKind, LayerInfo, Value};
use crate::notice::Notice;
use crate::output::new_file;
use std::fs::File;
use std::io::{BufWriter, Read, Seek, Write};
use std::path::{Path, PathBuf};
use velvet_peg_core::Crs;

const LAYERS: [&str; 5] = ["waypoints", "routes", "tracks", "route_points", "track_points"];

/// The namespace of attributes that GPX has no elements for.
const FIELDS: &str = "urn:velvet-peg:fields";

#[derive(Clone, Copy, Debug)]
struct Gpx;

pub(super) fn open(path: &Path) -> Result<Vec<Opened>> {
    let crs = Crs::from_epsg(4326)?;
    let mut layers = Vec::new();
    for (at, learnt) in learn(path, &Gpx, LAYERS.len())?.into_iter().enumerate() {
        if learnt.learn.count > 0 || learnt.unreadable.0 > 0 {
            let system = (Some(crs.clone()), CrsOrigin::Format);
            let names = |keys: &[String]| keys.to_vec();
            let mut layer = opened(path, Gpx, (at, learnt), LAYERS[at], system, &names);
            layer.0.schema =
                declare(&layer.0.schema, &["time", "time_first", "time_last"], "DATETIME");
            layers.push(layer);
        }
    }
    if layers.is_empty() {
        return Err(Error::data("holds no waypoints, routes or tracks").in_file(path));
    }
    Ok(layers)
}

/// A point being read: its attributes, its place (or what is wrong with it), its height.
type OpenPoint = (Raw, Result<(f64, f64), String>, Option<f64>);

/// A route or track being read.
#[derive(Default)]
struct OpenLine {
    raw: Raw,
    vertices: u64,
    segment: u64,
    first_time: Option<String>,
    last_time: Option<String>,
}

impl Features for Gpx {
    fn each(&self, path: &Path, each: &mut dyn FnMut(Item) -> Result<()>) -> Result<()> {
        let mut xml = Xml::open(path)?;
        let mut root = false;
        // The route or track, and the point, that are open.
        let mut line: Option<OpenLine> = None;
        let mut point: Option<OpenPoint> = None;
        let mut field: Option<String> = None;
        let (mut routes, mut tracks) = (0, 0);
        loop {
            match xml.next()? {
                Node::End if root => return Ok(()),
                Node::End => return Err(Error::data("is not a GPX file").in_file(path)),
                Node::Open(element) => match element.name.as_str() {
                    "gpx" => root = true,
                    "rte" | "trk" => {
                        let layer = if element.name == "rte" { 1 } else { 2 };
                        let raw = Raw { layer, ..Raw::default() };
                        line = Some(OpenLine { raw, ..OpenLine::default() });
                    }
                    "trkseg" => line.iter_mut().for_each(|line| line.segment += 1),
                    "wpt" | "rtept" | "trkpt" => {
                        point = Some((Raw::default(), position(&element), None));
                    }
                    "link" => {
                        let values = match (&mut point, &mut line) {
                            (Some((raw, ..)), _) => Some(&mut raw.values),
                            (None, Some(line)) => Some(&mut line.raw.values),
                            _ => None,
                        };
                        if let (Some(values), Some(href)) = (values, element.attribute("href")) {
                            add(values, "link", href.to_string());
                        }
                    }
                    _ => field = element.attribute("name").map(str::to_string),
                },
                Node::Close(name, text) => match name.as_str() {
                    "wpt" | "rtept" | "trkpt" => {
                        let Some((raw, at, ele)) = point.take() else { continue };
                        match at {
                            Err(why) => each(Item::Unreadable(why, format!("<{name}>")))?,
                            Ok(at) => {
                                let number = if name == "rtept" { routes } else { tracks } + 1;
                                let item = vertex(raw, at, ele, line.as_mut(), number);
                                each(Item::Feature(item))?;
                            }
                        }
                    }
                    "trkseg" | "rte" => {
                        if let Some(line) = &mut line {
                            end_part(line);
                        }
                        if name == "rte"
                            && let Some(line) = line.take()
                        {
                            routes += 1;
                            each(Item::Feature(whole(line)))?;
                        }
                    }
                    "trk" => {
                        tracks += 1;
                        if let Some(line) = line.take() {
                            each(Item::Feature(whole(line)))?;
                        }
                    }
                    "ele" if point.is_some() => {
                        if let Some((_, _, ele)) = &mut point {
                            *ele = text.trim().parse().ok();
                        }
                    }
                    "extensions" | "link" | "gpx" | "metadata" => {}
                    _ => {
                        let leaf = !text.trim().is_empty();
                        let inside = xml.stack.iter().any(|outer| outer == "link");
                        let values = match (&mut point, &mut line) {
                            (Some((raw, ..)), _) => Some(&mut raw.values),
                            (None, Some(line)) => Some(&mut line.raw.values),
                            _ => None,
                        };
                        if let (Some(values), true, false) = (values, leaf, inside) {
                            let key = match name.as_str() {
                                "field" => field.take().unwrap_or(name),
                                _ => name,
                            };
                            add(values, &key, text);
                        }
                    }
                },
            }
        }
    }
}

fn add(values: &mut Vec<(String, Given)>, key: &str, text: String) {
    if !values.iter().any(|(other, _)| other == key) {
        values.push((key.to_string(), Given::Untyped(text)));
    }
}

fn position(element: &Element) -> Result<(f64, f64), String> {
    let number = |name: &str| {
        let text = element.attribute(name).unwrap_or_default();
        text.trim()
            .parse::<f64>()
            .map_err(|_| format!("the {} of a {} is `{text}`, not a number", name, element.name))
    };
    Ok((number("lon")?, number("lat")?))
}

/// A point as a feature of its own; where it is one of a route or track, that grows by it.
fn vertex(
    mut raw: Raw,
    (x, y): (f64, f64),
    ele: Option<f64>,
    line: Option<&mut OpenLine>,
    number: u64,
) -> Raw {
    raw.geometry.push_point(x, y, ele);
    if let Some(line) = line {
        line.raw.geometry.push_vertex(x, y, ele);
        line.vertices += 1;
        for (key, value) in &raw.values {
            if let ("time", Given::Untyped(time)) = (key.as_str(), value) {
                line.first_time.get_or_insert_with(|| time.clone());
                line.last_time = Some(time.clone());
            }
        }
        let whole = |value: u64| Given::Typed(Value::Integer(value as i64));
        let (layer, what) = if line.raw.layer == 1 { (3, "route") } else { (4, "track") };
        raw.layer = layer;
        let mut values = vec![(what.to_string(), whole(number))];
        if layer == 4 {
            values.push(("segment".to_string(), whole(line.segment)));
        }
        values.append(&mut raw.values);
        raw.values = values;
    }
    raw
}

fn end_part(line: &mut OpenLine) {
    if line.vertices > 0 {
        line.raw.geometry.end_ring();
        line.raw.geometry.end_part();
    }
    line.vertices = 0;
}

/// A whole route or track.
fn whole(mut line: OpenLine) -> Raw {
    let parts = line.raw.geometry.open_parts();
    let kind = match parts {
        0 => None,
        1 => Some(GeometryKind::Line),
        _ => Some(GeometryKind::MultiLine),
    };
    line.raw.geometry.end_feature(kind);
    let times = [("time_first", line.first_time), ("time_last", line.last_time)];
    for (key, time) in times {
        if let Some(time) = time {
            add(&mut line.raw.values, key, time);
        }
    }
    line.raw
}

/// Elements of a waypoint and a track that hold text, in the order of the schema; those of a
/// track are marked.
const ELEMENTS: [(&str, bool); 7] = [
    ("time", false),
    ("name", true),
    ("cmt", true),
    ("desc", true),
    ("src", true),
    ("sym", false),
    ("type", true),
];

/// Writes waypoints and tracks.
pub(super) struct Writer {
    path: PathBuf,
    points: BufWriter<File>,
    /// Tracks, which have to come behind all waypoints.
    tracks: BufWriter<File>,
    names: Vec<String>,
    decimals: usize,
    rings: u64,
    written: u64,
}

impl Writer {
    pub(super) fn create(path: &Path, info: &LayerInfo, options: &WriteOptions) -> Result<Writer> {
        let failed = |e| Error::file(path, "cannot be written", e);
        let mut points = BufWriter::with_capacity(1 << 16, new_file(path)?);
        write!(
            points,
            "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<gpx version=\"1.1\" \
             creator=\"Velvet Peg\" xmlns=\"http://www.topografix.com/GPX/1/1\" \
             xmlns:peg=\"{FIELDS}\">\n<metadata><name>{}</name></metadata>\n",
            escaped(&info.name)
        )
        .map_err(failed)?;
        let tracks = BufWriter::with_capacity(1 << 16, tempfile::tempfile().map_err(failed)?);
        Ok(Writer {
            path: path.to_path_buf(),
            points,
            tracks,
            names: info.schema.fields().iter().map(|field| field.name().clone()).collect(),
            decimals: options.decimals.unwrap_or(default_decimals(info.crs.as_ref())),
            rings: 0,
            written: 0,
        })
    }

    fn point(&self, column: &GeometryColumn, at: usize, element: &str) -> (String, String) {
        let x = short(column.x[at], self.decimals);
        // The schema leaves 180 out.
        let x = if x == "180" { "-180".to_string() } else { x };
        let y = short(column.y[at], self.decimals);
        let ele = column.z.get(at).filter(|z| z.is_finite());
        let ele = ele.map_or(String::new(), |z| format!("<ele>{z}</ele>"));
        (format!("<{element} lat=\"{y}\" lon=\"{x}\">"), ele)
    }

    /// The elements of the attributes, in the order of the schema, and the extensions.
    fn attributes(&self, values: &[Value], track: bool) -> (String, String) {
        let mut text = String::new();
        let mut standard = Vec::new();
        for (element, in_tracks) in ELEMENTS {
            let at = self.names.iter().position(|name| name == element);
            let Some(at) = at.filter(|_| in_tracks || !track) else { continue };
            let value = values[at].to_text();
            if value.is_empty() || (element == "time" && !is_time(&value)) {
                continue;
            }
            text += &format!("<{element}>{}</{element}>", escaped(&value));
            standard.push(at);
        }
        let mut extensions = String::new();
        for (at, (name, value)) in self.names.iter().zip(values).enumerate() {
            let value = value.to_text();
            if !value.is_empty() && !standard.contains(&at) {
                extensions += &format!(
                    "<peg:field name=\"{}\">{}</peg:field>",
                    escaped(name),
                    escaped(&value)
                );
            }
        }
        if !extensions.is_empty() {
            extensions = format!("<extensions>{extensions}</extensions>");
        }
        (text, extensions)
    }
}

/// A date with a time, as the schema has it.
fn is_time(text: &str) -> bool {
    let bytes = text.as_bytes();
    bytes.len() >= 19
        && bytes[10] == b'T'
        && bytes.iter().all(|b| b.is_ascii_digit() || b"-:T.Z+".contains(b))
        && [(4, b'-'), (7, b'-'), (13, b':'), (16, b':')].iter().all(|(at, c)| bytes[*at] == *c)
}

impl Sink for Writer {
    fn write(&mut self, batch: &Batch) -> Result<()> {
        let geometry = &batch.geometry;
        for feature in 0..geometry.len() {
            let Some(kind) = geometry.kinds()[feature] else { continue };
            self.written += 1;
            let values = batch.values(feature);
            let points = kind.single() == GeometryKind::Point;
            let (head, extensions) = self.attributes(&values, !points);
            let mut text = String::new();
            if points {
                for at in geometry.vertices(feature) {
                    let (start, ele) = self.point(geometry, at, "wpt");
                    text += &format!("{start}{ele}{head}{extensions}</wpt>\n");
                }
                self.rings += u64::from(kind.is_multi());
            } else {
                text += &format!("<trk>{head}{extensions}");
                for part in geometry.parts(feature) {
                    for ring in geometry.rings(part) {
                        let range = geometry.ring(ring);
                        let polygon = kind.single() == GeometryKind::Polygon;
                        let closing = polygon && super::wkt::closes(geometry, &range);
                        self.rings += u64::from(polygon);
                        text += "<trkseg>";
                        let first = range.start;
                        for at in range.chain(closing.then_some(first)) {
                            let (start, ele) = self.point(geometry, at, "trkpt");
                            text += &format!("{start}{ele}</trkpt>");
                        }
                        text += "</trkseg>";
                    }
                }
                text += "</trk>\n";
            }
            let out = if points { &mut self.points } else { &mut self.tracks };
            out.write_all(text.as_bytes())
                .map_err(|e| Error::file(&self.path, "cannot be written", e))?;
        }
        Ok(())
    }

    fn losses(&self) -> Vec<Notice> {
        match self.rings {
            0 => Vec::new(),
            _ => vec![Notice::warning(
                "GPX knows waypoints, routes and tracks: polygons were written as tracks along \
                 their rings, multi-points as waypoints of their own",
            )],
        }
    }

    fn finish(self: Box<Self>) -> Result<Finished> {
        let failed = |e| Error::file(&self.path, "cannot be written", e);
        let mut points = self.points;
        let mut tracks = self.tracks.into_inner().map_err(|e| failed(e.into_error()))?;
        tracks.rewind().map_err(failed)?;
        let mut buffer = vec![0; 1 << 16];
        loop {
            let count = tracks.read(&mut buffer).map_err(failed)?;
            if count == 0 {
                break;
            }
            points.write_all(&buffer[..count]).map_err(failed)?;
        }
        points.write_all(b"</gpx>\n").and_then(|()| points.flush()).map_err(failed)?;
        drop(points);
        // A file without anything cannot be told from one that is not this format's.
        let check = if self.rings == 0 && self.written > 0 { Check::All } else { Check::Not };
        Ok(Finished { check, ..Finished::default() })
    }
}
