//! Local Orthographic, EPSG method 1130: the tangent plane at the centre, turned; and Orthographic, 9840,
//! which is not.
//!
//! Source: EPSG Guidance Note 7-2, sections 3.3.5 and 4.1.2 (topocentric coordinates); the
//! azimuth is that of grid north. Backwards by Newton's method on the mapping.

use super::Method;
use crate::ellipsoid::Ellipsoid;
use crate::math::LonLat;
use crate::math::Real;
use crate::math::degrees;
use crate::math::functions::{asin_degrees, atan2_degrees, clamp};
use crate::math::number::Number;
use crate::projection::kernel::{Formula, newton};
use crate::projection::parameter_code as code;
use std::sync::Arc;

/// The methods of this file.
pub(super) const METHODS: &[Method] = &[
    Method {
        code: 1130,
        parameters: &[
            code::LATITUDE_OF_PROJECTION_CENTRE,
            code::LONGITUDE_OF_PROJECTION_CENTRE,
            code::AZIMUTH_AT_PROJECTION_CENTRE,
            code::SCALE_FACTOR_AT_PROJECTION_CENTRE,
            code::EASTING_AT_PROJECTION_CENTRE,
            code::NORTHING_AT_PROJECTION_CENTRE,
        ],
        false_origin: code::CENTRE,
        build: |given, ellipsoid| {
            Ok(Arc::new(LocalOrthographic::new(
                ellipsoid,
                given.degrees(code::LATITUDE_OF_PROJECTION_CENTRE)?,
                given.degrees(code::LONGITUDE_OF_PROJECTION_CENTRE)?,
                given.degrees(code::AZIMUTH_AT_PROJECTION_CENTRE)?,
                given.ratio(code::SCALE_FACTOR_AT_PROJECTION_CENTRE)?,
            )))
        },
        ..Method::PLAIN
    },
    Method {
        code: 9840,
        parameters: code::ORIGIN,
        words: &["Orthographic"],
        build: |given, ellipsoid| {
            Ok(Arc::new(LocalOrthographic::new(
                ellipsoid,
                given.degrees(code::LATITUDE_OF_NATURAL_ORIGIN)?,
                given.degrees(code::LONGITUDE_OF_NATURAL_ORIGIN)?,
                0.0,
                1.0,
            )))
        },
        ..Method::PLAIN
    },
];

#[derive(Debug)]
pub(crate) struct LocalOrthographic {
    ellipsoid: Ellipsoid,
    lat0: f64,
    lon0: f64,
    sin0: f64,
    cos0: f64,
    /// Prime vertical radius at the centre over the semi-major axis.
    nu0: f64,
    /// Sine and cosine of the azimuth of grid north.
    azimuth: (f64, f64),
    scale: f64,
}

impl LocalOrthographic {
    pub(crate) fn new(
        ellipsoid: &Ellipsoid,
        lat0: f64,
        lon0: f64,
        azimuth: f64,
        scale: f64,
    ) -> LocalOrthographic {
        let (sin0, cos0) = degrees::sin_cos(lat0);
        let nu0 = 1.0 / (1.0 - ellipsoid.eccentricity_squared() * sin0 * sin0).sqrt();
        LocalOrthographic {
            ellipsoid: *ellipsoid,
            lat0,
            lon0,
            sin0,
            cos0,
            nu0,
            azimuth: degrees::sin_cos(azimuth),
            scale,
        }
    }
}

impl Formula for LocalOrthographic {
    fn frame(&self) -> (f64, &Ellipsoid) {
        (self.lon0, &self.ellipsoid)
    }

    #[inline(always)]
    fn plane<T: Real>(&self, at: &LonLat<T>) -> Option<(T, T)> {
        let e2 = self.ellipsoid.eccentricity_squared();
        // What lies behind the horizon would fall on what lies before it.
        let up = at.sin * self.sin0 + at.cos * at.cos_lambda * self.cos0;
        if !(-up).below(-1e-3)? {
            return None;
        }
        let nu = at.nu(e2);
        let half = (at.lambda * 0.5).sin_cos().0;
        let east = nu * at.cos * at.sin_lambda;
        let climb = at.rise(self.lat0).sin_cos().0 + at.cos * half.square() * (2.0 * self.sin0);
        // ν sin φ − ν₀ sin φ₀ from the difference of the sines.
        let rise = at.sin_rise(self.lat0);
        let bulge = rise * nu * self.nu0 * (at.sin + self.sin0)
            / (nu.constant(1.0) / nu + 1.0 / self.nu0)
            * (e2 * self.sin0)
            + rise * nu;
        let north = nu * climb - bulge * (e2 * self.cos0);
        let (sin, cos) = self.azimuth;
        let radius = self.ellipsoid.semi_major_m() * self.scale;
        Some(((east * cos - north * sin) * radius, (east * sin + north * cos) * radius))
    }

    #[inline(always)]
    fn place<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        let radius = self.ellipsoid.semi_major_m() * self.scale;
        let (sin, cos) = self.azimuth;
        let (x, y) = ((e * cos + n * sin) / radius, (n * cos - e * sin) / radius);
        let square = x * x + y * y;
        if !square.below(1.0)? {
            return None;
        }
        let up = Real::sqrt(-square + 1.0);
        let along = up * self.cos0 - y * self.sin0;
        let sin_lat = clamp(up * self.sin0 + y * self.cos0, -1.0, 1.0);
        newton(self, e, n, (atan2_degrees(x, along), asin_degrees(sin_lat)))
    }
}
