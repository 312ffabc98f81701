//! Modified Azimuthal Equidistant (Polynesian islands), EPSG method 9832: the normal section
//! from the origin in place of the geodesic, its length by a series.
//!
//! Source: Snyder (1987) eq. 25-1 to 25-16; the series is the definition. Backwards by
//! Newton's method on the mapping.

use super::Method;
use crate::ellipsoid::Ellipsoid;
use crate::math::LonLat;
use crate::math::Real;
use crate::math::degrees;
use crate::math::functions::DEGREE;
use crate::math::number::Number;
use crate::projection::kernel::{Formula, newton};
use crate::projection::parameter_code as code;
use std::sync::Arc;

/// The methods of this file.
pub(super) const METHODS: &[Method] = &[Method {
    code: 9832,
    parameters: code::ORIGIN,
    build: |given, ellipsoid| {
        Ok(Arc::new(ModifiedAzimuthalEquidistant::new(
            ellipsoid,
            given.degrees(code::LATITUDE_OF_NATURAL_ORIGIN)?,
            given.degrees(code::LONGITUDE_OF_NATURAL_ORIGIN)?,
        )))
    },
    ..Method::PLAIN
}];

#[derive(Debug)]
pub(crate) struct ModifiedAzimuthalEquidistant {
    ellipsoid: Ellipsoid,
    lat0: f64,
    lon0: f64,
    sin0: f64,
    cos0: f64,
    /// Prime vertical radius at the origin, metres.
    nu0: f64,
}

impl ModifiedAzimuthalEquidistant {
    pub(crate) fn new(ellipsoid: &Ellipsoid, lat0: f64, lon0: f64) -> Self {
        let (sin0, cos0) = degrees::sin_cos(lat0);
        let w = (1.0 - ellipsoid.eccentricity_squared() * sin0 * sin0).sqrt();
        let nu0 = ellipsoid.semi_major_m() / w;
        ModifiedAzimuthalEquidistant { ellipsoid: *ellipsoid, lat0, lon0, sin0, cos0, nu0 }
    }
}

impl Formula for ModifiedAzimuthalEquidistant {
    fn frame(&self) -> (f64, &Ellipsoid) {
        (self.lon0, &self.ellipsoid)
    }

    #[inline(always)]
    fn plane<T: Real>(&self, at: &LonLat<T>) -> Option<(T, T)> {
        let e2 = self.ellipsoid.eccentricity_squared();
        let a = self.ellipsoid.semi_major_m();
        // tan ψ cos φ, kept over cos φ so that it holds everywhere.
        let nu = at.nu(e2) * a;
        let lift = nu.constant(self.nu0 * self.sin0) / nu;
        let tan_cos = at.sin * (1.0 - e2) + lift * e2;
        let norm = tan_cos.norm(at.cos);
        let (sin_psi, cos_psi) = (tan_cos / norm, at.cos / norm);
        let half = (at.lambda * 0.5).sin_cos().0;
        let east = cos_psi * at.sin_lambda;
        // sin(ψ − φ₀) + cos ψ sin φ₀ (1 − cos λ), with tan ψ − tan φ₀ formed from differences:
        // cos φ cos φ₀ (tan ψ − tan φ₀) = sin(φ − φ₀) − e² cos φ₀ (sin φ − ν₀ sin φ₀/ν).
        let sin_rise = at.rise(self.lat0).sin_cos().0;
        let climb = (sin_rise - (at.sin - lift) * (e2 * self.cos0)) / norm;
        let north = climb + cos_psi * half.square() * (2.0 * self.sin0);
        let up = sin_psi * self.sin0 + cos_psi * at.cos_lambda * self.cos0;
        if up.below(0.3)? {
            return None;
        }
        let square = east.square() + north.square();
        // s / sin s
        let ratio = match square.below(1e-6)? {
            true => square * (square * (3.0 / 40.0) + 1.0 / 6.0) + 1.0,
            false => square.sqrt().asin() / square.sqrt(),
        };
        let (x, y) = (east * ratio, north * ratio); // s sin α, s cos α
        let s2 = x.square() + y.square();
        let root = (e2 / (1.0 - e2)).sqrt();
        let (g, h0) = (root * self.sin0, root * self.cos0);
        // Terms in s H = h₀ y and in s² stay regular at the origin.
        let sh = y * h0;
        let sh2 = sh.square();
        let h2 = match s2.below(f64::MIN_POSITIVE)? {
            true => s2.constant(0.0),
            false => sh2 / s2,
        };
        let one = s2.constant(1.0);
        let c = one - sh2 * (-h2 + 1.0) / 6.0
            + s2 * sh * (-(h2 * 2.0) + 1.0) * (g / 8.0)
            + s2 * (sh2 * (-(h2 * 7.0) + 4.0) - s2 * (-(h2 * 7.0) + 1.0) * (3.0 * g * g)) / 120.0
            - s2.square() * sh * (g / 48.0);
        Some((x * c * self.nu0, y * c * self.nu0))
    }

    #[inline(always)]
    fn place<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        let lat = n / self.nu0 * DEGREE + self.lat0;
        let lambda = e / (self.nu0 * self.cos0.max(0.05)) * DEGREE;
        newton(self, e, n, (lambda, lat))
    }
}
