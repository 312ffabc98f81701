//! What is known and said of carrying data from one reference system to another.

mod area;
mod heights;
mod refusal;
mod route_notices;
mod way;

pub(crate) use area::area_of;
pub(crate) use heights::{heights_in_space, no_heights, raises};
pub(crate) use refusal::not_carried;
pub use route_notices::route_notices;
pub use way::Way;
