//! Lambert Conic Conformal with one or two standard parallels, EPSG methods 9801, 9802
//! and their relatives 1051, 1102, 9803 and 9826.
//!
//! Source: Snyder (1987) eq. 15-1 to 15-11, rearranged around the origin's isometric
//! latitude so that nothing large is subtracted: with Δ = ψ − ψ₀, cone constant n, longitude
//! difference λ and K = a m₁ k₀ exp(n(ψ₁ − ψ₀)),
//!
//! ```text
//! E = K exp(−nΔ) λ sinc(nλ)
//! N = K (Δ g(nΔ) + exp(−nΔ) λ sin(nλ/2) sinc(nλ/2)),   g(u) = (1 − exp(−u))/u
//! ```
//!
//! which holds for every n, zero included (the Mercator limit). The cone constant of two
//! parallels is a quotient of divided differences, so close parallels lose no digits.

use super::Method;
use crate::auxiliary::Conformal;
use crate::ellipsoid::Ellipsoid;
use crate::error::{Error, Result};
use crate::math::degrees;
use crate::math::number::Number;
use crate::position::Geographic;
use crate::projection::kernel::Factors;
use crate::projection::kernel::Kernel;
use crate::projection::lanes::{InLanes, forward_in_lanes, inverse_in_lanes};
use crate::projection::near::{Cone, NearConic};
use crate::projection::parameter_code as code;
use crate::projection::parameters::Parameters;
use std::sync::Arc;

const ONE_PARALLEL: Method = Method {
    code: 9801,
    parameters: code::ORIGIN_AND_SCALE,
    words: &["Lambert_Conformal_Conic_1SP"],
    build: |given, ellipsoid| {
        Ok(Arc::new(LambertConic::one_parallel(
            ellipsoid,
            given.degrees(code::LATITUDE_OF_NATURAL_ORIGIN)?,
            given.degrees(code::LONGITUDE_OF_NATURAL_ORIGIN)?,
            given.ratio(code::SCALE_FACTOR_AT_NATURAL_ORIGIN)?,
        )?))
    },
    ..Method::PLAIN
};

/// The methods of this file.
pub(super) const METHODS: &[Method] = &[
    ONE_PARALLEL,
    Method {
        code: 9826,
        words: &["Lambert_Conformal_Conic_West_Orientated"],
        sense: (-1.0, 1.0),
        ..ONE_PARALLEL
    },
    Method {
        code: 1102,
        parameters: &[
            code::LATITUDE_OF_NATURAL_ORIGIN,
            code::SCALE_FACTOR_AT_NATURAL_ORIGIN,
            code::LATITUDE_OF_FALSE_ORIGIN,
            code::LONGITUDE_OF_FALSE_ORIGIN,
            code::EASTING_AT_FALSE_ORIGIN,
            code::NORTHING_AT_FALSE_ORIGIN,
        ],
        false_origin: code::FALSE,
        build: |given, ellipsoid| {
            Ok(Arc::new(LambertConic::one_parallel_from(
                ellipsoid,
                (
                    given.degrees(code::LATITUDE_OF_FALSE_ORIGIN)?,
                    given.degrees(code::LONGITUDE_OF_FALSE_ORIGIN)?,
                ),
                given.degrees(code::LATITUDE_OF_NATURAL_ORIGIN)?,
                given.ratio(code::SCALE_FACTOR_AT_NATURAL_ORIGIN)?,
            )?))
        },
        ..Method::PLAIN
    },
    Method {
        code: 9802,
        parameters: code::TWO_PARALLELS,
        words: &["Lambert_Conformal_Conic_2SP", "Lambert_Conformal_Conic"],
        false_origin: code::FALSE,
        build: |given, ellipsoid| Ok(Arc::new(two_parallels(given, ellipsoid)?)),
        ..Method::PLAIN
    },
    Method {
        code: 9803,
        parameters: code::TWO_PARALLELS,
        words: &["Lambert_Conformal_Conic_2SP_Belgium"],
        false_origin: code::FALSE,
        build: |given, ellipsoid| {
            Ok(Arc::new(two_parallels(given, ellipsoid)?.turned_for_belgium()))
        },
        ..Method::PLAIN
    },
    Method {
        code: 1051,
        parameters: &[
            code::LATITUDE_OF_FALSE_ORIGIN,
            code::LONGITUDE_OF_FALSE_ORIGIN,
            code::LATITUDE_OF_FIRST_STANDARD_PARALLEL,
            code::LATITUDE_OF_SECOND_STANDARD_PARALLEL,
            code::EASTING_AT_FALSE_ORIGIN,
            code::NORTHING_AT_FALSE_ORIGIN,
            code::ELLIPSOID_SCALING_FACTOR,
        ],
        words: &["Lambert_Conformal_Conic_2SP_Michigan"],
        false_origin: code::FALSE,
        build: |given, ellipsoid| {
            Ok(Arc::new(
                two_parallels(given, ellipsoid)?
                    .scaled(given.ratio(code::ELLIPSOID_SCALING_FACTOR)?),
            ))
        },
        ..Method::PLAIN
    },
];

