//! The conformal conic within some 14° of its parallel of reference (more towards the equator, less towards
//! a pole), for any [`Number`].
//!
//! Source: as the method's own formulas (`method/lambert_conic.rs`); isometric latitudes from that of the
//! reference by Δ = ψ − ψ₀ = 2 atanh y − e atanh(e w), with y = sin((φ − φ₀)/2)/cos((φ + φ₀)/2) and
//! w = (s − s₀)/(1 − e² s s₀), where s = sin φ; and back by t = tanh(Δ/2) and
//! tan((χ − χ₀)/2) = t cos χ₀/(1 + t sin χ₀) on conformal latitudes χ.

use super::meridian::sine_sum;
use crate::auxiliary::Conformal;
use crate::ellipsoid::Ellipsoid;
use crate::math::functions::{
    DEGREE, RADIAN, SMALL_ATANH, atan2_forward_degrees, atanh_small, exp_m1_small, polynomial,
    sin_cos_small, wrap,
};
use crate::math::number::Number;
use std::f64::consts::FRAC_PI_4;

/// Degrees of latitude from the reference.
const REACH_DEG: f64 = 44.0;

#[derive(Clone, Debug)]
pub(crate) struct NearConic {
    lon0: f64,
    lat0: f64,
    /// Sine and cosine of the reference's latitude, and of its conformal latitude.
    geodetic0: (f64, f64),
    conformal0: (f64, f64),
    /// φ − χ of the reference, radians.
    change0: f64,
    e2: f64,
    cone: f64,
    k: f64,
    offset: f64,
    to_geodetic: [f64; 7],
}

/// What a cone is made of, as the method's own formulas have it.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Cone {
    /// Latitude of reference and central meridian, degrees.
    pub(crate) lat0: f64,
    pub(crate) lon0: f64,
    /// Cone constant.
    pub(crate) constant: f64,
    /// K, metres, and the northing of the reference from the true origin, metres.
    pub(crate) k: f64,
    pub(crate) offset: f64,
}

impl NearConic {
    /// None on an ellipsoid that is flatter than the Earth by much, for a cylinder, and towards a pole.
    pub(crate) fn new(ellipsoid: &Ellipsoid, cone: Cone) -> Option<NearConic> {
        let e2 = ellipsoid.eccentricity_squared();
        if e2 > 0.009 || cone.constant.abs() < 0.01 || cone.lat0.abs() > 80.0 {
            return None;
        }
        let conformal = Conformal::new(ellipsoid);
        let (sin, cos) = crate::math::degrees::sin_cos(cone.lat0);
        let tangent = conformal.tangent(sin, sin / cos);
        let secant = tangent.hypot(1.0);
        let series = conformal.series();
        let mut built = NearConic {
            lon0: cone.lon0,
            lat0: cone.lat0,
            geodetic0: (sin, cos),
            conformal0: (tangent / secant, 1.0 / secant),
            change0: 0.0,
            e2,
            cone: cone.constant,
            k: cone.k,
            offset: cone.offset,
            to_geodetic: std::array::from_fn(|at| series[at]),
        };
        built.change0 = built.change(built.conformal0.0, built.conformal0.1);
        Some(built)
    }

    /// φ − χ, radians.
    #[inline(always)]
    fn change<N: Number>(&self, sin: N, cos: N) -> N {
        sine_sum(&self.to_geodetic, sin * cos * 2.0, (cos - sin) * (cos + sin))
    }
}

impl NearConic {
    /// Easting and northing from the true origin, metres, of degrees; none if any place is out of reach.
    #[inline(always)]
    pub(in crate::projection) fn forward<N: Number>(&self, lon: N, lat: N) -> Option<(N, N)> {
        let rise = lat - self.lat0;
        let half = wrap(lon - self.lon0) * (RADIAN * self.cone / 2.0);
        if !(rise.within(REACH_DEG) && half.within(FRAC_PI_4) && lat.within(89.0)) {
            return None;
        }
        let (s0, c0) = self.geodetic0;
        let (sin, cos) = sin_cos_small(rise * (RADIAN / 2.0));
        // cos((φ + φ₀)/2), and s − s₀.
        let middle = cos * c0 - sin * s0;
        let rise = sin * middle * 2.0;
        let product = -((rise + s0) * (s0 * self.e2)) + 1.0;
        let reciprocal = (middle * product).reciprocal();
        let y = sin * (reciprocal * product);
        if !y.within(SMALL_ATANH) {
            return None;
        }
        let w = rise * (reciprocal * middle);
        let delta = atanh_small(y) * 2.0 - w * self.e2 * polynomial(w * w * self.e2, &ATANH);
        // exp(−nΔ) − 1
        let shrink = exp_m1_small(delta * -self.cone);
        let (sin, cos) = sin_cos_small(half);
        let radius = self.k / self.cone;
        let chord = (shrink * radius + radius) * sin * 2.0;
        Some((chord * cos, chord * sin - shrink * radius + self.offset))
    }

    /// Longitude and latitude, degrees, of metres from the true origin; none if any is out of reach.
    #[inline(always)]
    pub(in crate::projection) fn inverse<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        let n = n - self.offset;
        let across = e * self.cone;
        let along = -(n * self.cone) + self.k;
        // exp(−2nΔ) = 1 + u
        let u =
            ((e * e + n * n) * self.cone - n * (2.0 * self.k)) * (self.cone / (self.k * self.k));
        // At the apex rounding may leave less than nothing, which is out of reach as well.
        let ratio = (u + 1.0).abs().sqrt() + 1.0;
        let y = u / (ratio * ratio);
        let delta = atanh_small(y) * (-2.0 / self.cone);
        let is_ahead = (-along).greatest() < 0.0;
        if !(y.within(SMALL_ATANH) && delta.within(2.0 * SMALL_ATANH) && is_ahead) {
            return None;
        }
        let lambda = atan2_forward_degrees(across, along) * (1.0 / self.cone);
        if !lambda.within(180.0) {
            return None;
        }
        let (s0, c0) = self.conformal0;
        // t = tanh(Δ/2)
        let growth = exp_m1_small(delta);
        let t = growth / (growth + 2.0);
        let t2 = t * t;
        let scale = (t2 + t * (2.0 * s0) + 1.0).reciprocal();
        let sin = ((t2 + 1.0) * s0 + t * 2.0) * scale;
        let cos = (-t2 + 1.0) * c0 * scale;
        let change = self.change(sin, cos) - self.change0;
        let rise = atan2_forward_degrees(t * c0, t * s0 + 1.0) * 2.0 + change * DEGREE;
        Some((wrap(lambda + self.lon0), rise + self.lat0))
    }
}

/// atanh(√z)/√z of up to 0.007 times the square of what [`SMALL_ATANH`] lets be.
const ATANH: [f64; 5] = [1.0, 1.0 / 3.0, 1.0 / 5.0, 1.0 / 7.0, 1.0 / 9.0];
