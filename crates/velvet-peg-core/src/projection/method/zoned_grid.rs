//! Transverse Mercator Zoned Grid System, EPSG method 9824: one system for all zones, the
//! zone's number standing before the easting as millions of metres.
//!
//! Source: EPSG Guidance Note 7-2, section 3.2.4.

use super::Method;
use super::transverse_mercator::TransverseMercator;
use crate::ellipsoid::Ellipsoid;
use crate::error::{Error, Result};
use crate::math::degrees;
use crate::position::Geographic;
use crate::projection::kernel::Factors;
use crate::projection::kernel::Kernel;
use crate::projection::parameter_code as code;
use std::sync::Arc;

/// The methods of this file.
pub(super) const METHODS: &[Method] = &[Method {
    code: 9824,
    parameters: &[
        code::LATITUDE_OF_NATURAL_ORIGIN,
        code::INITIAL_LONGITUDE,
        code::ZONE_WIDTH,
        code::SCALE_FACTOR_AT_NATURAL_ORIGIN,
        code::FALSE_EASTING,
        code::FALSE_NORTHING,
    ],
    build: |given, ellipsoid| {
        Ok(Arc::new(ZonedGrid::new(
            ellipsoid,
            given.degrees(code::LATITUDE_OF_NATURAL_ORIGIN)?,
            (given.degrees(code::INITIAL_LONGITUDE)?, given.degrees(code::ZONE_WIDTH)?),
            given.ratio(code::SCALE_FACTOR_AT_NATURAL_ORIGIN)?,
            given.metres(code::FALSE_EASTING)?,
        )?))
    },
    ..Method::PLAIN
}];

const ZONE_STEP_M: f64 = 1_000_000.0;

#[derive(Debug)]
pub(crate) struct ZonedGrid {
    /// The projection of any zone, reckoned from its own central meridian.
    zone: TransverseMercator,
    initial_lon: f64,
    width: f64,
    false_easting_m: f64,
}

impl ZonedGrid {
    /// Western limit of zone 1 and width of a zone, degrees.
    pub(crate) fn new(
        ellipsoid: &Ellipsoid,
        lat0: f64,
        (initial_lon, width): (f64, f64),
        scale: f64,
        false_easting_m: f64,
    ) -> Result<ZonedGrid> {
        if !(width > 0.0 && width <= 60.0) {
            return Err(Error::out_of_domain(format!("a zone cannot be {width}° wide")));
        }
        let zone = TransverseMercator::new(ellipsoid, lat0, 0.0, scale);
        Ok(ZonedGrid { zone, initial_lon, width, false_easting_m })
    }

    fn number(&self, lon: f64) -> f64 {
        let zones = (360.0 / self.width).floor();
        ((lon - self.initial_lon) / self.width).floor().rem_euclid(zones) + 1.0
    }

    fn meridian(&self, number: f64) -> f64 {
        self.initial_lon + number * self.width - self.width / 2.0
    }
}

impl Kernel for ZonedGrid {
    fn forward(&self, at: Geographic) -> Option<(f64, f64)> {
        let Geographic { lon, lat } = at;
        let number = self.number(lon);
        let (e, n) = self
            .zone
            .forward(Geographic { lat, lon: degrees::wrap(lon - self.meridian(number)) })?;
        Some((e + number * ZONE_STEP_M, n))
    }

    fn inverse(&self, e: f64, n: f64) -> Option<Geographic> {
        let number = ((e + self.false_easting_m) / ZONE_STEP_M).floor();
        if !(number >= 1.0 && number <= (360.0 / self.width).floor()) {
            return None;
        }
        let found = self.zone.inverse(e - number * ZONE_STEP_M, n)?;
        Some(Geographic { lon: degrees::wrap(found.lon + self.meridian(number)), lat: found.lat })
    }

    fn factors(&self, at: Geographic) -> Option<Factors> {
        let Geographic { lon, lat } = at;
        let lon = degrees::wrap(lon - self.meridian(self.number(lon)));
        self.zone.factors(Geographic { lat, lon })
    }

    fn is_conformal(&self) -> bool {
        true
    }
}
