//! Krovak's oblique conic, EPSG methods 9819 and 1041 (North Orientated), and with the
//! polynomial that fits it to the old network, 1042 and 1043.
//!
//! Source: EPSG Guidance Note 7-2, section 3.1.3. The ellipsoid goes to the Gauss sphere of
//! the centre, whose pole is moved to the axis of the cone, on which a spherical conformal
//! conic stands. In the modified form the quartic terms are not the parts of one analytic
//! function, so it is conformal only to 4·10⁻⁷: that is the definition. Backwards the mapping
//! itself is inverted, so that there and back closes.

use super::Method;
use crate::auxiliary::GaussSphere;
use crate::ellipsoid::Ellipsoid;
use crate::error::Result;
use crate::math::LonLat;
use crate::math::Real;
use crate::math::degrees;
use crate::math::functions::atan2_degrees;
use crate::math::number::Number;
use crate::projection::Parameters;
use crate::projection::kernel::{Formula, newton};
use crate::projection::parameter_code as code;
use std::sync::Arc;

/// Parameters of the modified forms.
const MODIFIED: &[u32] = &[
    code::LATITUDE_OF_PROJECTION_CENTRE,
    code::LONGITUDE_OF_ORIGIN,
    code::CO_LATITUDE_OF_CONE_AXIS,
    code::LATITUDE_OF_PSEUDO_STANDARD_PARALLEL,
    code::SCALE_FACTOR_ON_PSEUDO_STANDARD_PARALLEL,
    code::FALSE_EASTING,
    code::FALSE_NORTHING,
    code::FIRST_ORDINATE_OF_EVALUATION_POINT,
    code::SECOND_ORDINATE_OF_EVALUATION_POINT,
    1026,
    1027,
    1028,
    1029,
    1030,
    1031,
    1032,
    1033,
    1034,
    1035,
];

// The first two forms count southings and westings; the north-orientated ones are their negatives,
// false origin included.
const KROVAK: Method = Method {
    code: 9819,
    parameters: &[
        code::LATITUDE_OF_PROJECTION_CENTRE,
        code::LONGITUDE_OF_ORIGIN,
        code::CO_LATITUDE_OF_CONE_AXIS,
        code::LATITUDE_OF_PSEUDO_STANDARD_PARALLEL,
        code::SCALE_FACTOR_ON_PSEUDO_STANDARD_PARALLEL,
        code::FALSE_EASTING,
        code::FALSE_NORTHING,
    ],
    words: &["Krovak"],
    sense: (-1.0, -1.0),
    build: |given, ellipsoid| Ok(Arc::new(Krovak::new(ellipsoid, &krovak(given)?, None))),
    ..Method::PLAIN
};

const KROVAK_MODIFIED: Method = Method {
    code: 1042,
    parameters: MODIFIED,
    sense: (-1.0, -1.0),
    build: |given, ellipsoid| {
        Ok(Arc::new(Krovak::new(ellipsoid, &krovak(given)?, Some(correction(given)?))))
    },
    ..Method::PLAIN
};

/// The methods of this file.
pub(super) const METHODS: &[Method] = &[
    KROVAK,
    Method { code: 1041, words: &[], sense: (1.0, 1.0), false_sense: -1.0, ..KROVAK },
    KROVAK_MODIFIED,
    Method { code: 1043, sense: (1.0, 1.0), false_sense: -1.0, ..KROVAK_MODIFIED },
];

fn krovak(given: &Parameters) -> Result<KrovakParameters> {
    Ok(KrovakParameters {
        lat_centre: given.degrees(code::LATITUDE_OF_PROJECTION_CENTRE)?,
        lon_origin: given.degrees(code::LONGITUDE_OF_ORIGIN)?,
        axis_colatitude: given.degrees(code::CO_LATITUDE_OF_CONE_AXIS)?,
        parallel: given.degrees(code::LATITUDE_OF_PSEUDO_STANDARD_PARALLEL)?,
        scale: given.ratio(code::SCALE_FACTOR_ON_PSEUDO_STANDARD_PARALLEL)?,
    })
}

fn correction(given: &Parameters) -> Result<Correction> {
    let mut c = [0.0; 10];
    for (value, code) in c.iter_mut().zip(code::COEFFICIENT_C1..) {
        *value = given.ratio(code)?;
    }
    Ok(Correction {
        x: given.metres(code::FIRST_ORDINATE_OF_EVALUATION_POINT)?,
        y: given.metres(code::SECOND_ORDINATE_OF_EVALUATION_POINT)?,
        c,
    })
}

#[derive(Debug)]
pub(crate) struct Krovak {
    ellipsoid: Ellipsoid,
    sphere: GaussSphere,
    lon0: f64,
    /// Sine and cosine of the co-latitude of the cone's axis.
    axis: (f64, f64),
    /// Cone constant n.
    cone: f64,
    /// Radius r₀ of the pseudo standard parallel, metres, and its isometric latitude.
    radius: f64,
    psi_parallel: f64,
    correction: Option<Correction>,
}

/// The evaluation point and the ten coefficients of the modified forms.
#[derive(Debug)]
pub(crate) struct Correction {
    pub(crate) x: f64,
    pub(crate) y: f64,
    pub(crate) c: [f64; 10],
}

