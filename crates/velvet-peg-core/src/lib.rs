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
mod crs;
mod datum;
pub mod definition;
mod ellipsoid;
mod error;
mod extent;
pub mod geocentric;
mod geodesic;
mod grid;
#[cfg(feature = "zones")]
mod guess;
mod height_plan;
mod math;
pub mod planar;
mod position;
mod projection;
mod route;
pub mod traverse;
mod unit;
mod zones;

pub use converter::{Converter, PlanOptions, check_epoch};
pub use crs::{
    Axis, AxisUnit, Conversion, Crs, CrsMatch, Datum, Height, PrimeMeridian, VerticalCrs, find,
};
pub use datum::{Operation, Unavailable};
pub use ellipsoid::Ellipsoid;
pub use error::{Error, Result};
pub use extent::{Bounds, Coverage, Extent};
pub use geodesic::{EllipsoidalArea, Geodesic, GeodesicInverse, full_circle};
pub use grid::{GridFiles, Grids, ShiftGrid};
#[cfg(feature = "zones")]
pub use guess::{Expected, Guess, Hypothesis, Indistinguishable, guess};
pub use position::{Coordinate, Geographic};
pub use projection::{
    Factors, Parameter, ParameterKind, Parameters, Projection, Quantity, kind_of_parameter,
    method_codes, parameters_of,
};
pub use route::{CandidateRoute, Policy, Route};
pub use unit::{AngleUnit, AreaUnit, LengthUnit};
pub use velvet_peg_epsg::{self as registry, CrsKind};
#[cfg(feature = "zones")]
pub use zones::{
    County, OUTLINE_UNCERTAINTY_M, StatePlaneMatch, StatePlaneZone, ZoneSet, county_at,
    county_named, state_plane_zones, state_plane_zones_at, state_plane_zones_of_county,
};
pub use zones::{
    GridSquare, PolarGrid, UtmText, UtmZone, grid_reference, grid_reference_to,
    parse_grid_reference, utm_text,
};
