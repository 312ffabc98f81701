//! Which polygons points fall in: row by row, and as a join that asks an index of the polygons instead of comparing
//! every point with every polygon.

mod codec;
mod index;
mod join;
mod planner;
mod relation;
mod rule;

pub(crate) use codec::Codec;
pub(crate) use index::regions;
pub(crate) use planner::{Planner, with_rule};
pub(crate) use relation::{Relation, TOLERANCE_M, Test, middle};
