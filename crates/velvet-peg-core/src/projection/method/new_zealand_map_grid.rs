//! New Zealand Map Grid, EPSG method 9811: a conformal polynomial in isometric latitude.
//!
//! Source: Reilly (1973), "A conformal mapping projection with minimum scale error", Survey
//! Review 22; coefficients as published by the Department of Lands and Survey (Technical
//! Circular 1973/32). The formula is the definition. Backwards by Newton's method on the
//! mapping.

use super::Method;
use crate::ellipsoid::Ellipsoid;
use crate::math::LonLat;
use crate::math::Real;
use crate::math::complex::{Complex, polynomial};
use crate::math::number::Number;
use crate::projection::kernel::{Formula, newton};
use crate::projection::parameter_code as code;
use std::sync::Arc;

/// The methods of this file.
pub(super) const METHODS: &[Method] = &[Method {
    code: 9811,
    parameters: code::ORIGIN,
    words: &["New_Zealand_Map_Grid"],
    build: |given, ellipsoid| {
        let (lat0, lon0) = (
            given.degrees(code::LATITUDE_OF_NATURAL_ORIGIN)?,
            given.degrees(code::LONGITUDE_OF_NATURAL_ORIGIN)?,
        );
        Ok(Arc::new(NewZealandMapGrid { ellipsoid: *ellipsoid, lat0, lon0 }))
    },
    ..Method::PLAIN
}];

/// Isometric latitude as a polynomial in latitude (units of 10⁵ seconds).
const ISOMETRIC: [f64; 10] = [
    0.6399175073,
    -0.1358797613,
    0.063294409,
    -0.02526853,
    0.0117879,
    -0.0055161,
    0.0026906,
    -0.001333,
    0.00067,
    -0.00034,
];

const PLANE: [Complex<f64>; 6] = [
    Complex { re: 0.7557853228, im: 0.0 },
    Complex { re: 0.249204646, im: 0.003371507 },
    Complex { re: -0.001541739, im: 0.041058560 },
    Complex { re: -0.10162907, im: 0.01727609 },
    Complex { re: -0.26623489, im: -0.36249218 },
    Complex { re: -0.6870983, im: -1.1651967 },
];

#[derive(Debug)]
pub(crate) struct NewZealandMapGrid {
    pub(crate) ellipsoid: Ellipsoid,
    pub(crate) lat0: f64,
    pub(crate) lon0: f64,
}

impl Formula for NewZealandMapGrid {
    fn conformal(&self) -> bool {
        // The polynomial in latitude is an approximation; the mapping keeps angles only as
        // far as that goes.
        false
    }

    fn frame(&self) -> (f64, &Ellipsoid) {
        (self.lon0, &self.ellipsoid)
    }

    #[inline(always)]
    fn plane<T: Real>(&self, at: &LonLat<T>) -> Option<(T, T)> {
        let (step, slope) = ((at.lat - self.lat0) * 0.036, at.lat.like(0.036 * RADIAN));
        let step = at.rise(self.lat0).chain(step, slope);
        // Far from New Zealand the polynomial folds over.
        let is_far = (-step.magnitude()).below(-0.5)? || (-at.lambda.magnitude()).below(-0.3)?;
        if is_far {
            return None;
        }
        let mut psi = step.constant(0.0);
        for at in (0..ISOMETRIC.len()).rev() {
            psi = (psi + ISOMETRIC[at]) * step;
        }
        let z = polynomial(&PLANE, Complex { re: psi, im: at.lambda });
        let a = self.ellipsoid.semi_major_m();
        Some((z.im * a, z.re * a))
    }

    #[inline(always)]
    fn place<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        let a = self.ellipsoid.semi_major_m();
        let lat = n / (a * PLANE[0].re * ISOMETRIC[0] * 0.036) + self.lat0;
        newton(self, e, n, (e / (a * PLANE[0].re) * RADIAN, lat))
    }
}

/// Degrees in a radian.
const RADIAN: f64 = 180.0 / std::f64::consts::PI;
