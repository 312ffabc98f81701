//! Geodesics of places near each other and far apart, one by one and in columns.

use crate::support::random::Random;
use crate::support::{data, unwrapped};
use velvet_peg_core::{Ellipsoid, Geodesic, Geographic};

fn on(code: u32) -> Geodesic {
    Geodesic::new(&Ellipsoid::from_epsg(code).unwrap())
}

/// Lines from a few millimetres to some 60 km against Bessel's integrals by quadrature with 40 digits: what
/// rounding a line's ends to doubles changes of its length is more.
#[test]
fn short_lines_are_exact_to_the_rounding_of_their_ends() {
    let rows = data("short-lines.csv");
    assert!(rows.len() >= 200, "{}", rows.len());
    let (mut worst, mut across) = (0.0_f64, 0.0_f64);
    for row in rows {
        let geodesic = on(row.number("ellipsoid") as u32);
        let place = |n: &str| Geographic {
            lat: row.number(&format!("lat{n}")),
            lon: row.number(&format!("lon{n}")),
        };
        let found = geodesic.inverse(place("1"), place("2"));
        let truth = row.number("distance_m");
        worst = worst.max((found.distance_m - truth).abs());
        for (azimuth, name) in
            [(found.azimuth_from_deg, "azimuth_from_deg"), (found.azimuth_to_deg, "azimuth_to_deg")]
        {
            let turn = unwrapped(azimuth - row.number(name)).to_radians();
            across = across.max(turn.abs() * truth);
        }
    }
    println!("length {worst:.1e} m, across {across:.1e} m");
    assert!(worst < 1e-10, "{worst:e} m");
    assert!(across < 1e-10, "{across:e} m");
}

/// Where the solution for short lines ends, the one for all lines says the same.
#[test]
fn there_is_no_seam_where_short_lines_end() {
    let geodesic = on(7030);
    let mut random = Random::new(9);
    for _ in 0..2000 {
        let from =
            Geographic { lat: random.between(-87.0, 87.0), lon: random.between(-170.0, 170.0) };
        let azimuth = random.between(-180.0, 180.0);
        // The longest arc is the one of 0.01 radian; near a pole the difference of longitude ends it.
        for length in [60_000.0, 63_500.0, 63_900.0, 65_000.0] {
            let (to, _) = geodesic.direct(from, azimuth, length);
            let line = geodesic.inverse(from, to);
            assert!((line.distance_m - length).abs() < 5e-9, "{from:?} {azimuth} {length}");
            let turn = unwrapped(line.azimuth_from_deg - azimuth).to_radians() * length;
            assert!(turn.abs() < 5e-9, "{from:?} {azimuth} {length}: {turn:e}");
        }
    }
}

/// Columns give the bits of single lines, whichever of them are short.
#[test]
fn columns_are_single_lines_to_the_last_bit() {
    let mut random = Random::new(4);
    for code in [7030, 7004, 7035] {
        let geodesic = on(code);
        for count in [0, 1, 7, 256, 1000] {
            let (mut from, mut to) = ([vec![], vec![]], [vec![], vec![]]);
            for at in 0..count {
                let reach = if at % 5 == 4 { 180.0 } else { 0.3 };
                let (lon, lat) = (random.between(-200.0, 200.0), random.between(-90.0, 90.0));
                from[0].push(lon);
                from[1].push(lat);
                to[0].push(lon + random.between(-reach, reach));
                to[1].push((lat + random.between(-reach, reach)).clamp(-90.0, 90.0));
            }
            let found = geodesic.inverse_columns([&from[0], &from[1]], [&to[0], &to[1]]);
            assert_eq!(found.distance_m.len(), count);
            for at in 0..count {
                let place = |of: &[Vec<f64>; 2]| Geographic { lat: of[1][at], lon: of[0][at] };
                let line = geodesic.inverse(place(&from), place(&to));
                let columns =
                    [found.distance_m[at], found.azimuth_from_deg[at], found.azimuth_to_deg[at]];
                let single = [line.distance_m, line.azimuth_from_deg, line.azimuth_to_deg];
                assert_eq!(columns.map(f64::to_bits), single.map(f64::to_bits), "{code} {at}");
            }
        }
    }
}

/// Places that are one, on a pole, on the equator, over it and over the date line.
#[test]
fn short_lines_along_axes_have_exact_azimuths() {
    let geodesic = on(7030);
    let line = |from: (f64, f64), to: (f64, f64)| {
        let at = |(lat, lon)| Geographic { lat, lon };
        let found = geodesic.inverse(at(from), at(to));
        (found.distance_m, found.azimuth_from_deg, found.azimuth_to_deg)
    };
    assert_eq!(line((47.0, 10.0), (47.0, 10.0)), (0.0, 0.0, 0.0));
    assert!(line((90.0, 10.0), (90.0, 50.0)).0 < 1e-100);
    let (north, south) = (line((47.0, 10.0), (47.2, 10.0)), line((47.2, 10.0), (47.0, 10.0)));
    assert_eq!((north.1, north.2, south.1, south.2), (0.0, 0.0, 180.0, 180.0));
    assert_eq!(north.0, south.0);
    let (east, west) = (line((0.0, 10.0), (0.0, 10.25)), line((0.0, 10.25), (0.0, 10.0)));
    assert_eq!((east.1, east.2, west.1, west.2), (90.0, 90.0, -90.0, -90.0));
    let equator = 6_378_137.0 * 0.25_f64.to_radians();
    assert!((east.0 - equator).abs() < 1e-10, "{}", east.0 - equator);
    let (over, plain) = (line((-16.5, 179.9), (-16.4, -179.9)), line((-16.5, 9.9), (-16.4, 10.1)));
    assert!((over.0 - plain.0).abs() < 1e-8, "{over:?} {plain:?}");
    assert!(line((f64::NAN, 0.0), (0.0, 0.1)).0.is_nan());
}
