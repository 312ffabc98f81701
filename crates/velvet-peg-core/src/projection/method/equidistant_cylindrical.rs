//! Equidistant Cylindrical, EPSG methods 1028 and 9842 (true meridian distances), 1029 and
//! 9823 (the formulas of the sphere with the radius √(ρν) of the standard parallel).
//!
//! Sources: Snyder (1987) eq. 12-1 to 12-6 and the meridian distance of eq. 3-21; EPSG
//! Guidance Note 7-2, section 3.2.5.

use super::Method;
use crate::auxiliary::Meridian;
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
        code: 1028,
        parameters: code::PARALLEL_AND_MERIDIAN,
        words: &["Equirectangular", "Equidistant_Cylindrical", "Plate_Carree"],
        build: |given, ellipsoid| {
            Ok(Arc::new(EquidistantCylindrical::new(
                ellipsoid,
                given.degrees(code::LATITUDE_OF_FIRST_STANDARD_PARALLEL)?,
                given.degrees(code::LONGITUDE_OF_NATURAL_ORIGIN)?,
                false,
            )))
        },
        ..Method::PLAIN
    },
    Method {
        code: 1029,
        parameters: code::PARALLEL_AND_MERIDIAN,
        build: |given, ellipsoid| {
            Ok(Arc::new(EquidistantCylindrical::new(
                ellipsoid,
                given.degrees(code::LATITUDE_OF_FIRST_STANDARD_PARALLEL)?,
                given.degrees(code::LONGITUDE_OF_NATURAL_ORIGIN)?,
                true,
            )))
        },
        ..Method::PLAIN
    },
    Method {
        code: 9823,
        parameters: code::ORIGIN,
        build: |given, ellipsoid| {
            Ok(Arc::new(EquidistantCylindrical::new(
                ellipsoid,
                given.degrees(code::LATITUDE_OF_NATURAL_ORIGIN)?,
                given.degrees(code::LONGITUDE_OF_NATURAL_ORIGIN)?,
                true,
            )))
        },
        ..Method::PLAIN
    },
    Method {
        code: 9842,
        parameters: &[
            code::LATITUDE_OF_NATURAL_ORIGIN,
            code::LONGITUDE_OF_FALSE_ORIGIN,
            code::FALSE_EASTING,
            code::FALSE_NORTHING,
        ],
        build: |given, ellipsoid| {
            Ok(Arc::new(EquidistantCylindrical::new(
                ellipsoid,
                given.degrees(code::LATITUDE_OF_NATURAL_ORIGIN)?,
                given.degrees(code::LONGITUDE_OF_FALSE_ORIGIN)?,
                false,
            )))
        },
        ..Method::PLAIN
    },
];

#[derive(Debug)]
pub(crate) struct EquidistantCylindrical {
    ellipsoid: Ellipsoid,
    lon0: f64,
    /// Metres of easting a radian.
    across: f64,
    along: Along,
}

#[derive(Debug)]
enum Along {
    Meridian(Meridian),
    /// Metres of northing a radian.
    Sphere(f64),
}

impl EquidistantCylindrical {
    pub(crate) fn new(ellipsoid: &Ellipsoid, lat1: f64, lon0: f64, spherical: bool) -> Self {
        let (sin, cos) = degrees::sin_cos(lat1);
        let e2 = ellipsoid.eccentricity_squared();
        let w2 = 1.0 - e2 * sin * sin;
        let a = ellipsoid.semi_major_m();
        let (across, along) = if spherical {
            let radius = a * (1.0 - e2).sqrt() / w2;
            (radius * cos, Along::Sphere(radius))
        } else {
            (a * cos / w2.sqrt(), Along::Meridian(Meridian::new(ellipsoid, 0.0)))
        };
        EquidistantCylindrical { ellipsoid: *ellipsoid, lon0, across, along }
    }
}

impl Formula for EquidistantCylindrical {
    fn frame(&self) -> (f64, &Ellipsoid) {
        (self.lon0, &self.ellipsoid)
    }

    #[inline(always)]
    fn plane<T: Real>(&self, at: &LonLat<T>) -> Option<(T, T)> {
        let north = match &self.along {
            Along::Meridian(meridian) => meridian.distance(at),
            Along::Sphere(radius) => at.phi * *radius,
        };
        Some((at.lambda * self.across, north))
    }

    #[inline(always)]
    fn place<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        let lat = match &self.along {
            Along::Meridian(meridian) => meridian.latitude(n),
            Along::Sphere(radius) => n / *radius * DEGREE,
        };
        Some((e / self.across * DEGREE, lat))
    }
}
