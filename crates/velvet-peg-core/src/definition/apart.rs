//! How far the same coordinates lie apart in two systems: what a difference between their
//! definitions comes to on the ground.

use crate::converter::Converter;
use crate::crs::Crs;
use crate::position::Coordinate;

/// The farthest that the same coordinates lie apart in two systems, metres, at places of the area of
/// use of the first, as latitude and longitude from Greenwich; none where they cannot be compared. A
/// change of datum between them is not looked at.
pub(super) fn apart_m(known: &Crs, read: &Crs) -> Option<f64> {
    apart_up_to(known, read, f64::INFINITY)
}

/// As [`apart_m`], but what is farther apart than a limit is not looked at to its end.
pub(super) fn apart_up_to(known: &Crs, read: &Crs, limit_m: f64) -> Option<f64> {
    let (home, other) = (known.in_degrees()?, read.in_degrees()?);
    let to_plane = Converter::new(&home, known).ok()?;
    let to_degrees = Converter::new(read, &other).ok()?;
    let meridian = home.datum()?.prime_meridian().longitude_deg;
    let bounds = *known.extent().boxes().first()?;
    let wide = if bounds.east < bounds.west { 360.0 } else { 0.0 };
    let radius = known.ellipsoid()?.semi_major_m();
    let mut farthest: Option<f64> = None;
    for i in 1..6 {
        for j in 1..6 {
            let share = |n: i32| f64::from(n) / 6.0;
            let lon = bounds.west + (bounds.east + wide - bounds.west) * share(i);
            let lat = bounds.south + (bounds.north - bounds.south) * share(j);
            let place = Coordinate::xy(crate::math::degrees::wrap(lon - meridian), lat);
            let Ok(plane) = to_plane.convert(place) else { continue };
            let Ok(back) = to_degrees.convert(plane) else { continue };
            let back = other.from_greenwich(back);
            let east = crate::math::degrees::wrap(back.lon - lon) * lat.to_radians().cos();
            let metres = (back.lat - lat).hypot(east).to_radians() * radius;
            farthest = Some(farthest.unwrap_or(0.0).max(metres));
            if metres > limit_m {
                return farthest;
            }
        }
    }
    farthest
}
