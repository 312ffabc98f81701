//! Well-known binary of geometries (ISO 19125-1, ISO 13249-3): little-endian out, either order
//! and the older extended form (dimensions as high bits, a reference system inside) in.

use super::wkt::closes;
use crate::layer::{GeometryColumn, GeometryKind};

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

/// Reads one feature into a column, or says what is wrong with it.
pub(crate) fn read(bytes: &[u8], column: &mut GeometryColumn) -> Result<(), String> {
    column.attempt(|column| Reader { bytes, at: 0, little: true }.geometry(column, None))
}

struct Reader<'a> {
    bytes: &'a [u8],
    at: usize,
    little: bool,
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

    /// Reads a vertex; false for that of an empty point, which is not a number.
    fn vertex(&mut self, column: &mut GeometryColumn, z: bool, m: bool) -> Result<bool, String> {
        let (x, y) = (self.number()?, self.number()?);
        let height = if z { Some(self.number()?) } else { None };
        let measure = if m { Some(self.number()?) } else { None };
        if x.is_nan() && y.is_nan() {
            return Ok(false);
        }
        column.push_vertex(x, y, height);
        if let Some(measure) = measure {
            column.set_measure(measure);
        }
        Ok(true)
    }

    /// Reads one geometry; parts of a multi-geometry must be of its single kind.
    fn geometry(
        &mut self,
        column: &mut GeometryColumn,
        part_of: Option<GeometryKind>,
    ) -> Result<Option<GeometryKind>, String> {
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
        let kind = kind_of(code).ok_or_else(|| {
            format!("a geometry of type {code} (curve, surface or collection) cannot be read")
        })?;
        if part_of.is_some_and(|outer| outer.single() != kind) {
            return Err("a part of the geometry is of another kind".into());
        }
        let size = 16 + if z { 8 } else { 0 } + if m { 8 } else { 0 };
        match kind {
            GeometryKind::Point => {
                if !self.vertex(column, z, m)? {
                    return Ok(None);
                }
                column.end_ring();
                column.end_part();
            }
            GeometryKind::LineString | GeometryKind::Polygon => {
                let rings = if kind == GeometryKind::Polygon { self.count(4)? } else { 1 };
                for _ in 0..rings {
                    for _ in 0..self.count(size)? {
                        self.vertex(column, z, m)?;
                    }
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
}
