//! Geometries of many features as flat columns.
//!
//! Vertices lie in separate x, y and (optional) z buffers; offsets say which vertices make a
//! ring or line, which rings make a part, and which parts make a feature. Points are parts of
//! one ring of one vertex. Converting a million features is one pass over the buffers.

use super::{Geometry, Unread};
use std::fmt;
use std::ops::Range;
use velvet_peg_core::{Converter, Coordinate};

/// Kind of a geometry (ISO 19125 simple features).
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
#[allow(missing_docs)]
pub enum GeometryKind {
    Point,
    LineString,
    Polygon,
    MultiPoint,
    MultiLineString,
    MultiPolygon,
}

impl GeometryKind {
    /// Name in plain words.
    pub fn name(self) -> &'static str {
        match self {
            GeometryKind::Point => "point",
            GeometryKind::LineString => "line",
            GeometryKind::Polygon => "polygon",
            GeometryKind::MultiPoint => "multi-point",
            GeometryKind::MultiLineString => "multi-line",
            GeometryKind::MultiPolygon => "multi-polygon",
        }
    }

    /// The kind of its parts.
    pub fn single(self) -> GeometryKind {
        match self {
            GeometryKind::Point | GeometryKind::MultiPoint => GeometryKind::Point,
            GeometryKind::LineString | GeometryKind::MultiLineString => GeometryKind::LineString,
            GeometryKind::Polygon | GeometryKind::MultiPolygon => GeometryKind::Polygon,
        }
    }

    /// The kind that holds several of its parts.
    pub fn multi(self) -> GeometryKind {
        match self.single() {
            GeometryKind::Point => GeometryKind::MultiPoint,
            GeometryKind::LineString => GeometryKind::MultiLineString,
            _ => GeometryKind::MultiPolygon,
        }
    }

    /// True for a kind that may have several parts.
    pub fn is_multi(self) -> bool {
        self == self.multi()
    }
}

/// The geometries of a batch of features.
#[derive(Clone, Debug, Default)]
pub struct GeometryColumn {
    kinds: Vec<Option<GeometryKind>>,
    feature_parts: Vec<usize>,
    part_rings: Vec<usize>,
    ring_vertices: Vec<usize>,
    /// Longitudes or eastings of all vertices.
    pub x: Vec<f64>,
    /// Latitudes or northings of all vertices.
    pub y: Vec<f64>,
    /// Heights of all vertices; empty if there are none.
    pub z: Vec<f64>,
    /// Measures (distances along a line, and the like) of all vertices; empty if there are
    /// none. Converting leaves them alone.
    pub m: Vec<f64>,
}

impl GeometryColumn {
    /// An empty column.
    pub fn new() -> GeometryColumn {
        GeometryColumn::default()
    }

    /// Number of features.
    pub fn len(&self) -> usize {
        self.kinds.len()
    }

    /// True if there is no feature.
    pub fn is_empty(&self) -> bool {
        self.kinds.is_empty()
    }

    /// Bytes that it takes in memory, or little more.
    pub(crate) fn bytes(&self) -> usize {
        let offsets = [&self.feature_parts, &self.part_rings, &self.ring_vertices];
        let values = [&self.x, &self.y, &self.z, &self.m];
        self.kinds.len()
            + offsets.map(|of| size_of_val(of.as_slice())).iter().sum::<usize>()
            + values.map(|of| size_of_val(of.as_slice())).iter().sum::<usize>()
    }

    /// True if vertices have heights.
    pub fn has_z(&self) -> bool {
        !self.z.is_empty()
    }

    /// True if vertices have measures.
    pub fn has_m(&self) -> bool {
        !self.m.is_empty()
    }

    /// A vertex; its height is not a number where there is none.
    pub(crate) fn vertex(&self, at: usize) -> Coordinate {
        let z = self.z.get(at).copied().unwrap_or(f64::NAN);
        Coordinate { x: self.x[at], y: self.y[at], z }
    }

    /// Kind of each feature's geometry; none where it has none.
    pub fn kinds(&self) -> &[Option<GeometryKind>] {
        &self.kinds
    }

    /// Vertices of a feature.
    pub fn vertices(&self, feature: usize) -> Range<usize> {
        let parts = self.parts(feature);
        if parts.is_empty() {
            return 0..0;
        }
        let first = self.rings(parts.start).start;
        let last = self.rings(parts.end - 1).end;
        let end = if last == 0 { 0 } else { self.ring_vertices[last - 1] };
        let start = if first == 0 { 0 } else { self.ring_vertices[first - 1] };
        start..end
    }

    /// Parts of a feature.
    pub fn parts(&self, feature: usize) -> Range<usize> {
        start_of(&self.feature_parts, feature)..self.feature_parts[feature]
    }

