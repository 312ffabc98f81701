//! Whether coordinates can be what they are said to be: out of range, outside the area of use, apart
//! from the others, in a neighbouring zone. What is odd is told and kept; what cannot be is refused.

mod coordinate_range;
mod evidence;
mod outliers;
mod own_columns;
mod rows_apart;
mod stated_unit;
mod strays;
mod wrong_zone;

pub(crate) use coordinate_range::{CoordinateRange, FirstReasons, Standing};
pub(crate) use evidence::Evidence;
#[cfg(feature = "rasters")]
pub(crate) use outliers::box_against;
pub(crate) use outliers::{PositionSample, extent_against, no_way, short};
pub(crate) use own_columns::OwnColumns;
pub(crate) use rows_apart::RowsApart;
pub(crate) use stated_unit::stated_unit;
pub(crate) use strays::Suspect;
pub(crate) use wrong_zone::wrong_zone;

/// What the warnings of a zone speak of.
pub(crate) const MIDDLE: &str = "the middle of the data";
