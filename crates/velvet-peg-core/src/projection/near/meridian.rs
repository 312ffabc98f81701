//! Transverse Mercator within 9.8° of its central meridian, for any [`Number`].
//!
//! Source: Karney (2011) eq. 7-38, multiplied by cos φ so that no tangent is formed: with s = sin φ,
//! c = cos φ and x = e atanh(e s), the conformal latitude χ has tan χ · c = S = s cosh x − sinh x = s (1 + Q),
//! where Q is a power series in s²; and
//!
//! ```text
//! tan ξ' = S / (c cos λ),   tanh η' = c sin λ / √(S² + c²)
//! ```
//!
//! ξ' − φ and η' are small, so that their functions are short polynomials; one division and one root
//! serve all. Behind them the series of Krüger to order 6, whose first term left out is 2e-12 m at
//! the edge on the Earth's ellipsoids.

use crate::auxiliary::Conformal;
use crate::ellipsoid::Ellipsoid;
use crate::math::functions::{
    DEGREE, RADIAN, atan2_forward_degrees, atanh_small, polynomial, sin_cos, sin_cos_degrees, wrap,
};
use crate::math::number::Number;

/// Degrees of longitude from the central meridian, less than the 0.1716 rad of the polynomials.
const REACH_DEG: f64 = 9.8;

/// The same as η of the inverse.
const REACH_ETA: f64 = 0.169;

/// Largest ξ of the inverse, radians: nearer to the pole a direction has to be found otherwise.
const REACH_XI: f64 = 1.54;

/// Terms of the series of Krüger.
const ORDER: usize = 6;

#[derive(Clone, Debug)]
pub(crate) struct NearMeridian {
    lon0: f64,
    lat0: f64,
    /// Rectifying radius times the scale factor at the central meridian, metres.
    radius: f64,
    /// Rectifying latitude of the origin, radians, and how far it is from the geodetic one.
    origin: f64,
    origin_change: f64,
    forward: [f64; ORDER],
    inverse: [f64; ORDER],
    to_geodetic: [f64; 7],
    /// Q in powers of s².
    sharpening: [f64; 7],
}

impl NearMeridian {
    /// None on an ellipsoid that is flatter than the Earth by much. `series` are those of Krüger, there
    /// and back; `radius` is in metres.
    pub(crate) fn new(
        ellipsoid: &Ellipsoid,
        (lat0, lon0): (f64, f64),
        radius: f64,
        series: (&[f64; 8], &[f64; 8]),
    ) -> Option<NearMeridian> {
        let e2 = ellipsoid.eccentricity_squared();
        if e2 > 0.009 {
            return None;
        }
        let mut built = NearMeridian {
            lon0,
            lat0,
            radius,
            origin: 0.0,
            origin_change: 0.0,
            forward: first(series.0),
            inverse: first(series.1),
            to_geodetic: first(Conformal::new(ellipsoid).series()),
            sharpening: sharpening(e2),
        };
        let (xi_change, _) = built.rectified(lon0, lat0)?;
        built.origin_change = xi_change;
        built.origin = lat0 * RADIAN + xi_change;
        Some(built)
    }

    /// ξ − φ and η, radians; none if any place is out of reach.
    #[inline(always)]
    fn rectified<N: Number>(&self, lon: N, lat: N) -> Option<(N, N)> {
        let east = wrap(lon - self.lon0);
        if !(east.within(REACH_DEG) && lat.within(90.0)) {
            return None;
        }
        let lambda = east * RADIAN;
        let square = lambda * lambda;
        let sin_lambda = lambda + lambda * square * polynomial(square, &SIN);
        let versine = square * polynomial(square, &VERSINE);
        let (s, c) = sin_cos_degrees(lat);
        let q = polynomial(s * s, &self.sharpening);
        let conformal = s + s * q;
        let along = c * (-versine + 1.0);
        let across = c * sin_lambda;
        let h2 = conformal * conformal + along * along;
        let n2 = h2 + across * across;
        let n = n2.sqrt();
        // tan(ξ' − φ), and all quotients from one division.
        let under = along * c + conformal * s;
        let over = s * c * (q + versine);
        let reciprocal = (h2 * under * n).reciprocal();
        let of_both = reciprocal * n;
        let t = over * (of_both * h2);
        let of_h2 = of_both * under;
        let t2 = t * t;
        let change = t + t * t2 * polynomial(t2, &ATAN);
        let eta = atanh_small(across * (reciprocal * (h2 * under)));
        let sum = complex_sum(
            &self.forward,
            (conformal * along * 2.0 * of_h2, (along - conformal) * (along + conformal) * of_h2),
            (across * n * 2.0 * of_h2, (n2 + across * across) * of_h2),
        );
        Some((change + sum.0, eta + sum.1))
    }
}

