//! What is told of the geometries of a layer: lengths and areas, and flaws of their form.

mod flaws;
mod ruler;

pub(crate) use flaws::flaws_in;
pub(crate) use ruler::{Ground, Ruler};