fn two_parallels(given: &Parameters, ellipsoid: &Ellipsoid) -> Result<LambertConic> {
    LambertConic::two_parallels(
        ellipsoid,
        given.degrees(code::LATITUDE_OF_FALSE_ORIGIN)?,
        given.degrees(code::LONGITUDE_OF_FALSE_ORIGIN)?,
        given.degrees(code::LATITUDE_OF_FIRST_STANDARD_PARALLEL)?,
        given.degrees(code::LATITUDE_OF_SECOND_STANDARD_PARALLEL)?,
    )
}

#[derive(Clone, Debug)]
pub(crate) struct LambertConic {
    conformal: Conformal,
    a: f64,
    e2: f64,
    lon0: f64,
    /// Cone constant n, negative where the cone opens southward.
    cone: f64,
    /// K in the formulas above, metres.
    k: f64,
    /// Isometric latitude that Δ is reckoned from.
    psi0: f64,
    /// Northing of the point of reference from the true origin, metres; 0 unless the
    /// origin is a pole.
    offset: f64,
    ellipsoid: Ellipsoid,
    /// Latitude of the point of reference, degrees.
    lat0: f64,
    near: Option<NearConic>,
}

impl LambertConic {
    /// One standard parallel, with a scale factor on it.
    pub(crate) fn one_parallel(
        ellipsoid: &Ellipsoid,
        lat0: f64,
        lon0: f64,
        scale: f64,
    ) -> Result<LambertConic> {
        let cone = degrees::sin_cos(lat0).0;
        LambertConic::with_cone(ellipsoid, lat0, lon0, cone, lat0, scale)
    }

    /// Two standard parallels, in either order.
    pub(crate) fn two_parallels(
        ellipsoid: &Ellipsoid,
        lat_origin: f64,
        lon0: f64,
        lat1: f64,
        lat2: f64,
    ) -> Result<LambertConic> {
        let cone = cone_constant(ellipsoid, lat1, lat2);
        LambertConic::with_cone(ellipsoid, lat_origin, lon0, cone, lat1, 1.0)
    }

    /// One standard parallel with a scale factor on it, and a false origin elsewhere, given as
    /// latitude and longitude (EPSG method 1102).
    pub(crate) fn one_parallel_from(
        ellipsoid: &Ellipsoid,
        (lat_origin, lon0): (f64, f64),
        lat1: f64,
        scale: f64,
    ) -> Result<LambertConic> {
        let cone = degrees::sin_cos(lat1).0;
        LambertConic::with_cone(ellipsoid, lat_origin, lon0, cone, lat1, scale)
    }

    /// All lengths on the map times a factor (EPSG method 1051).
    pub(crate) fn scaled(mut self, factor: f64) -> LambertConic {
        self.k *= factor;
        self.offset *= factor;
        self.with_near()
    }

    /// The grid turned by 29.2985″ about the apex (EPSG method 9803).
    pub(crate) fn turned_for_belgium(mut self) -> LambertConic {
        self.lon0 += 29.2985 / 3600.0 / self.cone;
        self.with_near()
    }

