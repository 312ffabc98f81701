//! Numbers: angles in degrees, elementary functions, series, exact sums, numbers that carry their
//! derivatives, complex ones, several side by side.

mod arithmetic;
pub(crate) mod blocks;
pub(crate) mod complex;
pub(crate) mod degrees;
pub(crate) mod elementary;
pub(crate) mod functions;
mod lanes;
mod lon_lat;
pub(crate) mod number;
mod real;
pub(crate) mod series;
mod sum;
#[cfg(feature = "wide")]
mod wide;

pub(crate) use lon_lat::LonLat;
pub(crate) use real::Real;
pub(crate) use sum::Sum;
