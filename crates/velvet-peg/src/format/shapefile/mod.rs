//! Shapefiles (technical description of 1998), in and out: geometry in `.shp` with its index
//! `.shx`, attributes in `.dbf` (in the encoding that `.cpg` names), the reference system in
//! `.prj`.
//!
//! Read and written here record by record: a damaged record has to spoil no other, and a
//! feature without a geometry has to be written as one.

mod read;
mod shape;
mod write;

pub(super) use read::open;
pub(super) use write::{Writer, stale_parts};

/// The number of a shape's type without a geometry.
const NULL: i32 = 0;

/// Below this value a measure stands for none (page 2).
const NO_MEASURE: f64 = -1e38;
