//! Lambert Cylindrical Equal Area, EPSG methods 9835 and 9834 (spherical: the formulas of the
//! authalic sphere applied to geodetic latitude as it is).
//!
//! Source: Snyder (1987) eq. 10-1 to 10-19.

use super::Method;
use crate::auxiliary::Authalic;
use crate::ellipsoid::Ellipsoid;
use crate::math::LonLat;
use crate::math::Real;
use crate::math::degrees;
use crate::math::functions::{DEGREE, asin_degrees, clamp};
use crate::math::number::Number;
use crate::projection::kernel::Formula;
use crate::projection::parameter_code as code;
use std::sync::Arc;

/// The methods of this file.
pub(super) const METHODS: &[Method] = &[
    Method {
        code: 9835,
        parameters: code::PARALLEL_AND_MERIDIAN,
        words: &["Cylindrical_Equal_Area", "Behrmann"],
        build: |given, ellipsoid| {
            Ok(Arc::new(CylindricalEqualArea::new(
                ellipsoid,
                given.degrees(code::LATITUDE_OF_FIRST_STANDARD_PARALLEL)?,
                given.degrees(code::LONGITUDE_OF_NATURAL_ORIGIN)?,
                false,
            )))
        },
        ..Method::PLAIN
    },
    Method {
        code: 9834,
        parameters: code::PARALLEL_AND_MERIDIAN,
        build: |given, ellipsoid| {
            Ok(Arc::new(CylindricalEqualArea::new(
                ellipsoid,
                given.degrees(code::LATITUDE_OF_FIRST_STANDARD_PARALLEL)?,
                given.degrees(code::LONGITUDE_OF_NATURAL_ORIGIN)?,
                true,
            )))
        },
        ..Method::PLAIN
    },
];

#[derive(Debug)]
pub(crate) struct CylindricalEqualArea {
    ellipsoid: Ellipsoid,
    authalic: Authalic,
    spherical: bool,
    lon0: f64,
    /// Metres of easting a radian.
    across: f64,
    /// Metres of northing: by q on the ellipsoid, by sin φ on the sphere.
    along: f64,
}

impl CylindricalEqualArea {
    pub(crate) fn new(ellipsoid: &Ellipsoid, lat1: f64, lon0: f64, spherical: bool) -> Self {
        let authalic = Authalic::new(ellipsoid);
        let (sin, cos) = degrees::sin_cos(lat1);
        let (across, along) = if spherical {
            (authalic.radius_m() * cos, authalic.radius_m() / cos)
        } else {
            let k = cos / (1.0 - ellipsoid.eccentricity_squared() * sin * sin).sqrt();
            let a = ellipsoid.semi_major_m();
            (a * k, a / (2.0 * k))
        };
        CylindricalEqualArea { ellipsoid: *ellipsoid, authalic, spherical, lon0, across, along }
    }
}

impl Formula for CylindricalEqualArea {
    fn frame(&self) -> (f64, &Ellipsoid) {
        (self.lon0, &self.ellipsoid)
    }

    #[inline(always)]
    fn plane<T: Real>(&self, at: &LonLat<T>) -> Option<(T, T)> {
        let rise = if self.spherical { at.sin } else { self.authalic.q(at.sin) };
        Some((at.lambda * self.across, rise * self.along))
    }

    #[inline(always)]
    fn place<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        let rise = n / self.along;
        let lat = match self.spherical {
            true if rise.within(1.0 + 1e-15) => asin_degrees(clamp(rise, -1.0, 1.0)),
            true => return None,
            false => self.authalic.geodetic_of_q_deg(rise)?,
        };
        Some((e / self.across * DEGREE, lat))
    }
}
