//! Well-known binary of geometries (ISO 19125-1, ISO 13249-3): little-endian out, either order
//! and the older extended form (dimensions as high bits, a reference system inside) in. Collections
//! become features of one kind each, curves lines.

use super::arc::{CurveVertex, circular_string};
use super::wkt::closes;
use crate::layer::{Collection, GeometryColumn, GeometryKind, Taken, Unread};

/// Which of the further dimensions the vertices of a feature have.
#[derive(Clone, Copy)]
struct Dimensions {
    z: bool,
    m: bool,
}

/// Appends a feature of this kind to bytes.
pub(crate) fn write(
    column: &GeometryColumn,
    feature: usize,
    kind: GeometryKind,
    bytes: &mut Vec<u8>,
) {
    // A vertex without a height among others that have one has no number for it.
    let any = |values: &[f64]| {
        !values.is_empty() && column.vertices(feature).any(|at| values[at].is_finite())
    };
    let d = Dimensions { z: any(&column.z), m: any(&column.m) };
    if kind.is_multi() {
        head(bytes, code(kind), d, column.parts(feature).len());
    }
    for part in column.parts(feature) {
        match kind.single() {
            GeometryKind::Point => {
                start(bytes, 1, d);
                for at in column.ring(column.rings(part).start) {
                    vertex(bytes, column, at, d);
                }
            }
            GeometryKind::LineString => {
                let ring = column.ring(column.rings(part).start);
                head(bytes, 2, d, ring.len());
                ring.for_each(|at| vertex(bytes, column, at, d));
            }
            _ => {
                let rings = column.rings(part);
                head(bytes, 3, d, rings.len());
                for ring in rings {
                    let ring = column.ring(ring);
                    let open = closes(column, &ring);
                    let count = ring.len() + usize::from(open);
                    bytes.extend((count as u32).to_le_bytes());
                    let first = ring.start;
                    ring.chain(open.then_some(first)).for_each(|at| vertex(bytes, column, at, d));
                }
            }
        }
    }
}

/// Number of a kind in two dimensions.
pub(crate) fn code(kind: GeometryKind) -> u32 {
    match kind {
        GeometryKind::Point => 1,
        GeometryKind::LineString => 2,
        GeometryKind::Polygon => 3,
        GeometryKind::MultiPoint => 4,
        GeometryKind::MultiLineString => 5,
        GeometryKind::MultiPolygon => 6,
    }
}

/// The kind of a number.
pub(crate) fn kind_of(code: u32) -> Option<GeometryKind> {
    Some(match code {
        1 => GeometryKind::Point,
        2 => GeometryKind::LineString,
        3 => GeometryKind::Polygon,
        4 => GeometryKind::MultiPoint,
        5 => GeometryKind::MultiLineString,
        6 => GeometryKind::MultiPolygon,
        _ => return None,
    })
}

/// The kind that a geometry of a number becomes: curves become lines (ISO 13249-3 clause 5.1.68).
fn becomes(code: u32) -> Option<GeometryKind> {
    kind_of(code).or(match code {
        CIRCULAR_STRING | COMPOUND_CURVE => Some(GeometryKind::LineString),
        CURVE_POLYGON | TRIANGLE => Some(GeometryKind::Polygon),
        11 => Some(GeometryKind::MultiLineString),
        // Surfaces of several kinds, of polygons, of triangles.
        12 | 15 | 16 => Some(GeometryKind::MultiPolygon),
        _ => None,
    })
}

const COLLECTION: u32 = 7;
const CIRCULAR_STRING: u32 = 8;
const COMPOUND_CURVE: u32 = 9;
const CURVE_POLYGON: u32 = 10;
const TRIANGLE: u32 = 17;

/// Collections in collections that are followed.
const DEEPEST: usize = 32;

fn start(bytes: &mut Vec<u8>, kind: u32, d: Dimensions) {
    bytes.push(1);
    let more = 1000 * u32::from(d.z) + 2000 * u32::from(d.m);
    bytes.extend((kind + more).to_le_bytes());
}

