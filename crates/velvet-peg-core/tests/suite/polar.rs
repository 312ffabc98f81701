//! Lines and areas about the poles, where longitudes run together.

use velvet_peg_core::{Ellipsoid, Geodesic, Geographic};

fn wgs84() -> Geodesic {
    Geodesic::new(&Ellipsoid::from_epsg(7030).unwrap())
}

fn at(lat: f64, lon: f64) -> Geographic {
    Geographic { lat, lon }
}

/// The direct problem brings the end of every line back, from a millimetre to 130 km over the pole.
#[test]
fn lines_over_a_pole_lead_where_they_should() {
    let geodesic = wgs84();
    let mut worst: f64 = 0.0;
    for side in [1.0, -1.0] {
        for a in [1e-8, 1e-5, 1e-3, 0.01, 0.1, 0.2, 0.3, 0.5, 0.6] {
            for b in [0.0, 1e-8, 1e-4, 0.01, 0.15, 0.3, 0.55] {
                for lon in [
                    90.0,
                    120.0,
                    150.0,
                    179.0,
                    179.9,
                    179.999,
                    179.999_999_9,
                    180.0,
                    180.000_001,
                    181.0,
                    200.0,
                    269.0,
                ] {
                    let (from, to) = (at(side * (90.0 - a), 0.0), at(side * (90.0 - b), lon));
                    let course = geodesic.inverse(from, to);
                    let (end, _) =
                        geodesic.direct(from, course.azimuth_from_deg, course.distance_m);
                    // Apart on the ground: in the plane of the pole, where a degree is 111.7 km.
                    let plane = |p: Geographic| {
                        let r = 111_693.979_6 * (90.0 - p.lat.abs());
                        let (sin, cos) = p.lon.to_radians().sin_cos();
                        (r * cos, r * sin)
                    };
                    let (p, q) = (plane(end), plane(to));
                    let apart = (p.0 - q.0).hypot(p.1 - q.1);
                    assert!(apart.is_finite(), "{from:?} {to:?}: {course:?}");
                    worst = worst.max(apart);
                    // No longer than over the pole itself, and no shorter than the difference.
                    let meridian = |x: f64| {
                        geodesic
                            .inverse(at(side * (90.0 - x), 7.0), at(side * 90.0, 7.0))
                            .distance_m
                    };
                    let (m, n) = (meridian(a), meridian(b));
                    assert!(course.distance_m <= m + n + 1e-8, "{from:?} {to:?}: {course:?}");
                    assert!(
                        course.distance_m >= (m - n).abs() - 1e-8,
                        "{from:?} {to:?}: {course:?}"
                    );
                }
            }
        }
    }
    // Distances and ends are claimed to 20 nm.
    assert!(worst < 2e-8, "{worst:e} m");
    let seen = geodesic.inverse(at(89.9, 0.0), at(89.7, 179.999_999_9)).distance_m;
    assert!((seen - 44_677.592).abs() < 0.01, "{seen}");
}

/// A ring round the pole is the sum of the triangles that a vertex at the pole makes of it, and a
/// regular one is as large as the cap inside the parallel of the same area on the ellipsoid.
#[test]
fn areas_about_a_pole_keep_their_digits() {
    let geodesic = wgs84();
    for side in [1.0, -1.0] {
        for colatitude in [1e-4, 0.01, 0.5, 3.0, 9.0, 25.0] {
            let ring: Vec<Geographic> =
                (0..36).map(|n| at(side * (90.0 - colatitude), f64::from(n) * 10.0)).collect();
            let whole = geodesic.polygon(&ring).area_m2;
            assert!(
                whole * side > 0.0,
                "{colatitude}: counter-clockwise seen from above the north"
            );
            let mut sum = 0.0;
            for n in 0..36 {
                let triangle = [at(side * 90.0, 0.0), ring[n], ring[(n + 1) % 36]];
                sum += geodesic.polygon(&triangle).area_m2;
            }
            assert!((whole / sum - 1.0).abs() < 1e-13, "{colatitude}: {whole} {sum}");
            // In halves: each has a side through the pole.
            let half = |from: usize| {
                let half: Vec<Geographic> = (from..=from + 18).map(|n| ring[n % 36]).collect();
                geodesic.polygon(&half).area_m2
            };
            assert!(((half(0) + half(18)) / whole - 1.0).abs() < 1e-13, "{colatitude}");
            // A small cap is flat: the area of a polygon of 36 corners in a circle.
            if colatitude <= 0.01 {
                let radius = geodesic.inverse(ring[0], at(side * 90.0, 0.0)).distance_m;
                let flat = 18.0 * radius * radius * (10.0_f64).to_radians().sin();
                assert!((whole.abs() / flat - 1.0).abs() < 1e-6, "{colatitude}: {whole} {flat}");
            }
        }
        // A square kilometre near the pole, as large as the plane says.
        let corner = |x: f64, y: f64| {
            at(side * (90.0 - x.hypot(y) / 111_693.979_6), y.atan2(x).to_degrees())
        };
        let square = [(3e3, 0.0), (4e3, 0.0), (4e3, 1e3), (3e3, 1e3)].map(|(x, y)| corner(x, y));
        let area = geodesic.polygon(&square).area_m2.abs();
        assert!((area / 1e6 - 1.0).abs() < 1e-6, "{area}");
    }
}
