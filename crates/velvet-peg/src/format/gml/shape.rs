//! A geometry of GML as parts of one kind each.

use super::curve::{Reading, Vertex, any_places, stated};
use super::system::System;
use super::tree::Tree;
use crate::layer::{Collection, GeometryColumn, GeometryKind, Taken, Unread};
use GeometryKind::{LineString, Point, Polygon};

/// Elements that are geometries.
pub(super) const GEOMETRIES: [&str; 24] = [
    "Point",
    "LineString",
    "LinearRing",
    "Ring",
    "Curve",
    "CompositeCurve",
    "OrientableCurve",
    "Polygon",
    "Surface",
    "CompositeSurface",
    "OrientableSurface",
    "PolyhedralSurface",
    "TriangulatedSurface",
    "Tin",
    "MultiPoint",
    "MultiLineString",
    "MultiCurve",
    "MultiPolygon",
    "MultiSurface",
    "MultiGeometry",
    "GeometricComplex",
    "Solid",
    "CompositeSolid",
    "MultiSolid",
];

const SURFACE_PARTS: [&str; 6] = [
    "patches",
    "polygonPatches",
    "trianglePatches",
    "surfaceMember",
    "surfaceMembers",
    "baseSurface",
];

/// A geometry being read.
#[derive(Debug, Default)]
pub(super) struct Shape {
    /// The parts, each with its kind and its rings.
    parts: Vec<(GeometryKind, Vec<Vec<Vertex>>)>,
    several: bool,
    curves: u64,
}

impl Shape {
    /// Reads a geometry; places are as they stand in the file.
    pub(super) fn read(tree: &Tree, reading: Reading) -> Result<Shape, String> {
        let mut shape = Shape::default();
        shape.add(tree, reading)?;
        Ok(shape)
    }

    fn add(&mut self, tree: &Tree, reading: Reading) -> Result<(), String> {
        let reading = stated(tree).map_or(reading, |numbers| Reading { numbers, ..reading });
        match tree.name() {
            "Point" => {
                let places = reading.places(tree)?;
                match places.as_slice() {
                    // A point of nowhere.
                    [] => {}
                    [place] => self.parts.push((Point, vec![vec![*place]])),
                    _ => return Err(format!("a point has {} places", places.len())),
                }
            }
            "LineString" | "LinearRing" | "Ring" | "Curve" | "CompositeCurve"
            | "OrientableCurve" => {
                let line = reading.line(tree)?;
                self.curves += line.curves;
                if !line.vertices.is_empty() {
                    self.parts.push((LineString, vec![line.vertices]));
                }
            }
            "Polygon" | "PolygonPatch" | "Triangle" | "Rectangle" => {
                self.polygon(tree, reading)?;
            }
            "Surface"
            | "CompositeSurface"
            | "OrientableSurface"
            | "PolyhedralSurface"
            | "TriangulatedSurface"
            | "Tin" => {
                for part in tree.held(&SURFACE_PARTS)? {
                    self.add(part, reading)?;
                }
                self.several |= self.parts.len() > 1;
            }
            "MultiPoint" | "MultiLineString" | "MultiCurve" | "MultiPolygon" | "MultiSurface"
            | "MultiGeometry" | "GeometricComplex" => {
                self.several = true;
                let members = [
                    "pointMember",
                    "pointMembers",
                    "lineStringMember",
                    "curveMember",
                    "curveMembers",
                    "polygonMember",
                    "surfaceMember",
                    "surfaceMembers",
                    "geometryMember",
                    "geometryMembers",
                    "element",
                ];
                for part in tree.held(&members)? {
                    self.add(part, reading)?;
                }
            }
            other => return Err(format!("geometries of kind {other} are not read")),
        }
        Ok(())
    }

    fn polygon(&mut self, tree: &Tree, reading: Reading) -> Result<(), String> {
        let mut rings = Vec::new();
        // The outer ring comes first, wherever it stands.
        for side in [["exterior", "outerBoundaryIs"], ["interior", "innerBoundaryIs"]] {
            for ring in tree.held(&side)? {
                let line = reading.line(ring)?;
                self.curves += line.curves;
                if !line.vertices.is_empty() {
                    rings.push(line.vertices);
                }
            }
            // A hole must not become the polygon.
            if rings.is_empty() && !tree.held(&["interior", "innerBoundaryIs"])?.is_empty() {
                return Err("a polygon has holes and no outer ring".to_string());
            }
        }
        if !rings.is_empty() {
            self.parts.push((Polygon, rings));
        }
        Ok(())
    }

    /// Adds it to a column as one feature, or several of one kind each, as x, y.
    pub(super) fn push(self, system: &System, column: &mut GeometryColumn) -> Taken {
        let Shape { parts, several, curves } = self;
        let heights = parts.iter().flat_map(|(_, rings)| rings.iter().flatten());
        let heights = heights.into_iter().any(|place| place[2].is_finite());
        let mut own = GeometryColumn::default();
        let kinds: Vec<GeometryKind> = parts.iter().map(|(kind, _)| *kind).collect();
        for (_, rings) in &parts {
            for ring in rings {
                for place in ring {
                    let [x, y, z] = turned(*place, system);
                    own.push_vertex(x, y, heights.then_some(z));
                }
                own.end_ring();
            }
            own.end_part();
        }
        match kinds.as_slice() {
            [] => column.end_feature(None),
            [kind, rest @ ..] if rest.iter().all(|other| other == kind) => {
                own.end_feature(Some(if several { kind.multi() } else { *kind }));
                column.push_from(&own, 0);
            }
            _ => {
                let features = Collection::of(own, kinds).finish(column);
                return Taken::collection(features, curves);
            }
        }
        Taken::one(curves)
    }
}

/// A place as x, y and height.
fn turned([first, second, z]: Vertex, system: &System) -> Vertex {
    match system.turned {
        true => [second, first, z],
        false => [first, second, z],
    }
}

/// Why a geometry is not read, with the places of it that can be.
pub(super) fn unread(why: String, tree: &Tree, reading: Reading, system: &System) -> Unread {
    let mut places = Vec::new();
    any_places(tree, reading, &mut places);
    let mut column = GeometryColumn::default();
    for place in places {
        let [x, y, z] = turned(place, system);
        column.push_vertex(x, y, z.is_finite().then_some(z));
    }
    Unread::after(why, &column, 0)
}

/// The name of the system of a geometry: its own, or that of its first part that has one.
///
/// # Errors
/// If parts are in different systems.
pub(super) fn srs_name(tree: &Tree) -> Result<Option<&str>, String> {
    let mut found = tree.attribute("srsName").filter(|name| !name.is_empty());
    for child in &tree.children {
        match (found, srs_name(child)?) {
            (None, inner) => found = inner,
            (Some(one), Some(other)) if one != other => {
                return Err(format!("its parts are in several systems: `{one}` and `{other}`"));
            }
            _ => {}
        }
    }
    Ok(found)
}
