//! The distance along a meridian, and the latitude at the end of one.
//!
//! Source: Helmert (1880), "Die mathematischen und physikalischen Theorieen der höheren
//! Geodäsie" I, for the series in the third flattening, here to order 8 (computed in exact
//! rational arithmetic). The first term left out is below 1e-21 on the Earth's ellipsoids.

use crate::ellipsoid::Ellipsoid;
use crate::math::functions::DEGREE;
use crate::math::number::Number;
use crate::math::{LonLat, Real};
use crate::math::{degrees, series};

/// Meridian distances on one ellipsoid, from a latitude of origin.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Meridian {
    lat0: f64,
    /// The series at the origin.
    origin: f64,
    radius: f64,
    to_rectifying: [f64; 8],
    to_geodetic: [f64; 8],
}

/// Largest rectifying latitude that is looked at, radians.
const FARTHEST: f64 = 10.0;

impl Meridian {
    pub(crate) fn new(ellipsoid: &Ellipsoid, lat0_deg: f64) -> Meridian {
        let n = ellipsoid.third_flattening();
        let to_rectifying = series::evaluate(&TO_RECTIFYING, n);
        let (sin2, cos2) = degrees::sin_cos(2.0 * lat0_deg);
        Meridian {
            lat0: lat0_deg,
            origin: series::sine_sum(&to_rectifying, sin2, cos2),
            radius: rectifying_radius_m(ellipsoid),
            to_rectifying,
            to_geodetic: series::evaluate(&TO_GEODETIC, n),
        }
    }

    /// Metres from the origin's parallel to the place, northward positive.
    #[inline(always)]
    pub(crate) fn distance<T: Real>(&self, at: &LonLat<T>) -> T {
        let (sin2, cos2) = (at.sin * at.cos * 2.0, (at.cos - at.sin) * (at.cos + at.sin));
        let here = series::sine_sum_of(&self.to_rectifying, sin2, cos2);
        (at.rise(self.lat0) + (here - self.origin)) * self.radius
    }

    /// Latitude in degrees at a distance from the origin's parallel.
    #[inline(always)]
    pub(crate) fn latitude<N: Number>(&self, distance_m: N) -> N {
        let mu = distance_m / self.radius + (self.lat0.to_radians() + self.origin);
        // Beyond the poles by far there is none.
        let is_near = mu.abs().less(mu.like(FARTHEST));
        let mu = N::select(is_near, mu, mu.like(f64::NAN));
        let (sin2, cos2) = (mu * 2.0).sin_cos();
        (mu + series::sine_sum_of(&self.to_geodetic, sin2, cos2)) * DEGREE
    }
}

/// Radius of the circle that is as long as the meridian: a/(1+n) (1 + n²/4 + n⁴/64 + …).
pub(crate) fn rectifying_radius_m(ellipsoid: &Ellipsoid) -> f64 {
    let n = ellipsoid.third_flattening();
    let n2 = n * n;
    let sum = 1.0 + n2 * (1.0 / 4.0 + n2 * (1.0 / 64.0 + n2 * (1.0 / 256.0 + n2 * 25.0 / 16384.0)));
    ellipsoid.semi_major_m() / (1.0 + n) * sum
}

/// Geodetic to rectifying latitude: row j holds the factors of n^j … n^8 of sin 2jφ.
const TO_RECTIFYING: series::Triangle = [
    &[-3.0 / 2.0, 0.0, 9.0 / 16.0, 0.0, -3.0 / 32.0, 0.0, 57.0 / 2048.0, 0.0],
    &[15.0 / 16.0, 0.0, -15.0 / 32.0, 0.0, 135.0 / 2048.0, 0.0, -105.0 / 4096.0],
    &[-35.0 / 48.0, 0.0, 105.0 / 256.0, 0.0, -105.0 / 2048.0, 0.0],
    &[315.0 / 512.0, 0.0, -189.0 / 512.0, 0.0, 693.0 / 16384.0],
    &[-693.0 / 1280.0, 0.0, 693.0 / 2048.0, 0.0],
    &[1001.0 / 2048.0, 0.0, -1287.0 / 4096.0],
    &[-6435.0 / 14336.0, 0.0],
    &[109395.0 / 262144.0],
];

/// Rectifying to geodetic latitude, laid out the same way in sin 2jμ.
const TO_GEODETIC: series::Triangle = [
    &[3.0 / 2.0, 0.0, -27.0 / 32.0, 0.0, 269.0 / 512.0, 0.0, -6607.0 / 24576.0, 0.0],
    &[21.0 / 16.0, 0.0, -55.0 / 32.0, 0.0, 6759.0 / 4096.0, 0.0, -155113.0 / 122880.0],
    &[151.0 / 96.0, 0.0, -417.0 / 128.0, 0.0, 87963.0 / 20480.0, 0.0],
    &[1097.0 / 512.0, 0.0, -15543.0 / 2560.0, 0.0, 2514467.0 / 245760.0],
    &[8011.0 / 2560.0, 0.0, -69119.0 / 6144.0, 0.0],
    &[293393.0 / 61440.0, 0.0, -5962461.0 / 286720.0],
    &[6459601.0 / 860160.0, 0.0],
    &[332287993.0 / 27525120.0],
];
