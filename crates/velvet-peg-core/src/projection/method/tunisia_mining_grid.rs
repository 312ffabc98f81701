//! Tunisia Mining Grid, EPSG method 9816: kilometres proportional to grads.
//!
//! Source: EPSG Guidance Note 7-2, section 3.7; the formula is the definition. A kilometre of
//! easting is 0.012185 grad, one of northing 0.010015 grad north of the origin and 0.01002
//! grad south of it.

use super::Method;
use crate::ellipsoid::Ellipsoid;
use crate::math::LonLat;
use crate::math::Real;
use crate::math::number::Number;
use crate::projection::kernel::Formula;
use crate::projection::parameter_code as code;
use std::sync::Arc;

/// The methods of this file.
pub(super) const METHODS: &[Method] = &[Method {
    code: 9816,
    parameters: &[
        code::LATITUDE_OF_FALSE_ORIGIN,
        code::LONGITUDE_OF_FALSE_ORIGIN,
        code::EASTING_AT_FALSE_ORIGIN,
        code::NORTHING_AT_FALSE_ORIGIN,
    ],
    words: &["Tunisia_Mining_Grid"],
    false_origin: code::FALSE,
    build: |given, ellipsoid| {
        let (lat0, lon0) = (
            given.degrees(code::LATITUDE_OF_FALSE_ORIGIN)?,
            given.degrees(code::LONGITUDE_OF_FALSE_ORIGIN)?,
        );
        Ok(Arc::new(TunisiaMiningGrid { ellipsoid: *ellipsoid, lat0, lon0 }))
    },
    ..Method::PLAIN
}];

const GRAD_DEG: f64 = 0.9;
const EAST: f64 = 0.012185;
const NORTHWARD: f64 = 0.010015;
const SOUTHWARD: f64 = 0.01002;

#[derive(Debug)]
pub(crate) struct TunisiaMiningGrid {
    pub(crate) ellipsoid: Ellipsoid,
    pub(crate) lat0: f64,
    pub(crate) lon0: f64,
}

impl Formula for TunisiaMiningGrid {
    fn frame(&self) -> (f64, &Ellipsoid) {
        (self.lon0, &self.ellipsoid)
    }

    #[inline(always)]
    fn plane<T: Real>(&self, at: &LonLat<T>) -> Option<(T, T)> {
        let up = at.rise(self.lat0);
        let grads = 1000.0 / GRAD_DEG * 180.0 / std::f64::consts::PI;
        let step = if (-up).below(0.0)? { NORTHWARD } else { SOUTHWARD };
        Some((at.lambda * (grads / EAST), up * (grads / step)))
    }

    #[inline(always)]
    fn place<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        let is_north = n.like(0.0).less(n);
        let step = N::select(is_north, n.like(NORTHWARD), n.like(SOUTHWARD));
        let lat = n / 1000.0 * step * GRAD_DEG + self.lat0;
        Some((e / 1000.0 * EAST * GRAD_DEG, lat))
    }
}
