//! Reference systems of data: how they are named, declared, guessed, and where their zones lie.
//!
//! The systems themselves, their axes and datums are those of the computing core.

mod declare;
mod find;
pub mod grid;
pub mod ground;
pub mod guess;
pub mod position;
pub mod reference;
pub mod zones;
#[cfg(feature = "rasters")]
mod zones_of_raster;

pub use declare::{declare, declare_watched};
pub use find::find_systems;
pub use velvet_peg_core::crs::*;
#[cfg(feature = "rasters")]
pub use zones_of_raster::{read_reference_for_raster, zones_of_raster};
