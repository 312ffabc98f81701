//! The geometry blob: GeoPackage's header (12-128r18 clause 2.1.3) before well-known binary.

use crate::format_support::wkb;
use crate::layer::{GeometryColumn, GeometryKind, Taken, Unread};

/// The blob of a feature, in place of what `bytes` holds; none for a feature without geometry.
pub(super) fn write<'a>(
    column: &GeometryColumn,
    feature: usize,
    srs_id: i32,
    bytes: &'a mut Vec<u8>,
) -> Option<&'a [u8]> {
    let kind = column.kinds()[feature]?;
    let vertices = column.vertices(feature);
    bytes.clear();
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
    wkb::write(column, feature, kind, bytes);
    Some(bytes)
}

/// True for a blob of a collection, a curve or a surface: one that is no point, line or polygon, nor
/// several of one of these.
pub(super) fn may_be_taken_apart(bytes: &[u8]) -> bool {
    let envelope = match bytes.get(3).map(|flags| flags >> 1 & 7) {
        Some(1) => 32,
        Some(2 | 3) => 48,
        Some(4) => 64,
        _ => 0,
    };
    let head: Option<[u8; 5]> =
        bytes.get(8 + envelope..13 + envelope).and_then(|head| head.try_into().ok());
    head.is_some_and(|[little, word @ ..]| {
        let word = if little == 1 { u32::from_le_bytes(word) } else { u32::from_be_bytes(word) };
        wkb::kind_of((word & 0x0FFF_FFFF) % 1000).is_none()
    })
}

/// Reads a blob into a column, or says what is wrong with it.
pub(super) fn read(
    bytes: &[u8],
    column: &mut GeometryColumn,
    tolerance: f64,
) -> Result<Taken, Unread> {
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
            return Err(format!("the geometry has an envelope of unknown kind {other}").into());
        }
    };
    if flags & 0x10 != 0 {
        column.end_feature(None);
        return Ok(Taken::default());
    }
    let body = bytes.get(8 + envelope..).ok_or("the geometry is cut short")?;
    wkb::read(body, column, tolerance)
}
