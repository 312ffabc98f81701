//! Which polygons points fall in: row by row, and as a join that asks an index of the polygons instead of comparing
//! every point with every polygon.

mod index;
mod join;
mod relation;
mod rule;

pub(crate) use index::regions;
pub(crate) use join::{How, PolygonJoin};
pub(crate) use relation::{POLYGON_FIRST, Relation, TOLERANCE_M, Test, middle};
pub(crate) use rule::{POINTS_IN_POLYGONS, PointsInPolygons};
