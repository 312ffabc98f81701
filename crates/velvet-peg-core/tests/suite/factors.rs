//! Scale factors and convergence of every method against differences of its own mapping, near the
//! centre of each area of use and towards its corners.

use std::collections::BTreeMap;
use velvet_peg_core::projection::Projection;
use velvet_peg_core::registry::CrsRow;
use velvet_peg_core::{Crs, CrsKind, Ellipsoid, Geographic};

/// Step of the differences, degrees.
const STEP: f64 = 0.01;

/// The derivative of the mapping along one coordinate, metres a degree, by five points.
fn slope(projection: &Projection, at: impl Fn(f64) -> Geographic) -> Option<(f64, f64)> {
    let image = |steps: f64| projection.forward(at(steps * STEP)).ok();
    let (a, b, c, d) = (image(-2.0)?, image(-1.0)?, image(1.0)?, image(2.0)?);
    // Over the meridian opposite to the central one the plane is cut.
    if (c.0 - b.0).hypot(c.1 - b.1) > 100_000.0 {
        return None;
    }
    let mix = |a: f64, b: f64, c: f64, d: f64| (a - 8.0 * b + 8.0 * c - d) / (12.0 * STEP);
    Some((mix(a.0, b.0, c.0, d.0), mix(a.1, b.1, c.1, d.1)))
}

/// Metres a degree along the meridian and along the parallel.
fn metres_a_degree(ellipsoid: &Ellipsoid, lat: f64) -> (f64, f64) {
    let meridian = ellipsoid.meridian_radius_m(lat).to_radians();
    let parallel = ellipsoid.prime_vertical_radius_m(lat) * lat.to_radians().cos();
    (meridian, parallel.to_radians())
}

/// In the middle of the area of use, towards its corners, and close to the origin.
fn places(crs: &Crs) -> Vec<(f64, f64)> {
    let mut places = Vec::new();
    for bounds in crs.extent().boxes() {
        for (s, t) in [(0.5, 0.5), (0.48, 0.53), (0.15, 0.2), (0.85, 0.75)] {
            let lat = bounds.south + s * (bounds.north - bounds.south);
            places.push((lat, bounds.west + t * (bounds.east - bounds.west)));
        }
    }
    let origin = |code: u32| {
        let parameters = &crs.conversion()?.parameters;
        parameters.iter().find(|parameter| parameter.code == code)?.value()
    };
    if let (Some(lat), Some(lon)) = (origin(8801), origin(8802)) {
        places.push((lat + 0.03, lon + 0.07));
    }
    places
}

#[test]
fn factors_are_the_differences_of_every_method() {
    let mut worst: BTreeMap<u32, (f64, f64, u32)> = BTreeMap::new();
    let mut systems: BTreeMap<u32, u32> = BTreeMap::new();
    for row in CrsRow::all().filter(|row| row.kind == CrsKind::Projected) {
        let crs = Crs::from_epsg(row.code).unwrap();
        let Ok(projection) = crs.projection() else { continue };
        let method = projection.method_code();
        // A dozen systems a method: the most of one method are zones of one another.
        let met = systems.entry(method).or_default();
        *met += 1;
        if *met > 12 {
            continue;
        }
        let ellipsoid = *crs.ellipsoid().unwrap();
        let (west, south) = projection.counts_west_south();
        for (lat, lon) in places(&crs) {
            if lat.abs() > 88.0 {
                continue;
            }
            let Ok(factors) = projection.factors(Geographic { lat, lon }) else { continue };
            let north = slope(projection, |step| Geographic { lat: lat + step, lon });
            let east = slope(projection, |step| Geographic { lat, lon: lon + step });
            let (Some(north), Some(east)) = (north, east) else { continue };
            let (meridian, parallel) = metres_a_degree(&ellipsoid, lat);
            let of = |(e, n): (f64, f64), metres: f64| e.hypot(n) / metres;
            let scale_off = (of(north, meridian) / factors.meridian_scale - 1.0)
                .abs()
                .max((of(east, parallel) / factors.parallel_scale - 1.0).abs());
            // Convergence: clockwise from the grid's north to the image of the meridian, negated.
            let (e, n) =
                (if west { -north.0 } else { north.0 }, if south { -north.1 } else { north.1 });
            let turn = (e.atan2(n).to_degrees() + factors.convergence_deg + 180.0)
                .rem_euclid(360.0)
                - 180.0;
            let held = worst.entry(method).or_insert((0.0, 0.0, 0));
            held.0 = held.0.max(scale_off);
            held.1 = held.1.max(turn.abs());
            held.2 += 1;
        }
    }
    for (method, (scale, turn, places)) in &worst {
        println!("{method}: scale {scale:.1e}, convergence {turn:.1e}°, {places} places");
        assert!(*scale < 5e-11, "method {method}: scale off by {scale:.1e}");
        assert!(*turn < 5e-9, "method {method}: convergence off by {turn:.1e}°");
    }
    assert!(worst.len() >= 45, "{} methods", worst.len());
}
