//! Reading a drawing: points, inserted symbols, texts, lines and polylines of its entities
//! section. Arcs in polylines are drawn out as chords; closed polylines are polygons. Entities
//! of other kinds are told as unreadable.

use super::{APPLICATION, LABEL};
use crate::error::{Error, Result};
use crate::format_support::text_encoding::{by_label, encoding_of};
use crate::format_support::two_pass::{Features, Given, Item, Raw, learn, opened};
use crate::format_support::{OpenedLayer, ReadOptions};
use crate::layer::{CrsOrigin, GeometryKind, Unreadable, Value};
use crate::notice::{Notice, NoticeKind};
use encoding_rs_io::DecodeReaderBytesBuilder;
use std::cell::Cell;
use std::fs::File;
use std::io::{BufRead, BufReader};
use std::path::Path;

#[derive(Debug, Default)]
struct Drawing {
    /// Arcs met in a run.
    arcs: Cell<u64>,
    /// The encoding that is asked for.
    encoding: Option<String>,
}

pub(super) fn open(path: &Path, options: &ReadOptions) -> Result<OpenedLayer> {
    let drawing = Drawing { encoding: options.encoding.clone(), ..Drawing::default() };
    let learnt = learn(path, &drawing, 1)?.remove(0);
    let arcs = drawing.arcs.get();
    let name = path.file_stem().and_then(|s| s.to_str()).unwrap_or("layer").to_string();
    let system = (None, CrsOrigin::Given);
    let mut layer =
        opened(path, drawing, (0, learnt), &name, system, options, &|keys| keys.to_vec());
    if arcs > 0 {
        layer.2.push(
            Notice::note(
                NoticeKind::Shape,
                format!(
                    "arcs of polylines are drawn out as chords of {STEP_DEGREES}° at most, within \
                     1/26,000 of their radius: {arcs}"
                ),
            )
            .count(arcs),
        );
    }
    Ok(layer)
}

/// One pair of a drawing.
struct Pair {
    code: i32,
    value: String,
}

struct Pairs<'a> {
    path: &'a Path,
    input: BufReader<Box<dyn std::io::Read>>,
    line: u64,
}

impl Pairs<'_> {
    fn text(&mut self) -> Result<Option<String>> {
        let mut line = String::new();
        let count = self
            .input
            .read_line(&mut line)
            .map_err(|e| Error::file(self.path, "cannot be read", e))?;
        self.line += 1;
        Ok((count > 0).then(|| line.trim_end_matches(['\r', '\n']).to_string()))
    }

    fn next(&mut self) -> Result<Option<Pair>> {
        let Some(code) = self.text()? else { return Ok(None) };
        let wrong = |line: u64, what: String| {
            Error::data(format!("is no drawing in text form, or is cut short: line {line} {what}"))
                .in_file(self.path)
        };
        let number = code.trim().parse().map_err(|_| {
            let shown: String = code.chars().take(20).collect();
            wrong(self.line, format!("holds `{shown}` where a group code belongs"))
        })?;
        let line = self.line;
        match self.text()? {
            Some(value) => Ok(Some(Pair { code: number, value })),
            None => Err(wrong(line, "has no value behind it".to_string())),
        }
    }
}

/// An entity with its pairs.
#[derive(Default)]
struct Entity {
    kind: String,
    pairs: Vec<Pair>,
    /// Vertices of an old polyline, or attributes of a symbol, each with its pairs.
    vertices: Vec<Vec<Pair>>,
}

impl Features for Drawing {
    fn each(&self, path: &Path, each: &mut dyn FnMut(Item) -> Result<()>) -> Result<()> {
        let file = File::open(path).map_err(|e| Error::file(path, "cannot be read", e))?;
        let encoding = match &self.encoding {
            Some(label) => by_label(label)?,
            None => encoding_of(path)?,
        };
        let decoded: Box<dyn std::io::Read> = Box::new(
            DecodeReaderBytesBuilder::new().encoding(Some(encoding)).strip_bom(true).build(file),
        );
        let input = BufReader::with_capacity(1 << 16, decoded);
        let mut pairs = Pairs { path, input, line: 0 };
        let mut section = String::new();
        let mut entity: Option<Entity> = None;
        let mut polyline: Option<Entity> = None;
        let mut ended = false;
        while let Some(pair) = pairs.next()? {
            // Comments.
            if pair.code == 999 {
                continue;
            }
            if pair.code != 0 {
                if section == "?" && pair.code == 2 {
                    section = pair.value.trim().to_string();
                } else if let Some(entity) = &mut entity {
                    entity.pairs.push(pair);
                }
                continue;
            }
            let kind = pair.value.trim().to_string();
            if let Some(done) = entity.take() {
                match (done.kind.as_str(), &mut polyline) {
                    ("POLYLINE", _) => polyline = Some(done),
                    // Symbols say whether attributes follow.
                    ("INSERT", _) if find(&done.pairs, 66) == Some(1.0) => polyline = Some(done),
                    ("VERTEX" | "ATTRIB", Some(whole)) => whole.vertices.push(done.pairs),
                    ("SEQEND", _) => {
                        if let Some(whole) = polyline.take() {
                            hand_on(whole, &self.arcs, each)?;
                        }
                    }
                    _ => hand_on(done, &self.arcs, each)?,
                }
            }
            // One whose end is missing counts with what there is of it.
            let belongs = matches!(kind.as_str(), "VERTEX" | "ATTRIB" | "SEQEND");
            if let Some(unended) = polyline.take_if(|_| !belongs) {
                hand_on(unended, &self.arcs, each)?;
            }
            match kind.as_str() {
                "SECTION" => section = "?".to_string(),
                "ENDSEC" => section.clear(),
                "EOF" => {
                    ended = true;
                    break;
                }
                _ if section == "ENTITIES" => entity = Some(Entity { kind, ..Entity::default() }),
                _ => {}
            }
        }
        if !ended {
            return Err(Error::data("is cut short: the mark of its end is missing").in_file(path));
        }
        Ok(())
    }
}

