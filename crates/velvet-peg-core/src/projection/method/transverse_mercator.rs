//! Transverse Mercator, EPSG methods 9807, 9808 (South Orientated) and 1111 (3D), by
//! the Krüger series.
//!
//! Sources: Krüger (1912), "Konforme Abbildung des Erdellipsoids in der Ebene"; the forms
//! that neither cancel nor iterate are those of Karney (2011), "Transverse Mercator with an
//! accuracy of a few nanometers", J. Geodesy 85, eq. 7-38. Coefficients to order 8 in the
//! third flattening were computed in exact rational arithmetic.
//!
//! Good to a few nanometres within 50° of the central meridian (at the equator; farther
//! towards the poles) and to 0.03 mm at 70°, beyond which it refuses.

use super::Method;
use crate::auxiliary::Conformal;
use crate::auxiliary::rectifying_radius_m;
use crate::ellipsoid::Ellipsoid;
use crate::math::elementary::{asinh, norm};
use crate::math::number::Number;
use crate::math::{degrees, series};
use crate::position::Geographic;
use crate::projection::kernel::Kernel;
use crate::projection::kernel::{Factors, ORIGIN_TOLERANCE};
use crate::projection::lanes::{InLanes, forward_in_lanes, inverse_in_lanes};
use crate::projection::near::NearMeridian;
use crate::projection::parameter_code as code;
use std::sync::Arc;

const TRANSVERSE_MERCATOR: Method = Method {
    code: 9807,
    parameters: code::ORIGIN_AND_SCALE,
    words: &["Transverse_Mercator", "Gauss_Kruger", "Gauss_Krueger", "Transverse_Mercator_Complex"],
    build: |given, ellipsoid| {
        Ok(Arc::new(TransverseMercator::new(
            ellipsoid,
            given.degrees(code::LATITUDE_OF_NATURAL_ORIGIN)?,
            given.degrees(code::LONGITUDE_OF_NATURAL_ORIGIN)?,
            given.ratio(code::SCALE_FACTOR_AT_NATURAL_ORIGIN)?,
        )))
    },
    ..Method::PLAIN
};

/// The methods of this file.
pub(super) const METHODS: &[Method] = &[
    TRANSVERSE_MERCATOR,
    Method { code: 1111, words: &[], ..TRANSVERSE_MERCATOR },
    Method {
        code: 9808,
        words: &["Transverse_Mercator_South_Orientated"],
        sense: (-1.0, -1.0),
        ..TRANSVERSE_MERCATOR
    },
];

/// Largest η′ that the series is used for: 70° from the central meridian at the equator.
const MAX_ETA: f64 = 1.735;

#[derive(Clone, Debug)]
pub(crate) struct TransverseMercator {
    conformal: Conformal,
    ellipsoid: Ellipsoid,
    lon0: f64,
    /// Rectifying radius times the scale factor at the central meridian, metres.
    radius: f64,
    /// Rectifying latitude of the origin, radians.
    origin: f64,
    forward: [f64; 8],
    inverse: [f64; 8],
    near: Option<NearMeridian>,
}

impl TransverseMercator {
    pub(crate) fn new(ellipsoid: &Ellipsoid, lat0: f64, lon0: f64, scale: f64) -> Self {
        let n = ellipsoid.third_flattening();
        let radius = rectifying_radius_m(ellipsoid);
        let mut built = TransverseMercator {
            conformal: Conformal::new(ellipsoid),
            ellipsoid: *ellipsoid,
            lon0,
            radius: radius * scale,
            origin: 0.0,
            forward: series::evaluate(&TO_RECTIFYING, n),
            inverse: series::evaluate(&TO_CONFORMAL, n),
            near: None,
        };
        if lat0.abs() > ORIGIN_TOLERANCE {
            let origin = Geographic { lat: lat0, lon: lon0 };
            built.origin = built.rectifying(origin, false).map_or(f64::NAN, |r| r.xi);
        }
        let series = (&built.forward, &built.inverse);
        built.near = NearMeridian::new(ellipsoid, (lat0, lon0), built.radius, series);
        built
    }

