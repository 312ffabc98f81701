//! What maps lean on: auxiliary latitudes, the meridian arc and the Gauss sphere.

mod authalic;
mod conformal;
mod gauss_sphere;
mod meridian;

pub(crate) use authalic::Authalic;
pub(crate) use conformal::Conformal;
pub(crate) use gauss_sphere::{Direction, GaussSphere};
pub(crate) use meridian::{Meridian, rectifying_radius_m};
