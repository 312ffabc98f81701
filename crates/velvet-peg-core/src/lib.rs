//! The computing core of Velvet Peg: units, angles, ellipsoids, projections, geodesics,
//! reference systems, datum operations, converters and measures.
//!
//! It holds no files, network, clock, terminal or threads: those who want only a
//! [`Converter`] pay for nothing else. Without its features, of which
//! `json` reads and writes definitions in JSON and `zones` knows counties and state plane zones, its
//! one dependency is the registry data.
//!
//! **Axis order.** A coordinate is always `x, y[, z]`: longitude or easting first, latitude
//! or northing second, whatever order the registry gives the axes; numbers keep the unit and
//! the sense of the system's axes. Scalar functions on geographic positions take
//! [`Geographic`], whose parts are named.
//!
//! **Accuracy.** Projections and their inverses agree with the exact mappings to 10 nm,
//! geodesics to 20 nm; what a change of datum is known to, its [`Route`] says.

pub mod angle;
mod auxiliary;
pub mod bearing;
mod converter;
pub mod crs;
pub mod datum;
pub mod definition;
mod ellipsoid;
mod error;
pub mod extent;
pub mod fit;
pub mod geocentric;
pub mod geodesic;
pub mod grid;
mod ground_scale;
#[cfg(feature = "zones")]
pub mod guess;
mod height_model;
mod height_plan;
pub mod low_distortion;
mod math;
pub mod planar;
mod position;
pub mod projection;
pub mod raster;
pub mod route;
pub mod runs;
pub mod spelling;
mod states;
pub mod traverse;
mod unit;
pub mod zones;

pub use converter::{Converter, PlanOptions, check_epoch};
pub use crs::Crs;
pub use datum::Operation;
pub use ellipsoid::Ellipsoid;
pub use error::{Ambiguity, Error, Result};
pub use extent::{Bounds, Extent};
pub use geodesic::{Geodesic, GeodesicColumns};
pub use ground_scale::metres_per_unit;
pub use position::{Coordinate, Geographic};
pub use route::{CandidateRoute, Policy, Route};
pub use unit::{AngleUnit, AreaUnit, LengthUnit};
pub use velvet_peg_epsg::{self as registry, CrsKind};
