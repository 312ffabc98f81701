//! Auxiliary latitudes: isometric and conformal latitude, and back to geodetic latitude.
//!
//! Sources: Snyder (1987) eq. 3-1, 3-7; Karney (2011), "Transverse Mercator with an accuracy
//! of a few nanometers", J. Geodesy 85, eq. 7-9 for the form that does not cancel. The
//! series from conformal to geodetic latitude is the Fourier series of one in the other,
//! its coefficients expanded in the third flattening to order 8 (computed in exact rational
//! arithmetic; orders 1 to 4 agree with Snyder's 3-5 after change of parameter). The first
//! term left out is below 1e-21 on the Earth's ellipsoids.

use crate::ellipsoid::Ellipsoid;
use crate::math::elementary::{asinh, norm};
use crate::math::functions::{clamp, sinh_cosh};
use crate::math::number::Number;
use crate::math::series;
use crate::math::{LonLat, Real};

/// Conversions between geodetic and conformal latitude on one ellipsoid.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Conformal {
    e: f64,
    e2: f64,
    to_geodetic: [f64; 8],
}

impl Conformal {
    pub(crate) fn new(ellipsoid: &Ellipsoid) -> Conformal {
        Conformal {
            e: ellipsoid.eccentricity_squared().sqrt(),
            e2: ellipsoid.eccentricity_squared(),
            to_geodetic: series::evaluate(&TO_GEODETIC, ellipsoid.third_flattening()),
        }
    }

    /// The series of φ − χ in sin 2jχ.
    pub(crate) fn series(&self) -> &[f64; 8] {
        &self.to_geodetic
    }

    /// Tangent of the conformal latitude from the sine and the tangent of the geodetic one.
    pub(crate) fn tangent(&self, sin: f64, tan: f64) -> f64 {
        let x = self.eccentric(sin);
        let square = x * x;
        let sigma = match square < 1e-4 {
            true => x * (1.0 + square / 6.0 * (1.0 + square / 20.0 * (1.0 + square / 42.0))),
            false => x.sinh(),
        };
        tan * norm(sigma, 1.0) - sigma * norm(tan, 1.0)
    }

    /// e atanh(e sin φ), by its power series where the ellipsoid is like the Earth's.
    fn eccentric(&self, sin: f64) -> f64 {
        let q = self.e2 * sin * sin;
        if q > 0.009 {
            return self.e * (self.e * sin).atanh();
        }
        let tail = 1.0 / 9.0 + q * (1.0 / 11.0 + q * (1.0 / 13.0 + q / 15.0));
        let sum = 1.0 + q * (1.0 / 3.0 + q * (1.0 / 5.0 + q * (1.0 / 7.0 + q * tail)));
        self.e2 * sin * sum
    }

    /// Isometric latitude ψ from the sine and the tangent of the geodetic latitude.
    pub(crate) fn isometric(&self, sin: f64, tan: f64) -> f64 {
        asinh(tan) - self.eccentric(sin)
    }

    /// e atanh(e sin φ) of any number.
    #[inline(always)]
    pub(crate) fn eccentric_of<T: Real>(&self, sin: T) -> T {
        sin * (sin * self.e).atanhc() * self.e2
    }

    /// Isometric latitude of a place away from the poles, of any number.
    #[inline(always)]
    pub(crate) fn isometric_of<T: Real>(&self, at: &LonLat<T>) -> T {
        (at.sin / at.cos).asinh() - self.eccentric_of(at.sin)
    }

    /// Geodetic latitude, degrees, from the sine and cosine of the conformal one, which
    /// need not be normalised.
    #[inline(always)]
    pub(crate) fn geodetic_deg<N: Number>(&self, sin: N, cos: N) -> N {
        series::latitude_deg(&self.to_geodetic, sin, cos)
    }

    /// Geodetic latitude, degrees, from the isometric latitude.
    #[inline(always)]
    pub(crate) fn geodetic_of_isometric_deg<N: Number>(&self, psi: N) -> N {
        // Of 40 the latitude is a pole's, to rounding.
        let sinh = sinh_cosh(clamp(psi, -40.0, 40.0)).0;
        self.geodetic_deg(sinh, sinh.like(1.0))
    }
}

/// Row j holds the coefficients of n^j, n^(j+1) … n^8 of sin 2jχ in φ − χ.
const TO_GEODETIC: series::Triangle = [
    &[
        2.0,
        -2.0 / 3.0,
        -2.0,
        116.0 / 45.0,
        26.0 / 45.0,
        -2854.0 / 675.0,
        16822.0 / 4725.0,
        189416.0 / 99225.0,
    ],
    &[
        7.0 / 3.0,
        -8.0 / 5.0,
        -227.0 / 45.0,
        2704.0 / 315.0,
        2323.0 / 945.0,
        -31256.0 / 1575.0,
        141514.0 / 8505.0,
    ],
    &[
        56.0 / 15.0,
        -136.0 / 35.0,
        -1262.0 / 105.0,
        73814.0 / 2835.0,
        98738.0 / 14175.0,
        -2363828.0 / 31185.0,
    ],
    &[
        4279.0 / 630.0,
        -332.0 / 35.0,
        -399572.0 / 14175.0,
        11763988.0 / 155925.0,
        14416399.0 / 935550.0,
    ],
    &[4174.0 / 315.0, -144838.0 / 6237.0, -2046082.0 / 31185.0, 258316372.0 / 1216215.0],
    &[601676.0 / 22275.0, -115444544.0 / 2027025.0, -2155215124.0 / 14189175.0],
    &[38341552.0 / 675675.0, -170079376.0 / 1216215.0],
    &[1383243703.0 / 11351340.0],
];
