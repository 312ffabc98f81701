//! Colombia Urban, EPSG method 1052: a plane at the height of the city.
//!
//! Source: EPSG Guidance Note 7-2, section 3.7 (G takes the curvature in the middle latitude,
//! B = tan φ₀/(2ρ₀ν₀)); the formula is the definition. Backwards by Newton's method on the
//! mapping.

use super::Method;
use crate::ellipsoid::Ellipsoid;
use crate::math::LonLat;
use crate::math::Real;
use crate::math::degrees;
use crate::math::functions::DEGREE;
use crate::math::functions::sin_cos_degrees;
use crate::math::number::Number;
use crate::projection::kernel::{Formula, newton};
use crate::projection::parameter_code as code;
use std::sync::Arc;

/// The methods of this file.
pub(super) const METHODS: &[Method] = &[Method {
    code: 1052,
    parameters: &[
        code::LATITUDE_OF_NATURAL_ORIGIN,
        code::LONGITUDE_OF_NATURAL_ORIGIN,
        code::FALSE_EASTING,
        code::FALSE_NORTHING,
        code::PROJECTION_PLANE_ORIGIN_HEIGHT,
    ],
    build: |given, ellipsoid| {
        Ok(Arc::new(ColombiaUrban::new(
            ellipsoid,
            given.degrees(code::LATITUDE_OF_NATURAL_ORIGIN)?,
            given.degrees(code::LONGITUDE_OF_NATURAL_ORIGIN)?,
            given.metres(code::PROJECTION_PLANE_ORIGIN_HEIGHT)?,
        )))
    },
    ..Method::PLAIN
}];

#[derive(Debug)]
pub(crate) struct ColombiaUrban {
    ellipsoid: Ellipsoid,
    lat0: f64,
    lon0: f64,
    height_m: f64,
    rho0: f64,
    /// A and B of the formulas.
    a: f64,
    b: f64,
}

impl ColombiaUrban {
    pub(crate) fn new(ellipsoid: &Ellipsoid, lat0: f64, lon0: f64, height_m: f64) -> Self {
        let rho0 = ellipsoid.meridian_radius_m(lat0);
        let nu0 = ellipsoid.prime_vertical_radius_m(lat0);
        let (sin, cos) = degrees::sin_cos(lat0);
        ColombiaUrban {
            ellipsoid: *ellipsoid,
            lat0,
            lon0,
            height_m,
            rho0,
            a: 1.0 + height_m / nu0,
            b: sin / cos / (2.0 * rho0 * nu0),
        }
    }
}

impl Formula for ColombiaUrban {
    fn frame(&self) -> (f64, &Ellipsoid) {
        (self.lon0, &self.ellipsoid)
    }

    #[inline(always)]
    fn plane<T: Real>(&self, at: &LonLat<T>) -> Option<(T, T)> {
        let radius = self.ellipsoid.semi_major_m();
        let e2 = self.ellipsoid.eccentricity_squared();
        let across = at.nu(e2) * at.cos * at.lambda * radius;
        let (sin, cos) = sin_cos_degrees((at.lat + self.lat0) * 0.5);
        // d sin(middle)/dφ = cos(middle)/2
        let sin_middle = at.phi.chain(sin, cos * 0.5);
        let w2 = -(sin_middle.square() * e2) + 1.0;
        let g = w2 * w2.sqrt() * (self.height_m / (radius * (1.0 - e2))) + 1.0;
        let north = g * (at.rise(self.lat0) + across.square() * self.b) * self.rho0;
        Some((across * self.a, north))
    }

    #[inline(always)]
    fn place<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        let lat = n / self.rho0 * DEGREE + self.lat0;
        let cos = degrees::sin_cos(self.lat0).1;
        newton(self, e, n, (e / (self.rho0 * cos) * DEGREE, lat))
    }
}
