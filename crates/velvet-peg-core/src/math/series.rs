//! Fourier series whose coefficients are series in the third flattening, and their sums.
//!
//! Source of the summation: Clenshaw (1955), "A note on the summation of Chebyshev series".

use super::Real;
use super::functions::{DEGREE, atan2_degrees};
use super::number::Number;

/// Coefficients of a sine series to order 8: row j (from 1) holds the factors of
/// n^j … n^8.
pub(crate) type Triangle = [&'static [f64]; 8];

/// The eight Fourier coefficients for one value of the third flattening n.
pub(crate) fn evaluate(table: &Triangle, n: f64) -> [f64; 8] {
    let mut power = 1.0;
    table.map(|row| {
        power *= n;
        power * row.iter().rev().fold(0.0, |sum, factor| sum * n + factor)
    })
}

/// Σ c_j sin 2jx, given sin 2x and cos 2x.
pub(crate) fn sine_sum(c: &[f64; 8], sin2: f64, cos2: f64) -> f64 {
    sine_sum_of(c, sin2, cos2)
}

/// The same sum of any number.
#[inline(always)]
pub(crate) fn sine_sum_of<T: Real>(c: &[f64; 8], sin2: T, cos2: T) -> T {
    let twice = cos2 * 2.0;
    let (mut next, mut after) = (sin2.constant(0.0), sin2.constant(0.0));
    for at in (0..c.len()).rev() {
        (next, after) = (twice * next - after + c[at], next);
    }
    sin2 * next
}

/// The latitude, degrees, whose excess over another is Σ c_j sin 2jx, given the other by its sine and cosine,
/// which need not be normalised.
#[inline(always)]
pub(crate) fn latitude_deg<N: Number>(c: &[f64; 8], sin: N, cos: N) -> N {
    let norm = sin * sin + cos * cos;
    let (sin2, cos2) = (sin * cos * 2.0 / norm, (cos - sin) * (cos + sin) / norm);
    atan2_degrees(sin, cos) + sine_sum_of(c, sin2, cos2) * DEGREE
}

/// Σ c_j sin 2jζ and Σ 2j c_j cos 2jζ of a complex ζ = ξ + iη, both as (real, imaginary).
/// Takes sin 2ξ, cos 2ξ, sinh 2η, cosh 2η.
pub(crate) fn complex_sums(
    c: &[f64; 8],
    (sin, cos): (f64, f64),
    (sinh, cosh): (f64, f64),
    want_derivative: bool,
) -> ((f64, f64), (f64, f64)) {
    // Twice the complex cosine of 2ζ.
    let (re, im) = (2.0 * cos * cosh, -2.0 * sin * sinh);
    let step = |a: (f64, f64), b: (f64, f64), factor: f64| {
        (re * a.0 - im * a.1 - b.0 + factor, re * a.1 + im * a.0 - b.1)
    };
    let (mut s1, mut s2) = ((0.0, 0.0), (0.0, 0.0));
    for factor in c.iter().rev() {
        (s1, s2) = (step(s1, s2, *factor), s1);
    }
    let (sin_re, sin_im) = (sin * cosh, cos * sinh);
    let sum = (sin_re * s1.0 - sin_im * s1.1, sin_re * s1.1 + sin_im * s1.0);
    if !want_derivative {
        return (sum, (0.0, 0.0));
    }
    let (mut d1, mut d2) = ((0.0, 0.0), (0.0, 0.0));
    for (at, factor) in c.iter().enumerate().rev() {
        (d1, d2) = (step(d1, d2, 2.0 * (at + 1) as f64 * factor), d1);
    }
    let derivative =
        (re / 2.0 * d1.0 - im / 2.0 * d1.1 - d2.0, re / 2.0 * d1.1 + im / 2.0 * d1.0 - d2.1);
    (sum, derivative)
}
