//! The inverse problem of places that are near each other: lines of up to some 64 km, of which several
//! can be solved at a time.
//!
//! On the auxiliary sphere of reduced latitudes β (Bessel (1825)) the longitude and the length of a line
//! are integrals along it of functions of β alone, because k sin σ = e′ sin β (Karney (2013) eq. 6-9):
//!
//! ```text
//! λ₁₂ = ω₁₂ − f sin α₀ ∫ (2 − f)/(1 + (1 − f) w) dσ      s/b = ∫ w dσ      w = √(1 + e′² sin²β)
//! ```
//!
//! Over a short arc three points (Simpson) give the first and four (Lobatto) the second to the last
//! place; the first depends on ω₁₂ so little that one guess settles it. Everything is formed from the differences of
//! latitude and longitude, so that lines keep their relative accuracy down to the shortest.

use crate::ellipsoid::Ellipsoid;
use crate::math::functions::{
    RADIAN, atan2_degrees, polynomial, sin_cos_degrees, sin_cos_small, wrap,
};
use crate::math::number::Number;

/// Sine squared of the longest arc.
const LONGEST: f64 = 1e-4;

/// Differences of longitude and latitude, degrees, of which sines are found here.
const MOST: (f64, f64) = (2.8, 0.7);

/// The highest latitude, degrees: nearer to a pole, longitudes differ by more.
const HIGHEST: f64 = 88.0;

/// Flattenings for which the series of the longitude integral serves.
const FLATTEST: f64 = 0.0068;

/// Where the two inner points of Lobatto's rule lie, as shares of the arc.
const INNER: [f64; 2] = [0.276_393_202_250_021_03, 0.723_606_797_749_979];

/// Solves short lines on one ellipsoid.
#[derive(Clone, Debug)]
pub(super) struct Near {
    /// 1 − f.
    flat: f64,
    /// Flattening.
    f: f64,
    /// Second eccentricity squared.
    ep2: f64,
    b: f64,
    /// The integrand of the longitude as a polynomial in e′² sin²β.
    longitude: [f64; 5],
}

impl Near {
    /// None for an ellipsoid that is flattened too much.
    pub(super) fn new(ellipsoid: &Ellipsoid) -> Option<Near> {
        let f = ellipsoid.flattening();
        if !(0.0..FLATTEST).contains(&f) {
            return None;
        }
        let e2 = ellipsoid.eccentricity_squared();
        // w − 1 = x/2 − x²/8 + x³/16 − 5x⁴/128, and one over 1 + q (w − 1), with q = (1 − f)/(2 − f).
        let root = [0.0, 0.5, -0.125, 0.0625, -0.039_062_5];
        let q = (1.0 - f) / (2.0 - f);
        let mut longitude = [1.0, 0.0, 0.0, 0.0, 0.0];
        for order in 1..longitude.len() {
            let sum: f64 = (1..=order).map(|k| root[k] * longitude[order - k]).sum();
            longitude[order] = -q * sum;
        }
        Some(Near {
            flat: 1.0 - f,
            f,
            ep2: e2 / (1.0 - e2),
            b: ellipsoid.semi_minor_m(),
            longitude,
        })
    }

    /// Sine (times 1 − f) and cosine of a latitude, and the root of the sum of their squares.
    #[inline(always)]
    fn stretched<N: Number>(&self, lat: N) -> (N, N, N) {
        let (sin, cos) = sin_cos_degrees(lat);
        let sin = sin * self.flat;
        (sin, cos, (sin * sin + cos * cos).sqrt())
    }

