//! Geometries in Arrow columns.

mod in_words;
mod points;
mod separated;
mod shapes;

pub use in_words::readable;
pub(crate) use points::Points;
pub(crate) use separated::point_type;
pub(crate) use shapes::{Kind, Shapes};
