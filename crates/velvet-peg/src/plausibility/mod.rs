//! Whether coordinates can be what they are said to be: out of range, outside the area of use, apart
//! from the others, in a neighbouring zone. What is odd is told and kept; what cannot be is refused.

mod coordinate_range;
mod outliers;
mod stated_unit;
mod wrong_zone;

pub(crate) use coordinate_range::{CoordinateRange, FirstReasons};
pub(crate) use outliers::{PositionSample, extent_against, short};
pub(crate) use stated_unit::stated_unit;
pub(crate) use wrong_zone::wrong_zone;
