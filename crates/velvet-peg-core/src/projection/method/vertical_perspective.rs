//! Vertical Perspective, EPSG method 9838: the surface of the ellipsoid as it is seen from a point above a
//! place, on the tangent plane there.
//!
//! Source: EPSG Guidance Note 7-2, sections 3.3.4 and 4.1.2, with heights of 0. What the ellipsoid hides is
//! left out. Backwards by Newton's method on the mapping.

use super::Method;
use crate::ellipsoid::Ellipsoid;
use crate::error::{Error, Result};
use crate::math::functions::{asin_degrees, atan2_degrees, clamp};
use crate::math::number::Number;
use crate::math::{LonLat, Real, degrees};
use crate::projection::kernel::{Formula, newton};
use crate::projection::parameter_code as code;
use std::sync::Arc;

/// The methods of this file.
pub(super) const METHODS: &[Method] = &[Method {
    code: 9838,
    parameters: &[
        code::LATITUDE_OF_TOPOCENTRIC_ORIGIN,
        code::LONGITUDE_OF_TOPOCENTRIC_ORIGIN,
        code::HEIGHT_OF_TOPOCENTRIC_ORIGIN,
        code::VIEWPOINT_HEIGHT,
    ],
    false_origin: code::NO_FALSE_ORIGIN,
    build: |given, ellipsoid| {
        Ok(Arc::new(VerticalPerspective::new(
            ellipsoid,
            given.degrees(code::LATITUDE_OF_TOPOCENTRIC_ORIGIN)?,
            given.degrees(code::LONGITUDE_OF_TOPOCENTRIC_ORIGIN)?,
            given.metres(code::HEIGHT_OF_TOPOCENTRIC_ORIGIN)?,
            given.metres(code::VIEWPOINT_HEIGHT)?,
        )?))
    },
    ..Method::PLAIN
}];

#[derive(Debug)]
pub(crate) struct VerticalPerspective {
    ellipsoid: Ellipsoid,
    lat0: f64,
    lon0: f64,
    sin0: f64,
    cos0: f64,
    nu0: f64,
    /// Heights of the plane above the ellipsoid and of the viewer above the plane, metres.
    plane: f64,
    viewer: f64,
}

impl VerticalPerspective {
    fn new(
        ellipsoid: &Ellipsoid,
        lat0: f64,
        lon0: f64,
        plane: f64,
        viewer: f64,
    ) -> Result<VerticalPerspective> {
        if !(viewer > 0.0 && plane > -10_000.0) {
            return Err(Error::malformed(format!(
                "from {viewer} m above a plane {plane} m above the ellipsoid nothing is seen"
            )));
        }
        let (sin0, cos0) = degrees::sin_cos(lat0);
        let nu0 = ellipsoid.prime_vertical_radius_m(lat0);
        Ok(VerticalPerspective {
            ellipsoid: *ellipsoid,
            lat0,
            lon0,
            sin0,
            cos0,
            nu0,
            plane,
            viewer,
        })
    }
}

impl Formula for VerticalPerspective {
    fn frame(&self) -> (f64, &Ellipsoid) {
        (self.lon0, &self.ellipsoid)
    }

    #[inline(always)]
    fn plane<T: Real>(&self, at: &LonLat<T>) -> Option<(T, T)> {
        let e2 = self.ellipsoid.eccentricity_squared();
        let nu = at.nu(e2) * self.ellipsoid.semi_major_m();
        // What is lost in height, and the way north, by half angles: nothing large is subtracted.
        let half_lambda = (at.lambda * 0.5).sin_cos().0;
        let half_rise = (at.rise(self.lat0) * 0.5).sin_cos().0;
        let turn = at.cos * half_lambda.square() * 2.0;
        let climb = at.rise(self.lat0).sin_cos().0 + turn * self.sin0;
        let drop = half_rise.square() * 2.0 + turn * self.cos0;
        // ν₀ sin φ₀ − ν sin φ.
        let bulge = -(nu * at.sin - self.nu0 * self.sin0) * e2;
        let east = nu * at.cos * at.sin_lambda;
        let north = nu * climb + bulge * self.cos0;
        let down = nu * drop - (nu - self.nu0) - bulge * self.sin0 + self.plane;
        let depth = down + self.viewer;
        // Seen where the line to the viewer leaves the ellipsoid outward.
        if !(-self.outward(at, -drop + 1.0)).below(0.0)? {
            return None;
        }
        let ratio = depth.constant(self.viewer) / depth;
        Some((east * ratio, north * ratio))
    }

    #[inline(always)]
    fn place<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        // The sphere of the prime vertical's radius is near enough to begin with.
        let (distance, radius) = (e.norm(n), self.nu0);
        let from_centre = radius + self.plane + self.viewer;
        let angle = distance.atan2(e.like(self.viewer));
        let at_ground = angle.sin_cos().0 * (from_centre / radius);
        if !at_ground.below(1.0)? {
            return None;
        }
        let (sin, cos) = (at_ground.asin() - angle).sin_cos();
        // sin of the angle at the centre over the distance, which is nothing at the foot.
        let least = e.like(1e-9);
        let is_foot = distance.less(least);
        let slope = N::select(is_foot, e.like(0.0), sin / N::select(is_foot, least, distance));
        let (x, y) = (slope * e, slope * n);
        let sin_lat = clamp(cos * self.sin0 + y * self.cos0, -1.0, 1.0);
        let lambda = atan2_degrees(x, cos * self.cos0 - y * self.sin0);
        newton(self, e, n, (lambda, asin_degrees(sin_lat)))
    }
}

impl VerticalPerspective {
    /// The way from a place to the viewer along the place's own vertical, metres.
    #[inline(always)]
    fn outward<T: Real>(&self, at: &LonLat<T>, up: T) -> T {
        let e2 = self.ellipsoid.eccentricity_squared();
        let nu = at.nu(e2) * self.ellipsoid.semi_major_m();
        let height = self.plane + self.viewer;
        // (V − P) · n with V = ν₀ n₀ − e² ν₀ sin φ₀ k + (h₀ + h_v) n₀ and P = ν n − e² ν sin φ k.
        up * (self.nu0 + height) - nu - at.sin * e2 * (-(nu * at.sin) + self.nu0 * self.sin0)
    }
}
