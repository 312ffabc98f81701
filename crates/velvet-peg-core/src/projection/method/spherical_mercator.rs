//! Mercator by the formulas of the sphere applied to geodetic latitude, EPSG methods 1024
//! (Popular Visualisation Pseudo Mercator) and 9841 (Mercator 1SP, spherical).
//!
//! Source: Snyder (1987) eq. 7-1, 7-2. On an ellipsoid it is not conformal: scale along the
//! meridian and along the parallel differ by up to 0.7 %.

use super::Method;
use crate::auxiliary::Authalic;
use crate::ellipsoid::Ellipsoid;
use crate::math::LonLat;
use crate::math::Real;
use crate::math::functions::{DEGREE, atan2_degrees, clamp, sinh_cosh};
use crate::math::number::Number;
use crate::projection::kernel::Formula;
use crate::projection::parameter_code as code;
use std::sync::Arc;

/// The methods of this file.
pub(super) const METHODS: &[Method] = &[
    Method {
        code: 1024,
        parameters: code::ORIGIN,
        words: &["Mercator_Auxiliary_Sphere", "Popular_Visualisation_Pseudo_Mercator"],
        build: |given, ellipsoid| {
            given.origin_on_equator()?;
            let (lon0, radius) =
                (given.degrees(code::LONGITUDE_OF_NATURAL_ORIGIN)?, ellipsoid.semi_major_m());
            Ok(Arc::new(SphericalMercator { ellipsoid: *ellipsoid, lon0, radius }))
        },
        ..Method::PLAIN
    },
    Method {
        code: 9841,
        parameters: code::ORIGIN_AND_SCALE,
        build: |given, ellipsoid| {
            given.origin_on_equator()?;
            let radius = Authalic::new(ellipsoid).radius_m()
                * given.ratio(code::SCALE_FACTOR_AT_NATURAL_ORIGIN)?;
            Ok(Arc::new(SphericalMercator {
                ellipsoid: *ellipsoid,
                lon0: given.degrees(code::LONGITUDE_OF_NATURAL_ORIGIN)?,
                radius,
            }))
        },
        ..Method::PLAIN
    },
];

#[derive(Debug)]
pub(crate) struct SphericalMercator {
    pub(crate) ellipsoid: Ellipsoid,
    pub(crate) lon0: f64,
    /// Radius of the equator on the map, metres.
    pub(crate) radius: f64,
}

impl Formula for SphericalMercator {
    fn frame(&self) -> (f64, &Ellipsoid) {
        (self.lon0, &self.ellipsoid)
    }

    #[inline(always)]
    fn plane<T: Real>(&self, at: &LonLat<T>) -> Option<(T, T)> {
        if !(-at.cos).below(0.0)? {
            return None;
        }
        Some((at.lambda * self.radius, (at.sin / at.cos).asinh() * self.radius))
    }

    #[inline(always)]
    fn place<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        // Of 40 the latitude is a pole's, to rounding.
        let sinh = sinh_cosh(clamp(n / self.radius, -40.0, 40.0)).0;
        Some((e / self.radius * DEGREE, atan2_degrees(sinh, sinh.like(1.0))))
    }
}
