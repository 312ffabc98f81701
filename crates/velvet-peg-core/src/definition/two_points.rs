//! Hotine Oblique Mercator by two points on its central line, which no EPSG method has: turned into the
//! form by a centre and an azimuth, which is the same projection.
//!
//! Source: Snyder (1987) eq. 9-11 to 9-24.

use super::names::squeezed;
use super::node::Node;
use crate::ellipsoid::Ellipsoid;
use crate::projection::Parameters;

/// Hotine Oblique Mercator with coordinates from the natural origin, and from the centre.
const FROM_ORIGIN: u32 = 9812;
const FROM_CENTRE: u32 = 9815;

/// True if a method of this name is given by two points.
pub(super) fn is_meant(name: &str) -> bool {
    let name = squeezed(name);
    name.starts_with("hotineobliquemercatortwopoint")
}

/// Method and parameters by centre and azimuth; none if a parameter is missing or the two points make no
/// line. Angles are in units of so many degrees, lengths of so many metres.
pub(super) fn by_azimuth(
    name: &str,
    given: &[&Node],
    (degrees, metres): (f64, f64),
    ellipsoid: &Ellipsoid,
) -> Option<(u32, Parameters)> {
    let value = |names: &[&str]| {
        given.iter().find(|node| names.contains(&squeezed(node.name()).as_str()))?.number(0)
    };
    let angle = |names: &[&str]| value(names).map(|value| (value * degrees).to_radians());
    let first = (
        angle(&["latitudeof1stpoint", "latitudeofpoint1"])?,
        angle(&["longitudeof1stpoint", "longitudeofpoint1"])?,
    );
    let second = (
        angle(&["latitudeof2ndpoint", "latitudeofpoint2"])?,
        angle(&["longitudeof2ndpoint", "longitudeofpoint2"])?,
    );
    let lat = angle(&["latitudeofcenter", "latitudeofcentre", "latitudeoforigin"])?;
    let scale = value(&["scalefactor"]).unwrap_or(1.0);
    let length = |name: &str| value(&[name]).unwrap_or(0.0) * metres;

    let e2 = ellipsoid.eccentricity_squared();
    let e = e2.sqrt();
    let (sin0, cos0) = lat.sin_cos();
    let b = (1.0 + e2 * cos0.powi(4) / (1.0 - e2)).sqrt();
    // −ln t, the isometric latitude.
    let isometric = |lat: f64| lat.sin().atanh() - e * (e * lat.sin()).atanh();
    let d = b * (1.0 - e2).sqrt() / (cos0 * (1.0 - e2 * sin0 * sin0).sqrt());
    let root = (d * d - 1.0).max(0.0).sqrt().copysign(lat);
    // ln E, ln H and ln L.
    let ln_e = (d + root).ln() - b * isometric(lat);
    let (ln_h, ln_l) = (-b * isometric(first.0), -b * isometric(second.0));
    let j = (ln_e - (ln_h + ln_l) / 2.0).tanh();
    let p = ((ln_l - ln_h) / 2.0).tanh();
    let turn = crate::math::degrees::wrap((first.1 - second.1).to_degrees()).to_radians();
    if p == 0.0 || !(p * j).is_finite() || turn == 0.0 {
        return None;
    }
    let middle = first.1 - turn / 2.0;
    let lon0 = middle - (j * (b * turn / 2.0).tan() / p).atan() / b;
    let g = (ln_e - ln_h).sinh();
    let skew = ((b * crate::math::degrees::wrap((first.1 - lon0).to_degrees()).to_radians()).sin()
        / g)
        .atan();
    let azimuth = (d * skew.sin()).asin();
    let at_centre = (d + root).ln().sinh();
    let lon = lon0 + (at_centre * skew.tan()).asin() / b;
    if !(azimuth.is_finite() && lon.is_finite()) {
        return None;
    }
    let (method, origin) = match squeezed(name).ends_with("naturalorigin") {
        true => (FROM_ORIGIN, (8806, 8807)),
        false => (FROM_CENTRE, (8816, 8817)),
    };
    let parameters = Parameters::new()
        .angle(8811, lat.to_degrees())
        .angle(8812, crate::math::degrees::wrap(lon.to_degrees()))
        .angle(8813, azimuth.to_degrees())
        .angle(8814, azimuth.to_degrees())
        .scale(8815, scale)
        .length(origin.0, length("falseeasting"))
        .length(origin.1, length("falsenorthing"));
    Some((method, parameters))
}
