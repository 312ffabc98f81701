//! Cassini-Soldner and its hyperbolic form (Vanua Levu), EPSG methods 9806 and 9833.
//!
//! Source: Snyder (1987) eq. 13-7 to 13-9 (the series is the definition; the meridian distance
//! in it is taken exactly); the hyperbolic term X³/(6ρν) from EPSG Guidance Note 7-2,
//! section 3.2.2. Backwards by Newton's method on the mapping.

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
pub(super) const METHODS: &[Method] = &[
    Method {
        code: 9806,
        parameters: code::ORIGIN,
        words: &["Cassini_Soldner", "Cassini"],
        build: |given, ellipsoid| {
            Ok(Arc::new(Cassini::new(
                ellipsoid,
                given.degrees(code::LATITUDE_OF_NATURAL_ORIGIN)?,
                given.degrees(code::LONGITUDE_OF_NATURAL_ORIGIN)?,
                false,
            )))
        },
        ..Method::PLAIN
    },
    Method {
        code: 9833,
        parameters: code::ORIGIN,
        build: |given, ellipsoid| {
            Ok(Arc::new(Cassini::new(
                ellipsoid,
                given.degrees(code::LATITUDE_OF_NATURAL_ORIGIN)?,
                given.degrees(code::LONGITUDE_OF_NATURAL_ORIGIN)?,
                true,
            )))
        },
        ..Method::PLAIN
    },
];

#[derive(Debug)]
pub(crate) struct Cassini {
    pub(crate) ellipsoid: Ellipsoid,
    pub(crate) meridian: Meridian,
    pub(crate) lon0: f64,
    pub(crate) hyperbolic: bool,
}

impl Cassini {
    pub(crate) fn new(ellipsoid: &Ellipsoid, lat0: f64, lon0: f64, hyperbolic: bool) -> Cassini {
        let meridian = Meridian::new(ellipsoid, lat0);
        Cassini { ellipsoid: *ellipsoid, meridian, lon0, hyperbolic }
    }
}

impl Formula for Cassini {
    fn frame(&self) -> (f64, &Ellipsoid) {
        (self.lon0, &self.ellipsoid)
    }

    #[inline(always)]
    fn plane<T: Real>(&self, at: &LonLat<T>) -> Option<(T, T)> {
        let a = at.lambda * at.cos;
        // The series is of use near its meridian only.
        if !a.magnitude().below(1.2)? {
            return None;
        }
        let e2 = self.ellipsoid.eccentricity_squared();
        let radius = self.ellipsoid.semi_major_m();
        let nu = at.nu(e2) * radius;
        let c = at.cos.square() * (e2 / (1.0 - e2));
        // T A² in a form that holds at the poles: (λ sin φ)².
        let ta2 = (at.lambda * at.sin).square();
        let a2 = a.square();
        let bracket = -ta2 / 6.0 - ta2 * (a2 * 8.0 - ta2 + c * a2 * 8.0) / 120.0 + 1.0;
        let east = nu * a * bracket;
        // tan φ A² = λ² sin φ cos φ
        let tan_a2 = at.lambda.square() * at.sin * at.cos;
        let rise = nu * tan_a2 * ((a2 * 5.0 - ta2 + c * a2 * 6.0) / 24.0 + 0.5);
        let x = self.meridian.distance(at) + rise;
        let north = match self.hyperbolic {
            true => x - x * x.square() / (nu * at.rho(e2) * (6.0 * radius)),
            false => x,
        };
        Some((east, north))
    }

    #[inline(always)]
    fn place<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        let foot = clamp(self.meridian.latitude(n), -89.99, 89.99);
        let across = e / self.ellipsoid.semi_major_m() * DEGREE;
        newton(self, e, n, (across / sin_cos_degrees(foot).1, foot))
    }
}