fn head(bytes: &mut Vec<u8>, kind: u32, d: Dimensions, count: usize) {
    start(bytes, kind, d);
    bytes.extend((count as u32).to_le_bytes());
}

fn vertex(bytes: &mut Vec<u8>, column: &GeometryColumn, at: usize, d: Dimensions) {
    let more = [d.z.then(|| column.z[at]), d.m.then(|| column.m[at])];
    for value in [Some(column.x[at]), Some(column.y[at])].into_iter().chain(more).flatten() {
        bytes.extend(value.to_le_bytes());
    }
}

/// Reads one record into a column, or says what is wrong with it; curves become lines within the
/// tolerance, in the units of the coordinates.
pub(crate) fn read(
    bytes: &[u8],
    column: &mut GeometryColumn,
    tolerance: f64,
) -> Result<Taken, Unread> {
    let mut reader = Reader { bytes, at: 0, little: true, tolerance, curves: 0 };
    if reader.is_collection() {
        let mut parts = Collection::default();
        reader.collection(&mut parts, 0)?;
        return Ok(Taken::collection(parts.finish(column), reader.curves));
    }
    column.attempt(|column| reader.geometry(column, None))?;
    Ok(Taken::one(reader.curves))
}

struct Reader<'a> {
    bytes: &'a [u8],
    at: usize,
    little: bool,
    tolerance: f64,
    /// Curves met.
    curves: u64,
}

/// What stands in front of a geometry.
struct Head {
    code: u32,
    d: Dimensions,
}

