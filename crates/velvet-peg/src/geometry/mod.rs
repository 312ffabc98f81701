//! What is told of the geometries of a layer: lengths and areas, flaws of their form, and
//! where they cross the antimeridian.

pub(crate) mod antimeridian;
mod flaws;
mod ruler;

pub(crate) use flaws::flaws_in;
pub(crate) use ruler::{Ground, Ruler};
