//! Oblique Stereographic, EPSG method 9809: the Gauss sphere of the origin, seen from the
//! opposite end of its diameter.
//!
//! Source: EPSG Guidance Note 7-2, section 3.3.1, rearranged into directions (see
//! [`GaussSphere`]); its instruction to reverse signs in the southern hemisphere is not
//! needed, as the formulas are antisymmetric.

use super::Method;
use crate::auxiliary::{Direction, GaussSphere};
use crate::ellipsoid::Ellipsoid;
use crate::error::{Error, Result};
use crate::math::LonLat;
use crate::math::Real;
use crate::math::number::Number;
use crate::projection::kernel::Formula;
use crate::projection::parameter_code as code;
use std::sync::Arc;

/// The methods of this file.
pub(super) const METHODS: &[Method] = &[Method {
    code: 9809,
    parameters: code::ORIGIN_AND_SCALE,
    words: &["Oblique_Stereographic", "Double_Stereographic"],
    build: |given, ellipsoid| {
        Ok(Arc::new(ObliqueStereographic::new(
            ellipsoid,
            given.degrees(code::LATITUDE_OF_NATURAL_ORIGIN)?,
            given.degrees(code::LONGITUDE_OF_NATURAL_ORIGIN)?,
            given.ratio(code::SCALE_FACTOR_AT_NATURAL_ORIGIN)?,
        )?))
    },
    ..Method::PLAIN
}];

#[derive(Debug)]
pub(crate) struct ObliqueStereographic {
    ellipsoid: Ellipsoid,
    sphere: GaussSphere,
    lon0: f64,
    /// Twice the sphere's radius times the scale factor, metres.
    diameter: f64,
}

impl ObliqueStereographic {
    pub(crate) fn new(ellipsoid: &Ellipsoid, lat0: f64, lon0: f64, scale: f64) -> Result<Self> {
        if !(lat0.abs() < 90.0) {
            return Err(Error::out_of_domain(
                "an oblique stereographic projection has its origin away from the poles; use the \
                 polar one",
            ));
        }
        let sphere = GaussSphere::new(ellipsoid, lat0);
        let diameter = 2.0 * sphere.radius * scale;
        Ok(ObliqueStereographic { ellipsoid: *ellipsoid, sphere, lon0, diameter })
    }
}

impl Formula for ObliqueStereographic {
    fn conformal(&self) -> bool {
        true
    }

    fn frame(&self) -> (f64, &Ellipsoid) {
        (self.lon0, &self.ellipsoid)
    }

    #[inline(always)]
    fn plane<T: Real>(&self, at: &LonLat<T>) -> Option<(T, T)> {
        let to = self.sphere.direction(at)?;
        let depth = to.up + 1.0;
        // The antipode of the origin is infinitely far.
        if depth.below(1e-6)? {
            return None;
        }
        Some((to.east / depth * self.diameter, to.north / depth * self.diameter))
    }

    #[inline(always)]
    fn place<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        let (x, y) = (e / self.diameter, n / self.diameter);
        let up = -(x * x + y * y) + 1.0;
        Some(self.sphere.place(&Direction { east: x * 2.0, north: y * 2.0, up }))
    }
}
