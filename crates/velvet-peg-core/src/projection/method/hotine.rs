//! Hotine Oblique Mercator, EPSG methods 9812 (variant A, false origin at the natural origin)
//! and 9815 (variant B, false origin at the projection centre).
//!
//! Source: Hotine (1946), "The orthomorphic projection of the spheroid", Empire Survey
//! Review 8; EPSG Guidance Note 7-2, section 3.2.4. Rearranged: the aposphere is the Gauss
//! sphere of the centre ([`GaussSphere`]), on which the initial line is the great circle
//! through the centre at the azimuth given. Coordinates along and across that line come
//! straight from the direction in the centre's frame, so nothing is subtracted from the
//! large distance to the natural origin; variant A adds it.

use super::Method;
use crate::auxiliary::{Direction, GaussSphere};
use crate::ellipsoid::Ellipsoid;
use crate::error::{Error, Result};
use crate::math::LonLat;
use crate::math::Real;
use crate::math::degrees;
use crate::math::number::Number;
use crate::projection::Parameters;
use crate::projection::kernel::Formula;
use crate::projection::parameter_code as code;
use std::sync::Arc;

/// The methods of this file.
pub(super) const METHODS: &[Method] = &[
    Method {
        code: 9812,
        parameters: &[
            code::LATITUDE_OF_PROJECTION_CENTRE,
            code::LONGITUDE_OF_PROJECTION_CENTRE,
            code::AZIMUTH_AT_PROJECTION_CENTRE,
            code::ANGLE_FROM_RECTIFIED_TO_SKEW_GRID,
            code::SCALE_FACTOR_AT_PROJECTION_CENTRE,
            code::FALSE_EASTING,
            code::FALSE_NORTHING,
        ],
        words: &[
            "Hotine_Oblique_Mercator",
            "Hotine_Oblique_Mercator_Azimuth_Natural_Origin",
            "Rectified_Skew_Orthomorphic_Natural_Origin",
        ],
        build: |given, ellipsoid| {
            Ok(Arc::new(Hotine::from_natural_origin(ellipsoid, &hotine(given)?)?))
        },
        ..Method::PLAIN
    },
    Method {
        code: 9815,
        parameters: &[
            code::LATITUDE_OF_PROJECTION_CENTRE,
            code::LONGITUDE_OF_PROJECTION_CENTRE,
            code::AZIMUTH_AT_PROJECTION_CENTRE,
            code::ANGLE_FROM_RECTIFIED_TO_SKEW_GRID,
            code::SCALE_FACTOR_AT_PROJECTION_CENTRE,
            code::EASTING_AT_PROJECTION_CENTRE,
            code::NORTHING_AT_PROJECTION_CENTRE,
        ],
        words: &[
            "Oblique_Mercator",
            "Hotine_Oblique_Mercator_Azimuth_Center",
            "Rectified_Skew_Orthomorphic_Center",
            "Swiss_Oblique_Cylindrical",
            "Swiss_Oblique_Mercator",
        ],
        false_origin: code::CENTRE,
        build: |given, ellipsoid| Ok(Arc::new(Hotine::from_centre(ellipsoid, &hotine(given)?)?)),
        ..Method::PLAIN
    },
];

fn hotine(given: &Parameters) -> Result<HotineParameters> {
    Ok(HotineParameters {
        lat_centre: given.degrees(code::LATITUDE_OF_PROJECTION_CENTRE)?,
        lon_centre: given.degrees(code::LONGITUDE_OF_PROJECTION_CENTRE)?,
        azimuth: given.degrees(code::AZIMUTH_AT_PROJECTION_CENTRE)?,
        skew: given.degrees(code::ANGLE_FROM_RECTIFIED_TO_SKEW_GRID)?,
        scale: given.ratio(code::SCALE_FACTOR_AT_PROJECTION_CENTRE)?,
    })
}

#[derive(Debug)]
pub(crate) struct Hotine {
    ellipsoid: Ellipsoid,
    sphere: GaussSphere,
    lon_centre: f64,
    /// Radius of the sphere times the scale factor, metres.
    radius: f64,
    /// Sine and cosine of the azimuth of the initial line at the centre.
    azimuth: (f64, f64),
    /// Sine and cosine of the angle from the rectified to the skew grid.
    skew: (f64, f64),
    /// Distance along the initial line from the natural origin to the centre, metres.
    from_natural_origin: f64,
}

/// The five parameters that both variants share: degrees and a ratio.
pub(crate) struct HotineParameters {
    pub(crate) lat_centre: f64,
    pub(crate) lon_centre: f64,
    pub(crate) azimuth: f64,
    pub(crate) skew: f64,
    pub(crate) scale: f64,
}

impl Hotine {
    /// Coordinates from the projection centre (variant B).
    pub(crate) fn from_centre(ellipsoid: &Ellipsoid, given: &HotineParameters) -> Result<Hotine> {
        if !(given.lat_centre.abs() < 90.0) {
            return Err(Error::out_of_domain(
                "an oblique Mercator projection has its centre away from the poles",
            ));
        }
        let sphere = GaussSphere::new(ellipsoid, given.lat_centre);
        Ok(Hotine {
            ellipsoid: *ellipsoid,
            lon_centre: given.lon_centre,
            radius: sphere.radius * given.scale,
            sphere,
            azimuth: degrees::sin_cos(given.azimuth),
            skew: degrees::sin_cos(given.skew),
            from_natural_origin: 0.0,
        })
    }

    /// Coordinates from the natural origin, where the initial line crosses the equator of the
    /// sphere (variant A).
    pub(crate) fn from_natural_origin(
        ellipsoid: &Ellipsoid,
        given: &HotineParameters,
    ) -> Result<Hotine> {
        let mut built = Hotine::from_centre(ellipsoid, given)?;
        let (sin_chi, cos_chi) = built.sphere.chi0;
        let arc = sin_chi.atan2(cos_chi * built.azimuth.1);
        built.from_natural_origin = built.radius * arc;
        Ok(built)
    }
}

impl Formula for Hotine {
    fn conformal(&self) -> bool {
        true
    }

    fn frame(&self) -> (f64, &Ellipsoid) {
        (self.lon_centre, &self.ellipsoid)
    }

    #[inline(always)]
    fn plane<T: Real>(&self, at: &LonLat<T>) -> Option<(T, T)> {
        let to = self.sphere.direction(at)?;
        let (sin, cos) = self.azimuth;
        let along = to.north * cos + to.east * sin;
        let across = to.east * cos - to.north * sin;
        if !across.magnitude().below(1.0 - 1e-12)? {
            return None;
        }
        let u = along.atan2(to.up) * self.radius + self.from_natural_origin;
        let v = across.atanh() * self.radius;
        let (sin, cos) = self.skew;
        Some((v * cos + u * sin, u * cos - v * sin))
    }

    #[inline(always)]
    fn place<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        let (sin, cos) = self.skew;
        let u = (n * cos + e * sin - self.from_natural_origin) / self.radius;
        let v = (e * cos - n * sin) / self.radius;
        // Of more the direction is not told from a pole of the line.
        if !(v.within(40.0) && u.within(40.0)) {
            return None;
        }
        let (sin_u, up) = u.sin_cos();
        let across = v.sinh_cosh().0;
        let (sin, cos) = self.azimuth;
        let east = sin_u * sin + across * cos;
        let north = sin_u * cos - across * sin;
        Some(self.sphere.place(&Direction { east, north, up }))
    }
}