    fn with_cone(
        ellipsoid: &Ellipsoid,
        lat_origin: f64,
        lon0: f64,
        cone: f64,
        lat_true: f64,
        scale: f64,
    ) -> Result<LambertConic> {
        if lat_true.abs() >= 90.0 || lat_origin.abs() > 90.0 {
            return Err(Error::out_of_domain(format!(
                "a conic needs standard parallels short of the poles, not {lat_true}°"
            )));
        }
        let conformal = Conformal::new(ellipsoid);
        let e2 = ellipsoid.eccentricity_squared();
        let (sin1, cos1) = degrees::sin_cos(lat_true);
        let psi1 = conformal.isometric(sin1, sin1 / cos1);
        let m1 = cos1 / (1.0 - e2 * sin1 * sin1).sqrt();
        let a = ellipsoid.semi_major_m();
        let mut built = LambertConic {
            conformal,
            a,
            e2,
            lon0,
            cone,
            k: a * m1 * scale,
            psi0: psi1,
            offset: 0.0,
            ellipsoid: *ellipsoid,
            lat0: lat_true,
            near: None,
        };
        if lat_origin.abs() == 90.0 {
            // The apex of the cone: keep the standard parallel as reference, K/n from it.
            if lat_origin.signum() != cone.signum() {
                return Err(Error::out_of_domain(
                    "a conic cannot have its origin at the pole away from its apex",
                ));
            }
            built.offset = -built.k / cone;
        } else if lat_origin != lat_true {
            let (sin0, cos0) = degrees::sin_cos(lat_origin);
            built.psi0 = conformal.isometric(sin0, sin0 / cos0);
            built.k *= (cone * (psi1 - built.psi0)).exp();
            built.lat0 = lat_origin;
        }
        Ok(built.with_near())
    }

    /// The same with what serves near its reference.
    fn with_near(mut self) -> LambertConic {
        let LambertConic { lat0, lon0, cone: constant, k, offset, .. } = self;
        self.near = NearConic::new(&self.ellipsoid, Cone { lat0, lon0, constant, k, offset });
        self
    }

    fn delta(&self, lat: f64) -> f64 {
        let (sin, cos) = degrees::sin_cos(lat);
        self.conformal.isometric(sin, sin / cos) - self.psi0
    }

    /// Easting and northing of any place but the apex's opposite.
    fn forward_far(&self, at: Geographic) -> Option<(f64, f64)> {
        let Geographic { lon, lat } = at;
        let lambda = degrees::wrap(lon - self.lon0).to_radians();
        if lat.abs() >= 90.0 {
            // The apex is a point; the other pole is infinitely far.
            return (lat.signum() == self.cone.signum() && self.cone != 0.0)
                .then(|| (0.0, self.offset + self.k / self.cone));
        }
        let delta = self.delta(lat);
        let u = self.cone * delta;
        let shrink = (-u).exp();
        let half = self.cone * lambda / 2.0;
        let (sin_half, cos_half) = half.sin_cos();
        // sin(nλ/2)/(nλ/2) · λ, and from it sin(nλ)/n by the double angle.
        let chord = if half == 0.0 { lambda } else { lambda * (sin_half / half) };
        let east = self.k * shrink * chord * cos_half;
        let rise = if u == 0.0 { delta } else { delta * (-(-u).exp_m1() / u) };
        let north = self.k * (rise + shrink * chord * sin_half);
        Some((east, north + self.offset))
    }

    /// Position of any easting and northing.
    fn inverse_far(&self, e: f64, n: f64) -> Option<Geographic> {
        let n = n - self.offset;
        let across = self.cone * e;
        let along = self.k - self.cone * n;
        let lambda = match self.cone == 0.0 {
            true => e / self.k,
            false => across.atan2(along) / self.cone,
        };
        if !(lambda.abs() <= std::f64::consts::PI * (1.0 + 1e-12)) {
            return None;
        }
        // exp(−2nΔ) = 1 + n w
        let w = (self.cone * (e * e + n * n) - 2.0 * self.k * n) / (self.k * self.k);
        let u = self.cone * w;
        let delta = if u < -0.5 {
            // Towards the apex the radius itself keeps more digits than its difference.
            -(crate::math::elementary::norm(across, along) / self.k).ln() / self.cone
        } else if u == 0.0 {
            -w / 2.0
        } else {
            -w / 2.0 * (u.ln_1p() / u)
        };
        Some(Geographic {
            lon: degrees::wrap(self.lon0 + lambda.to_degrees()),
            lat: self.conformal.geodetic_of_isometric_deg(self.psi0 + delta),
        })
    }
}

