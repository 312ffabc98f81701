//! Geometries in Arrow columns.

mod points;
mod shapes;

pub(crate) use points::{Points, point_type};
pub(crate) use shapes::{Kind, Shapes};