/// Degrees and a ratio.
pub(crate) struct KrovakParameters {
    pub(crate) lat_centre: f64,
    pub(crate) lon_origin: f64,
    pub(crate) axis_colatitude: f64,
    pub(crate) parallel: f64,
    pub(crate) scale: f64,
}

impl Krovak {
    pub(crate) fn new(
        ellipsoid: &Ellipsoid,
        given: &KrovakParameters,
        correction: Option<Correction>,
    ) -> Krovak {
        let sphere = GaussSphere::new(ellipsoid, given.lat_centre);
        let (sin, cos) = degrees::sin_cos(given.parallel);
        Krovak {
            ellipsoid: *ellipsoid,
            lon0: given.lon_origin,
            axis: degrees::sin_cos(given.axis_colatitude),
            cone: sin,
            radius: given.scale * sphere.radius * cos / sin,
            psi_parallel: crate::math::elementary::asinh(sin / cos),
            sphere,
            correction,
        }
    }

    /// Southing and westing from the apex.
    #[inline(always)]
    fn cone_plane<T: Real>(&self, at: &LonLat<T>) -> Option<(T, T)> {
        let psi = self.sphere.psi_rise(at)? + self.sphere.sphere_psi0;
        let (sinh, cosh) = psi.sinh_cosh();
        let cos_u = psi.constant(1.0) / cosh;
        let sin_u = sinh * cos_u;
        let (sin_v, cos_v) = (-at.lambda * self.sphere.ratio).sin_cos();
        let (sin_axis, cos_axis) = self.axis;
        let sin_t = sin_u * cos_axis + cos_u * cos_v * sin_axis;
        let across = cos_u * sin_v;
        // cos T sin D and cos T cos D.
        let along = cos_u * cos_v * cos_axis - sin_u * sin_axis;
        let cos_t = across.norm(along);
        let d = across.atan2(along) * self.cone;
        let rise = (sin_t / cos_t).asinh() - self.psi_parallel;
        let r = (-(rise * self.cone)).exp() * self.radius;
        let (sin, cos) = d.sin_cos();
        Some((r * cos, r * sin))
    }
}

impl Correction {
    /// dX and dY, southing and westing, metres.
    #[inline(always)]
    fn shift<T: Real>(&self, x: T, y: T) -> (T, T) {
        let (x, y) = (x - self.x, y - self.y);
        let [c1, c2, c3, c4, c5, c6, c7, c8, c9, c10] = self.c;
        let (x2, y2, xy) = (x.square(), y.square(), x * y);
        let difference = x2 - y2;
        let quartic = x2.square() + y2.square() - x2 * y2 * 6.0;
        let dx = x * c3 - y * c4 - xy * (2.0 * c6) + difference * c5 + x * (x2 - y2 * 3.0) * c7
            - y * (x2 * 3.0 - y2) * c8
            + xy * difference * (4.0 * c9)
            + quartic * c10
            + c1;
        let dy = y * c3
            + x * c4
            + xy * (2.0 * c5)
            + difference * c6
            + x * (x2 - y2 * 3.0) * c8
            + y * (x2 * 3.0 - y2) * c7
            - xy * difference * (4.0 * c10)
            + quartic * c9
            + c2;
        (dx, dy)
    }
}

impl Formula for Krovak {
    fn conformal(&self) -> bool {
        self.correction.is_none()
    }

    fn frame(&self) -> (f64, &Ellipsoid) {
        (self.lon0, &self.ellipsoid)
    }

    #[inline(always)]
    fn plane<T: Real>(&self, at: &LonLat<T>) -> Option<(T, T)> {
        let (mut south, mut west) = self.cone_plane(at)?;
        if let Some(correction) = &self.correction {
            let (dx, dy) = correction.shift(south, west);
            (south, west) = (south - dx, west - dy);
        }
        Some((-west, -south))
    }

    #[inline(always)]
    fn place<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        let (mut south, mut west) = (-n, -e);
        if let Some(correction) = &self.correction {
            let (dx, dy) = correction.shift(south, west);
            (south, west) = (south + dx, west + dy);
        }
        let d = west.atan2(south) / self.cone;
        let ratio = south.norm(west) / self.radius;
        // The logarithm of the ratio.
        let log = ((ratio - ratio.reciprocal()) * 0.5).asinh();
        let psi = -log / self.cone + self.psi_parallel;
        let (sinh, cosh) = psi.sinh_cosh();
        let cos_t = cosh.reciprocal();
        let sin_t = sinh * cos_t;
        let (sin_d, cos_d) = d.sin_cos();
        let (sin_axis, cos_axis) = self.axis;
        let sin_u = sin_t * cos_axis - cos_t * cos_d * sin_axis;
        let along = sin_t * sin_axis + cos_t * cos_d * cos_axis;
        let across = cos_t * sin_d;
        let cos_u = along.norm(across);
        let lambda = -atan2_degrees(across, along) / self.sphere.ratio;
        let lat = self.sphere.latitude_deg((sin_u / cos_u).asinh());
        match self.correction {
            None => Some((lambda, lat)),
            Some(_) => newton(self, e, n, (lambda, lat)),
        }
    }
}
