//! Albers Equal Area, EPSG method 9822.
//!
//! Source: Snyder (1987) eq. 14-1 to 14-21, rearranged around the origin's parallel so that
//! nothing large is subtracted: with w = √(C − n q), cone constant n, longitude difference λ,
//!
//! ```text
//! E = a w λ sinc(nλ)
//! N = a (q − q₀)/(w₀ + w) + a w λ sin(nλ/2) sinc(nλ/2)
//! q − q₀ = (2 a w₀ N − n (E² + N²))/a²
//! ```
//!
//! which hold for every n, zero included. The cone constant is a quotient of divided
//! differences, so parallels that lie close together lose no digits.

use super::Method;
use crate::auxiliary::Authalic;
use crate::ellipsoid::Ellipsoid;
use crate::error::{Error, Result};
use crate::math::LonLat;
use crate::math::Real;
use crate::math::degrees;
use crate::math::functions::{DEGREE, atan2_degrees};
use crate::math::number::Number;
use crate::projection::kernel::Formula;
use crate::projection::parameter_code as code;
use std::sync::Arc;

/// The methods of this file.
pub(super) const METHODS: &[Method] = &[Method {
    code: 9822,
    parameters: code::TWO_PARALLELS,
    words: &["Albers_Conic_Equal_Area", "Albers"],
    false_origin: code::FALSE,
    build: |given, ellipsoid| {
        Ok(Arc::new(Albers::new(
            ellipsoid,
            given.degrees(code::LATITUDE_OF_FALSE_ORIGIN)?,
            given.degrees(code::LONGITUDE_OF_FALSE_ORIGIN)?,
            given.degrees(code::LATITUDE_OF_FIRST_STANDARD_PARALLEL)?,
            given.degrees(code::LATITUDE_OF_SECOND_STANDARD_PARALLEL)?,
        )?))
    },
    ..Method::PLAIN
}];

#[derive(Debug)]
pub(crate) struct Albers {
    ellipsoid: Ellipsoid,
    authalic: Authalic,
    lat0: f64,
    sin0: f64,
    lon0: f64,
    /// Cone constant n.
    cone: f64,
    /// w at the origin.
    w0: f64,
}

impl Albers {
    /// Latitude and longitude of the false origin, and the two parallels, degrees.
    pub(crate) fn new(
        ellipsoid: &Ellipsoid,
        lat0: f64,
        lon0: f64,
        lat1: f64,
        lat2: f64,
    ) -> Result<Albers> {
        if lat1.abs() > 90.0 || lat2.abs() > 90.0 || (lat1 + lat2).abs() >= 180.0 {
            return Err(Error::out_of_domain(
                "the standard parallels of a conic lie between the poles",
            ));
        }
        let authalic = Authalic::new(ellipsoid);
        let e2 = ellipsoid.eccentricity_squared();
        let (sin1, cos1) = degrees::sin_cos(lat1);
        let sin2 = degrees::sin_cos(lat2).0;
        let sin0 = degrees::sin_cos(lat0).0;
        let rise = |from: f64, to: f64| {
            2.0 * degrees::sin_cos((to - from) / 2.0).0 * degrees::sin_cos((to + from) / 2.0).1
        };
        let (v1, v2) = (1.0 - e2 * sin1 * sin1, 1.0 - e2 * sin2 * sin2);
        // m₁² − m₂² = (s₂² − s₁²)(1 − e²)/(v₁ v₂), over q₂ − q₁.
        let slope = authalic.slope(sin2, sin1, rise(lat1, lat2));
        let cone = (sin1 + sin2) * (1.0 - e2) / (v1 * v2) / slope;
        let rise0 = rise(lat1, lat0);
        let w2 = cos1 * cos1 / v1 - cone * authalic.slope(sin0, sin1, rise0) * rise0;
        if !(w2 >= 0.0) {
            return Err(Error::out_of_domain("the origin lies beyond the apex of the cone"));
        }
        let w0 = w2.sqrt();
        Ok(Albers { ellipsoid: *ellipsoid, authalic, lat0, sin0, lon0, cone, w0 })
    }
}

impl Formula for Albers {
    fn frame(&self) -> (f64, &Ellipsoid) {
        (self.lon0, &self.ellipsoid)
    }

    #[inline(always)]
    fn plane<T: Real>(&self, at: &LonLat<T>) -> Option<(T, T)> {
        let rise = at.sin_rise(self.lat0);
        let dq = rise * self.authalic.slope(at.sin, self.sin0, rise);
        let w2 = -(dq * self.cone) + self.w0 * self.w0;
        if w2.below(0.0)? {
            return None;
        }
        let w = w2.sqrt();
        let a = self.ellipsoid.semi_major_m();
        let half = at.lambda * (self.cone / 2.0);
        let (sin_half, cos_half) = half.sin_cos();
        let chord = w * at.lambda * half.sinc() * a;
        Some((chord * cos_half, dq / (w + self.w0) * a + chord * sin_half))
    }

    #[inline(always)]
    fn place<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        let a = self.ellipsoid.semi_major_m();
        let (x, y) = (e / a, n / a);
        let lambda = match self.cone == 0.0 {
            true => x * (DEGREE / self.w0),
            false => atan2_degrees(x * self.cone, -(y * self.cone) + self.w0) / self.cone,
        };
        let dq = y * (2.0 * self.w0) - (x * x + y * y) * self.cone;
        let lat = self.authalic.geodetic_of_q_deg(dq + self.authalic.q(self.sin0))?;
        Some((lambda, lat))
    }
}
