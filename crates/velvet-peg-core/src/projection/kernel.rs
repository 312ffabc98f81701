//! What a method of projection has to provide, and what follows for all of them.
//!
//! Most methods are a [`Formula`]: one mapping to the plane written for any
//! [`Real`] number, and an inverse (closed, or Newton's method on the mapping itself). Scale
//! factors and convergence follow from the derivatives. The two workhorses, Transverse
//! Mercator and the conformal conic, implement [`Kernel`] directly with closed factors.

use crate::ellipsoid::Ellipsoid;
use crate::math::blocks::replace_singly;
use crate::math::functions::{DEGREE, clamp, wrap};
use crate::math::number::Number;
use crate::math::{LonLat, Real, degrees};
use crate::position::Geographic;
use crate::projection::lanes::{InLanes, forward_in_lanes, inverse_in_lanes};
use std::fmt::Debug;

/// Below this latitude of origin (degrees) the meridian arc to it is nothing.
pub(crate) const ORIGIN_TOLERANCE: f64 = 1e-15;

/// How a projection distorts at a point.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Factors {
    /// Point scale factor along the meridian (h).
    pub meridian_scale: f64,
    /// Point scale factor along the parallel (k); equal to the other where the projection
    /// is conformal.
    pub parallel_scale: f64,
    /// Azimuth of grid north, degrees clockwise from true north: grid bearing = azimuth −
    /// convergence.
    pub convergence_deg: f64,
}

/// A method with its parameters, in degrees and metres from its true origin; x counts
/// eastward and y northward, whatever the method's own axes do.
pub(crate) trait Kernel: Debug + Send + Sync {
    fn forward(&self, at: Geographic) -> Option<(f64, f64)>;
    fn inverse(&self, e: f64, n: f64) -> Option<Geographic>;
    fn factors(&self, at: Geographic) -> Option<Factors>;
    fn is_conformal(&self) -> bool;

    /// As [`Kernel::forward`] of many longitudes and latitudes in place; both NaN where there is none.
    fn forward_block(&self, lon: &mut [f64], lat: &mut [f64]) {
        let single =
            |[lon, lat]: [f64; 2]| self.forward(Geographic { lat, lon }).map(<[f64; 2]>::from);
        replace_singly([lon, lat], single);
    }

    /// As [`Kernel::inverse`] of many eastings and northings in place; both NaN where there is none.
    fn inverse_block(&self, e: &mut [f64], n: &mut [f64]) {
        replace_singly([e, n], |[e, n]| self.inverse(e, n).map(|at| [at.lon, at.lat]));
    }

    /// Of a conformal cone its constant.
    fn cone_constant(&self) -> Option<f64> {
        None
    }
}

/// A method whose mapping is written once for all numbers.
pub(crate) trait Formula: Debug + Send + Sync {
    /// Meridian that longitudes are reckoned from, degrees, and the ellipsoid that scale
    /// factors refer to.
    fn frame(&self) -> (f64, &Ellipsoid);

    /// True if angles are kept.
    fn conformal(&self) -> bool {
        false
    }

    /// Easting and northing from the true origin, metres; none outside the domain.
    fn plane<T: Real>(&self, at: &LonLat<T>) -> Option<(T, T)>;

    /// Longitude from the origin's meridian and latitude, both in degrees; none outside the domain, or
    /// where there are several numbers that do not go the same way.
    fn place<N: Number>(&self, e: N, n: N) -> Option<(N, N)>;
}

impl<F: Formula> Kernel for F {
    fn forward(&self, at: Geographic) -> Option<(f64, f64)> {
        self.plane(&LonLat::of(self.frame().0, at))
    }

    fn forward_block(&self, lon: &mut [f64], lat: &mut [f64]) {
        forward_in_lanes(self, lon, lat);
    }

    fn inverse(&self, e: f64, n: f64) -> Option<Geographic> {
        let (lon, lat) = self.inverse_lanes(e, n)?;
        Some(Geographic { lat, lon })
    }

    fn inverse_block(&self, e: &mut [f64], n: &mut [f64]) {
        inverse_in_lanes(self, e, n);
    }