impl NearMeridian {
    /// Easting and northing from the true origin, metres, of degrees; none if any place is out of reach.
    #[inline(always)]
    pub(in crate::projection) fn forward<N: Number>(&self, lon: N, lat: N) -> Option<(N, N)> {
        let (change, eta) = self.rectified(lon, lat)?;
        let xi = (lat - self.lat0) * RADIAN + (change - self.origin_change);
        Some((eta * self.radius, xi * self.radius))
    }

    /// Longitude and latitude, degrees, of metres from the true origin; none if any is out of reach.
    #[inline(always)]
    pub(in crate::projection) fn inverse<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        let to_radians = 1.0 / self.radius;
        let (eta, xi) = (e * to_radians, n * to_radians + self.origin);
        if !(eta.within(REACH_ETA) && xi.within(REACH_XI)) {
            return None;
        }
        let (s, c) = sin_cos(xi);
        let square = eta * eta;
        let sinh = eta + eta * square * polynomial(square, &SINH);
        let cosh = square * polynomial(square, &COSH) + 1.0;
        let (dx, dy) = complex_sum(
            &self.inverse,
            (s * c * 2.0, (c - s) * (c + s)),
            (sinh * cosh * 2.0, sinh * sinh * 2.0 + 1.0),
        );
        // Turned by dx and dy, which are below 0.0013 on the Earth.
        let (x2, y2) = (dx * dx, dy * dy);
        let sin_dx = dx + dx * x2 * polynomial(x2, &[SIN[0], SIN[1]]);
        let versine_dx = x2 * polynomial(x2, &[VERSINE[0], VERSINE[1], VERSINE[2]]);
        let sinh_dy = dy + dy * y2 * polynomial(y2, &[SINH[0], SINH[1]]);
        let cosh_dy = y2 * polynomial(y2, &[COSH[0], COSH[1], COSH[2]]);
        let sin_xi = s + (c * sin_dx - s * versine_dx);
        let cos_xi = c - (s * sin_dx + c * versine_dx);
        let sinh_eta = sinh + (cosh * sinh_dy + sinh * cosh_dy);
        // tan χ = sin ξ' / h, tan λ = sinh η' / cos ξ'.
        let h2 = sinh_eta * sinh_eta + cos_xi * cos_xi;
        let h = h2.sqrt();
        let lambda = atan2_forward_degrees(sinh_eta, cos_xi);
        let reciprocal = (sin_xi * sin_xi + h2).reciprocal();
        let sin2 = sin_xi * h * 2.0 * reciprocal;
        let cos2 = (h - sin_xi) * (h + sin_xi) * reciprocal;
        // tan(χ − ξ), with h − cos ξ' from η'.
        let shortfall = sinh_eta * sinh_eta / (h + cos_xi);
        let t = (sin_dx - shortfall * s) / (h * c + sin_xi * s);
        let t2 = t * t;
        let change = t + t * t2 * polynomial(t2, &ATAN);
        let phi = xi + (change + sine_sum(&self.to_geodetic, sin2, cos2));
        Some((wrap(lambda + self.lon0), phi * DEGREE))
    }
}