impl Reader<'_> {
    fn take<const N: usize>(&mut self) -> Result<[u8; N], String> {
        let end = self.at + N;
        let taken = self.bytes.get(self.at..end).and_then(|part| part.try_into().ok());
        self.at = end;
        taken.ok_or_else(|| "the geometry is cut short".to_string())
    }

    fn word(&mut self) -> Result<u32, String> {
        let bytes = self.take::<4>()?;
        Ok(if self.little { u32::from_le_bytes(bytes) } else { u32::from_be_bytes(bytes) })
    }

    fn number(&mut self) -> Result<f64, String> {
        let bytes = self.take::<8>()?;
        Ok(if self.little { f64::from_le_bytes(bytes) } else { f64::from_be_bytes(bytes) })
    }

    /// A count of things that take at least `size` bytes each, so that a broken count cannot
    /// ask for more than there is.
    fn count(&mut self, size: usize) -> Result<u32, String> {
        let count = self.word()?;
        match (count as usize).saturating_mul(size) <= self.bytes.len().saturating_sub(self.at) {
            true => Ok(count),
            false => Err("the geometry is cut short".to_string()),
        }
    }

    fn head(&mut self) -> Result<Head, String> {
        self.little = self.take::<1>()?[0] == 1;
        let raw = self.word()?;
        // ISO writes dimensions as thousands, the older extended form as high bits.
        let (code, z, m) = match raw & 0xE000_0000 {
            0 => (raw % 1000, matches!(raw / 1000, 1 | 3), matches!(raw / 1000, 2 | 3)),
            bits => (raw & 0xFF, bits & 0x8000_0000 != 0, bits & 0x4000_0000 != 0),
        };
        if raw & 0x2000_0000 != 0 {
            // The number of a reference system, in the extended form.
            self.word()?;
        }
        Ok(Head { code, d: Dimensions { z, m } })
    }

    fn is_collection(&mut self) -> bool {
        let at = self.at;
        let found = self.head().is_ok_and(|head| head.code == COLLECTION);
        self.at = at;
        found
    }

    fn collection(&mut self, parts: &mut Collection, depth: usize) -> Result<(), String> {
        if depth > DEEPEST {
            return Err(format!("collections in collections are read {DEEPEST} deep"));
        }
        self.head()?;
        for _ in 0..self.count(5)? {
            match self.is_collection() {
                true => self.collection(parts, depth + 1)?,
                false => parts.add(|column| self.geometry(column, None))?,
            }
        }
        Ok(())
    }

    /// Reads one geometry; parts of a multi-geometry must be of its single kind.
    fn geometry(
        &mut self,
        column: &mut GeometryColumn,
        part_of: Option<GeometryKind>,
    ) -> Result<Option<GeometryKind>, String> {
        let Head { code, d } = self.head()?;
        let kind = becomes(code)
            .ok_or_else(|| format!("a geometry of the unknown type {code} cannot be read"))?;
        if part_of.is_some_and(|outer| outer.single() != kind) {
            return Err("a part of the geometry is of another kind".into());
        }
        match kind {
            GeometryKind::Point => {
                if !self.vertex(column, d)? {
                    return Ok(None);
                }
                column.end_ring();
                column.end_part();
            }
            GeometryKind::LineString => {
                self.line(column, code, d)?;
                column.end_ring();
                column.end_part();
            }
            GeometryKind::Polygon => {
                let rings = self.count(4)?;
                for _ in 0..rings {
                    // Rings of curves are geometries of their own.
                    let (code, d) = match code {
                        CURVE_POLYGON => self.head().map(|head| (head.code, head.d))?,
                        _ => (2, d),
                    };
                    self.line(column, code, d)?;
                    column.end_ring();
                }
                if rings == 0 {
                    return Ok(None);
                }
                column.end_part();
            }
            multi => {
                let parts = self.count(5)?;
                for _ in 0..parts {
                    self.geometry(column, Some(multi))?;
                }
                if parts == 0 {
                    return Ok(None);
                }
            }
        }
        Ok(Some(kind))
    }

    /// Reads the vertices of a line or curve.
    fn line(
        &mut self,
        column: &mut GeometryColumn,
        code: u32,
        d: Dimensions,
    ) -> Result<(), String> {
        let size = 16 + if d.z { 8 } else { 0 } + if d.m { 8 } else { 0 };
        match code {
            2 => {
                for _ in 0..self.count(size)? {
                    self.vertex(column, d)?;
                }
            }
            CIRCULAR_STRING => {
                let count = self.count(size)?;
                let mut places = Vec::with_capacity(count as usize);
                for _ in 0..count {
                    places.push(self.place(d)?);
                }
                if !places.is_empty() {
                    self.curves += 1;
                    circular_string(&places, self.tolerance, &mut |vertex| {
                        column.push_curve_vertex(vertex);
                    })?;
                }
            }
            COMPOUND_CURVE => {
                for part in 0..self.count(9)? {
                    let Head { code, d } = self.head()?;
                    if !matches!(code, 2 | CIRCULAR_STRING) {
                        return Err(format!("a compound curve holds a part of type {code}"));
                    }
                    let before = column.x.len();
                    self.line(column, code, d)?;
                    // A part begins where the one before it ends.
                    if part > 0 && column.x.len() > before {
                        column.remove_vertex(before);
                    }
                }
            }
            other => return Err(format!("a ring is of type {other}, which is no line")),
        }
        Ok(())
    }

    fn place(&mut self, d: Dimensions) -> Result<CurveVertex, String> {
        let (x, y) = (self.number()?, self.number()?);
        let z = if d.z { self.number()? } else { f64::NAN };
        let m = if d.m { self.number()? } else { f64::NAN };
        Ok([x, y, z, m])
    }

    /// Reads a vertex; false for that of an empty point, which is not a number.
    fn vertex(&mut self, column: &mut GeometryColumn, d: Dimensions) -> Result<bool, String> {
        let (x, y) = (self.number()?, self.number()?);
        let height = if d.z { Some(self.number()?) } else { None };
        let measure = if d.m { Some(self.number()?) } else { None };
        if x.is_nan() && y.is_nan() {
            return Ok(false);
        }
        column.push_vertex(x, y, height);
        if let Some(measure) = measure {
            column.set_measure(measure);
        }
        Ok(true)
    }
}