    /// Limit of sec φ / hypot(τ′, cos λ) at the pole: exp(e atanh e).
    fn pole_ratio(&self) -> f64 {
        let e = self.ellipsoid.eccentricity_squared().sqrt();
        (e * e.atanh()).exp()
    }

    fn rectifying(&self, at: Geographic, want_derivative: bool) -> Option<Rectifying> {
        let Geographic { lon, lat } = at;
        let (sin_lambda, cos_lambda) = degrees::sin_cos(degrees::wrap(lon - self.lon0));
        let (sin, cos) = degrees::sin_cos(lat);
        // At a pole the tangent is finite but huge; the formulas stay in their limits.
        let tan = if cos == 0.0 { sin * 1e18 } else { sin / cos };
        let tangent = self.conformal.tangent(sin, tan);
        let distance = norm(tangent, cos_lambda);
        let sinh = sin_lambda / distance;
        let eta = asinh(sinh);
        // `eta` is not finite on the equator a quarter turn from the central meridian.
        if !(eta.abs() <= MAX_ETA) || cos_lambda < 0.0 && lat.abs() < 20.0 {
            return None;
        }
        let xi = tangent.atan2(cos_lambda);
        // Double-angle functions without further transcendental calls.
        let h2 = distance * distance;
        let sin2 = 2.0 * tangent * cos_lambda / h2;
        let cos2 = (cos_lambda - tangent) * (cos_lambda + tangent) / h2;
        let cosh = norm(sinh, 1.0);
        let (sum, derivative) = series::complex_sums(
            &self.forward,
            (sin2, cos2),
            (2.0 * sinh * cosh, 1.0 + 2.0 * sinh * sinh),
            want_derivative,
        );
        Some(Rectifying {
            xi: xi + sum.0,
            eta: eta + sum.1,
            derivative: (1.0 + derivative.0, derivative.1),
            conformal_tangent: tangent,
            distance,
            sin_lambda,
            cos_lambda,
        })
    }

    /// Easting and northing at any distance that the series serves.
    fn forward_far(&self, at: Geographic) -> Option<(f64, f64)> {
        let r = self.rectifying(at, false)?;
        Some((self.radius * r.eta, self.radius * (r.xi - self.origin)))
    }

    /// Position at any distance that the series serves.
    fn inverse_far(&self, e: f64, n: f64) -> Option<Geographic> {
        let (xi, eta) = (n / self.radius + self.origin, e / self.radius);
        if !(eta.abs() <= MAX_ETA && xi.abs() <= std::f64::consts::PI) {
            return None;
        }
        let (dx, dy) =
            series::complex_sums(&self.inverse, (2.0 * xi).sin_cos(), hyperbolic(2.0 * eta), false)
                .0;
        let (sin, cos) = (xi + dx).sin_cos();
        let sinh = (eta + dy).sinh();
        let lat = self.conformal.geodetic_deg(sin, norm(sinh, cos));
        Some(Geographic { lon: degrees::wrap(self.lon0 + sinh.atan2(cos).to_degrees()), lat })
    }
}

impl InLanes for TransverseMercator {
    #[inline(always)]
    fn forward_lanes<N: Number>(&self, lon: N, lat: N) -> Option<(N, N)> {
        self.near.as_ref()?.forward(lon, lat)
    }

    #[inline(always)]
    fn inverse_lanes<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        self.near.as_ref()?.inverse(e, n)
    }
}

