//! The content of one record: points, multi-points, lines and polygons, with heights and
//! measures, to and from bytes.

use super::{NO_MEASURE, NULL};
use crate::layer::{GeometryColumn, GeometryKind, Unread};
use std::ops::Range;
use velvet_peg_core::planar::{self, Enclosing, Ring};

/// Reads the content of a record into a column as one feature, or says what is wrong with it.
pub(super) fn read(bytes: &[u8], column: &mut GeometryColumn) -> Result<(), Unread> {
    column.attempt(|column| Reader { bytes, at: 0 }.shape(column))
}

struct Reader<'a> {
    bytes: &'a [u8],
    at: usize,
}

impl Reader<'_> {
    fn take<const N: usize>(&mut self) -> Result<[u8; N], String> {
        let taken = self.bytes.get(self.at..self.at + N).and_then(|part| part.try_into().ok());
        self.at += N;
        taken.ok_or_else(|| "the record is too short for what it says it holds".to_string())
    }

    fn word(&mut self) -> Result<i32, String> {
        self.take().map(i32::from_le_bytes)
    }

    fn number(&mut self) -> Result<f64, String> {
        self.take().map(f64::from_le_bytes)
    }

    fn count(&mut self, size: usize) -> Result<usize, String> {
        let count = self.word()?;
        let left = self.bytes.len().saturating_sub(self.at);
        usize::try_from(count)
            .ok()
            .filter(|count| count.saturating_mul(size) <= left)
            .ok_or_else(|| format!("the record says that it holds {count} of something"))
    }

    fn shape(&mut self, column: &mut GeometryColumn) -> Result<Option<GeometryKind>, String> {
        let kind = self.word()?;
        // Types: 1, 3, 5, 8 flat; + 10 with heights; + 20 with measures only.
        let (z, m) = (matches!(kind, 11 | 13 | 15 | 18), matches!(kind, 21 | 23 | 25 | 28));
        match kind {
            NULL => Ok(None),
            1 | 11 | 21 => {
                let (x, y) = (self.finite()?, self.finite()?);
                let height = if z { Some(self.number()?) } else { None };
                // Some writers leave the measure out.
                let has = m || (z && self.at + 8 <= self.bytes.len());
                let measure = if has { Some(self.number()?) } else { None };
                column.push_vertex(x, y, height);
                if let Some(measure) = measure.filter(|m| *m > NO_MEASURE) {
                    column.set_measure(measure);
                }
                column.end_ring();
                column.end_part();
                Ok(Some(GeometryKind::Point))
            }
            8 | 18 | 28 => {
                self.at += 32;
                let count = self.count(16)?;
                self.vertices(column, &[], count, z, m)?;
                Ok((count > 0).then_some(GeometryKind::MultiPoint))
            }
            3 | 5 | 13 | 15 | 23 | 25 => {
                self.at += 32;
                let (parts, count) = (self.word()?, self.word()?);
                let (Ok(parts), Ok(count)) = (usize::try_from(parts), usize::try_from(count))
                else {
                    return Err("the record counts its parts below zero".to_string());
                };
                if parts.saturating_mul(4).saturating_add(count.saturating_mul(16))
                    > self.bytes.len().saturating_sub(self.at)
                {
                    return Err(format!("the record is too short for {count} vertices"));
                }
                let mut starts = Vec::with_capacity(parts);
                for _ in 0..parts {
                    let start = usize::try_from(self.word()?).unwrap_or(usize::MAX);
                    if start > count || starts.last().is_some_and(|last| start < *last) {
                        return Err("the parts of the record are not in order".to_string());
                    }
                    starts.push(start);
                }
                if starts.first().is_some_and(|first| *first != 0) {
                    return Err("the parts of the record do not begin at its first vertex".into());
                }
                let mut flat = GeometryColumn::new();
                self.vertices(&mut flat, &starts, count, z, m)?;
                let polygon = kind % 10 == 5;
                Ok(if polygon { polygons(&flat, column) } else { lines(&flat, column) })
            }
            31 => Err("surfaces of patches are not read".to_string()),
            other => Err(format!("the record is of type {other}, which there is not")),
        }
    }

    fn finite(&mut self) -> Result<f64, String> {
        let number = self.number()?;
        match number.is_finite() {
            true => Ok(number),
            false => Err("a coordinate is not a number".to_string()),
        }
    }

    /// Vertices as rings that begin at these places, one vertex a ring if there are none.
    fn vertices(
        &mut self,
        column: &mut GeometryColumn,
        starts: &[usize],
        count: usize,
        z: bool,
        m: bool,
    ) -> Result<(), String> {
        let places: Vec<(f64, f64)> = (0..count)
            .map(|_| Ok((self.finite()?, self.finite()?)))
            .collect::<Result<_, String>>()?;
        let mut series = |needed: bool, has: bool| -> Result<Vec<f64>, String> {
            let there = self.at + 16 + 8 * count <= self.bytes.len();
            if !has || (!needed && !there) {
                return Ok(Vec::new());
            }
            self.at += 16;
            (0..count).map(|_| self.number()).collect()
        };
        let heights = series(true, z)?;
        // With heights, measures may be left out.
        let measures = series(m, z || m)?;
        let any = measures.iter().any(|m| *m > NO_MEASURE);
        let single = starts.is_empty();
        let mut starts = starts.iter().skip_while(|start| **start == 0).peekable();
        for (at, (x, y)) in places.into_iter().enumerate() {
            if starts.next_if(|start| **start == at).is_some() {
                column.end_ring();
                column.end_part();
                // Parts without a vertex.
                while starts.next_if(|start| **start == at).is_some() {}
            }
            column.push_vertex(x, y, heights.get(at).copied());
            if any {
                let measure = measures[at];
                column.set_measure(if measure > NO_MEASURE { measure } else { f64::NAN });
            }
            if single {
                column.end_ring();
                column.end_part();
            }
        }
        if !single && count > 0 {
            column.end_ring();
            column.end_part();
        }
        Ok(())
    }
}

