//! Bonne, EPSG methods 9827 and 9828 (South Orientated).
//!
//! Source: Snyder (1987) eq. 19-1 to 19-8, with the northing formed around the origin's
//! parallel: N = M − M₀ + 2ρ sin²(T/2).

use super::Method;
use crate::auxiliary::Meridian;
use crate::ellipsoid::Ellipsoid;
use crate::error::{Error, Result};
use crate::math::LonLat;
use crate::math::Real;
use crate::math::degrees;
use crate::math::functions::{atan2_degrees, sin_cos_degrees};
use crate::math::number::Number;
use crate::projection::kernel::Formula;
use crate::projection::parameter_code as code;
use std::sync::Arc;

const BONNE: Method = Method {
    code: 9827,
    parameters: code::ORIGIN,
    words: &["Bonne"],
    build: |given, ellipsoid| {
        Ok(Arc::new(Bonne::new(
            ellipsoid,
            given.degrees(code::LATITUDE_OF_NATURAL_ORIGIN)?,
            given.degrees(code::LONGITUDE_OF_NATURAL_ORIGIN)?,
        )?))
    },
    ..Method::PLAIN
};

/// The methods of this file.
pub(super) const METHODS: &[Method] =
    &[BONNE, Method { code: 9828, words: &[], sense: (-1.0, -1.0), ..BONNE }];

#[derive(Debug)]
pub(crate) struct Bonne {
    ellipsoid: Ellipsoid,
    meridian: Meridian,
    lon0: f64,
    /// Radius of the origin's parallel, metres; negative in the southern hemisphere.
    radius0: f64,
}

impl Bonne {
    pub(crate) fn new(ellipsoid: &Ellipsoid, lat0: f64, lon0: f64) -> Result<Bonne> {
        if lat0 == 0.0 {
            return Err(Error::out_of_domain(
                "a Bonne projection has its origin away from the equator",
            ));
        }
        let (sin, cos) = degrees::sin_cos(lat0);
        let w = (1.0 - ellipsoid.eccentricity_squared() * sin * sin).sqrt();
        let radius0 = ellipsoid.semi_major_m() * cos / (w * sin);
        let meridian = Meridian::new(ellipsoid, lat0);
        Ok(Bonne { ellipsoid: *ellipsoid, meridian, lon0, radius0 })
    }

    fn parallel<T: Real>(&self, at: &LonLat<T>) -> T {
        at.cos * at.nu(self.ellipsoid.eccentricity_squared()) * self.ellipsoid.semi_major_m()
    }
}

impl Formula for Bonne {
    fn frame(&self) -> (f64, &Ellipsoid) {
        (self.lon0, &self.ellipsoid)
    }

    #[inline(always)]
    fn plane<T: Real>(&self, at: &LonLat<T>) -> Option<(T, T)> {
        let up = self.meridian.distance(at);
        let rho = -up + self.radius0;
        let across = self.parallel(at) * at.lambda;
        // The pole is the apex when the origin is one.
        if rho.magnitude().below(f64::MIN_POSITIVE)? {
            return Some((across, up));
        }
        let half = across / rho * 0.5;
        let (sin_half, cos_half) = half.sin_cos();
        let chord = across * half.sinc();
        Some((chord * cos_half, up + chord * sin_half))
    }

    #[inline(always)]
    fn place<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        let down = -n + self.radius0;
        let rho = e.norm(down).copysign(e.like(self.radius0));
        // ρ₀ − ρ = (2ρ₀ n − e² − n²)/(ρ₀ + ρ)
        let up = (n * (2.0 * self.radius0) - e * e - n * n) / (rho + self.radius0);
        let lat = self.meridian.latitude(up);
        let (sin, cos) = sin_cos_degrees(lat);
        let w = Real::sqrt(-(sin * sin * self.ellipsoid.eccentricity_squared()) + 1.0);
        let parallel = cos / w * self.ellipsoid.semi_major_m();
        let sign = self.radius0.signum();
        let turn = atan2_degrees(e * sign, down * sign);
        // A pole has every longitude.
        let least = e.like(1e-9);
        let is_pole = parallel.less(least);
        let lambda = rho * turn / N::select(is_pole, least, parallel);
        Some((N::select(is_pole, e.like(0.0), lambda), lat))
    }
}