fn hand_on(
    entity: Entity,
    arcs: &Cell<u64>,
    each: &mut dyn FnMut(Item) -> Result<()>,
) -> Result<()> {
    // What belongs to the entity before it, or says nothing of a place.
    if matches!(entity.kind.as_str(), "SEQEND" | "ATTRIB" | "VIEWPORT") || entity.is_label() {
        return Ok(());
    }
    each(entity.item(arcs))
}

fn number(pair: &Pair) -> f64 {
    pair.value.trim().parse().unwrap_or(f64::NAN)
}

fn find(pairs: &[Pair], code: i32) -> Option<f64> {
    pairs.iter().find(|pair| pair.code == code).map(number)
}

impl Entity {
    fn is_label(&self) -> bool {
        let mut ours = self.pairs.iter().skip_while(|p| p.code != 1001 || p.value != APPLICATION);
        ours.any(|pair| pair.code == 1000 && pair.value == LABEL)
    }

    fn item(self, arcs: &Cell<u64>) -> Item {
        let mut raw = Raw::default();
        let text = |value: &str| Given::Typed(Value::Text(plain(value)));
        let layer = self.pairs.iter().find(|pair| pair.code == 8);
        if let Some(layer) = layer {
            raw.values.push(("layer".into(), text(&layer.value)));
        }
        let flags = find(&self.pairs, 70).map_or(0, |flags| flags as i64);
        // Vertices as x, y, height and the bulge of the arc to the next.
        let mut closed = false;
        let vertices: Vec<[f64; 4]> = match self.kind.as_str() {
            "POINT" | "INSERT" | "TEXT" | "MTEXT" => vec![place(&self.pairs, 0)],
            "LINE" => vec![place(&self.pairs, 0), place(&self.pairs, 1)],
            "LWPOLYLINE" => {
                closed = flags & 1 != 0;
                light_vertices(&self.pairs)
            }
            "POLYLINE" if flags & (16 | 64) == 0 => {
                closed = flags & 1 != 0;
                self.vertices
                    .iter()
                    // Frames of splines are not on the line.
                    .filter(|vertex| find(vertex, 70).map_or(0, |f| f as i64) & 16 == 0)
                    .map(|vertex| place(vertex, 0))
                    .collect()
            }
            other => {
                let why = format!("entities of kind {other} are not read");
                return Item::Unreadable(
                    0,
                    Unreadable::new(why).of_kind(other).with_given(raw.values),
                );
            }
        };
        let mut vertices = vertices;
        // Flat things may be seen from below, their coordinates mirrored.
        let below = find(&self.pairs, 230).is_some_and(|z| z < 0.0);
        if below && !matches!(self.kind.as_str(), "POINT" | "LINE") && flags & 8 == 0 {
            for vertex in &mut vertices {
                vertex[0] = -vertex[0];
                vertex[3] = -vertex[3];
            }
        }
        if vertices.is_empty() || vertices.iter().any(|v| !(v[0].is_finite() && v[1].is_finite())) {
            let why = format!("the {} has no place that can be read", self.kind);
            return Item::Unreadable(
                0,
                Unreadable::new(why).of_kind(self.kind).with_given(raw.values),
            );
        }
        let name = |kind: &str| if kind == "INSERT" { "block" } else { "text" };
        if let "INSERT" | "TEXT" | "MTEXT" = self.kind.as_str() {
            let code = if self.kind == "INSERT" { 2 } else { 1 };
            if let Some(pair) = self.pairs.iter().find(|pair| pair.code == code) {
                raw.values.push((name(&self.kind).into(), text(&pair.value)));
            }
        }
        if self.kind == "INSERT" {
            for attribute in &self.vertices {
                let of = |code: i32| attribute.iter().find(|pair| pair.code == code);
                if let (Some(key), Some(value)) = (of(2), of(1)) {
                    let key = plain(key.value.trim());
                    if !raw.values.iter().any(|(other, _)| *other == key) {
                        raw.values.push((key, Given::Untyped(plain(&value.value))));
                    }
                }
            }
        }
        self.extended(&mut raw.values);
        let heights = self.has_heights(&vertices);
        let column = &mut raw.geometry;
        let count = vertices.len();
        let mut push = |x: f64, y: f64, z: f64| column.push_vertex(x, y, heights.then_some(z));
        for (at, from) in vertices.iter().enumerate() {
            push(from[0], from[1], from[2]);
            let to = match (at + 1 < count, closed) {
                (true, _) => &vertices[at + 1],
                (false, true) => &vertices[0],
                (false, false) => continue,
            };
            if from[3] != 0.0 && from[3].is_finite() {
                arc(from, to, &mut push);
                arcs.set(arcs.get() + 1);
            }
        }
        let ring = closed && column.x.len() > 2;
        let kind = match self.kind.as_str() {
            "POINT" | "INSERT" | "TEXT" | "MTEXT" => GeometryKind::Point,
            _ if ring => GeometryKind::Polygon,
            _ => GeometryKind::LineString,
        };
        if kind == GeometryKind::Polygon {
            let [x, y, z, _] = vertices[0];
            column.push_vertex(x, y, heights.then_some(z));
        }
        column.end_ring();
        column.end_part();
        column.end_feature(Some(kind));
        Item::Feature(raw)
    }

