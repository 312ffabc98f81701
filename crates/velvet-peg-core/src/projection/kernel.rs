//! What a method of projection has to provide, and what follows for all of them.
//!
//! Most methods are a [`Formula`]: one mapping to the plane written for any
//! [`Real`] number, and an inverse (closed, or Newton's method on the mapping itself). Scale
//! factors and convergence follow from the derivatives. The two workhorses, Transverse
//! Mercator and the conformal conic, implement [`Kernel`] directly with closed factors.

use super::real::{Dual, Real};
use super::{Factors, Inverse};
use crate::degrees;
use crate::ellipsoid::Ellipsoid;
use std::fmt::Debug;

/// A method with its parameters, in degrees and metres from its true origin; x counts
/// eastward and y northward, whatever the method's own axes do.
pub(crate) trait Kernel: Debug + Send + Sync {
    fn forward(&self, lon: f64, lat: f64) -> Option<(f64, f64)>;
    fn inverse(&self, e: f64, n: f64) -> Option<Inverse>;
    fn factors(&self, lon: f64, lat: f64) -> Option<Factors>;
    fn is_conformal(&self) -> bool;
}

/// A position as formulas want it.
#[derive(Clone, Copy, Debug)]
pub(crate) struct LonLat<T> {
    /// Longitude from the origin's meridian, radians, −π to π.
    pub(crate) lambda: T,
    pub(crate) sin_lambda: T,
    pub(crate) cos_lambda: T,
    /// Latitude, radians.
    pub(crate) phi: T,
    pub(crate) sin: T,
    pub(crate) cos: T,
    /// Latitude, degrees.
    pub(crate) lat: f64,
}

impl LonLat<f64> {
    fn of(lon0: f64, lon: f64, lat: f64) -> LonLat<f64> {
        let lambda = degrees::wrap(lon - lon0);
        let (sin_lambda, cos_lambda) = degrees::sin_cos(lambda);
        let (sin, cos) = degrees::sin_cos(lat);
        LonLat {
            lambda: lambda.to_radians(),
            sin_lambda,
            cos_lambda,
            phi: lat.to_radians(),
            sin,
            cos,
            lat,
        }
    }

    /// The same place with derivatives by its own longitude and latitude.
    fn dual(&self) -> LonLat<Dual> {
        let by_lon = |value, by_lon| Dual { value, by_lon, by_lat: 0.0 };
        let by_lat = |value, by_lat| Dual { value, by_lon: 0.0, by_lat };
        LonLat {
            lambda: by_lon(self.lambda, 1.0),
            sin_lambda: by_lon(self.sin_lambda, self.cos_lambda),
            cos_lambda: by_lon(self.cos_lambda, -self.sin_lambda),
            phi: by_lat(self.phi, 1.0),
            sin: by_lat(self.sin, self.cos),
            cos: by_lat(self.cos, -self.sin),
            lat: self.lat,
        }
    }
}

impl<T: Real> LonLat<T> {
    /// Latitude from `lat0_deg`, radians: the difference is formed in degrees, where it is
    /// exact or nearly so.
    pub(crate) fn rise(&self, lat0_deg: f64) -> T {
        self.phi.chain((self.lat - lat0_deg).to_radians(), 1.0)
    }

    /// sin φ − sin φ₀ without cancellation.
    pub(crate) fn sin_rise(&self, lat0_deg: f64) -> T {
        let half = degrees::sin_cos((self.lat - lat0_deg) / 2.0).0;
        let middle = degrees::sin_cos((self.lat + lat0_deg) / 2.0).1;
        self.phi.chain(2.0 * middle * half, self.cos.value())
    }

    /// 1/√(1 − e² sin² φ): the prime vertical radius over the semi-major axis.
    pub(crate) fn nu(&self, e2: f64) -> T {
        T::constant(1.0) / (-(self.sin.square() * e2) + 1.0).sqrt()
    }

    /// Radius of curvature in the meridian over the semi-major axis.
    pub(crate) fn rho(&self, e2: f64) -> T {
        let nu = self.nu(e2);
        nu * nu.square() * (1.0 - e2)
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

    /// Longitude from the origin's meridian and latitude, both in degrees.
    fn place(&self, e: f64, n: f64) -> Option<(f64, f64)>;
}

impl<F: Formula> Kernel for F {
    fn forward(&self, lon: f64, lat: f64) -> Option<(f64, f64)> {
        self.plane(&LonLat::of(self.frame().0, lon, lat))
    }

    fn inverse(&self, e: f64, n: f64) -> Option<Inverse> {
        let (lambda, lat) = self.place(e, n)?;
        // The rounding of a meridian's image must not push a longitude past the half turn.
        if !(lambda.abs() <= 180.0 + 1e-9 && lat.abs() <= 90.0 + 1e-9) {
            return None;
        }
        Some(Inverse { lon: degrees::wrap(self.frame().0 + lambda), lat: lat.clamp(-90.0, 90.0) })
    }

    fn factors(&self, lon: f64, lat: f64) -> Option<Factors> {
        let (lon0, ellipsoid) = self.frame();
        let place = LonLat::of(lon0, lon, lat);
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

/// Newton's method on a formula's own mapping, from a first guess in degrees; ends when a
/// step no longer moves the position, so that there and back closes to rounding.
pub(crate) fn newton<F: Formula>(
    formula: &F,
    e: f64,
    n: f64,
    (mut lambda, mut lat): (f64, f64),
) -> Option<(f64, f64)> {
    let mut last = f64::INFINITY;
    for _ in 0..25 {
        lambda = lambda.clamp(-180.0, 180.0);
        lat = lat.clamp(-90.0, 90.0);
        let (x, y) = formula.plane(&LonLat::of(0.0, lambda, lat).dual())?;
        let (dx, dy) = (e - x.value, n - y.value);
        let determinant = x.by_lon * y.by_lat - x.by_lat * y.by_lon;
        let step_lon = (dx * y.by_lat - dy * x.by_lat) / determinant;
        let step_lat = (dy * x.by_lon - dx * y.by_lon) / determinant;
        if !(step_lon.is_finite() && step_lat.is_finite()) {
            // A pole has no east: what is left is reached already, or cannot be.
            return (dx.hypot(dy) < 1e-6).then_some((lambda, lat));
        }
        lambda += step_lon.to_degrees();
        lat += step_lat.to_degrees();
        let size = step_lon.abs() + step_lat.abs();
        if size < 1e-15 || size < 1e-10 && size >= last {
            let back = formula.plane(&LonLat::of(0.0, lambda, lat))?;
            return ((e - back.0).hypot(n - back.1) < 1e-6).then_some((lambda, lat));
        }
        last = size;
    }
    None
}
