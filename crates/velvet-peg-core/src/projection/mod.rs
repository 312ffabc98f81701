//! Map projections: from position on the ellipsoid to grid and back.
//!
//! A [`Projection`] is built from an EPSG method code and parameters, works in degrees and
//! metres, and gives the point scale factors and the convergence with it. It knows nothing
//! of datums, axis order or axis units: [`crate::Crs`] adds those.
//!
//! Each method lives in a file of its own that names its source.

mod albers;
mod azimuthal_equal_area;
mod azimuthal_equidistant;
mod bonne;
mod cassini;
mod colombia_urban;
mod complex;
mod cylindrical_equal_area;
mod equal_earth;
mod equidistant_cylindrical;
mod guam;
mod hotine;
mod kernel;
mod krovak;
mod laborde;
mod lambert_conic;
mod local_orthographic;
mod mercator;
mod method_parameters;
mod methods;
mod modified_azimuthal_equidistant;
mod near_conformal;
mod new_zealand_map_grid;
mod oblique_stereographic;
mod parameters;
mod polar_stereographic;
mod polyconic;
mod real;
mod spherical_mercator;
mod transverse_mercator;
mod tunisia_mining_grid;
mod zoned_grid;

pub(crate) use kernel::LonLat;
pub use method_parameters::{ParameterKind, kind_of_parameter, parameters_of};
pub use methods::METHODS;
pub use parameters::{Parameter, Parameters, Quantity};
pub(crate) use real::Real;

use crate::ellipsoid::Ellipsoid;
use crate::error::{Error, Result};
use crate::position::Geographic;
use kernel::Kernel;
use std::sync::Arc;
use velvet_peg_epsg::method_name;

/// Below this latitude of origin (degrees) the meridian arc to it is nothing.
pub(crate) const ORIGIN_TOLERANCE: f64 = 1e-15;

/// Position that an inverse kernel found, degrees.
pub(crate) struct Inverse {
    pub(crate) lon: f64,
    pub(crate) lat: f64,
}

/// How a projection distorts at a point.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Factors {
    /// Point scale factor along the meridian (h).
    pub meridian_scale: f64,
    /// Point scale factor along the parallel (k); equal to the other where the projection
    /// is conformal.
    pub parallel_scale: f64,
    /// Azimuth of grid north, degrees clockwise from true north: grid bearing = azimuth −
    /// convergence.
    pub convergence_deg: f64,
}

/// A map projection on one ellipsoid.
#[derive(Clone, Debug)]
pub struct Projection {
    kernel: Arc<dyn Kernel>,
    code: u32,
    /// What the method adds to its coordinates, metres.
    false_easting_m: f64,
    false_northing_m: f64,
    /// −1 where the method counts westings or southings.
    sense: (f64, f64),
}

impl Projection {
    /// Builds the projection of an EPSG method code, one of [`METHODS`]. Parameters carry EPSG
    /// codes, angles in degrees, lengths in metres.
    ///
    /// ```
    /// use velvet_peg_core::{Ellipsoid, Geographic, Parameters, Projection};
    /// let wgs84 = Ellipsoid::from_epsg(7030)?;
    /// let zone_10 = Parameters::new()
    ///     .angle(8801, 0.0).angle(8802, -123.0).scale(8805, 0.9996)
    ///     .length(8806, 500_000.0).length(8807, 0.0);
    /// let utm = Projection::new(9807, &zone_10, &wgs84)?;
    /// let (e, n) = utm.forward(Geographic { lat: 47.4, lon: -123.0 })?;
    /// assert_eq!(e, 500_000.0);
    /// # let _ = n;
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the method is not one of those, a parameter is missing, or the values describe no
    /// projection.
    pub fn new(method: u32, parameters: &Parameters, ellipsoid: &Ellipsoid) -> Result<Projection> {
        let built = methods::build(method, parameters, ellipsoid)?;
        Ok(Projection {
            kernel: built.kernel,
            code: method,
            false_easting_m: parameters.metres(built.false_origin.0)? * built.false_sense,
            false_northing_m: parameters.metres(built.false_origin.1)? * built.false_sense,
            sense: built.sense,
        })
    }

