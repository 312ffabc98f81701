//! Positions in degrees from Greenwich, whatever system they are given in.

use velvet_peg_core::{Coordinate, Crs, Geographic};

/// The geographic system of the same datum in degrees, for telling where a coordinate falls.
/// Longitudes are from the datum's own meridian.
pub(crate) fn home_system(crs: &Crs) -> Option<Crs> {
    let mut at = crs.clone();
    while !at.is_geographic() {
        at = at.base()?;
    }
    if at.degrees_per_unit() == Some(1.0) {
        return Some(at);
    }
    Crs::geographic(&format!("{}, in degrees", at.name()), at.datum()?.clone()).ok()
}

/// A place in a home system with its longitude from Greenwich, as areas of use have it.
pub(crate) fn from_greenwich(home: &Crs, at: Coordinate) -> Geographic {
    let meridian = home.datum().map_or(0.0, |datum| datum.prime_meridian().longitude_deg);
    Geographic { lat: at.y, lon: at.x + meridian }
}
