//! The geometry blob: GeoPackage's header (12-128r18 clause 2.1.3) before ISO well-known
//! binary (ISO 19125, ISO 13249-3).

use crate::layer::{GeometryColumn, GeometryKind};

/// Writes the blob of a feature; none for a feature without geometry.
pub(super) fn write(column: &GeometryColumn, feature: usize, srs_id: i32) -> Option<Vec<u8>> {
    let kind = column.kinds()[feature]?;
    let vertices = column.vertices(feature);
    let mut bytes = Vec::with_capacity(64 + vertices.len() * 24);
    bytes.extend(b"GP\0");
    let point = kind == GeometryKind::Point;
    // Little endian; an envelope of x and y for all but points.
    bytes.push(if point { 0x01 } else { 0x03 });
    bytes.extend(srs_id.to_le_bytes());
    if !point {
        let bounds = |values: &[f64]| {
            values.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), value| {
                (low.min(*value), high.max(*value))
            })
        };
        let (x, y) = (bounds(&column.x[vertices.clone()]), bounds(&column.y[vertices.clone()]));
        for limit in [x.0, x.1, y.0, y.1] {
            bytes.extend(limit.to_le_bytes());
        }
    }
    let z = column.has_z() && vertices.clone().all(|at| column.z[at].is_finite());
    if kind.is_multi() {
        head(&mut bytes, code(kind), z, column.parts(feature).len());
    }
    for part in column.parts(feature) {
        match kind.single() {
            GeometryKind::Point => {
                start(&mut bytes, 1, z);
                for at in column.ring(column.rings(part).start) {
                    vertex(&mut bytes, column, at, z);
                }
            }
            GeometryKind::Line => {
                let ring = column.ring(column.rings(part).start);
                head(&mut bytes, 2, z, ring.len());
                ring.for_each(|at| vertex(&mut bytes, column, at, z));
            }
            _ => {
                let rings = column.rings(part);
                head(&mut bytes, 3, z, rings.len());
                for ring in rings {
                    let ring = column.ring(ring);
                    let same = |a: usize, b: usize| {
                        column.x[a] == column.x[b] && column.y[a] == column.y[b]
                    };
                    let open = !ring.is_empty() && !same(ring.start, ring.end - 1);
                    let count = ring.len() + usize::from(open);
                    bytes.extend((count as u32).to_le_bytes());
                    ring.clone().for_each(|at| vertex(&mut bytes, column, at, z));
                    if open {
                        vertex(&mut bytes, column, ring.start, z);
                    }
                }
            }
        }
    }
    Some(bytes)
}

fn code(kind: GeometryKind) -> u32 {
    match kind {
        GeometryKind::Point => 1,
        GeometryKind::Line => 2,
        GeometryKind::Polygon => 3,
        GeometryKind::MultiPoint => 4,
        GeometryKind::MultiLine => 5,
        GeometryKind::MultiPolygon => 6,
    }
}

fn start(bytes: &mut Vec<u8>, kind: u32, z: bool) {
    bytes.push(1);
    bytes.extend((kind + if z { 1000 } else { 0 }).to_le_bytes());
}

fn head(bytes: &mut Vec<u8>, kind: u32, z: bool, count: usize) {
    start(bytes, kind, z);
    bytes.extend((count as u32).to_le_bytes());
}

fn vertex(bytes: &mut Vec<u8>, column: &GeometryColumn, at: usize, z: bool) {
    bytes.extend(column.x[at].to_le_bytes());
    bytes.extend(column.y[at].to_le_bytes());
    if z {
        bytes.extend(column.z[at].to_le_bytes());
    }
}

/// Reads a blob into a column, or says what is wrong with it.
pub(super) fn read(bytes: &[u8], column: &mut GeometryColumn) -> Result<(), String> {
    if bytes.len() < 8 || &bytes[..2] != b"GP" {
        return Err("the geometry does not begin like a GeoPackage geometry".into());
    }
    let flags = bytes[3];
    let envelope = match flags >> 1 & 7 {
        0 => 0,
        1 => 32,
        2 | 3 => 48,
        4 => 64,
        other => {
            return Err(format!("the geometry has an envelope of unknown kind {other}"));
        }
    };
    let mut reader = Reader { bytes, at: 8 + envelope, little: true };
    if flags & 0x10 != 0 {
        column.end_feature(None);
        return Ok(());
    }
    let kind = reader.geometry(column, None)?;
    column.end_feature(kind);
    Ok(())
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
        let kind = match code {
            1 => GeometryKind::Point,
            2 => GeometryKind::Line,
            3 => GeometryKind::Polygon,
            4 => GeometryKind::MultiPoint,
            5 => GeometryKind::MultiLine,
            6 => GeometryKind::MultiPolygon,
            other => {
                return Err(format!(
                    "a geometry of type {other} (curve, surface or collection) cannot be read"
                ));
            }
        };
        if part_of.is_some_and(|outer| outer.single() != kind) {
            return Err("a part of the geometry is of another kind".into());
        }
        let size = 16 + if z { 8 } else { 0 } + if m { 8 } else { 0 };
        match kind {
            GeometryKind::Point => {
                let (x, y) = (self.number()?, self.number()?);
                let height = if z { Some(self.number()?) } else { None };
                if m {
                    self.number()?;
                }
                if x.is_nan() && y.is_nan() {
                    return Ok(None);
                }
                column.push_vertex(x, y, height);
                column.end_ring();
                column.end_part();
            }
            GeometryKind::Line | GeometryKind::Polygon => {
                let rings = if kind == GeometryKind::Polygon { self.count(4)? } else { 1 };
                for _ in 0..rings {
                    for _ in 0..self.count(size)? {
                        let (x, y) = (self.number()?, self.number()?);
                        let height = if z { Some(self.number()?) } else { None };
                        if m {
                            self.number()?;
                        }
                        column.push_vertex(x, y, height);
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