impl Kernel for TransverseMercator {
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
        let r = self.rectifying(at, true)?;
        let (sin, cos) = degrees::sin_cos(at.lat);
        let e2 = self.ellipsoid.eccentricity_squared();
        // Karney (2011) eq. 23-26: spherical part, then the derivative of the series.
        let (p, q) = r.derivative;
        let secant_ratio = if cos == 0.0 { self.pole_ratio() } else { 1.0 / (cos * r.distance) };
        let spherical = (1.0 - e2 * sin * sin).sqrt() * secant_ratio;
        let k = self.radius / self.ellipsoid.semi_major_m() * spherical * p.hypot(q);
        let spherical_convergence = degrees::atan2(
            r.conformal_tangent / r.conformal_tangent.hypot(1.0) * r.sin_lambda,
            r.cos_lambda,
        );
        let convergence = spherical_convergence - degrees::atan2(q, p);
        Some(Factors {
            meridian_scale: k,
            parallel_scale: k,
            convergence_deg: degrees::wrap(convergence),
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

/// Hyperbolic sine and cosine together.
fn hyperbolic(x: f64) -> (f64, f64) {
    let sinh = x.sinh();
    (sinh, norm(sinh, 1.0))
}

struct Rectifying {
    xi: f64,
    eta: f64,
    derivative: (f64, f64),
    conformal_tangent: f64,
    distance: f64,
    sin_lambda: f64,
    cos_lambda: f64,
}

/// Conformal to rectifying latitude: row j holds the factors of n^j … n^8 of sin 2jχ.
const TO_RECTIFYING: series::Triangle = [
    &[
        1.0 / 2.0,
        -2.0 / 3.0,
        5.0 / 16.0,
        41.0 / 180.0,
        -127.0 / 288.0,
        7891.0 / 37800.0,
        72161.0 / 387072.0,
        -18975107.0 / 50803200.0,
    ],
    &[
        13.0 / 48.0,
        -3.0 / 5.0,
        557.0 / 1440.0,
        281.0 / 630.0,
        -1983433.0 / 1935360.0,
        13769.0 / 28800.0,
        148003883.0 / 174182400.0,
    ],
    &[
        61.0 / 240.0,
        -103.0 / 140.0,
        15061.0 / 26880.0,
        167603.0 / 181440.0,
        -67102379.0 / 29030400.0,
        79682431.0 / 79833600.0,
    ],
    &[
        49561.0 / 161280.0,
        -179.0 / 168.0,
        6601661.0 / 7257600.0,
        97445.0 / 49896.0,
        -40176129013.0 / 7664025600.0,
    ],
    &[
        34729.0 / 80640.0,
        -3418889.0 / 1995840.0,
        14644087.0 / 9123840.0,
        2605413599.0 / 622702080.0,
    ],
    &[212378941.0 / 319334400.0, -30705481.0 / 10378368.0, 175214326799.0 / 58118860800.0],
    &[1522256789.0 / 1383782400.0, -16759934899.0 / 3113510400.0],
    &[1424729850961.0 / 743921418240.0],
];

/// Rectifying to conformal latitude, laid out the same way in sin 2jμ.
const TO_CONFORMAL: series::Triangle = [
    &[
        -1.0 / 2.0,
        2.0 / 3.0,
        -37.0 / 96.0,
        1.0 / 360.0,
        81.0 / 512.0,
        -96199.0 / 604800.0,
        5406467.0 / 38707200.0,
        -7944359.0 / 67737600.0,
    ],
    &[
        -1.0 / 48.0,
        -1.0 / 15.0,
        437.0 / 1440.0,
        -46.0 / 105.0,
        1118711.0 / 3870720.0,
        -51841.0 / 1209600.0,
        -24749483.0 / 348364800.0,
    ],
    &[
        -17.0 / 480.0,
        37.0 / 840.0,
        209.0 / 4480.0,
        -5569.0 / 90720.0,
        -9261899.0 / 58060800.0,
        6457463.0 / 17740800.0,
    ],
    &[
        -4397.0 / 161280.0,
        11.0 / 504.0,
        830251.0 / 7257600.0,
        -466511.0 / 2494800.0,
        -324154477.0 / 7664025600.0,
    ],
    &[-4583.0 / 161280.0, 108847.0 / 3991680.0, 8005831.0 / 63866880.0, -22894433.0 / 124540416.0],
    &[-20648693.0 / 638668800.0, 16363163.0 / 518918400.0, 2204645983.0 / 12915302400.0],
    &[-219941297.0 / 5535129600.0, 497323811.0 / 12454041600.0],
    &[-191773887257.0 / 3719607091200.0],
];