impl InLanes for LambertConic {
    #[inline(always)]
    fn forward_lanes<N: Number>(&self, lon: N, lat: N) -> Option<(N, N)> {
        self.near.as_ref()?.forward(lon, lat)
    }

    #[inline(always)]
    fn inverse_lanes<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        self.near.as_ref()?.inverse(e, n)
    }
}

impl Kernel for LambertConic {
    fn cone_constant(&self) -> Option<f64> {
        Some(self.cone)
    }

    /// Easting and northing from the true origin, metres, of a position in degrees.
    fn forward(&self, at: Geographic) -> Option<(f64, f64)> {
        let near = self.forward_lanes(at.lon, at.lat);
        near.or_else(|| self.forward_far(at))
    }

    fn forward_block(&self, lon: &mut [f64], lat: &mut [f64]) {
        forward_in_lanes(self, lon, lat);
    }

    fn inverse_block(&self, e: &mut [f64], n: &mut [f64]) {
        inverse_in_lanes(self, e, n);
    }

    fn factors(&self, at: Geographic) -> Option<Factors> {
        let Geographic { lon, lat } = at;
        let (sin, cos) = degrees::sin_cos(lat);
        if cos <= 0.0 {
            return None;
        }
        let m = cos / (1.0 - self.e2 * sin * sin).sqrt();
        let scale = self.k * (-self.cone * self.delta(lat)).exp() / (self.a * m);
        Some(Factors {
            meridian_scale: scale,
            parallel_scale: scale,
            convergence_deg: self.cone * degrees::wrap(lon - self.lon0),
        })
    }

    /// Position in degrees of an easting and northing from the true origin in metres.
    fn inverse(&self, e: f64, n: f64) -> Option<Geographic> {
        let near = self.inverse_lanes(e, n);
        near.map(|(lon, lat)| Geographic { lat, lon }).or_else(|| self.inverse_far(e, n))
    }

    fn is_conformal(&self) -> bool {
        true
    }
}

/// n = (ln m₁ − ln m₂)/(ψ₂ − ψ₁), Snyder eq. 15-8, with every difference formed before it
/// can cancel.
fn cone_constant(ellipsoid: &Ellipsoid, lat1: f64, lat2: f64) -> f64 {
    let (sin1, cos1) = degrees::sin_cos(lat1);
    if lat1 == lat2 {
        return sin1;
    }
    let (sin2, cos2) = degrees::sin_cos(lat2);
    let e2 = ellipsoid.eccentricity_squared();
    let e = e2.sqrt();
    let (sin_half, _) = degrees::sin_cos((lat2 - lat1) / 2.0);
    let (sin_mid, cos_mid) = degrees::sin_cos((lat1 + lat2) / 2.0);
    let sin_difference = 2.0 * cos_mid * sin_half; // sin φ₂ − sin φ₁
    let cos_difference = 2.0 * sin_mid * sin_half; // cos φ₁ − cos φ₂
    let ln_cos = (cos_difference / cos2).ln_1p();
    let squares = sin_difference * (sin1 + sin2);
    let ln_root = (e2 * squares / (1.0 - e2 * sin2 * sin2)).ln_1p() / 2.0;
    // asinh τ₂ − asinh τ₁ = asinh(τ₂ sec φ₁ − τ₁ sec φ₂)
    let psi = (sin_difference / (cos1 * cos2)).asinh();
    let eccentric =
        if e == 0.0 { 0.0 } else { e * (e * sin_difference / (1.0 - e2 * sin1 * sin2)).atanh() };
    (ln_cos - ln_root) / (psi - eccentric)
}