/// sin x = x + x³ P(x²), of up to 0.1716.
const SIN: [f64; 5] =
    [-1.0 / 6.0, 1.0 / 120.0, -1.0 / 5040.0, 1.0 / 362_880.0, -1.0 / 39_916_800.0];

/// 1 − cos x = x² P(x²).
const VERSINE: [f64; 5] = [0.5, -1.0 / 24.0, 1.0 / 720.0, -1.0 / 40_320.0, 1.0 / 3_628_800.0];

/// sinh x = x + x³ P(x²).
const SINH: [f64; 5] = [1.0 / 6.0, 1.0 / 120.0, 1.0 / 5040.0, 1.0 / 362_880.0, 1.0 / 39_916_800.0];

/// cosh x − 1 = x² P(x²).
const COSH: [f64; 5] = [0.5, 1.0 / 24.0, 1.0 / 720.0, 1.0 / 40_320.0, 1.0 / 3_628_800.0];

/// atan x = x + x³ P(x²), of up to 0.02.
const ATAN: [f64; 4] = [-1.0 / 3.0, 1.0 / 5.0, -1.0 / 7.0, 1.0 / 9.0];

fn first<const MANY: usize>(all: &[f64; 8]) -> [f64; MANY] {
    std::array::from_fn(|at| all[at])
}

/// cosh x − 1 − sinh(x)/s in powers of s², where x = e atanh(e s).
fn sharpening(e2: f64) -> [f64; 7] {
    type Powers = [f64; 8];
    let times = |a: &Powers, b: &Powers| -> Powers {
        std::array::from_fn(|k| (0..=k).map(|i| a[i] * b[k - i]).sum())
    };
    // x/s, and x².
    let over_s: Powers = std::array::from_fn(|k| e2.powi(k as i32 + 1) / (2 * k + 1) as f64);
    let product = times(&over_s, &over_s);
    let square: Powers = std::array::from_fn(|k| if k == 0 { 0.0 } else { product[k - 1] });
    // 1 + x²/d₁ (1 + x²/d₂ (…)).
    let nested = |divisors: &[f64]| {
        divisors.iter().rev().fold([1.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0], |inner, divisor| {
            let mut outer = times(&inner, &square).map(|value| value / divisor);
            outer[0] += 1.0;
            outer
        })
    };
    let sinh = times(&over_s, &nested(&[6.0, 20.0, 42.0, 72.0]));
    let cosh = nested(&[2.0, 12.0, 30.0, 56.0]);
    std::array::from_fn(|k| cosh[k] - f64::from(u8::from(k == 0)) - sinh[k])
}

/// Σ c_j sin 2jζ of a complex ζ = ξ + iη (Clenshaw), from sin 2ξ, cos 2ξ, sinh 2η, cosh 2η.
#[inline(always)]
fn complex_sum<N: Number>(c: &[f64; ORDER], (sin, cos): (N, N), (sinh, cosh): (N, N)) -> (N, N) {
    let (re, im) = (cos * cosh * 2.0, sin * sinh * -2.0);
    let zero = sin.like(0.0);
    let (mut a, mut b) = ((sin.like(c[ORDER - 1]), zero), (zero, zero));
    for at in (0..ORDER - 1).rev() {
        let next = (re * a.0 - im * a.1 - b.0 + c[at], re * a.1 + im * a.0 - b.1);
        (b, a) = (a, next);
    }
    let (sin_re, sin_im) = (sin * cosh, cos * sinh);
    (sin_re * a.0 - sin_im * a.1, sin_re * a.1 + sin_im * a.0)
}

/// Σ c_j sin 2jx (Clenshaw), from sin 2x and cos 2x.
#[inline(always)]
pub(super) fn sine_sum<N: Number>(c: &[f64; 7], sin2: N, cos2: N) -> N {
    let twice = cos2 * 2.0;
    let (mut a, mut b) = (sin2.like(c[6]), sin2.like(0.0));
    for at in (0..6).rev() {
        (b, a) = (a, twice * a - b + c[at]);
    }
    sin2 * a
}
