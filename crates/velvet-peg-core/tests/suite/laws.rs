//! Laws that hold for all inputs.

use crate::support::unwrapped;
use proptest::prelude::*;
use velvet_peg_core::{Converter, Coordinate, Crs, Ellipsoid, Geodesic, Geographic, planar};

fn converter(from: u32, to: u32) -> Converter {
    Converter::new(&Crs::from_epsg(from).unwrap(), &Crs::from_epsg(to).unwrap()).unwrap()
}

fn wgs84() -> Geodesic {
    Geodesic::new(&Ellipsoid::from_epsg(7030).unwrap())
}

fn place() -> impl Strategy<Value = Geographic> {
    (-90.0..=90.0f64, -180.0..=180.0f64).prop_map(|(lat, lon)| Geographic { lat, lon })
}

/// Systems with what they are used for: UTM at its edge and beyond, state plane in feet, a
/// conic with one parallel.
const GRIDS: [(u32, u32, f64, f64); 4] = [
    (4326, 32610, 45.0, -123.0),
    (4269, 2286, 46.0, -120.5),
    (4242, 24200, 18.0, -77.0),
    (4326, 32733, -20.0, 15.0),
];

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, cases: 1000, ..ProptestConfig::default() })]

    #[test]
    fn there_and_back_again(grid in 0usize..4, north in -15.0..15.0f64, east in -15.0..15.0f64) {
        let (base, code, lat, lon) = GRIDS[grid];
        let (there, back) = (converter(base, code), converter(code, base));
        let at = Coordinate::xy(lon + east, lat + north);
        let found = back.convert(there.convert(at).unwrap()).unwrap();
        prop_assert!((found.y - at.y).to_radians().abs() < 1e-14, "{:?} {:?}", at, found);
        prop_assert!((found.x - at.x).to_radians().abs() < 1e-14, "{:?} {:?}", at, found);
    }

    #[test]
    fn projections_keep_angles_and_know_their_scale(grid in 0usize..4, north in -5.0..5.0f64, east in -5.0..5.0f64) {
        // A small step north and east: the images are at right angles, stretched by the scale
        // factor and turned by the convergence.
        let (base, code, lat, lon) = GRIDS[grid];
        let crs = Crs::from_epsg(code).unwrap();
        let projection = crs.projection().unwrap();
        let geodesic = Geodesic::new(Crs::from_epsg(base).unwrap().ellipsoid().unwrap());
        let at = Geographic { lat: lat + north, lon: lon + east };
        let factors = projection.factors(at).unwrap();
        let step = 10.0;
        for azimuth in [0.0, 90.0] {
            let (a, _) = geodesic.direct(at, azimuth, -step);
            let (b, _) = geodesic.direct(at, azimuth, step);
            let (a, b) = (projection.forward(a).unwrap(), projection.forward(b).unwrap());
            let (dx, dy) = (b.0 - a.0, b.1 - a.1);
            let scale = dx.hypot(dy) / (2.0 * step);
            prop_assert!((scale / factors.meridian_scale - 1.0).abs() < 1e-8);
            let bearing = dx.atan2(dy).to_degrees();
            prop_assert!(unwrapped(bearing - (azimuth - factors.convergence_deg)).abs() < 1e-6);
        }
    }

    #[test]
    fn geodesics_close_and_never_fail(from in place(), to in place()) {
        let geodesic = wgs84();
        let course = geodesic.inverse(from, to);
        prop_assert!(course.distance_m >= 0.0 && course.distance_m < 20_003_932.0, "{:?}", course);
        let (end, azimuth) = geodesic.direct(from, course.azimuth_from_deg, course.distance_m);
        let miss = geodesic.inverse(end, to).distance_m;
        prop_assert!(miss < 2e-8, "{:?} {:?} misses by {}", from, to, miss);
        if miss > 0.0 && to.lat.abs() < 89.0 && course.distance_m > 1000.0 {
            prop_assert!(unwrapped(azimuth - course.azimuth_to_deg).abs() < 1e-9);
        }
        let back = geodesic.inverse(to, from);
        prop_assert!((back.distance_m - course.distance_m).abs() < 2e-8);
    }

    #[test]
    fn nearly_antipodal_pairs_close_too(
        lat in -89.0..89.0f64, near_lat in -0.7..0.7f64, near_lon in -0.7..0.7f64, tenth in any::<bool>(),
    ) {
        let ellipsoid = if tenth { Ellipsoid::new(6.4e6, 10.0).unwrap() } else { Ellipsoid::from_epsg(7030).unwrap() };
        let geodesic = Geodesic::new(&ellipsoid);
        let (from, to) = (Geographic { lat, lon: 0.0 }, Geographic { lat: (-lat + near_lat).clamp(-90.0, 90.0), lon: 180.0 + near_lon });
        let course = geodesic.inverse(from, to);
        let (end, _) = geodesic.direct(from, course.azimuth_from_deg, course.distance_m);
        let north = (end.lat - to.lat).to_radians() * 6.4e6;
        let east = unwrapped(end.lon - to.lon).to_radians() * 6.4e6 * to.lat.to_radians().cos();
        prop_assert!(north.hypot(east) < 3e-8, "{:?} {:?}: {:?} ends at {:?}", from, to, course, end);
        // No detour over a third place is shorter.
        let over = Geographic { lat: lat / 2.0, lon: 90.0 };
        let detour = geodesic.inverse(from, over).distance_m + geodesic.inverse(over, to).distance_m;
        prop_assert!(course.distance_m <= detour + 1e-7);
    }

    #[test]
    fn parts_of_a_polygon_add_up(lat in -60.0..60.0f64, lon in -180.0..180.0f64, size in 1e-4..5.0f64) {
        let geodesic = wgs84();
        let corner = |i: f64, j: f64| Geographic { lat: lat + i * size, lon: lon + j * size };
        let area = |ring: &[Geographic]| geodesic.polygon(ring).area_m2;
        let (a, b, c, d) = (corner(0.0, 0.0), corner(0.0, 1.0), corner(1.0, 1.0), corner(1.0, 0.0));
        let whole = area(&[a, b, c, d]);
        prop_assert!(whole > 0.0);
        prop_assert!((area(&[a, b, c]) + area(&[a, c, d]) - whole).abs() < 1e-13 * whole + 1e-5);
        prop_assert!((area(&[d, c, b, a]) + whole).abs() < 1e-14 * whole + 1e-6);
    }

    #[test]
    fn datum_shifts_go_there_and_back(lat in 50.0..60.0f64, lon in -6.0..1.0f64) {
        let (there, back) = (converter(4277, 4326), converter(4326, 4277));
        let at = Coordinate::xy(lon, lat);
        let found = back.convert(there.convert(at).unwrap()).unwrap();
        prop_assert!((found.x - lon).abs() < 1e-12 && (found.y - lat).abs() < 1e-12);
    }

    #[test]
    fn plane_areas_do_not_depend_on_where_they_lie(e in -1e7..1e7f64, n in -1e7..1e7f64) {
        // Steps of a power of two keep the coordinates exact.
        let (e, n) = (e.round(), n.round());
        let x = [e, e + 4.0, e + 4.5, e + 0.25];
        let y = [n, n - 0.5, n + 3.0, n + 2.75];
        let (x0, y0) = (x.map(|v| v - e), y.map(|v| v - n));
        prop_assert_eq!(planar::ring_area(&x, &y), planar::ring_area(&x0, &y0));
        prop_assert_eq!(planar::length(&x, &y), planar::length(&x0, &y0));
    }
}
