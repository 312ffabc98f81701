//! Authalic latitude: the latitude on the sphere of equal area, and back.
//!
//! Sources: Adams (1921), "Latitude developments connected with geodesy and cartography";
//! Snyder (1987) eq. 3-11, 3-12. With s = sin φ, q = (1 − e²)(s/(1 − e²s²) + atanh(e s)/e);
//! every difference of two q is formed from the difference of the two s, so that nothing
//! cancels near a pole or an origin. Back to geodetic latitude by the series in the third
//! flattening to order 8 (computed in exact rational arithmetic).

use crate::ellipsoid::Ellipsoid;
use crate::math::functions::clamp;
use crate::math::number::Number;
use crate::math::series;
use crate::math::{LonLat, Real};

#[derive(Clone, Copy, Debug)]
pub(crate) struct Authalic {
    e: f64,
    e2: f64,
    /// q at the pole.
    qp: f64,
    /// Radius of the sphere of equal area, metres.
    radius: f64,
    to_geodetic: [f64; 8],
}

impl Authalic {
    pub(crate) fn new(ellipsoid: &Ellipsoid) -> Authalic {
        let e2 = ellipsoid.eccentricity_squared();
        let e = e2.sqrt();
        let qp = 1.0 + (1.0 - e2) * Real::atanhc(e);
        Authalic {
            e,
            e2,
            qp,
            radius: ellipsoid.semi_major_m() * (qp / 2.0).sqrt(),
            to_geodetic: series::evaluate(&TO_GEODETIC, ellipsoid.third_flattening()),
        }
    }

    pub(crate) fn radius_m(&self) -> f64 {
        self.radius
    }

    pub(crate) fn q_at_pole(&self) -> f64 {
        self.qp
    }

    /// q of a sine of latitude.
    #[inline(always)]
    pub(crate) fn q<T: Real>(&self, sin: T) -> T {
        let one = sin.constant(1.0);
        sin * (one / (-(sin.square() * self.e2) + 1.0) + (sin * self.e).atanhc()) * (1.0 - self.e2)
    }

    /// q(s) − q(s₀) over s − s₀, given both sines and their difference.
    #[inline(always)]
    pub(crate) fn slope<T: Real>(&self, sin: T, sin0: f64, rise: T) -> T {
        let e2 = self.e2;
        let one = sin.constant(1.0);
        let product = -(sin * (e2 * sin0)) + 1.0;
        let squares = (-(sin.square() * e2) + 1.0) * (1.0 - e2 * sin0 * sin0);
        let x = rise * self.e / product;
        ((sin * (e2 * sin0) + 1.0) / squares + x.atanhc() * (one / product)) * (1.0 - e2)
    }

    /// Sine and cosine of the authalic latitude, both to full relative accuracy.
    #[inline(always)]
    pub(crate) fn sin_cos<T: Real>(&self, at: &LonLat<T>) -> (T, T) {
        (self.q(at.sin) / self.qp, at.cos * self.cosine_ratio(at.sin))
    }

    /// cos β / cos φ, regular at the poles.
    #[inline(always)]
    pub(crate) fn cosine_ratio<T: Real>(&self, sin: T) -> T {
        let sin = sin.magnitude();
        let e2 = self.e2;
        let product = -(sin * e2) + 1.0;
        let x = (-sin + 1.0) * self.e / product;
        // (qp − q)/cos² φ
        let first = (sin * e2 + 1.0) / ((-(sin.square() * e2) + 1.0) * (1.0 - e2));
        let second = x.atanhc() / product;
        let near = (first + second) / (sin + 1.0) * (1.0 - e2);
        (near * (self.q(sin) + self.qp)).sqrt() / self.qp
    }

    /// Geodetic latitude in degrees from the sine and cosine of the authalic one, which need
    /// not be normalised.
    #[inline(always)]
    pub(crate) fn geodetic_deg<N: Number>(&self, sin: N, cos: N) -> N {
        series::latitude_deg(&self.to_geodetic, sin, cos)
    }

    /// Geodetic latitude in degrees from q; none beyond the poles.
    #[inline(always)]
    pub(crate) fn geodetic_of_q_deg<N: Number>(&self, q: N) -> Option<N> {
        let sin = q / self.qp;
        // Rounding may carry a pole's q a little too far.
        if !sin.within(1.0 + 1e-15) {
            return None;
        }
        let sin = clamp(sin, -1.0, 1.0);
        Some(self.geodetic_deg(sin, Number::sqrt((-sin + 1.0) * (sin + 1.0))))
    }
}

/// Row j holds the factors of n^j … n^8 of sin 2jβ in φ − β.
const TO_GEODETIC: series::Triangle = [
    &[
        4.0 / 3.0,
        4.0 / 45.0,
        -16.0 / 35.0,
        -2582.0 / 14175.0,
        60136.0 / 467775.0,
        28112932.0 / 212837625.0,
        22947844.0 / 1915538625.0,
        -1683291094.0 / 37574026875.0,
    ],
    &[
        46.0 / 45.0,
        152.0 / 945.0,
        -11966.0 / 14175.0,
        -21016.0 / 51975.0,
        251310128.0 / 638512875.0,
        1228352.0 / 3007125.0,
        -14351220203.0 / 488462349375.0,
    ],
    &[
        3044.0 / 2835.0,
        3802.0 / 14175.0,
        -94388.0 / 66825.0,
        -8797648.0 / 10945935.0,
        138128272.0 / 147349125.0,
        505559334506.0 / 488462349375.0,
    ],
    &[
        6059.0 / 4725.0,
        41072.0 / 93555.0,
        -1472637812.0 / 638512875.0,
        -45079184.0 / 29469825.0,
        973080708361.0 / 488462349375.0,
    ],
    &[
        768272.0 / 467775.0,
        455935736.0 / 638512875.0,
        -550000184.0 / 147349125.0,
        -1385645336626.0 / 488462349375.0,
    ],
    &[4210684958.0 / 1915538625.0, 443810768.0 / 383107725.0, -2939205114427.0 / 488462349375.0],
    &[387227992.0 / 127702575.0, 101885255158.0 / 54273594375.0],
    &[1392441148867.0 / 325641566250.0],
];