    /// Distance in metres and the azimuths at both places in degrees of the line between two places,
    /// given by longitude and latitude in degrees; none where it is not short.
    #[inline(always)]
    pub(super) fn solve<N: Number>(&self, [lon1, lat1, lon2, lat2]: [N; 4]) -> Option<[N; 3]> {
        if !(lon1.within(360.0) && lon2.within(360.0)) {
            return None;
        }
        let (lat12, lon12) = (lat2 - lat1, lon2 - lon1);
        // What the difference is more than that (Knuth 1969, the exact sum of two).
        let back = lon12 - lon2;
        let rest = (lon2 - (lon12 - back)) - (lon1 + back);
        let lon12 = wrap(lon12);
        let is_near = lon12.within(MOST.0)
            && lat12.within(MOST.1)
            && lat1.within(HIGHEST)
            && lat2.within(HIGHEST);
        if !is_near {
            return None;
        }
        let (sin1, cos1, root1) = self.stretched(lat1);
        let (sin2, cos2, root2) = self.stretched(lat2);
        let both = (root1 * root2).reciprocal();
        let (w1, w2) = (both * root2, both * root1);
        let (sin1, cos1, sin2, cos2) = (sin1 * w1, cos1 * w1, sin2 * w2, cos2 * w2);
        // sin(β₂ − β₁) from the exact difference of the latitudes.
        let rise = sin_cos_small(lat12 * RADIAN).0 * both * self.flat;
        let lambda = lon12 * RADIAN + rest * RADIAN;
        let factor = cos1 * cos2 * self.f;

        // The integrand of the longitude in the middle, whose sine is the mean over cos σ₁₂/2.
        let (x1, x2) = (sin1 * sin1 * self.ep2, sin2 * sin2 * self.ep2);
        let middle = (sin1 + sin2) * 0.5;
        let square = middle * middle * self.ep2;
        let share = factor * self.at(square);
        let stretch = (-share + 1.0).reciprocal();
        let guess = lambda * stretch;
        let longitude = SmallAngle::of(guess);
        let around = sphere(rise, &longitude, (sin1, cos1), (sin2, cos2));
        if !around.sin2.within(LONGEST) {
            return None;
        }
        // ω = λ + f cos β₁ cos β₂ sin ω (σ/sin σ) mean: what is left of the guess, by its square.
        let quarter = around.sin2 * 0.25;
        let mean = self.at(x1) + self.at(x2) + self.at(square + square * quarter) * 4.0;
        let ratio = arc_over_sine(around.sin2) * longitude.sinc * (1.0 / 6.0);
        let rest = (factor * mean * ratio - share) * stretch;
        let longitude = longitude.turned(guess * (rest + rest * rest));
        let line = sphere(rise, &longitude, (sin1, cos1), (sin2, cos2));
        let mut mean = w1 + w2;
        for part in INNER {
            let (a, b) = (weight(1.0 - part, around.sin2), weight(part, around.sin2));
            let sin = sin1 * a + sin2 * b;
            mean = mean + (sin * sin * self.ep2 + 1.0).sqrt() * 5.0;
        }
        let sine = line.sin2.sqrt();
        let arc = sine * arc_over_sine(line.sin2);
        let azimuth = |(sin, cos): (N, N)| atan2_degrees(sin, cos);
        let (azimuth1, azimuth2) = (azimuth(line.azimuth1), azimuth(line.azimuth2));
        Some([arc * mean * (self.b / 12.0), azimuth1, azimuth2])
    }

    /// The integrand of the longitude.
    #[inline(always)]
    fn at<N: Number>(&self, x: N) -> N {
        polynomial(x, &self.longitude)
    }
}

/// The sine of a small angle, one less its cosine, and the share of the sine in the angle.
struct SmallAngle<N> {
    sin: N,
    versine: N,
    sinc: N,
}

impl<N: Number> SmallAngle<N> {
    #[inline(always)]
    fn of(radians: N) -> SmallAngle<N> {
        const SINC: [f64; 5] = [1.0, -1.0 / 6.0, 1.0 / 120.0, -1.0 / 5040.0, 1.0 / 362_880.0];
        const VERSINE: [f64; 4] = [0.5, -1.0 / 24.0, 1.0 / 720.0, -1.0 / 40_320.0];
        let square = radians * radians;
        let sinc = polynomial(square, &SINC);
        SmallAngle { sin: radians * sinc, versine: polynomial(square, &VERSINE) * square, sinc }
    }

    /// After a turn so small that its cube is nothing.
    #[inline(always)]
    fn turned(&self, radians: N) -> SmallAngle<N> {
        let (sin, cos, half) = (self.sin, -self.versine + 1.0, radians * 0.5);
        SmallAngle {
            sin: sin + radians * (cos - sin * half),
            versine: self.versine + radians * (sin + cos * half),
            sinc: self.sinc,
        }
    }
}

/// A line on the auxiliary sphere.
struct OnSphere<N> {
    /// Directions at both ends, times the sine of the arc.
    azimuth1: (N, N),
    azimuth2: (N, N),
    /// Sine squared of the arc.
    sin2: N,
}

/// The line between reduced latitudes whose difference has this sine, over a difference of longitude.
#[inline(always)]
fn sphere<N: Number>(
    rise: N,
    omega: &SmallAngle<N>,
    (sin1, cos1): (N, N),
    (sin2, cos2): (N, N),
) -> OnSphere<N> {
    let azimuth1 = (cos2 * omega.sin, rise + cos2 * sin1 * omega.versine);
    let azimuth2 = (cos1 * omega.sin, rise - cos1 * sin2 * omega.versine);
    let sin2 = azimuth1.0 * azimuth1.0 + azimuth1.1 * azimuth1.1;
    OnSphere { azimuth1, azimuth2, sin2 }
}

/// σ/sin σ by sin²σ.
#[inline(always)]
fn arc_over_sine<N: Number>(sin2: N) -> N {
    polynomial(sin2, &[1.0, 1.0 / 6.0, 3.0 / 40.0, 15.0 / 336.0, 105.0 / 3456.0])
}

/// sin tσ/sin σ by sin²σ, to σ⁴: what is left has no weight in an integrand that hardly changes.
#[inline(always)]
fn weight<N: Number>(t: f64, sin2: N) -> N {
    let r = 1.0 - t * t;
    polynomial(sin2, &[t, t * r / 6.0, t * r * (9.0 - t * t) / 120.0])
}
