//! Lambert Conic Near-Conformal, EPSG method 9817: the conformal conic with its series cut
//! after the third power.
//!
//! Source: EPSG Guidance Note 7-2, section 3.1.1.5; the series is the definition. Backwards by
//! Newton's method on the mapping.

use super::Method;
use crate::ellipsoid::Ellipsoid;
use crate::error::{Error, Result};
use crate::math::LonLat;
use crate::math::Real;
use crate::math::degrees;
use crate::math::functions::{DEGREE, atan2_degrees};
use crate::math::number::Number;
use crate::projection::kernel::{Formula, newton};
use crate::projection::parameter_code as code;
use std::sync::Arc;

/// The methods of this file.
pub(super) const METHODS: &[Method] = &[Method {
    code: 9817,
    parameters: code::ORIGIN_AND_SCALE,
    build: |given, ellipsoid| {
        Ok(Arc::new(NearConformal::new(
            ellipsoid,
            given.degrees(code::LATITUDE_OF_NATURAL_ORIGIN)?,
            given.degrees(code::LONGITUDE_OF_NATURAL_ORIGIN)?,
            given.ratio(code::SCALE_FACTOR_AT_NATURAL_ORIGIN)?,
        )?))
    },
    ..Method::PLAIN
}];

#[derive(Debug)]
pub(crate) struct NearConformal {
    ellipsoid: Ellipsoid,
    lat0: f64,
    lon0: f64,
    scale: f64,
    sin0: f64,
    /// Radius of the origin's parallel, metres.
    r0: f64,
    /// 1/(6ρ₀ν₀).
    cubic: f64,
    /// A′ (a radian) and −B′, C′, −D′, E′ of the meridian distance, metres.
    meridian: [f64; 5],
    /// s₀ without its term in φ₀ itself.
    origin: f64,
}

impl NearConformal {
    pub(crate) fn new(ellipsoid: &Ellipsoid, lat0: f64, lon0: f64, scale: f64) -> Result<Self> {
        let (sin0, cos0) = degrees::sin_cos(lat0);
        if sin0 == 0.0 || cos0 == 0.0 {
            return Err(Error::out_of_domain(
                "a conic has its origin between the equator and a pole",
            ));
        }
        let a = ellipsoid.semi_major_m();
        let n = ellipsoid.third_flattening();
        let (n2, n3, n4, n5) = (n * n, n.powi(3), n.powi(4), n.powi(5));
        let rho0 = ellipsoid.meridian_radius_m(lat0);
        let nu0 = ellipsoid.prime_vertical_radius_m(lat0);
        let meridian = [
            a * (1.0 - n + 5.0 * (n2 - n3) / 4.0 + 81.0 * (n4 - n5) / 64.0),
            -3.0 * a * (n - n2 + 7.0 * (n3 - n4) / 8.0 + 55.0 * n5 / 64.0) / 2.0,
            15.0 * a * (n2 - n3 + 3.0 * (n4 - n5) / 4.0) / 16.0,
            -35.0 * a * (n3 - n4 + 11.0 * n5 / 16.0) / 48.0,
            315.0 * a * (n4 - n5) / 512.0,
        ];
        let mut built = NearConformal {
            ellipsoid: *ellipsoid,
            lat0,
            lon0,
            scale,
            sin0,
            r0: scale * nu0 * cos0 / sin0,
            cubic: 1.0 / (6.0 * rho0 * nu0),
            meridian,
            origin: 0.0,
        };
        built.origin = built.waves(lat0.to_radians());
        Ok(built)
    }

    #[inline(always)]
    fn waves<T: Real>(&self, phi: T) -> T {
        let zero = phi.constant(0.0);
        (1..5).fold(zero, |sum, j| sum + (phi * (2.0 * j as f64)).sin_cos().0 * self.meridian[j])
    }
}

impl Formula for NearConformal {
    fn frame(&self) -> (f64, &Ellipsoid) {
        (self.lon0, &self.ellipsoid)
    }

    #[inline(always)]
    fn plane<T: Real>(&self, at: &LonLat<T>) -> Option<(T, T)> {
        let m = at.rise(self.lat0) * self.meridian[0] + (self.waves(at.phi) - self.origin);
        let up = (m + m * m.square() * self.cubic) * self.scale;
        let r = -up + self.r0;
        let half = at.lambda * (self.sin0 / 2.0);
        let (sin_half, cos_half) = half.sin_cos();
        // r sin θ, and r sin θ tan(θ/2) = 2 r sin²(θ/2).
        let chord = r * sin_half * 2.0;
        Some((chord * cos_half, up + chord * sin_half))
    }

    #[inline(always)]
    fn place<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        let down = -n + self.r0;
        let sign = self.r0.signum();
        let lambda = atan2_degrees(e * sign, down * sign) / self.sin0;
        let r = e.norm(down) * sign;
        let lat = (-r + self.r0) / (self.scale * self.meridian[0]) * DEGREE + self.lat0;
        newton(self, e, n, (lambda, lat))
    }
}
