//! Geometries in Arrow columns.

mod in_words;
mod points;
mod shapes;

pub use in_words::readable;
pub(crate) use points::{Points, point_type};
pub(crate) use shapes::{Kind, Shapes};
