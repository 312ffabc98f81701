//! Mercator on the ellipsoid, EPSG methods 9804 (variant A, scale factor on the equator),
//! 9805 (variant B, true on a parallel) and 1044 (variant C, B with a false origin).
//!
//! Source: Snyder (1987) eq. 7-6, 7-7a, 7-8. Variant A ignores its latitude of origin.

use super::Method;
use crate::auxiliary::Conformal;
use crate::ellipsoid::Ellipsoid;
use crate::math::LonLat;
use crate::math::Real;
use crate::math::degrees;
use crate::math::functions::DEGREE;
use crate::math::number::Number;
use crate::projection::kernel::Formula;
use crate::projection::parameter_code as code;
use std::sync::Arc;

/// The methods of this file.
pub(super) const METHODS: &[Method] = &[
    Method {
        code: 9804,
        parameters: code::ORIGIN_AND_SCALE,
        words: &["Mercator_1SP"],
        build: |given, ellipsoid| {
            given.origin_on_equator()?;
            Ok(Arc::new(Mercator::new(
                ellipsoid,
                given.degrees(code::LONGITUDE_OF_NATURAL_ORIGIN)?,
                given.ratio(code::SCALE_FACTOR_AT_NATURAL_ORIGIN)?,
            )))
        },
        ..Method::PLAIN
    },
    Method {
        code: 9805,
        parameters: code::PARALLEL_AND_MERIDIAN,
        words: &["Mercator_2SP", "Mercator"],
        build: |given, ellipsoid| {
            Ok(Arc::new(Mercator::true_on(
                ellipsoid,
                given.degrees(code::LONGITUDE_OF_NATURAL_ORIGIN)?,
                given.degrees(code::LATITUDE_OF_FIRST_STANDARD_PARALLEL)?,
            )))
        },
        ..Method::PLAIN
    },
    Method {
        code: 1044,
        parameters: &[
            code::LATITUDE_OF_FIRST_STANDARD_PARALLEL,
            code::LONGITUDE_OF_NATURAL_ORIGIN,
            code::LATITUDE_OF_FALSE_ORIGIN,
            code::EASTING_AT_FALSE_ORIGIN,
            code::NORTHING_AT_FALSE_ORIGIN,
        ],
        false_origin: code::FALSE,
        build: |given, ellipsoid| {
            Ok(Arc::new(
                Mercator::true_on(
                    ellipsoid,
                    given.degrees(code::LONGITUDE_OF_NATURAL_ORIGIN)?,
                    given.degrees(code::LATITUDE_OF_FIRST_STANDARD_PARALLEL)?,
                )
                .origin_on_parallel(given.degrees(code::LATITUDE_OF_FALSE_ORIGIN)?),
            ))
        },
        ..Method::PLAIN
    },
];

#[derive(Debug)]
pub(crate) struct Mercator {
    ellipsoid: Ellipsoid,
    conformal: Conformal,
    lon0: f64,
    /// Radius of the equator on the map, metres.
    radius: f64,
    /// Northing of the false origin's parallel, metres.
    offset: f64,
}

impl Mercator {
    pub(crate) fn new(ellipsoid: &Ellipsoid, lon0: f64, scale: f64) -> Mercator {
        Mercator {
            ellipsoid: *ellipsoid,
            conformal: Conformal::new(ellipsoid),
            lon0,
            radius: ellipsoid.semi_major_m() * scale,
            offset: 0.0,
        }
    }

    /// True on the parallel `lat1`, in degrees.
    pub(crate) fn true_on(ellipsoid: &Ellipsoid, lon0: f64, lat1: f64) -> Mercator {
        let (sin, cos) = degrees::sin_cos(lat1);
        let w2 = 1.0 - ellipsoid.eccentricity_squared() * sin * sin;
        Mercator::new(ellipsoid, lon0, cos / w2.sqrt())
    }

    /// Northings counted from a parallel.
    pub(crate) fn origin_on_parallel(mut self, lat_origin: f64) -> Mercator {
        let (sin, cos) = degrees::sin_cos(lat_origin);
        self.offset = self.radius * self.conformal.isometric(sin, sin / cos);
        self
    }
}

impl Formula for Mercator {
    fn conformal(&self) -> bool {
        true
    }

    fn frame(&self) -> (f64, &Ellipsoid) {
        (self.lon0, &self.ellipsoid)
    }

    #[inline(always)]
    fn plane<T: Real>(&self, at: &LonLat<T>) -> Option<(T, T)> {
        if !(-at.cos).below(0.0)? {
            return None;
        }
        let psi = self.conformal.isometric_of(at);
        Some((at.lambda * self.radius, psi * self.radius - self.offset))
    }

    #[inline(always)]
    fn place<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        let psi = (n + self.offset) / self.radius;
        Some((e / self.radius * DEGREE, self.conformal.geodetic_of_isometric_deg(psi)))
    }
}
