//! Geographic and geocentric coordinates, EPSG method 9602.
//!
//! Sources: forward, EPSG Guidance Note 7-2 section 4.1.1; backward, Bowring (1985), "The
//! accuracy of geodetic latitude and height equations", Survey Review 28, iterated on the
//! tangent of the reduced latitude until it stands, with his height formula that holds at
//! all latitudes.

use crate::ellipsoid::Ellipsoid;
use crate::math::degrees;
use crate::math::elementary::{norm, unit};
use crate::position::Geographic;

/// Geocentric X, Y, Z in metres of a position and its ellipsoidal height in metres.
///
/// ```
/// use velvet_peg_core::{geocentric, Ellipsoid, Geographic};
/// let wgs84 = Ellipsoid::from_epsg(7030)?;
/// let [x, y, z] = geocentric::from_geographic(&wgs84, Geographic { lat: 0.0, lon: 0.0 }, 10.0);
/// assert_eq!([x, y, z], [6378147.0, 0.0, 0.0]);
/// # Ok::<(), velvet_peg_core::Error>(())
/// ```
pub fn from_geographic(ellipsoid: &Ellipsoid, at: Geographic, h_m: f64) -> [f64; 3] {
    let e2 = ellipsoid.eccentricity_squared();
    let (sin_lat, cos_lat) = degrees::sin_cos(at.lat);
    let (sin_lon, cos_lon) = degrees::sin_cos(at.lon);
    let nu = ellipsoid.semi_major_m() / (1.0 - e2 * sin_lat * sin_lat).sqrt();
    [
        (nu + h_m) * cos_lat * cos_lon,
        (nu + h_m) * cos_lat * sin_lon,
        ((1.0 - e2) * nu + h_m) * sin_lat,
    ]
}

/// Position and ellipsoidal height (metres) of geocentric X, Y, Z in
/// metres. Good to a nanometre from 6000 km inside the surface to any height outside.
///
/// ```
/// use velvet_peg_core::{geocentric, Ellipsoid, Geographic};
/// let wgs84 = Ellipsoid::from_epsg(7030)?;
/// let (at, h) = geocentric::to_geographic(&wgs84, [0.0, 6378147.0, 0.0]);
/// assert_eq!((at, h), (Geographic { lat: 0.0, lon: 90.0 }, 10.0));
/// # Ok::<(), velvet_peg_core::Error>(())
/// ```
pub fn to_geographic(ellipsoid: &Ellipsoid, [x, y, z]: [f64; 3]) -> (Geographic, f64) {
    let (a, b) = (ellipsoid.semi_major_m(), ellipsoid.semi_minor_m());
    let e2 = ellipsoid.eccentricity_squared();
    let ep2 = e2 / (1.0 - e2);
    let p = norm(x, y);
    let r = norm(p, z);
    let lon = if p == 0.0 { 0.0 } else { degrees::atan2(y, x) };
    // First guess of tan β (Bowring eq. 17), kept as a direction so that poles are ordinary.
    let (mut sin, mut cos) = unit(b * z * (1.0 + ep2 * b / r), a * p);
    let mut direction = (0.0, 1.0);
    for _ in 0..8 {
        let next = unit(z + ep2 * b * sin * sin * sin, p - e2 * a * cos * cos * cos);
        let change = (next.0 - direction.0).abs() + (next.1 - direction.1).abs();
        direction = next;
        (sin, cos) = unit((1.0 - ellipsoid.flattening()) * next.0, next.1);
        if change < 1e-16 {
            break;
        }
    }
    let (sin_lat, cos_lat) = direction;
    let h = p * cos_lat + z * sin_lat - a * (1.0 - e2 * sin_lat * sin_lat).sqrt();
    (Geographic { lat: degrees::atan2(sin_lat, cos_lat), lon }, h)
}