    /// EPSG code of the method.
    pub fn method_code(&self) -> u32 {
        self.code
    }

    /// Name of the method.
    pub fn method_name(&self) -> &'static str {
        method_name(self.code).unwrap_or("unknown")
    }

    /// True if the method keeps angles.
    pub fn is_conformal(&self) -> bool {
        self.kernel.is_conformal()
    }

    /// True where the method itself counts westward, and southward, positive.
    pub fn counts_west_south(&self) -> (bool, bool) {
        (self.sense.0 < 0.0, self.sense.1 < 0.0)
    }

    /// Easting and northing in metres, false origin included; westing and southing where the
    /// method counts those (see [`Projection::counts_west_south`]).
    ///
    /// # Errors
    /// If the position is outside what the method can show.
    pub fn forward(&self, position: Geographic) -> Result<(f64, f64)> {
        self.to_grid(position.lon, position.lat).ok_or_else(|| self.outside(position))
    }

    /// Position in degrees of an easting and northing in metres.
    ///
    /// # Errors
    /// If no position has these coordinates.
    pub fn inverse(&self, easting_m: f64, northing_m: f64) -> Result<Geographic> {
        self.to_geographic(easting_m, northing_m)
            .map(|(lon, lat)| Geographic { lat, lon })
            .ok_or_else(|| {
                Error::out_of_domain(format!(
                    "{} has no position at {easting_m} m east, {northing_m} m north: are these \
                     coordinates of this system, in its unit and order?",
                    self.method_name()
                ))
            })
    }

    /// Point scale factors and convergence.
    ///
    /// ```
    /// use velvet_peg_core::{Crs, Geographic};
    /// let utm = Crs::from_epsg(32610)?;
    /// let at = Geographic { lat: 47.4, lon: -123.0 }; // on the central meridian
    /// let factors = utm.projection()?.factors(at)?;
    /// assert!((factors.meridian_scale - 0.9996).abs() < 1e-15);
    /// assert_eq!(factors.convergence_deg, 0.0);
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the position is outside what the method can show.
    pub fn factors(&self, position: Geographic) -> Result<Factors> {
        let Geographic { lon, lat } = position;
        if !(lat.abs() <= 90.0 && lon.is_finite()) {
            return Err(self.outside(position));
        }
        self.kernel.factors(lon, lat).ok_or_else(|| self.outside(position))
    }

    fn outside(&self, position: Geographic) -> Error {
        Error::out_of_domain(format!(
            "latitude {}°, longitude {}° is outside what {} with these parameters can show",
            position.lat,
            position.lon,
            self.method_name()
        ))
    }

    /// The kernel behind [`Projection::forward`]: none outside the domain.
    pub(crate) fn to_grid(&self, lon: f64, lat: f64) -> Option<(f64, f64)> {
        if !(lat.abs() <= 90.0 && lon.is_finite()) {
            return None;
        }
        let (e, n) = self.kernel.forward(lon, lat)?;
        let grid =
            (self.sense.0 * e + self.false_easting_m, self.sense.1 * n + self.false_northing_m);
        (grid.0.is_finite() && grid.1.is_finite()).then_some(grid)
    }

    /// The kernel behind [`Projection::inverse`]: longitude and latitude.
    pub(crate) fn to_geographic(&self, e: f64, n: f64) -> Option<(f64, f64)> {
        let e = (e - self.false_easting_m) * self.sense.0;
        let n = (n - self.false_northing_m) * self.sense.1;
        let found = self.kernel.inverse(e, n)?;
        (found.lon.is_finite() && found.lat.is_finite()).then_some((found.lon, found.lat))
    }
}