fn copy(from: &GeometryColumn, ring: Range<usize>, to: &mut GeometryColumn) {
    for at in ring {
        to.push_vertex(from.x[at], from.y[at], from.z.get(at).copied());
        if let Some(m) = from.m.get(at) {
            to.set_measure(*m);
        }
    }
    to.end_ring();
}

/// The rings of a column in which each is a part of its own.
fn rings(flat: &GeometryColumn) -> Vec<Range<usize>> {
    (0..flat.open_parts()).map(|part| flat.ring(part)).filter(|ring| !ring.is_empty()).collect()
}

fn lines(flat: &GeometryColumn, column: &mut GeometryColumn) -> Option<GeometryKind> {
    let rings = rings(flat);
    let count = rings.len();
    for ring in rings {
        copy(flat, ring, column);
        column.end_part();
    }
    match count {
        0 => None,
        1 => Some(GeometryKind::LineString),
        _ => Some(GeometryKind::MultiLineString),
    }
}

/// Rings run clockwise outside and the other way round holes; a hole goes with the smallest outer ring
/// that holds it, or with the last one where none does.
fn polygons(flat: &GeometryColumn, column: &mut GeometryColumn) -> Option<GeometryKind> {
    let area =
        |ring: &Range<usize>| planar::ring_area(&flat.x[ring.clone()], &flat.y[ring.clone()]);
    let (mut holes, mut outer): (Vec<_>, Vec<_>) =
        rings(flat).into_iter().partition(|ring| area(ring) > 0.0);
    if outer.is_empty() {
        // Written the wrong way round.
        std::mem::swap(&mut holes, &mut outer);
    }
    let count = outer.len();
    let mut holes_of: Vec<Vec<Range<usize>>> = vec![Vec::new(); count];
    // With one outer ring nothing is to be told.
    let homes = if count > 1 && !holes.is_empty() {
        let rings: Vec<Ring<'_>> = outer
            .iter()
            .chain(&holes)
            .map(|ring| Ring { x: &flat.x[ring.clone()], y: &flat.y[ring.clone()] })
            .collect();
        Enclosing::of(&rings).nearest(&|ring| ring < count).split_off(count)
    } else {
        vec![None; holes.len()]
    };
    for (hole, home) in holes.into_iter().zip(homes) {
        holes_of[home.unwrap_or(count - 1)].push(hole);
    }
    for (outline, holes) in outer.into_iter().zip(holes_of) {
        copy(flat, outline, column);
        holes.into_iter().for_each(|hole| copy(flat, hole, column));
        column.end_part();
    }
    match count {
        0 => None,
        1 => Some(GeometryKind::Polygon),
        _ => Some(GeometryKind::MultiPolygon),
    }
}

