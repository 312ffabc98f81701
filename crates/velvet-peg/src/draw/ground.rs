//! Where on the Earth the coordinates of a map's system lie, and back.
//!
//! Backdrop, graticule, scale and north are taken from the geographic system under the map's own:
//! what differs between datums is far below a pixel of outlines that are good to kilometres.

use velvet_peg_core::{Converter, Coordinate, Crs, Geodesic, Geographic};

/// A system with the ways to degrees and back.
#[derive(Clone, Debug)]
pub(super) struct Ground {
    home: Crs,
    to_home: Converter,
    from_home: Converter,
    /// Longitude of the system's prime meridian.
    meridian: f64,
    geodesic: Geodesic,
    /// Longitude around which a projected system is drawn: on the other side of the Earth is where
    /// its map is cut.
    central: Option<f64>,
    /// Degrees in a unit, for geographic systems.
    pub(super) degrees: Option<f64>,
}

impl Ground {
    /// None for systems that have no place on the Earth.
    pub(super) fn of(crs: &Crs) -> Option<Ground> {
        let home = crs.in_degrees()?;
        let meridian = home.from_greenwich(Coordinate::xy(0.0, 0.0)).lon;
        Some(Ground {
            central: central(crs).map(|lon| within(lon + meridian, 0.0)),
            to_home: Converter::new(crs, &home).ok()?,
            from_home: Converter::new(&home, crs).ok()?,
            meridian,
            geodesic: Geodesic::new(crs.ellipsoid()?),
            degrees: crs.degrees_per_unit().filter(|_| crs.is_geographic()),
            home,
        })
    }

    /// The place of a coordinate, degrees from Greenwich.
    pub(super) fn place(&self, x: f64, y: f64) -> Option<Geographic> {
        // Longitudes beyond 180° go on where a map shows both sides of it.
        let x = match self.degrees {
            Some(degrees) => x - (x * degrees / 360.0).round() * 360.0 / degrees,
            None => x,
        };
        let at = self.to_home.convert(Coordinate::xy(x, y)).ok()?;
        let at = self.home.from_greenwich(at);
        Some(Geographic { lon: within(at.lon, 0.0), lat: at.lat })
    }

    /// The coordinate of a place; in a geographic system the one that is nearest to `middle`.
    pub(super) fn coordinate(&self, at: Geographic, middle: f64) -> Option<(f64, f64)> {
        let lon = within(at.lon - self.meridian, 0.0);
        let to = self.from_home.convert(Coordinate::xy(lon, at.lat)).ok()?;
        match self.degrees {
            Some(degrees) => {
                let x = within(to.x * degrees, middle * degrees) / degrees;
                Some((x, to.y))
            }
            None => (to.x.is_finite() && to.y.is_finite()).then_some((to.x, to.y)),
        }
    }

    /// The longitude around which a map is drawn whose middle is at `x`: that of a projected system's
    /// own, and the middle's in a geographic one, beyond 180° where the map goes on there.
    pub(super) fn anchor(&self, x: f64) -> Option<f64> {
        match self.degrees {
            Some(degrees) => Some(x * degrees + self.meridian),
            None => self.central,
        }
    }

    /// Metres on the ground between two places.
    pub(super) fn metres(&self, from: Geographic, to: Geographic) -> f64 {
        self.geodesic.inverse(from, to).distance_m
    }
}

/// EPSG codes of the longitudes that projections are drawn around: of the natural origin, of the
/// false origin, of the centre, of the origin of a polar one.
const CENTRAL: [u32; 4] = [8802, 8822, 8812, 8833];

fn central(crs: &Crs) -> Option<f64> {
    let parameters = &crs.conversion()?.parameters;
    let of = |code| parameters.iter().find(|parameter| parameter.code == code)?.value();
    CENTRAL.into_iter().find_map(of)
}

/// A longitude within half a circle of another.
pub(super) fn within(lon: f64, of: f64) -> f64 {
    lon - ((lon - of) / 360.0).round() * 360.0
}
