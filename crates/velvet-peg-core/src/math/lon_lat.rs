//! A position as formulas want it: its sines and cosines formed once, from degrees.

use super::degrees;
use super::functions::{RADIAN, sin_cos_degrees, wrap};
use super::number::Number;
use super::real::{Dual, Real};
use crate::position::Geographic;

/// A position as formulas want it.
#[derive(Clone, Copy, Debug)]
pub(crate) struct LonLat<T: Real> {
    /// Longitude from the origin's meridian, radians, −π to π.
    pub(crate) lambda: T,
    pub(crate) sin_lambda: T,
    pub(crate) cos_lambda: T,
    /// Latitude, radians.
    pub(crate) phi: T,
    pub(crate) sin: T,
    pub(crate) cos: T,
    /// Latitude, degrees.
    pub(crate) lat: T::Plain,
}

impl<N: Number> LonLat<N> {
    /// Of longitude and latitude in degrees; longitudes are reckoned from `lon0_deg`.
    #[inline(always)]
    pub(crate) fn of_degrees(lon0_deg: f64, lon: N, lat: N) -> LonLat<N> {
        let lambda = wrap(lon - lon0_deg);
        let (sin_lambda, cos_lambda) = sin_cos_degrees(lambda);
        let (sin, cos) = sin_cos_degrees(lat);
        let (lambda, phi) = (lambda * RADIAN, lat * RADIAN);
        LonLat { lambda, sin_lambda, cos_lambda, phi, sin, cos, lat }
    }

    /// The same place with derivatives by its own longitude and latitude.
    #[inline(always)]
    pub(crate) fn dual(&self) -> LonLat<Dual<N>> {
        let (zero, one) = (self.phi.like(0.0), self.phi.like(1.0));
        let by_lon = Dual { value: self.lambda, by_lon: one, by_lat: zero };
        let by_lat = Dual { value: self.phi, by_lon: zero, by_lat: one };
        LonLat {
            lambda: by_lon,
            sin_lambda: by_lon.chain(self.sin_lambda, self.cos_lambda),
            cos_lambda: by_lon.chain(self.cos_lambda, -self.sin_lambda),
            phi: by_lat,
            sin: by_lat.chain(self.sin, self.cos),
            cos: by_lat.chain(self.cos, -self.sin),
            lat: self.lat,
        }
    }
}

impl LonLat<f64> {
    /// Longitudes are reckoned from `lon0_deg`.
    pub(crate) fn of(lon0_deg: f64, at: Geographic) -> LonLat<f64> {
        // Of any number of turns.
        LonLat::of_degrees(0.0, degrees::wrap(at.lon - lon0_deg), at.lat)
    }
}

impl<T: Real> LonLat<T> {
    /// Latitude from `lat0_deg`, radians: the difference is formed in degrees, where it is
    /// exact or nearly so.
    #[inline(always)]
    pub(crate) fn rise(&self, lat0_deg: f64) -> T {
        self.phi.chain((self.lat - lat0_deg) * RADIAN, self.lat.like(1.0))
    }

    /// sin φ − sin φ₀ without cancellation.
    #[inline(always)]
    pub(crate) fn sin_rise(&self, lat0_deg: f64) -> T {
        let half = sin_cos_degrees((self.lat - lat0_deg) * 0.5).0;
        let middle = sin_cos_degrees((self.lat + lat0_deg) * 0.5).1;
        self.phi.chain(middle * half * 2.0, self.cos.plain())
    }

    /// 1/√(1 − e² sin² φ): the prime vertical radius over the semi-major axis.
    #[inline(always)]
    pub(crate) fn nu(&self, e2: f64) -> T {
        self.sin.constant(1.0) / (-(self.sin.square() * e2) + 1.0).sqrt()
    }

    /// Radius of curvature in the meridian over the semi-major axis.
    #[inline(always)]
    pub(crate) fn rho(&self, e2: f64) -> T {
        let nu = self.nu(e2);
        nu * nu.square() * (1.0 - e2)
    }
}
