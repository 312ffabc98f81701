//! Map projections: from position on the ellipsoid to grid and back.
//!
//! A [`Projection`] is built from an EPSG method code and parameters, works in degrees and
//! metres, and gives the point scale factors and the convergence with it. It knows nothing
//! of datums, axis order or axis units: [`crate::Crs`] adds those.
//!
//! Each method lives in a file of its own below `method/`, which names its source and describes it
//! (code, parameters, false origin, sense of the axes, words in definitions).

mod kernel;
mod lanes;
mod method;
mod near;
pub(crate) mod parameter_code;
mod parameter_kind;
mod parameters;
mod plane_affine;
mod plane_move;
mod plane_similarity;

pub use kernel::Factors;
pub use method::{method_codes, parameters_of};
pub(crate) use method::{method_of_word, word_of_method};
pub use parameter_kind::{ParameterKind, kind_of_parameter};
pub use parameters::{Parameter, Parameters, Quantity};
pub use plane_affine::PlaneAffine;
pub use plane_move::PlaneMove;
pub(crate) use plane_move::PlaneNumber;
pub use plane_similarity::PlaneSimilarity;

use crate::ellipsoid::Ellipsoid;
use crate::error::{Error, Result};
use crate::position::Geographic;
use kernel::Kernel;
use std::sync::Arc;
use velvet_peg_epsg::method_name;

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
    /// What is done with the plane afterwards, metres.
    turn: Option<PlaneMove>,
}

impl Projection {
    /// Builds the projection of an EPSG method code, one of [`method_codes`]. Parameters carry EPSG
    /// codes, angles in degrees, lengths in metres.
    ///
    /// ```
    /// use velvet_peg_core::{Ellipsoid, Geographic};
    /// use velvet_peg_core::projection::{Parameters, Projection};
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
        let description = method::find(method)?;
        let false_origin = |code| -> Result<f64> {
            match code {
                0 => Ok(0.0),
                code => Ok(parameters.metres(code)? * description.false_sense),
            }
        };
        Ok(Projection {
            kernel: (description.build)(parameters, ellipsoid)?,
            code: method,
            false_easting_m: false_origin(description.false_origin.0)?,
            false_northing_m: false_origin(description.false_origin.1)?,
            sense: description.sense,
            turn: None,
        })
    }

    /// The same with its plane turned, scaled and shifted; lengths in metres.
    pub(crate) fn turned(self, turn: PlaneMove) -> Projection {
        Projection { turn: Some(turn), ..self }
    }

    /// The sine of the parallel of least scale of a conformal cone; none for other methods.
    pub(crate) fn cone_constant(&self) -> Option<f64> {
        self.kernel.cone_constant()
    }

    /// EPSG codes of the parameters that hold the false origin.
    pub(crate) fn false_origin(method: u32) -> Result<(u32, u32)> {
        method::find(method).map(|method| method.false_origin)
    }

    /// EPSG code of the method.
    pub fn method_code(&self) -> u32 {
        self.code
    }

    /// Name of the method.
    pub fn method_name(&self) -> &'static str {
        method_name(self.code).unwrap_or("unknown")
    }

    /// True if angles are kept.
    pub fn is_conformal(&self) -> bool {
        let stretched = self.turn.is_some_and(|turn| turn.similarity().is_none());
        self.kernel.is_conformal() && !stretched
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
        self.to_grid(position).ok_or_else(|| self.outside(position))
    }

    /// Position in degrees of an easting and northing in metres.
    ///
    /// # Errors
    /// If no position has these coordinates.
    pub fn inverse(&self, easting_m: f64, northing_m: f64) -> Result<Geographic> {
        self.to_geographic(easting_m, northing_m).ok_or_else(|| {
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
        let factors = self.kernel.factors(position).ok_or_else(|| self.outside(position))?;
        Ok(self.turn.map_or(factors, |turn| turn.factors(factors)))
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
    pub(crate) fn to_grid(&self, at: Geographic) -> Option<(f64, f64)> {
        let Geographic { lon, lat } = at;
        if !(lat.abs() <= 90.0 && lon.is_finite()) {
            return None;
        }
        let (e, n) = self.kernel.forward(at)?;
        let grid =
            (self.sense.0 * e + self.false_easting_m, self.sense.1 * n + self.false_northing_m);
        let grid = self.turn.map_or(grid, |turn| turn.apply(grid));
        (grid.0.is_finite() && grid.1.is_finite()).then_some(grid)
    }

    /// As [`Projection::to_grid`] of many longitudes and latitudes in place, latitudes of up to 90°: one at
    /// least is not finite outside the domain.
    pub(crate) fn to_grid_block(&self, lon: &mut [f64], lat: &mut [f64]) {
        self.kernel.forward_block(lon, lat);
        for (e, n) in lon.iter_mut().zip(lat.iter_mut()) {
            *e = self.sense.0 * *e + self.false_easting_m;
            *n = self.sense.1 * *n + self.false_northing_m;
        }
        if let Some(turn) = self.turn {
            for (e, n) in lon.iter_mut().zip(lat.iter_mut()) {
                (*e, *n) = turn.apply((*e, *n));
            }
        }
    }

    /// As [`Projection::to_geographic`] of many eastings and northings in place: one at least is
    /// not finite outside the domain.
    pub(crate) fn to_geographic_block(&self, e: &mut [f64], n: &mut [f64]) {
        if let Some(turn) = self.turn {
            for (e, n) in e.iter_mut().zip(n.iter_mut()) {
                (*e, *n) = turn.apply_inverse((*e, *n));
            }
        }
        for (e, n) in e.iter_mut().zip(n.iter_mut()) {
            *e = (*e - self.false_easting_m) * self.sense.0;
            *n = (*n - self.false_northing_m) * self.sense.1;
        }
        self.kernel.inverse_block(e, n);
    }

    /// The kernel behind [`Projection::inverse`].
    pub(crate) fn to_geographic(&self, e: f64, n: f64) -> Option<Geographic> {
        let (e, n) = self.turn.map_or((e, n), |turn| turn.apply_inverse((e, n)));
        let e = (e - self.false_easting_m) * self.sense.0;
        let n = (n - self.false_northing_m) * self.sense.1;
        let found = self.kernel.inverse(e, n)?;
        (found.lon.is_finite() && found.lat.is_finite()).then_some(found)
    }
}