    /// Rings (or the one line) of a part.
    pub fn rings(&self, part: usize) -> Range<usize> {
        start_of(&self.part_rings, part)..self.part_rings[part]
    }

    /// Vertices of a ring or line.
    pub fn ring(&self, ring: usize) -> Range<usize> {
        start_of(&self.ring_vertices, ring)..self.ring_vertices[ring]
    }

    /// Converts all vertices in place; gives the number of those that cannot be converted and
    /// are marked as no number.
    pub(crate) fn convert(&mut self, converter: &Converter) -> usize {
        if converter.target().is_geocentric() {
            // There is no place in three dimensions without a height: it counts as 0.
            self.z.resize(self.x.len(), f64::NAN);
            self.z.iter_mut().filter(|z| !z.is_finite()).for_each(|z| *z = 0.0);
        }
        let z = if self.z.is_empty() { None } else { Some(self.z.as_mut_slice()) };
        converter.convert_columns(&mut self.x, &mut self.y, z)
    }

    /// Heights of a feature, of the vertices that have one.
    pub fn heights(&self, feature: usize) -> impl Iterator<Item = f64> {
        let z = if self.has_z() { &self.z[self.vertices(feature)] } else { &[] };
        z.iter().copied().filter(|z| z.is_finite())
    }

    /// True if a vertex of the feature has a height.
    pub fn has_heights(&self, feature: usize) -> bool {
        self.heights(feature).next().is_some()
    }

    /// Number of vertices without a height.
    pub(crate) fn flat_vertices(&self) -> u64 {
        let known = self.z.iter().filter(|z| z.is_finite()).count();
        (self.x.len() - known) as u64
    }

    /// Takes away the heights (or measures) of features that do not have one at every vertex;
    /// gives the number of these features.
    pub(crate) fn drop_partial(&mut self, measures: bool) -> u64 {
        let mut dropped = 0;
        for feature in 0..self.len() {
            let range = self.vertices(feature);
            let values = if measures { &mut self.m } else { &mut self.z };
            let Some(values) = values.get_mut(range) else { continue };
            let known = values.iter().filter(|value| value.is_finite()).count();
            if known > 0 && known < values.len() {
                values.fill(f64::NAN);
                dropped += 1;
            }
        }
        dropped
    }

    /// Adds a vertex to the ring being built.
    pub fn push_vertex(&mut self, x: f64, y: f64, z: Option<f64>) {
        self.x.push(x);
        self.y.push(y);
        if let Some(z) = z {
            // Vertices before the first height have none.
            self.z.resize(self.x.len() - 1, f64::NAN);
            self.z.push(z);
        } else if self.has_z() {
            self.z.push(f64::NAN);
        }
        if self.has_m() {
            self.m.push(f64::NAN);
        }
    }

    /// Adds a vertex given as x, y, height and measure, which are not numbers where there are none.
    pub(crate) fn push_curve_vertex(&mut self, [x, y, z, m]: [f64; 4]) {
        self.push_vertex(x, y, z.is_finite().then_some(z));
        if m.is_finite() {
            self.set_measure(m);
        }
    }

    /// Takes a vertex out of the ring being built.
    pub(crate) fn remove_vertex(&mut self, at: usize) {
        for values in [&mut self.x, &mut self.y, &mut self.z, &mut self.m] {
            if at < values.len() {
                values.remove(at);
            }
        }
    }

    /// Gives the vertex pushed last its measure.
    pub fn set_measure(&mut self, m: f64) {
        // Vertices before the first measure have none.
        self.m.resize(self.x.len(), f64::NAN);
        if let Some(last) = self.m.last_mut() {
            *last = m;
        }
    }

    /// Ends the ring or line being built.
    pub fn end_ring(&mut self) {
        self.ring_vertices.push(self.x.len());
    }

    /// Ends the part being built.
    pub fn end_part(&mut self) {
        self.part_rings.push(self.ring_vertices.len());
    }

    /// Parts of the feature being built.
    pub(crate) fn open_parts(&self) -> usize {
        self.part_rings.len() - self.feature_parts.last().copied().unwrap_or(0)
    }

    /// Ends the feature being built; no kind for a feature without geometry.
    pub fn end_feature(&mut self, kind: Option<GeometryKind>) {
        self.kinds.push(kind);
        self.feature_parts.push(self.part_rings.len());
    }