/// What a file of shapes holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct ShapeType {
    pub(super) kind: GeometryKind,
    pub(super) z: bool,
    pub(super) m: bool,
}

impl ShapeType {
    /// The number of the type.
    pub(super) fn code(self) -> i32 {
        let flat = match self.kind {
            GeometryKind::Point => 1,
            GeometryKind::MultiPoint => 8,
            kind if kind.single() == GeometryKind::LineString => 3,
            _ => 5,
        };
        match (self.z, self.m) {
            (true, _) => flat + 10,
            (false, true) => flat + 20,
            (false, false) => flat,
        }
    }
}

/// The content of a record for a feature.
pub(super) fn write(column: &GeometryColumn, feature: usize, of: ShapeType) -> Vec<u8> {
    let mut bytes = of.code().to_le_bytes().to_vec();
    // The vertices in the order in which they are written, ring by ring.
    let mut order: Vec<usize> = Vec::new();
    let mut starts: Vec<i32> = Vec::new();
    for part in column.parts(feature) {
        for (number, ring) in column.rings(part).enumerate() {
            let range = column.ring(ring);
            starts.push(order.len() as i32);
            let before = order.len();
            order.extend(range.clone());
            if of.kind.single() == GeometryKind::Polygon {
                if crate::format_support::wkt::closes(column, &range) {
                    order.push(range.start);
                }
                let area = planar::ring_area(&column.x[range.clone()], &column.y[range]);
                // Outer rings run clockwise.
                if (area < 0.0) != (number == 0) {
                    order[before..].reverse();
                }
            }
        }
    }
    let mut number = |value: f64| bytes.extend(value.to_le_bytes());
    let z = |at: &usize| column.z.get(*at).copied().filter(|z| z.is_finite()).unwrap_or(0.0);
    // What stands for no measure.
    let m = |at: &usize| column.m.get(*at).copied().filter(|m| m.is_finite()).unwrap_or(-1e39);
    if of.kind == GeometryKind::Point {
        let at = order[0];
        number(column.x[at]);
        number(column.y[at]);
        if of.z {
            number(z(&at));
        }
        if of.z || of.m {
            number(m(&at));
        }
        return bytes;
    }
    let bounds = |values: &dyn Fn(&usize) -> f64| {
        order.iter().map(values).fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), value| {
            (low.min(value), high.max(value))
        })
    };
    let (x, y) = (bounds(&|at| column.x[*at]), bounds(&|at| column.y[*at]));
    [x.0, y.0, x.1, y.1].into_iter().for_each(&mut number);
    if of.kind != GeometryKind::MultiPoint {
        bytes.extend((starts.len() as i32).to_le_bytes());
    }
    bytes.extend((order.len() as i32).to_le_bytes());
    if of.kind != GeometryKind::MultiPoint {
        starts.iter().for_each(|start| bytes.extend(start.to_le_bytes()));
    }
    let mut number = |value: f64| bytes.extend(value.to_le_bytes());
    for at in &order {
        number(column.x[*at]);
        number(column.y[*at]);
    }
    let mut series = |values: &dyn Fn(&usize) -> f64| {
        let (low, high) = bounds(values);
        number(low);
        number(high);
        order.iter().for_each(|at| number(values(at)));
    };
    if of.z {
        series(&z);
    }
    if of.m || (of.z && column.has_m()) {
        series(&m);
    }
    bytes
}
