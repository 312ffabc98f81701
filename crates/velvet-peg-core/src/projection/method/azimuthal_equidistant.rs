//! Azimuthal Equidistant, EPSG method 1125: true distance and azimuth from the origin along
//! the geodesic.
//!
//! Source: Snyder (1987) p. 197, with the geodesic of this library; scale across the line is
//! the distance over the reduced length (Karney (2013) section 6).

use super::Method;
use crate::ellipsoid::Ellipsoid;
use crate::geodesic::Geodesic;
use crate::math::degrees;
use crate::position::Geographic;
use crate::projection::kernel::Factors;
use crate::projection::kernel::Kernel;
use crate::projection::parameter_code as code;
use std::sync::Arc;

/// The methods of this file.
pub(super) const METHODS: &[Method] = &[Method {
    code: 1125,
    parameters: code::ORIGIN,
    words: &["Azimuthal_Equidistant"],
    build: |given, ellipsoid| {
        Ok(Arc::new(AzimuthalEquidistant::new(
            ellipsoid,
            given.degrees(code::LATITUDE_OF_NATURAL_ORIGIN)?,
            given.degrees(code::LONGITUDE_OF_NATURAL_ORIGIN)?,
        )))
    },
    ..Method::PLAIN
}];

#[derive(Debug)]
pub(crate) struct AzimuthalEquidistant {
    geodesic: Geodesic,
    origin: Geographic,
}

impl AzimuthalEquidistant {
    pub(crate) fn new(ellipsoid: &Ellipsoid, lat0: f64, lon0: f64) -> AzimuthalEquidistant {
        AzimuthalEquidistant {
            geodesic: Geodesic::new(ellipsoid),
            origin: Geographic { lat: lat0, lon: lon0 },
        }
    }
}

impl Kernel for AzimuthalEquidistant {
    fn forward(&self, at: Geographic) -> Option<(f64, f64)> {
        let course = self.geodesic.inverse(self.origin, at);
        let (sin, cos) = degrees::sin_cos(course.azimuth_from_deg);
        Some((course.distance_m * sin, course.distance_m * cos))
    }

    fn inverse(&self, e: f64, n: f64) -> Option<Geographic> {
        let distance = crate::math::elementary::norm(e, n);
        // Beyond half the girth a position would come back with another distance.
        if !(distance <= std::f64::consts::PI * self.geodesic.ellipsoid().semi_major_m()) {
            return None;
        }
        let azimuth = degrees::atan2(e, n);
        let (to, azimuth_to) = self.geodesic.direct(self.origin, azimuth, distance);
        // What rounding along thousands of kilometres has left is taken back once, so that there
        // and back closes: the miss along and across the line, turned to north and east.
        let (x, y) = self.forward(to)?;
        let (dx, dy) = (e - x, n - y);
        let (sin, cos) = degrees::sin_cos(azimuth_to - azimuth);
        let (east, north) = (dx * cos + dy * sin, dy * cos - dx * sin);
        let radius = self.geodesic.ellipsoid().semi_major_m();
        let across = degrees::sin_cos(to.lat).1;
        if !(dx.hypot(dy) < 1e-6 && across > 1e-6) {
            return Some(to);
        }
        Some(Geographic {
            lon: degrees::wrap(to.lon + (east / radius / across).to_degrees()),
            lat: (to.lat + (north / radius).to_degrees()).clamp(-90.0, 90.0),
        })
    }

    fn factors(&self, at: Geographic) -> Option<Factors> {
        let line = self.geodesic.solve(self.origin, at);
        let middle = (self.origin.lat + at.lat) / 2.0;
        let stretch = match line.distance_m < 1e-3 {
            true => 1.0,
            false => line.distance_m / self.geodesic.reduced_length_m(&line, middle),
        };
        // A step north goes cos α₂ along the line and −sin α₂ across it; east the other way.
        let (sin1, cos1) = degrees::sin_cos(line.azimuth_from_deg);
        let (sin2, cos2) = degrees::sin_cos(line.azimuth_to_deg);
        let image = |along: f64, across: f64| {
            (along * sin1 + stretch * across * cos1, along * cos1 - stretch * across * sin1)
        };
        let (north, east) = (image(cos2, -sin2), image(sin2, cos2));
        Some(Factors {
            meridian_scale: north.0.hypot(north.1),
            parallel_scale: east.0.hypot(east.1),
            convergence_deg: -degrees::atan2(north.0, north.1),
        })
    }

    fn is_conformal(&self) -> bool {
        false
    }
}