    /// Attributes in the extended data that are ours.
    fn extended(&self, values: &mut Vec<(String, Given)>) {
        let ours = self.pairs.iter().skip_while(|p| p.code != 1001 || p.value != APPLICATION);
        for pair in ours.skip(1).take_while(|pair| pair.code != 1001) {
            if let Some((key, value)) = pair.value.split_once('=').filter(|_| pair.code == 1000) {
                let key = plain(key);
                if let Some((_, given)) = values.iter_mut().find(|(k, _)| *k == key) {
                    *given = Given::Untyped(plain(value));
                } else {
                    values.push((key, Given::Untyped(plain(value))));
                }
            }
        }
    }

    /// Heights that are all zero in a flat polyline or a point say nothing.
    fn has_heights(&self, vertices: &[[f64; 4]]) -> bool {
        vertices.iter().any(|vertex| vertex[2] != 0.0)
            || self.pairs.iter().any(|pair| pair.code == 1000 && pair.value == "Z")
    }
}

fn place(pairs: &[Pair], n: i32) -> [f64; 4] {
    let value = |code: i32| find(pairs, code).unwrap_or(f64::NAN);
    let height = find(pairs, 30 + n).unwrap_or(0.0);
    [value(10 + n), value(20 + n), height, find(pairs, 42).unwrap_or(0.0)]
}

/// The vertices of a light polyline: one list of pairs, one height for all.
fn light_vertices(pairs: &[Pair]) -> Vec<[f64; 4]> {
    let height = find(pairs, 38).unwrap_or(0.0);
    let mut vertices: Vec<[f64; 4]> = Vec::new();
    for pair in pairs.iter().take_while(|pair| pair.code < 1000) {
        match (pair.code, vertices.last_mut()) {
            (10, _) => vertices.push([number(pair), f64::NAN, height, 0.0]),
            (20, Some(vertex)) => vertex[1] = number(pair),
            (42, Some(vertex)) => vertex[3] = number(pair),
            _ => {}
        }
    }
    vertices
}

/// Steps of an arc are this many degrees at most: the chord is then within 1 part in 26,000
/// of the radius of the arc.
const STEP_DEGREES: f64 = 1.0;

/// The vertices between the ends of an arc, whose bulge is the tangent of a quarter of its
/// angle, counter-clockwise if positive.
fn arc(from: &[f64; 4], to: &[f64; 4], push: &mut dyn FnMut(f64, f64, f64)) {
    let angle = 4.0 * from[3].atan();
    let (dx, dy) = (to[0] - from[0], to[1] - from[1]);
    let chord = dx.hypot(dy);
    let steps = (angle.abs().to_degrees() / STEP_DEGREES).ceil();
    if chord == 0.0 || !(steps < 1e4) {
        return;
    }
    // The centre lies on the perpendicular through the middle of the chord.
    let offset = 1.0 / (2.0 * (angle / 2.0).tan());
    let centre = ((from[0] + to[0]) / 2.0 - dy * offset, (from[1] + to[1]) / 2.0 + dx * offset);
    let (rx, ry) = (from[0] - centre.0, from[1] - centre.1);
    for step in 1..steps as u32 {
        let share = f64::from(step) / steps;
        let (sin, cos) = (angle * share).sin_cos();
        let z = from[2] + (to[2] - from[2]) * share;
        push(centre.0 + rx * cos - ry * sin, centre.1 + rx * sin + ry * cos, z);
    }
}

/// Characters written as `\U+00E9`.
fn plain(text: &str) -> String {
    let mut out = String::new();
    let mut rest = text;
    while let Some(at) = rest.find("\\U+") {
        out += &rest[..at];
        let code = rest.get(at + 3..at + 7).and_then(|hex| u32::from_str_radix(hex, 16).ok());
        match code.and_then(char::from_u32) {
            Some(c) => {
                out.push(c);
                rest = &rest[at + 7..];
            }
            None => {
                out += "\\U+";
                rest = &rest[at + 3..];
            }
        }
    }
    out + rest
}
