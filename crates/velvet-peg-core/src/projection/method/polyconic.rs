//! American Polyconic, EPSG method 9818.
//!
//! Source: Snyder (1987) eq. 18-12 to 18-14, in a form that holds at the equator:
//! cot φ sin(λ sin φ) = λ cos φ sinc(λ sin φ). Backwards by Newton's method on the mapping.

use super::Method;
use crate::auxiliary::Meridian;
use crate::ellipsoid::Ellipsoid;
use crate::math::LonLat;
use crate::math::Real;
use crate::math::functions::{DEGREE, clamp, sin_cos_degrees};
use crate::math::number::Number;
use crate::projection::kernel::{Formula, newton};
use crate::projection::parameter_code as code;
use std::sync::Arc;

/// The methods of this file.
pub(super) const METHODS: &[Method] = &[Method {
    code: 9818,
    parameters: code::ORIGIN,
    words: &["Polyconic", "American_Polyconic"],
    build: |given, ellipsoid| {
        Ok(Arc::new(Polyconic::new(
            ellipsoid,
            given.degrees(code::LATITUDE_OF_NATURAL_ORIGIN)?,
            given.degrees(code::LONGITUDE_OF_NATURAL_ORIGIN)?,
        )))
    },
    ..Method::PLAIN
}];

#[derive(Debug)]
pub(crate) struct Polyconic {
    ellipsoid: Ellipsoid,
    meridian: Meridian,
    lon0: f64,
}

impl Polyconic {
    pub(crate) fn new(ellipsoid: &Ellipsoid, lat0: f64, lon0: f64) -> Polyconic {
        Polyconic { ellipsoid: *ellipsoid, meridian: Meridian::new(ellipsoid, lat0), lon0 }
    }
}

impl Formula for Polyconic {
    fn frame(&self) -> (f64, &Ellipsoid) {
        (self.lon0, &self.ellipsoid)
    }

    #[inline(always)]
    fn plane<T: Real>(&self, at: &LonLat<T>) -> Option<(T, T)> {
        let nu = at.nu(self.ellipsoid.eccentricity_squared()) * self.ellipsoid.semi_major_m();
        let half = at.lambda * at.sin * 0.5;
        let (sin_half, cos_half) = half.sin_cos();
        let chord = nu * at.cos * at.lambda * half.sinc();
        Some((chord * cos_half, self.meridian.distance(at) + chord * sin_half))
    }

    #[inline(always)]
    fn place<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        let foot = clamp(self.meridian.latitude(n), -89.0, 89.0);
        let across = e / self.ellipsoid.semi_major_m() * DEGREE / sin_cos_degrees(foot).1;
        newton(self, e, n, (clamp(across, -120.0, 120.0), foot))
    }
}
