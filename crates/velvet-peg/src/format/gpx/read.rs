//! Reading waypoints, routes and tracks.

use crate::error::{Error, Result};
use crate::format_support::two_pass::{Features, Given, Item, Raw, learn, opened};
use crate::format_support::xml::{Element, Node, Xml};
use crate::format_support::{OpenedLayer, ReadOptions, declare};
use crate::layer::{CrsOrigin, GeometryKind, Unreadable, Value};
use crate::notice::{Notice, NoticeKind};
use std::path::Path;
use velvet_peg_core::Crs;

const LAYERS: [&str; 5] = ["waypoints", "routes", "tracks", "route_points", "track_points"];

#[derive(Clone, Copy, Debug)]
struct Receiver;

pub(super) fn open(path: &Path, options: &ReadOptions) -> Result<Vec<OpenedLayer>> {
    let crs = Crs::from_epsg(4326)?;
    let within = options.tolerance_text(Some(&crs));
    let mut layers = Vec::new();
    let learnt = learn(path, &Receiver, LAYERS.len())?;
    let nothing = learnt.iter().all(|one| one.learn.count + one.left_out.count == 0);
    let points_lost: Vec<u64> = learnt.iter().map(|learnt| learnt.left_out.count).collect();
    for (at, learnt) in learnt.into_iter().enumerate() {
        // A file of nothing is a layer of no waypoints.
        if learnt.learn.count > 0 || learnt.left_out.count > 0 || (nothing && at == 0) {
            let system = (Some(crs.clone()), CrsOrigin::Format);
            let names = |keys: &[String]| keys.to_vec();
            let mut layer =
                opened(path, Receiver, (at, learnt), LAYERS[at], system, &within, &names);
            layer.0.schema =
                declare(&layer.0.schema, &["time", "time_first", "time_last"], "DATETIME");
            // A line lacks the points that cannot be read.
            let lost = if matches!(at, 1 | 2) { points_lost[at + 2] } else { 0 };
            if lost > 0 {
                let text = format!(
                    "points of {} that cannot be read: {lost}; the lines go on without them",
                    LAYERS[at]
                );
                layer.2.push(Notice::warning(NoticeKind::Unreadable, text).count(lost));
            }
            layers.push(layer);
        }
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

impl Features for Receiver {
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
                            Err(why) => {
                                let layer = match name.as_str() {
                                    "wpt" => 0,
                                    "rtept" => 3,
                                    _ => 4,
                                };
                                let record = Unreadable::new(why).of_kind(name);
                                each(Item::Unreadable(layer, record.with_given(raw.values)))?;
                            }
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
                        let name = if inside { of_link(name) } else { name };
                        let inside = inside && !name.starts_with("link_");
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

/// Of a link, its text and its type stand beside where it leads.
fn of_link(name: String) -> String {
    match name.as_str() {
        "text" | "type" => format!("link_{name}"),
        _ => name,
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
        1 => Some(GeometryKind::LineString),
        _ => Some(GeometryKind::MultiLineString),
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
