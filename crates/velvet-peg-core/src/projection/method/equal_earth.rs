//! Equal Earth, EPSG method 1078.
//!
//! Source: Šavrič, Patterson & Jenny (2019), "The Equal Earth map projection", Int. J. of
//! Geographical Information Science 33; on the ellipsoid by authalic latitude.

use super::Method;
use crate::auxiliary::Authalic;
use crate::ellipsoid::Ellipsoid;
use crate::math::LonLat;
use crate::math::Real;
use crate::math::functions::DEGREE;
use crate::math::number::Number;
use crate::projection::kernel::Formula;
use crate::projection::parameter_code as code;
use std::sync::Arc;

/// The methods of this file.
pub(super) const METHODS: &[Method] = &[Method {
    code: 1078,
    parameters: &[code::LONGITUDE_OF_NATURAL_ORIGIN, code::FALSE_EASTING, code::FALSE_NORTHING],
    words: &["Equal_Earth"],
    build: |given, ellipsoid| {
        Ok(Arc::new(EqualEarth::new(ellipsoid, given.degrees(code::LONGITUDE_OF_NATURAL_ORIGIN)?)))
    },
    ..Method::PLAIN
}];

const A: [f64; 4] = [1.340264, -0.081106, 0.000893, 0.003796];
const HALF_ROOT_3: f64 = 0.866_025_403_784_438_646_76;

#[derive(Debug)]
pub(crate) struct EqualEarth {
    ellipsoid: Ellipsoid,
    authalic: Authalic,
    lon0: f64,
}

impl EqualEarth {
    pub(crate) fn new(ellipsoid: &Ellipsoid, lon0: f64) -> EqualEarth {
        EqualEarth { ellipsoid: *ellipsoid, authalic: Authalic::new(ellipsoid), lon0 }
    }
}

/// Northing over the radius, and its derivative, of the parametric latitude.
#[inline(always)]
fn rise<T: Real>(theta: T) -> (T, T) {
    let t2 = theta.square();
    let t6 = t2 * t2 * t2;
    (
        theta * (t2 * A[1] + t6 * (t2 * A[3] + A[2]) + A[0]),
        t2 * (3.0 * A[1]) + t6 * (t2 * (9.0 * A[3]) + 7.0 * A[2]) + A[0],
    )
}

impl Formula for EqualEarth {
    fn frame(&self) -> (f64, &Ellipsoid) {
        (self.lon0, &self.ellipsoid)
    }

    #[inline(always)]
    fn plane<T: Real>(&self, at: &LonLat<T>) -> Option<(T, T)> {
        let radius = self.authalic.radius_m();
        let theta = (self.authalic.sin_cos(at).0 * HALF_ROOT_3).asin();
        let (north, slope) = rise(theta);
        let east = at.lambda * theta.sin_cos().1 / slope;
        Some((east * (radius / HALF_ROOT_3), north * radius))
    }

    #[inline(always)]
    fn place<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        let radius = self.authalic.radius_m();
        let (zero, mut moving) = (n.like(0.0), n.like(1.0));
        let mut theta = n / (radius * A[0]);
        for _ in 0..20 {
            let (north, slope) = rise(theta);
            let step = N::select(zero.less(moving), (n / radius - north) / slope, zero);
            theta = theta + step;
            // The step after one that small is below the last digit.
            moving = N::select(step.abs().less(n.like(1e-9)), zero, moving);
            if moving.within(0.0) {
                break;
            }
        }
        let (sin, cos) = theta.sin_cos();
        let sin = sin / HALF_ROOT_3;
        if !(theta.within(1.6) && sin.within(1.0 + 1e-15)) {
            return None;
        }
        let lambda = e * (HALF_ROOT_3 / radius) * rise(theta).1 / cos;
        let lat = self.authalic.geodetic_of_q_deg(sin * self.authalic.q_at_pole())?;
        Some((lambda * DEGREE, lat))
    }
}
