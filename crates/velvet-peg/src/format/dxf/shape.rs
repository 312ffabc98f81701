//! The geometry of an entity: places, lines or areas, with curves drawn out as chords.

use super::curve::{Ellipse, Vertex, bulged, turn};
use super::entity::Entity;
use super::hatch;
use super::pairs::{Pair, find, flags};
use super::plane::{Placement, normal};
use super::spline::Spline;
use crate::format_support::nested_rings::{self, Polygons};
use crate::layer::{GeometryColumn, GeometryKind};

/// The geometry of an entity.
#[derive(Clone, Debug)]
pub(super) enum Shape {
    Point([f64; 3]),
    Line(Vec<[f64; 3]>),
    Areas(Polygons),
}

/// What an entity is, as far as it can be read.
#[derive(Clone, Debug)]
pub(super) struct Drawn {
    pub(super) shape: Shape,
    /// Curves in it that are chords now.
    pub(super) curves: u64,
    /// True for a spline of which only places on it are known.
    pub(super) fitted: bool,
}

impl Drawn {
    fn of(shape: Shape, curves: u64) -> Drawn {
        Drawn { shape, curves, fitted: false }
    }

    /// A line, or the area within it if it is closed.
    fn line(mut places: Vec<[f64; 3]>, closed: bool, curves: u64) -> Drawn {
        if !closed || places.len() < 3 {
            return Drawn::of(Shape::Line(places), curves);
        }
        if places.first() != places.last() {
            places.push(places[0]);
        }
        Drawn::of(Shape::Areas(vec![vec![places]]), curves)
    }

    /// The same, each place where a placement puts it.
    pub(super) fn placed(mut self, placement: &Placement) -> Drawn {
        let put = |place: &mut [f64; 3]| *place = placement.of(*place);
        match &mut self.shape {
            Shape::Point(place) => put(place),
            Shape::Line(places) => places.iter_mut().for_each(put),
            Shape::Areas(areas) => areas.iter_mut().flatten().flatten().for_each(put),
        }
        self
    }

    fn places(&self) -> Box<dyn Iterator<Item = &[f64; 3]> + '_> {
        match &self.shape {
            Shape::Point(place) => Box::new(std::iter::once(place)),
            Shape::Line(places) => Box::new(places.iter()),
            Shape::Areas(areas) => Box::new(areas.iter().flatten().flatten()),
        }
    }

    /// True if there are places, and all can be read.
    pub(super) fn is_placed(&self) -> bool {
        let mut places = self.places().peekable();
        places.peek().is_some() && places.all(|place| place.iter().all(|v| v.is_finite()))
    }

    /// True if a height is not 0.
    pub(super) fn has_heights(&self) -> bool {
        self.places().any(|place| place[2] != 0.0)
    }

    /// Adds itself to a column as a feature.
    pub(super) fn add_to(&self, column: &mut GeometryColumn, heights: bool) {
        let (places, kind) = match &self.shape {
            Shape::Point(place) => (std::slice::from_ref(place), GeometryKind::Point),
            Shape::Line(places) => (places.as_slice(), GeometryKind::LineString),
            Shape::Areas(areas) => return nested_rings::push(areas, column, heights),
        };
        for [x, y, z] in places {
            column.push_vertex(*x, *y, heights.then_some(*z));
        }
        column.end_ring();
        column.end_part();
        column.end_feature(Some(kind));
    }
}

/// Bits of group code 70 of polylines: closed; with heights; nets and surfaces of faces.
const CLOSED: i64 = 1;
const SPATIAL: i64 = 8;
const SURFACE: i64 = 16 | 64;

/// What an entity draws, in coordinates of the drawing (or of its block).
///
/// # Errors
/// If it is of a kind that is not read, or has no geometry that can be read.
pub(super) fn drawn(entity: &Entity, tolerance: f64) -> Result<Drawn, String> {
    let pairs = &entity.pairs;
    let flat = || Placement::facing(normal(pairs));
    let kind = entity.kind.as_str();
    let polyline = flags(pairs, 70);
    let found = match kind {
        "POINT" | "MTEXT" => Drawn::of(Shape::Point(place(pairs, 0)), 0),
        "INSERT" | "TEXT" => Drawn::of(Shape::Point(place(pairs, 0)), 0).placed(&flat()),
        "LINE" => Drawn::line(vec![place(pairs, 0), place(pairs, 1)], false, 0),
        "LEADER" => Drawn::line(places(pairs, 10), false, 0),
        "3DFACE" => face(pairs, [0, 1, 2, 3]),
        // The last two corners are given in the other order.
        "SOLID" | "TRACE" => face(pairs, [0, 1, 3, 2]).placed(&flat()),
        "CIRCLE" | "ARC" => {
            let centre = place(pairs, 0);
            let arc = Ellipse::arc(pairs, centre)
                .filter(|arc| arc.is_whole() || kind == "ARC")
                .ok_or("its radius or its angles cannot be read")?;
            Drawn::line(arc.places(tolerance), arc.is_whole(), 1).placed(&flat())
        }
        "ELLIPSE" => {
            let arc = ellipse(pairs).ok_or("its axes cannot be read")?;
            Drawn::line(arc.places(tolerance), arc.is_whole(), 1)
        }
        "SPLINE" => spline(pairs, tolerance)?,
        "HATCH" => {
            let height = find(pairs, 30).unwrap_or(0.0);
            let (areas, curves) = hatch::areas(pairs, height, tolerance)?;
            Drawn::of(Shape::Areas(areas), curves).placed(&flat())
        }
        "LWPOLYLINE" => {
            let closed = polyline & CLOSED != 0;
            let (places, curves) = bulged(&light_vertices(pairs), closed, tolerance);
            Drawn::line(places, closed, curves).placed(&flat())
        }
        "POLYLINE" if polyline & SURFACE == 0 => {
            let closed = polyline & CLOSED != 0;
            // Frames of splines are not on the line.
            let vertices = entity.parts.iter().filter(|part| flags(part, 70) & 16 == 0);
            let bulge = |part: &Vec<Pair>| find(part, 42).unwrap_or(0.0);
            let vertices: Vec<Vertex> =
                vertices.map(|part| Vertex { place: place(part, 0), bulge: bulge(part) }).collect();
            let (places, curves) = bulged(&vertices, closed, tolerance);
            let line = Drawn::line(places, closed, curves);
            if polyline & SPATIAL != 0 { line } else { line.placed(&flat()) }
        }
        "POLYLINE" => return Err("nets and surfaces of faces are not read".to_string()),
        other => return Err(format!("entities of kind {other} are not read")),
    };
    match found.is_placed() {
        true => Ok(found),
        false => Err(format!("the {kind} has no place that can be read")),
    }
}

