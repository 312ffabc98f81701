//! The two workhorses where almost all data lies, near their origin: short polynomials for any number of
//! places at a time. Elsewhere the methods' own formulas serve, which these are tested against.

mod conic;
mod meridian;

pub(super) use conic::{Cone, NearConic};
pub(super) use meridian::NearMeridian;
