//! Numbers: angles in degrees, elementary functions, series, exact sums, numbers that carry their
//! derivatives, complex ones.

pub(crate) mod complex;
pub(crate) mod degrees;
pub(crate) mod elementary;
mod lon_lat;
mod real;
pub(crate) mod series;
mod sum;

pub(crate) use lon_lat::LonLat;
pub(crate) use real::Real;
pub(crate) use sum::Sum;