fn place(pairs: &[Pair], n: i32) -> [f64; 3] {
    let value = |code: i32| find(pairs, code).unwrap_or(f64::NAN);
    [value(10 + n), value(20 + n), find(pairs, 30 + n).unwrap_or(0.0)]
}

/// Places given one after the other in group codes such as 10, 20 and 30.
fn places(pairs: &[Pair], code: i32) -> Vec<[f64; 3]> {
    let mut places: Vec<[f64; 3]> = Vec::new();
    for pair in pairs.iter().take_while(|pair| pair.code < 1000) {
        match (pair.code - code, places.last_mut()) {
            (0, _) => places.push([pair.number(), f64::NAN, 0.0]),
            (10, Some(place)) => place[1] = pair.number(),
            (20, Some(place)) => place[2] = pair.number(),
            _ => {}
        }
    }
    places
}

/// The vertices of a light polyline: one list of pairs, one height for all.
fn light_vertices(pairs: &[Pair]) -> Vec<Vertex> {
    let height = find(pairs, 38).unwrap_or(0.0);
    let mut vertices: Vec<Vertex> = Vec::new();
    for pair in pairs.iter().take_while(|pair| pair.code < 1000) {
        match (pair.code, vertices.last_mut()) {
            (10, _) => {
                let place = [pair.number(), f64::NAN, height];
                vertices.push(Vertex { place, bulge: 0.0 });
            }
            (20, Some(vertex)) => vertex.place[1] = pair.number(),
            (42, Some(vertex)) => vertex.bulge = pair.number(),
            _ => {}
        }
    }
    vertices
}

/// A face of three or four corners, of which the last two may be the same.
fn face(pairs: &[Pair], order: [i32; 4]) -> Drawn {
    let mut corners: Vec<[f64; 3]> = Vec::new();
    for n in order.into_iter().filter(|n| *n < 3 || find(pairs, 13).is_some()) {
        corners.push(place(pairs, n));
    }
    corners.dedup();
    Drawn::line(corners, true, 0)
}

fn ellipse(pairs: &[Pair]) -> Option<Ellipse> {
    let major = place(pairs, 1);
    let ratio = find(pairs, 40).filter(|ratio| *ratio > 0.0)?;
    let up = normal(pairs);
    let length = up[0].hypot(up[1]).hypot(up[2]);
    // The other half axis is square to the first and to the direction that it faces.
    let minor = [(1, 2), (2, 0), (0, 1)]
        .map(|(i, j)| (up[i] * major[j] - up[j] * major[i]) * ratio / length);
    let start = find(pairs, 41).unwrap_or(0.0);
    let end = find(pairs, 42).unwrap_or(std::f64::consts::TAU);
    let centre = place(pairs, 0);
    let finite = (start + end).is_finite() && major.iter().all(|v| v.is_finite());
    (finite && major != [0.0; 3]).then(|| Ellipse {
        centre,
        major,
        minor,
        start,
        turn: turn(start, end),
    })
}

fn spline(pairs: &[Pair], tolerance: f64) -> Result<Drawn, String> {
    let all = |code| -> Vec<f64> {
        pairs.iter().filter(|pair| pair.code == code).map(Pair::number).collect()
    };
    let closed = flags(pairs, 70) & CLOSED != 0;
    let spline = Spline {
        degree: flags(pairs, 71).clamp(0, 1000) as usize,
        knots: all(40),
        controls: places(pairs, 10),
        weights: all(41),
    };
    if spline.controls.is_empty() {
        let fits = places(pairs, 11);
        return Ok(Drawn { fitted: true, ..Drawn::line(fits, closed, 0) });
    }
    Ok(Drawn::line(spline.places(tolerance)?, closed, 1))
}
