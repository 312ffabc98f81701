//! The ellipsoid carried conformally to a sphere that fits it best at one latitude, as the
//! double projections want it.
//!
//! Source: Gauss (1844), "Untersuchungen über Gegenstände der höheren Geodäsie"; the
//! constants are those of EPSG methods 9809, 9812, 9813 and 9819, which all use this sphere:
//! B² = 1 + e² cos⁴φ₀/(1 − e²), sin χ₀ = sin φ₀/B, longitudes times B, isometric latitudes
//! from χ₀ times B. Positions on the sphere are given as a direction in the local frame of
//! the centre, whose parts are small where the place is near, so that nothing cancels.

use crate::auxiliary::Conformal;
use crate::ellipsoid::Ellipsoid;
use crate::math::degrees;
use crate::math::elementary::{asinh, norm};
use crate::math::functions::atan2_degrees;
use crate::math::number::Number;
use crate::math::{LonLat, Real};

#[derive(Clone, Copy, Debug)]
pub(crate) struct GaussSphere {
    conformal: Conformal,
    e2: f64,
    /// Ratio of longitudes on the sphere and the ellipsoid, B.
    pub(crate) ratio: f64,
    /// √(ρ₀ν₀), metres.
    pub(crate) radius: f64,
    lat0: f64,
    sin0: f64,
    cos0: f64,
    /// Isometric latitude of the centre on the ellipsoid, and on the sphere.
    psi0: f64,
    pub(crate) sphere_psi0: f64,
    /// e to the power of the latter.
    growth: f64,
    /// Sine and cosine of the centre's latitude on the sphere.
    pub(crate) chi0: (f64, f64),
}

/// A direction from the sphere's centre, in the frame of the projection's centre.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Direction<T> {
    pub(crate) east: T,
    pub(crate) north: T,
    pub(crate) up: T,
}

impl GaussSphere {
    pub(crate) fn new(ellipsoid: &Ellipsoid, lat0: f64) -> GaussSphere {
        let conformal = Conformal::new(ellipsoid);
        let e2 = ellipsoid.eccentricity_squared();
        let (sin0, cos0) = degrees::sin_cos(lat0);
        let ratio = (1.0 + e2 * cos0.powi(4) / (1.0 - e2)).sqrt();
        let w2 = 1.0 - e2 * sin0 * sin0;
        // tan χ₀ in a form that does not cancel: B² − sin² φ₀ = cos² φ₀ w²/(1 − e²).
        let tan_chi0 = sin0 / cos0 * ((1.0 - e2) / w2).sqrt();
        let sphere_psi0 = asinh(tan_chi0);
        let secant = norm(tan_chi0, 1.0);
        GaussSphere {
            conformal,
            e2,
            ratio,
            radius: ellipsoid.semi_major_m() * (1.0 - e2).sqrt() / w2,
            lat0,
            sin0,
            cos0,
            psi0: conformal.isometric(sin0, sin0 / cos0),
            sphere_psi0,
            growth: sphere_psi0.exp(),
            chi0: (tan_chi0 / secant, 1.0 / secant),
        }
    }

    /// Isometric latitude on the sphere from that of the centre; none at a pole.
    #[inline(always)]
    pub(crate) fn psi_rise<T: Real>(&self, at: &LonLat<T>) -> Option<T> {
        if !(-at.cos).below(0.0)? {
            return None;
        }
        let rise = at.sin_rise(self.lat0);
        let x = rise / (-(at.sin * (self.e2 * self.sin0)) + 1.0);
        let spherical = (rise / (at.cos * self.cos0)).asinh();
        Some((spherical - x * (x * self.e2.sqrt()).atanhc() * self.e2) * self.ratio)
    }

    /// Direction of a place.
    #[inline(always)]
    pub(crate) fn direction<T: Real>(&self, at: &LonLat<T>) -> Option<Direction<T>> {
        let (sin0, cos0) = self.chi0;
        let Some(rise) = self.psi_rise(at) else {
            // At a pole the sine of the latitude is 1 or −1.
            let pole = if (-at.cos).below(0.0)? { return None } else { at.sin };
            return Some(Direction { east: pole * 0.0, north: pole * cos0, up: pole * sin0 });
        };
        let more = rise.exp_m1();
        let whole = more + 1.0;
        // Of the isometric latitude on the sphere: e^ψ and e^−ψ.
        let (large, small) = (whole * self.growth, whole.constant(1.0 / self.growth) / whole);
        let cos = whole.constant(2.0) / (large + small);
        let sin = (large - small) * 0.5 * cos;
        let lambda = at.lambda * self.ratio;
        let (sin_half, cos_half) = (lambda * 0.5).sin_cos();
        let versed = sin_half.square() * 2.0;
        // sin(χ − χ₀)/cos χ, which is cos χ₀ (sinh ψ − sinh ψ₀).
        let climb = more * (small + self.growth) * (0.5 * cos0);
        Some(Direction {
            east: cos * sin_half * cos_half * 2.0,
            north: cos * (climb + versed * sin0),
            up: sin * sin0 + cos * (-versed + 1.0) * cos0,
        })
    }

    /// Longitude from the centre and latitude, degrees, of a direction (of any length).
    #[inline(always)]
    pub(crate) fn place<N: Number>(&self, at: &Direction<N>) -> (N, N) {
        let (sin0, cos0) = self.chi0;
        let sin = at.up * sin0 + at.north * cos0;
        let along = at.up * cos0 - at.north * sin0;
        let cos = along.norm(at.east);
        // At a pole the cosine is nothing.
        let least = cos.like(1e-100);
        let tan = sin / N::select(cos.less(least), least, cos);
        (atan2_degrees(at.east, along) / self.ratio, self.latitude_deg(tan.asinh()))
    }

    /// Geodetic latitude, degrees, of an isometric latitude on the sphere.
    #[inline(always)]
    pub(crate) fn latitude_deg<N: Number>(&self, sphere_psi: N) -> N {
        let psi = (sphere_psi - self.sphere_psi0) / self.ratio + self.psi0;
        self.conformal.geodetic_of_isometric_deg(psi)
    }
}
