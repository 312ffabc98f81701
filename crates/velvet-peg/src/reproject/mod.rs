//! What is known and said of carrying data from one reference system to another.

mod area;
mod heights;
mod route_notices;
mod way;

pub(crate) use area::area_of;
pub(crate) use heights::{heights_in_space, raises};
pub use route_notices::route_notices;
pub use way::Way;
