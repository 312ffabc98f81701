//! Lambert Azimuthal Equal Area, EPSG methods 9820 and 1027 (spherical: the formulas of the
//! authalic sphere applied to geodetic latitude as it is).
//!
//! Source: Snyder (1987) eq. 24-2 to 24-28. Authalic latitudes are carried as sine and cosine
//! of full relative accuracy, so the polar aspects need no formulas of their own.

use super::Method;
use crate::auxiliary::Authalic;
use crate::ellipsoid::Ellipsoid;
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
        code: 9820,
        parameters: code::ORIGIN,
        words: &["Lambert_Azimuthal_Equal_Area"],
        build: |given, ellipsoid| {
            Ok(Arc::new(AzimuthalEqualArea::new(
                ellipsoid,
                given.degrees(code::LATITUDE_OF_NATURAL_ORIGIN)?,
                given.degrees(code::LONGITUDE_OF_NATURAL_ORIGIN)?,
                false,
            )))
        },
        ..Method::PLAIN
    },
    Method {
        code: 1027,
        parameters: code::ORIGIN,
        build: |given, ellipsoid| {
            Ok(Arc::new(AzimuthalEqualArea::new(
                ellipsoid,
                given.degrees(code::LATITUDE_OF_NATURAL_ORIGIN)?,
                given.degrees(code::LONGITUDE_OF_NATURAL_ORIGIN)?,
                true,
            )))
        },
        ..Method::PLAIN
    },
];

#[derive(Debug)]
pub(crate) struct AzimuthalEqualArea {
    ellipsoid: Ellipsoid,
    authalic: Authalic,
    spherical: bool,
    lat0: f64,
    lon0: f64,
    /// Sine and cosine of the origin's latitude on the sphere.
    beta0: (f64, f64),
    /// Makes the scale at the origin the same in all directions (D).
    stretch: f64,
}

impl AzimuthalEqualArea {
    pub(crate) fn new(ellipsoid: &Ellipsoid, lat0: f64, lon0: f64, spherical: bool) -> Self {
        let authalic = Authalic::new(ellipsoid);
        let (sin, cos) = degrees::sin_cos(lat0);
        let mut built = AzimuthalEqualArea {
            ellipsoid: *ellipsoid,
            authalic,
            spherical,
            lat0,
            lon0,
            beta0: (sin, cos),
            stretch: 1.0,
        };
        if !spherical {
            let ratio = authalic.cosine_ratio(sin);
            built.beta0 = (authalic.q(sin) / authalic.q_at_pole(), cos * ratio);
            let w = (1.0 - ellipsoid.eccentricity_squared() * sin * sin).sqrt();
            built.stretch = ellipsoid.semi_major_m() / (w * authalic.radius_m() * ratio);
        }
        built
    }

    /// sin(β − β₀): from the difference of the two sines where that is the smaller error.
    #[inline(always)]
    fn climb<T: Real>(&self, at: &LonLat<T>, sin: T, cos: T) -> T {
        let (sin0, cos0) = self.beta0;
        let plain = sin * cos0 - cos * sin0;
        // 2 cos((β + β₀)/2) cos((β − β₀)/2) = cos β + cos β₀
        let sum = cos + cos0;
        let difference = cos * cos0 + sin * sin0;
        match (difference.below(0.9), sum.below(0.2)) {
            (Some(false), Some(false)) => {}
            (None, _) | (_, None) => return sum.undecided(),
            _ => return plain,
        }
        let rise = match self.spherical {
            true => at.sin_rise(self.lat0),
            false => {
                let rise = at.sin_rise(self.lat0);
                let sin_origin = degrees::sin_cos(self.lat0).0;
                rise * self.authalic.slope(at.sin, sin_origin, rise) / self.authalic.q_at_pole()
            }
        };
        // sin d = 2 sin(d/2) cos(d/2), and sin β − sin β₀ = 2 cos(middle) sin(d/2).
        rise * (difference + 1.0) / sum
    }
}

impl Formula for AzimuthalEqualArea {
    fn frame(&self) -> (f64, &Ellipsoid) {
        (self.lon0, &self.ellipsoid)
    }

    #[inline(always)]
    fn plane<T: Real>(&self, at: &LonLat<T>) -> Option<(T, T)> {
        let (sin, cos) = match self.spherical {
            true => (at.sin, at.cos),
            false => self.authalic.sin_cos(at),
        };
        let (sin0, cos0) = self.beta0;
        let depth = sin * sin0 + cos * at.cos_lambda * cos0 + 1.0;
        // The antipode of the origin is a whole circle.
        if depth.below(1e-9)? {
            return None;
        }
        let scale = (depth.constant(2.0) / depth).sqrt() * self.authalic.radius_m();
        let half = (at.lambda * 0.5).sin_cos().0;
        let north = self.climb(at, sin, cos) + cos * half.square() * (2.0 * sin0);
        Some((scale * cos * at.sin_lambda * self.stretch, scale * north / self.stretch))
    }

    #[inline(always)]
    fn place<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        let radius = self.authalic.radius_m();
        let (x, y) = (e / (self.stretch * radius), n * (self.stretch / radius));
        let quarter = (x * x + y * y) / 4.0;
        if !quarter.within(1.0) {
            return None;
        }
        let shrink = Real::sqrt(-quarter + 1.0);
        let (east, north, up) = (x * shrink, y * shrink, -(quarter * 2.0) + 1.0);
        let (sin0, cos0) = self.beta0;
        let sin = up * sin0 + north * cos0;
        let along = up * cos0 - north * sin0;
        let cos = east.norm(along);
        let lat = match self.spherical {
            true => atan2_degrees(sin, cos),
            false => self.authalic.geodetic_deg(sin, cos),
        };
        Some((atan2_degrees(east, along), lat))
    }
}
