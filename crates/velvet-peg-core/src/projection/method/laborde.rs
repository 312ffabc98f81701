//! Laborde Oblique Mercator (Madagascar), EPSG method 9813: the Gauss sphere of the centre,
//! its transverse Mercator projection, and a cubic that turns the line of least distortion.
//!
//! Source: IGN Document NT/G 74. Backwards by Newton's method on the mapping (the printed
//! starting value is 0/0 at the origin).

use super::Method;
use crate::auxiliary::{Direction, GaussSphere};
use crate::ellipsoid::Ellipsoid;
use crate::math::LonLat;
use crate::math::Real;
use crate::math::complex::Complex;
use crate::math::degrees;
use crate::math::number::Number;
use crate::projection::kernel::{Formula, newton};
use crate::projection::parameter_code as code;
use std::sync::Arc;

/// The methods of this file.
pub(super) const METHODS: &[Method] = &[Method {
    code: 9813,
    parameters: &[
        code::LATITUDE_OF_PROJECTION_CENTRE,
        code::LONGITUDE_OF_PROJECTION_CENTRE,
        code::AZIMUTH_AT_PROJECTION_CENTRE,
        code::SCALE_FACTOR_AT_PROJECTION_CENTRE,
        code::FALSE_EASTING,
        code::FALSE_NORTHING,
    ],
    words: &["Laborde_Oblique_Mercator"],
    build: |given, ellipsoid| {
        let centre = (
            given.degrees(code::LATITUDE_OF_PROJECTION_CENTRE)?,
            given.degrees(code::LONGITUDE_OF_PROJECTION_CENTRE)?,
        );
        Ok(Arc::new(Laborde::new(
            ellipsoid,
            centre,
            given.degrees(code::AZIMUTH_AT_PROJECTION_CENTRE)?,
            given.ratio(code::SCALE_FACTOR_AT_PROJECTION_CENTRE)?,
        )))
    },
    ..Method::PLAIN
}];

#[derive(Debug)]
pub(crate) struct Laborde {
    ellipsoid: Ellipsoid,
    sphere: GaussSphere,
    lon_centre: f64,
    /// Radius of the sphere times the scale factor, metres.
    radius: f64,
    cubic: Complex<f64>,
}

impl Laborde {
    pub(crate) fn new(
        ellipsoid: &Ellipsoid,
        (lat_centre, lon_centre): (f64, f64),
        azimuth: f64,
        scale: f64,
    ) -> Laborde {
        let sphere = GaussSphere::new(ellipsoid, lat_centre);
        let (sin, cos) = degrees::sin_cos(2.0 * azimuth);
        Laborde {
            ellipsoid: *ellipsoid,
            lon_centre,
            radius: sphere.radius * scale,
            sphere,
            cubic: Complex { re: (1.0 - cos) / 12.0, im: sin / 12.0 },
        }
    }
}

impl Formula for Laborde {
    fn conformal(&self) -> bool {
        true
    }

    fn frame(&self) -> (f64, &Ellipsoid) {
        (self.lon_centre, &self.ellipsoid)
    }

    #[inline(always)]
    fn plane<T: Real>(&self, at: &LonLat<T>) -> Option<(T, T)> {
        let to = self.sphere.direction(at)?;
        // The cubic is one-to-one far beyond the island that it is made for; not on the globe.
        if to.up.below(0.7)? {
            return None;
        }
        let h = Complex { re: to.north.atan2(to.up), im: to.east.atanh() };
        let bent = h.plus(h.times(h).times(h).scaled(self.cubic));
        Some((bent.im * self.radius, bent.re * self.radius))
    }

    #[inline(always)]
    fn place<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        let (xi, eta) = (n / self.radius, e / self.radius);
        if !(xi.within(3.0) && eta.within(3.0)) {
            return None;
        }
        let (sin, up) = xi.sin_cos();
        let start = self.sphere.place(&Direction { east: eta.sinh_cosh().0, north: sin, up });
        newton(self, e, n, start)
    }
}
