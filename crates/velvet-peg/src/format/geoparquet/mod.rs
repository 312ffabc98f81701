//! GeoParquet 1.1, in (geometries as WKB or in the native encodings) and out (as WKB, with
//! kinds, box and reference system in the metadata). Coordinates are x, y whatever the order
//! of the system's axes, as the standard says.

mod attributes;
mod native;
mod read;
mod write;

pub(super) use read::open;
pub(super) use write::Writer;

use crate::layer::GeometryKind;

/// The key of the metadata.
const KEY: &str = "geo";

/// The name of a kind in the metadata.
fn kind_name(kind: GeometryKind) -> &'static str {
    match kind {
        GeometryKind::Point => "Point",
        GeometryKind::Line => "LineString",
        GeometryKind::Polygon => "Polygon",
        GeometryKind::MultiPoint => "MultiPoint",
        GeometryKind::MultiLine => "MultiLineString",
        GeometryKind::MultiPolygon => "MultiPolygon",
    }
}