    fn factors(&self, at: Geographic) -> Option<Factors> {
        let (lon0, ellipsoid) = self.frame();
        let place = LonLat::of(lon0, at);
        let (e, n) = self.plane(&place.dual())?;
        let w2 = 1.0 - ellipsoid.eccentricity_squared() * place.sin * place.sin;
        let nu = ellipsoid.semi_major_m() / w2.sqrt();
        let rho = nu * (1.0 - ellipsoid.eccentricity_squared()) / w2;
        let meridian_scale = e.by_lat.hypot(n.by_lat) / rho;
        let parallel_scale = match self.conformal() {
            true => meridian_scale,
            false => e.by_lon.hypot(n.by_lon) / (nu * place.cos),
        };
        // Grid bearing of the meridian's image is minus the convergence.
        let convergence_deg = -degrees::atan2(e.by_lat, n.by_lat);
        let found = Factors { meridian_scale, parallel_scale, convergence_deg };
        (meridian_scale.is_finite() && parallel_scale.is_finite()).then_some(found)
    }

    fn is_conformal(&self) -> bool {
        self.conformal()
    }
}

/// Longitudes of which sines and cosines are taken several at a time, degrees.
const TURNS: f64 = 500.0;

impl<F: Formula> InLanes for F {
    #[inline(always)]
    fn forward_lanes<N: Number>(&self, lon: N, lat: N) -> Option<(N, N)> {
        if !lon.within(TURNS) {
            return None;
        }
        let (e, n) = self.plane(&LonLat::of_degrees(self.frame().0, lon, lat))?;
        (e.are_finite() && n.are_finite()).then_some((e, n))
    }

    #[inline(always)]
    fn inverse_lanes<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        let (lambda, lat) = self.place(e, n)?;
        // The rounding of a meridian's image must not push a longitude past the half turn.
        if !(lambda.within(180.0 + 1e-9) && lat.within(90.0 + 1e-9)) {
            return None;
        }
        let (lon, lat) = (wrap(lambda + self.frame().0), clamp(lat, -90.0, 90.0));
        (lon.are_finite() && lat.are_finite()).then_some((lon, lat))
    }
}

/// Newton's method on a formula's own mapping, from a first guess in degrees; ends when a
/// step no longer moves the position, so that there and back closes to rounding. What has ended stays
/// as it is while the others go on.
#[inline(always)]
pub(crate) fn newton<F: Formula, N: Number>(
    formula: &F,
    e: N,
    n: N,
    (mut lambda, mut lat): (N, N),
) -> Option<(N, N)> {
    let (zero, one) = (e.like(0.0), e.like(1.0));
    let (mut last, mut moving) = (e.like(f64::INFINITY), one);
    for _ in 0..25 {
        let is_moving = zero.less(moving);
        lambda = N::select(is_moving, clamp(lambda, -180.0, 180.0), lambda);
        lat = N::select(is_moving, clamp(lat, -90.0, 90.0), lat);
        let (x, y) = formula.plane(&LonLat::of_degrees(0.0, lambda, lat).dual())?;
        let (dx, dy) = (e - x.value, n - y.value);
        let determinant = x.by_lon * y.by_lat - x.by_lat * y.by_lon;
        let step_lon = (dx * y.by_lat - dy * x.by_lat) / determinant;
        let step_lat = (dy * x.by_lon - dx * y.by_lon) / determinant;
        let size = step_lon.abs() + step_lat.abs();
        // A pole has no east, and no step: what is left is reached already, or cannot be.
        let size = N::select(size.less(one.like(f64::INFINITY)), size, zero);
        let is_step = zero.less(size * moving);
        lambda = lambda + N::select(is_step, step_lon, zero) * DEGREE;
        lat = lat + N::select(is_step, step_lat, zero) * DEGREE;
        let stands = N::select(size.less(last), moving, zero);
        moving = N::select(size.less(one.like(1e-10)), stands, moving);
        moving = N::select(size.less(one.like(1e-15)), zero, moving);
        if moving.within(0.0) {
            let (x, y) = formula.plane(&LonLat::of_degrees(0.0, lambda, lat))?;
            let left = (e - x).norm(n - y);
            return left.within(1e-6).then_some((lambda, lat));
        }
        last = size;
    }
    None
}
