//! Guam Projection, EPSG method 9831.
//!
//! Source: Snyder (1987) eq. 25-17, 25-18; the formula is the definition. Backwards by
//! Newton's method on the mapping.

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
    code: 9831,
    parameters: code::ORIGIN,
    build: |given, ellipsoid| {
        Ok(Arc::new(Guam::new(
            ellipsoid,
            given.degrees(code::LATITUDE_OF_NATURAL_ORIGIN)?,
            given.degrees(code::LONGITUDE_OF_NATURAL_ORIGIN)?,
        )))
    },
    ..Method::PLAIN
}];

#[derive(Debug)]
pub(crate) struct Guam {
    ellipsoid: Ellipsoid,
    meridian: Meridian,
    lon0: f64,
}

impl Guam {
    pub(crate) fn new(ellipsoid: &Ellipsoid, lat0: f64, lon0: f64) -> Guam {
        Guam { ellipsoid: *ellipsoid, meridian: Meridian::new(ellipsoid, lat0), lon0 }
    }
}

impl Formula for Guam {
    fn frame(&self) -> (f64, &Ellipsoid) {
        (self.lon0, &self.ellipsoid)
    }

    #[inline(always)]
    fn plane<T: Real>(&self, at: &LonLat<T>) -> Option<(T, T)> {
        let a = self.ellipsoid.semi_major_m();
        let nu = at.nu(self.ellipsoid.eccentricity_squared());
        let x = at.lambda * at.cos * nu * a;
        // x² tan φ/(2ν): one cosine of x² goes.
        let rise = x * at.lambda * at.sin * 0.5;
        Some((x, self.meridian.distance(at) + rise))
    }

    #[inline(always)]
    fn place<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        let foot = clamp(self.meridian.latitude(n), -89.0, 89.0);
        let across = e / self.ellipsoid.semi_major_m() * DEGREE / sin_cos_degrees(foot).1;
        newton(self, e, n, (across, foot))
    }
}
