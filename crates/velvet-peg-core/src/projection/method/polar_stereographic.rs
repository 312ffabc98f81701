//! Polar Stereographic, EPSG methods 9810 (variant A, scale factor at the pole), 9829
//! (variant B, true on a parallel, origin at the pole) and 9830 (variant C, true on a
//! parallel, false origin on it).
//!
//! Source: Snyder (1987) eq. 21-33 to 21-40, 15-9; t is formed so that it keeps its relative
//! accuracy at the pole.

use super::Method;
use crate::auxiliary::Conformal;
use crate::ellipsoid::Ellipsoid;
use crate::error::{Error, Result};
use crate::math::LonLat;
use crate::math::Real;
use crate::math::degrees;
use crate::math::functions::atan2_degrees;
use crate::math::number::Number;
use crate::projection::kernel::Formula;
use crate::projection::parameter_code as code;
use std::sync::Arc;

/// The methods of this file.
pub(super) const METHODS: &[Method] = &[
    Method {
        code: 9810,
        parameters: code::ORIGIN_AND_SCALE,
        words: &["Polar_Stereographic"],
        build: |given, ellipsoid| {
            Ok(Arc::new(PolarStereographic::at_pole(
                ellipsoid,
                given.degrees(code::LATITUDE_OF_NATURAL_ORIGIN)?,
                given.degrees(code::LONGITUDE_OF_NATURAL_ORIGIN)?,
                given.ratio(code::SCALE_FACTOR_AT_NATURAL_ORIGIN)?,
            )?))
        },
        ..Method::PLAIN
    },
    Method {
        code: 9829,
        parameters: &[
            code::LATITUDE_OF_STANDARD_PARALLEL,
            code::LONGITUDE_OF_ORIGIN,
            code::FALSE_EASTING,
            code::FALSE_NORTHING,
        ],
        words: &["Stereographic_North_Pole", "Stereographic_South_Pole"],
        build: |given, ellipsoid| {
            Ok(Arc::new(PolarStereographic::true_on(
                ellipsoid,
                given.degrees(code::LATITUDE_OF_STANDARD_PARALLEL)?,
                given.degrees(code::LONGITUDE_OF_ORIGIN)?,
            )?))
        },
        ..Method::PLAIN
    },
    Method {
        code: 9830,
        parameters: &[
            code::LATITUDE_OF_STANDARD_PARALLEL,
            code::LONGITUDE_OF_ORIGIN,
            code::EASTING_AT_FALSE_ORIGIN,
            code::NORTHING_AT_FALSE_ORIGIN,
        ],
        false_origin: code::FALSE,
        build: |given, ellipsoid| {
            Ok(Arc::new(
                PolarStereographic::true_on(
                    ellipsoid,
                    given.degrees(code::LATITUDE_OF_STANDARD_PARALLEL)?,
                    given.degrees(code::LONGITUDE_OF_ORIGIN)?,
                )?
                .origin_on_parallel(given.degrees(code::LATITUDE_OF_STANDARD_PARALLEL)?),
            ))
        },
        ..Method::PLAIN
    },
];

#[derive(Debug)]
pub(crate) struct PolarStereographic {
    ellipsoid: Ellipsoid,
    conformal: Conformal,
    lon0: f64,
    /// 1 at the north pole, −1 at the south pole.
    pole: f64,
    /// Radius over t, metres.
    k: f64,
    /// Radius of the parallel that northings count from, metres.
    origin: f64,
}

impl PolarStereographic {
    /// Scale factor at the pole (`lat0` is 90 or −90).
    pub(crate) fn at_pole(
        ellipsoid: &Ellipsoid,
        lat0: f64,
        lon0: f64,
        scale: f64,
    ) -> Result<PolarStereographic> {
        if lat0.abs() != 90.0 {
            return Err(Error::out_of_domain(format!(
                "a polar stereographic projection has its origin at a pole, not at latitude {lat0}°"
            )));
        }
        let mut built = PolarStereographic::empty(ellipsoid, lat0.signum(), lon0);
        let e = ellipsoid.eccentricity_squared().sqrt();
        // √((1+e)^(1+e) (1−e)^(1−e))
        let root = (((1.0 + e) * e.ln_1p() + (1.0 - e) * (-e).ln_1p()) / 2.0).exp();
        built.k = 2.0 * ellipsoid.semi_major_m() * scale / root;
        Ok(built)
    }

    /// True on the parallel `lat1`; the sign of which tells the pole.
    pub(crate) fn true_on(ellipsoid: &Ellipsoid, lat1: f64, lon0: f64) -> Result<Self> {
        if lat1.abs() == 90.0 {
            return PolarStereographic::at_pole(ellipsoid, lat1, lon0, 1.0);
        }
        if lat1 == 0.0 {
            return Err(Error::out_of_domain(
                "a polar stereographic projection has its standard parallel on one side of the \
                 equator",
            ));
        }
        let mut built = PolarStereographic::empty(ellipsoid, lat1.signum(), lon0);
        let (sin, cos) = degrees::sin_cos(lat1.abs());
        let m = cos / (1.0 - ellipsoid.eccentricity_squared() * sin * sin).sqrt();
        built.k = ellipsoid.semi_major_m() * m / built.t(sin, cos);
        Ok(built)
    }

    /// Northings counted from the parallel `lat1` instead of the pole.
    pub(crate) fn origin_on_parallel(mut self, lat1: f64) -> Self {
        let (sin, cos) = degrees::sin_cos(lat1.abs());
        self.origin = self.k * self.t(sin, cos);
        self
    }

    fn empty(ellipsoid: &Ellipsoid, pole: f64, lon0: f64) -> PolarStereographic {
        let conformal = Conformal::new(ellipsoid);
        PolarStereographic { ellipsoid: *ellipsoid, conformal, lon0, pole, k: 0.0, origin: 0.0 }
    }

    /// exp(−ψ) of a latitude whose sine is positive towards the pole.
    #[inline(always)]
    fn t<T: Real>(&self, sin: T, cos: T) -> T {
        let half = match sin.below(0.0) {
            Some(true) => (-sin + 1.0) / cos,
            Some(false) => cos / (sin + 1.0),
            None => return sin.undecided(),
        };
        half * self.conformal.eccentric_of(sin).exp()
    }
}

impl Formula for PolarStereographic {
    fn conformal(&self) -> bool {
        true
    }

    fn frame(&self) -> (f64, &Ellipsoid) {
        (self.lon0, &self.ellipsoid)
    }

    #[inline(always)]
    fn plane<T: Real>(&self, at: &LonLat<T>) -> Option<(T, T)> {
        let sin = at.sin * self.pole;
        if !(-sin).below(1.0)? {
            return None;
        }
        let radius = self.t(sin, at.cos) * self.k;
        let north = (-(radius * at.cos_lambda) + self.origin) * self.pole;
        Some((radius * at.sin_lambda, north))
    }

    #[inline(always)]
    fn place<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        let along = -(n * self.pole) + self.origin;
        let t = e.norm(along) / self.k;
        // Conformal latitude from tan(π/4 − χ/2) = t.
        let lat = self.conformal.geodetic_deg((-t + 1.0) * (t + 1.0), t * 2.0);
        Some((atan2_degrees(e, along), lat * self.pole))
    }
}
