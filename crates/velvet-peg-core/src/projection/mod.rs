//! Map projections: from position on the ellipsoid to grid and back.
//!
//! A [`Projection`] is built from an EPSG method code and parameters, works in degrees and
//! metres, and gives the point scale factors and the convergence with it. It knows nothing
//! of datums, axis order or axis units: [`crate::Crs`] adds those.
//!
//! Each method lives in a file of its own that names its source.

mod lambert_conic;
mod parameters;
mod transverse_mercator;

pub use parameters::{Parameter, Parameters, Quantity};

use crate::ellipsoid::Ellipsoid;
use crate::error::{Error, Result};
use crate::position::Geographic;
use lambert_conic::LambertConic;
use transverse_mercator::TransverseMercator;
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

#[derive(Clone, Debug)]
enum Method {
    TransverseMercator(TransverseMercator),
    LambertConic(LambertConic),
}

/// A map projection on one ellipsoid.
#[derive(Clone, Debug)]
pub struct Projection {
    method: Method,
    code: u32,
    false_easting_m: f64,
    false_northing_m: f64,
}

impl Projection {
    /// Builds the projection of an EPSG method code: 9807 Transverse Mercator, 9801 and 9802
    /// Lambert Conic Conformal (1SP and 2SP). Parameters carry EPSG codes, angles in
    /// degrees, lengths in metres.
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
        let degrees = |code| parameters.degrees(code);
        let (built, east, north) = match method {
            9807 => (
                Method::TransverseMercator(TransverseMercator::new(
                    ellipsoid,
                    degrees(8801)?,
                    degrees(8802)?,
                    parameters.ratio(8805)?,
                )),
                8806,
                8807,
            ),
            9801 => (
                Method::LambertConic(LambertConic::one_parallel(
                    ellipsoid,
                    degrees(8801)?,
                    degrees(8802)?,
                    parameters.ratio(8805)?,
                )?),
                8806,
                8807,
            ),
            9802 => (
                Method::LambertConic(LambertConic::two_parallels(
                    ellipsoid,
                    degrees(8821)?,
                    degrees(8822)?,
                    degrees(8823)?,
                    degrees(8824)?,
                )?),
                8826,
                8827,
            ),
            other => {
                return Err(Error::unsupported(format!(
                    "the projection method {other} ({}) cannot be computed yet; Transverse \
                     Mercator (9807) and Lambert Conic Conformal (9801, 9802) can",
                    method_name(other).unwrap_or("unknown")
                )));
            }
        };
        Ok(Projection {
            method: built,
            code: method,
            false_easting_m: parameters.metres(east)?,
            false_northing_m: parameters.metres(north)?,
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

    /// True if angles are kept: every method of this version does.
    pub fn is_conformal(&self) -> bool {
        true
    }

    /// Easting and northing in metres, false origin included.
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
        match &self.method {
            Method::TransverseMercator(method) => method.factors(lon, lat),
            Method::LambertConic(method) => method.factors(lon, lat),
        }
        .ok_or_else(|| self.outside(position))
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
        let (e, n) = match &self.method {
            Method::TransverseMercator(method) => method.forward(lon, lat),
            Method::LambertConic(method) => method.forward(lon, lat),
        }?;
        let grid = (e + self.false_easting_m, n + self.false_northing_m);
        (grid.0.is_finite() && grid.1.is_finite()).then_some(grid)
    }

    /// The kernel behind [`Projection::inverse`]: longitude and latitude.
    pub(crate) fn to_geographic(&self, e: f64, n: f64) -> Option<(f64, f64)> {
        let (e, n) = (e - self.false_easting_m, n - self.false_northing_m);
        let found = match &self.method {
            Method::TransverseMercator(method) => method.inverse(e, n),
            Method::LambertConic(method) => method.inverse(e, n),
        }?;
        (found.lon.is_finite() && found.lat.is_finite()).then_some((found.lon, found.lat))
    }
}