    /// Adds the feature that `read` pushes, with the kind it gives; where it fails, the column
    /// is as it was, and what was pushed is told.
    pub(crate) fn attempt(
        &mut self,
        read: impl FnOnce(&mut GeometryColumn) -> Result<Option<GeometryKind>, String>,
    ) -> Result<(), Unread> {
        let (parts, rings, vertices) =
            (self.part_rings.len(), self.ring_vertices.len(), self.x.len());
        match read(self) {
            Ok(kind) => {
                self.end_feature(kind);
                Ok(())
            }
            Err(why) => {
                let unread = Unread::after(why, self, vertices);
                self.part_rings.truncate(parts);
                self.ring_vertices.truncate(rings);
                for values in [&mut self.x, &mut self.y, &mut self.z, &mut self.m] {
                    values.truncate(vertices);
                }
                Err(unread)
            }
        }
    }

    /// Takes the last features away again, and gives their geometries as well-known text.
    pub(crate) fn take_back(&mut self, features: usize) -> String {
        let first = self.len().saturating_sub(features);
        let texts: Vec<String> = (first..self.len()).map(|at| self.text_of(at)).collect();
        let kept = start_of(&self.feature_parts, first);
        let rings = start_of(&self.part_rings, kept);
        let vertices = start_of(&self.ring_vertices, rings);
        self.kinds.truncate(first);
        self.feature_parts.truncate(first);
        self.part_rings.truncate(kept);
        self.ring_vertices.truncate(rings);
        for values in [&mut self.x, &mut self.y, &mut self.z, &mut self.m] {
            values.truncate(vertices);
        }
        texts.join("; ")
    }

    /// Adds a point.
    pub fn push_point(&mut self, x: f64, y: f64, z: Option<f64>) {
        self.push_vertex(x, y, z);
        self.end_ring();
        self.end_part();
        self.end_feature(Some(GeometryKind::Point));
    }

    /// Adds one geometry, as it is.
    pub fn push(&mut self, geometry: &Geometry) {
        self.push_parts(geometry);
        self.end_feature(geometry.kind());
    }

    fn push_parts(&mut self, geometry: &Geometry) {
        let mut ring = |vertices: &mut dyn Iterator<Item = (f64, f64, Option<f64>)>| {
            vertices.for_each(|(x, y, z)| self.push_vertex(x, y, z));
            self.end_ring();
        };
        let flat = |(x, y): &(f64, f64)| (*x, *y, None);
        let high = |(x, y, z): &(f64, f64, f64)| (*x, *y, Some(*z));
        match geometry {
            Geometry::Point(at) => ring(&mut std::iter::once(flat(at))),
            Geometry::PointZ(at) => ring(&mut std::iter::once(high(at))),
            Geometry::LineString(vertices) => ring(&mut vertices.iter().map(flat)),
            Geometry::LineStringZ(vertices) => ring(&mut vertices.iter().map(high)),
            Geometry::Polygon(rings) => {
                rings.iter().for_each(|vertices| ring(&mut vertices.iter().map(flat)));
            }
            Geometry::PolygonZ(rings) => {
                rings.iter().for_each(|vertices| ring(&mut vertices.iter().map(high)));
            }
            Geometry::Multi(parts) => return parts.iter().for_each(|part| self.push_parts(part)),
        }
        self.end_part();
    }

    /// Copies one feature of another column to the end of this one.
    pub fn push_from(&mut self, other: &GeometryColumn, feature: usize) {
        for part in other.parts(feature) {
            self.push_part(other, part);
        }
        self.end_feature(other.kinds[feature]);
    }

    /// Copies one part of another column to the feature being built.
    pub(crate) fn push_part(&mut self, other: &GeometryColumn, part: usize) {
        for ring in other.rings(part) {
            for at in other.ring(ring) {
                let z = other.z.get(at).copied();
                self.push_vertex(other.x[at], other.y[at], z);
                if let Some(m) = other.m.get(at) {
                    self.set_measure(*m);
                }
            }
            self.end_ring();
        }
        self.end_part();
    }

    /// The kind that all geometries have, a multi-kind if both forms occur, or none if they
    /// are mixed (or there are none).
    pub fn common_kind(&self) -> Option<GeometryKind> {
        common_kind(self.kinds.iter().flatten().copied())
    }
}

/// The kind that all given kinds fit, if there is one.
pub(crate) fn common_kind(kinds: impl IntoIterator<Item = GeometryKind>) -> Option<GeometryKind> {
    let mut common: Option<GeometryKind> = None;
    for kind in kinds {
        common = match common {
            None => Some(kind),
            Some(known) if known == kind => Some(known),
            Some(known) if known.single() == kind.single() => Some(kind.multi()),
            Some(_) => return None,
        };
    }
    common
}

fn start_of(offsets: &[usize], at: usize) -> usize {
    if at == 0 { 0 } else { offsets[at - 1] }
}

/// Its name, such as `multilinestring`.
impl fmt::Display for GeometryKind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())
    }
}
