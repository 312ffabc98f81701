//! Geographic and geocentric coordinates, EPSG method 9602.
//!
//! Sources: forward, EPSG Guidance Note 7-2 section 4.1.1; backward, Bowring (1985), "The
//! accuracy of geodetic latitude and height equations", Survey Review 28, iterated on the
//! tangent of the reduced latitude until it stands, with his height formula that holds at
//! all latitudes.

use crate::ellipsoid::Ellipsoid;
use crate::math::degrees;
use crate::math::elementary::{norm, unit};
use crate::math::functions::{atan2_degrees, atan2_forward_degrees, sin_cos_degrees};
use crate::math::number::Number;
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
    in_space(ellipsoid, [degrees::wrap(at.lon), degrees::wrap(at.lat), h_m])
}

/// The same of longitude, latitude (degrees, of up to some turns) and height.
#[inline(always)]
pub(crate) fn in_space<N: Number>(ellipsoid: &Ellipsoid, [lon, lat, h]: [N; 3]) -> [N; 3] {
    let e2 = ellipsoid.eccentricity_squared();
    let (sin_lat, cos_lat) = sin_cos_degrees(lat);
    let (sin_lon, cos_lon) = sin_cos_degrees(lon);
    let nu = lat.like(ellipsoid.semi_major_m()) / (-(sin_lat * sin_lat * e2) + 1.0).sqrt();
    let across = (nu + h) * cos_lat;
    [across * cos_lon, across * sin_lon, (nu * (1.0 - e2) + h) * sin_lat]
}

/// How far from the ellipsoid [`near_surface`] serves, metres, and from its axis.
const NEAR: (f64, f64, f64) = (-100_000.0, 1_000_000.0, 1.0);

/// Longitude, latitude (degrees) and height near the surface, by two rounds of Bowring's iteration; none
/// if any place lies elsewhere.
#[inline(always)]
pub(crate) fn near_surface<N: Number>(ellipsoid: &Ellipsoid, [x, y, z]: [N; 3]) -> Option<[N; 3]> {
    let (a, b) = (ellipsoid.semi_major_m(), ellipsoid.semi_minor_m());
    let e2 = ellipsoid.eccentricity_squared();
    let ep2 = e2 / (1.0 - e2);
    let p2 = x * x + y * y;
    let r2 = p2 + z * z;
    let (low, high, axis) = (b + NEAR.0, a + NEAR.1, NEAR.2);
    let is_low = r2.greatest() < high * high;
    let is_high = (-r2).greatest() < -low * low;
    let is_off_axis = (-p2).greatest() < -axis * axis;
    if e2 > 0.009 || !(is_low && is_high && is_off_axis) {
        return None;
    }
    let p = p2.sqrt();
    // tan β of a place on the surface, as a direction.
    let (mut sin, mut cos) = (z * a, p * b);
    let (mut up, mut out) = (z, p);
    for _ in 0..2 {
        let scale = (sin * sin + cos * cos).sqrt().reciprocal();
        (sin, cos) = (sin * scale, cos * scale);
        (up, out) = (z + sin * sin * sin * (ep2 * b), p - cos * cos * cos * (e2 * a));
        (sin, cos) = (up * (b / a), out);
    }
    let scale = (up * up + out * out).sqrt().reciprocal();
    let (sin, cos) = (up * scale, out * scale);
    let h = p * cos + z * sin - (-(sin * sin * e2) + 1.0).sqrt() * a;
    Some([atan2_degrees(y, x), atan2_forward_degrees(up, out), h])
}

/// Position and ellipsoidal height (metres) of geocentric X, Y, Z in
/// metres. Good to 2.5 nanometres from 100 km below the surface to 1000 km above it, most of which is the
/// rounding of degrees; farther out to the same share of the distance from the centre.
///
/// ```
/// use velvet_peg_core::{geocentric, Ellipsoid, Geographic};
/// let wgs84 = Ellipsoid::from_epsg(7030)?;
/// let (at, h) = geocentric::to_geographic(&wgs84, [0.0, 6378147.0, 0.0]);
/// assert_eq!((at, h), (Geographic { lat: 0.0, lon: 90.0 }, 10.0));
/// # Ok::<(), velvet_peg_core::Error>(())
/// ```
pub fn to_geographic(ellipsoid: &Ellipsoid, [x, y, z]: [f64; 3]) -> (Geographic, f64) {
    if let Some([lon, lat, h]) = near_surface(ellipsoid, [x, y, z]) {
        return (Geographic { lat, lon }, h);
    }
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
