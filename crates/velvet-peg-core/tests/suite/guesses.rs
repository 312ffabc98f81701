//! Guesses on coordinates whose system is hidden.

use crate::support::data;
use velvet_peg_core::guess::{Expected, Guess, Hypothesis, guess};
use velvet_peg_core::{Converter, Coordinate, Crs, Geodesic, Geographic};

/// Coordinates of a system round a place on WGS 84, with those places.
fn hidden(code: u32, lat: f64, lon: f64) -> (Vec<(f64, f64)>, Vec<Geographic>) {
    let (wgs84, crs) = (Crs::from_epsg(4326).unwrap(), Crs::from_epsg(code).unwrap());
    let there = Converter::new(&wgs84, &crs).unwrap();
    (0..25)
        .map(|i| {
            let place = Geographic {
                lat: lat + 0.004 * f64::from(i % 5),
                lon: lon + 0.004 * f64::from(i / 5),
            };
            let at = there.convert(Coordinate::xy(place.lon, place.lat)).unwrap();
            ((at.x, at.y), place)
        })
        .unzip()
}

#[test]
fn hidden_systems_are_found_from_known_positions() {
    for (code, lat, lon) in [
        (2285, 47.4, -120.0),
        (32610, 47.4, -120.5),
        (26710, 47.4, -120.5),
        (2269, 45.2, -121.0),
        (27700, 52.1, -1.2),
        (28992, 52.2, 5.4),
        (31467, 49.0, 9.1),
        (2056, 46.9, 7.5),
        (5514, 49.9, 15.0),
        (3857, 40.0, -100.0),
        (28355, -37.8, 145.0),
        (2193, -41.2, 174.8),
        (3035, 50.1, 8.6),
    ] {
        let (points, places) = hidden(code, lat, lon);
        let guesses = guess(&points, &Expected::Known(places), 5).unwrap();
        let best = &guesses[0];
        let mut codes: Vec<u32> = best.crs.code().into_iter().collect();
        codes.extend(best.alike.iter().filter_map(|alike| alike.crs.code()));
        assert!(codes.contains(&code), "EPSG:{code}: {} {codes:?}", best.crs.label());
        assert_eq!(best.hypothesis, Hypothesis::AsWritten, "EPSG:{code}");
        assert!(best.distance_m < 15.0, "EPSG:{code}: {} m", best.distance_m);
    }
}

#[test]
fn everyday_mistakes_are_hypotheses() {
    let near = |lat, lon| Expected::Near(Geographic { lat, lon });
    let (points, _) = hidden(32610, 47.4, -120.5);
    let first = |points: &[(f64, f64)]| {
        let best = guess(points, &near(47.4, -120.5), 3).unwrap().remove(0);
        (best.crs.reference(), best.hypothesis)
    };
    let swapped: Vec<_> = points.iter().map(|(x, y)| (*y, *x)).collect();
    assert_eq!(first(&swapped).1, Hypothesis::Swapped);
    // Where no system of the registry counts feet.
    let (alpine, _) = hidden(32633, 47.4, 15.5);
    let feet: Vec<_> = alpine.iter().map(|(x, y)| (x / 0.3048, y / 0.3048)).collect();
    let best = guess(&feet, &near(47.4, 15.5), 3).unwrap().remove(0);
    assert_eq!(best.hypothesis, Hypothesis::InFeet, "{}", best.crs.label());
    let (_, places) = hidden(4326, 47.4, -120.5);
    let lost: Vec<_> = places.iter().map(|place| (-place.lon, place.lat)).collect();
    assert_eq!(first(&lost).1, Hypothesis::LongitudeSign);
    assert!(guess(&[], &near(0.0, 0.0), 3).is_err());
    assert!(guess(&points, &Expected::State("Tumblewick".into()), 3).is_err());
}

/// Numbers in another unit than the system's: each hypothesis carries both coordinates.
#[test]
fn units_are_taken_for_one_another() {
    let us_foot = 1200.0 / 3937.0;
    for (code, lat, lon, factor, hypothesis) in [
        // Systems of the Alps and of Japan, where none counts feet.
        (32633, 47.4, 15.5, 1.0 / 0.3048, Hypothesis::InFeet),
        (6677, 36.0, 139.8, 1.0 / us_foot, Hypothesis::InUsSurveyFeet),
        // State plane of 1927, which has no system in metres.
        (32048, 47.6, -120.5, us_foot, Hypothesis::InMetres),
    ] {
        let (points, places) = hidden(code, lat, lon);
        let scaled: Vec<_> = points.iter().map(|(x, y)| (x * factor, y * factor)).collect();
        let guesses = guess(&scaled, &Expected::Known(places), 12).unwrap();
        let found = guesses.iter().find(|guess| {
            guess.hypothesis == hypothesis
                && (guess.crs.code() == Some(code)
                    || guess.alike.iter().any(|alike| alike.crs.code() == Some(code)))
        });
        let shown: Vec<_> =
            guesses.iter().map(|guess| (guess.crs.label(), guess.hypothesis)).collect();
        let found = found.unwrap_or_else(|| panic!("EPSG:{code}: {shown:?}"));
        assert!(found.distance_m < 15.0, "EPSG:{code}: {} m", found.distance_m);
    }
}

/// A place that is rough does not make an old datum of a new one: wherever it is off to.
#[test]
fn rough_places_do_not_lead_to_datums_of_old() {
    let mut wrong = Vec::new();
    for (code, lat, lon) in [
        (2264, 35.5, -79.0),
        (3435, 41.5, -88.0),
        (2285, 47.5, -120.0),
        (2263, 40.75, -73.5),
        (2276, 32.8, -97.0),
        (2232, 39.5, -105.5),
        (2229, 34.2, -118.3),
        (26910, 47.5, -122.0),
    ] {
        let (points, _) = hidden(code, lat, lon);
        for turn in 0..8 {
            let angle = f64::from(turn) / 8.0 * std::f64::consts::TAU;
            let off = 0.015 + 0.01 * f64::from(turn % 3);
            let at = Geographic { lat: lat + off * angle.sin(), lon: lon + off * angle.cos() };
            let best = guess(&points, &Expected::Near(at), 3).unwrap().remove(0);
            let alike = best.alike.iter().filter_map(|alike| alike.crs.code());
            let named: Vec<u32> = best.crs.code().into_iter().chain(alike).collect();
            // The system itself stands first, or one on a datum in use now beside it.
            let old = best.crs.datum().and_then(|datum| datum.code()) == Some(6267);
            if old || !named.contains(&code) {
                wrong.push(format!("EPSG:{code} {turn}: {}", best.crs.label()));
            }
        }
    }
    assert!(wrong.is_empty(), "\n{}", wrong.join("\n"));
    // Positions that are known tell them apart.
    let (points, places) = hidden(32019, 35.5, -79.0);
    let best = guess(&points, &Expected::Known(places), 1).unwrap().remove(0);
    assert_eq!(best.crs.code(), Some(32019), "{}", best.crs.label());
}

#[test]
fn both_kinds_of_feet_are_named_where_nothing_tells_them_apart() {
    let (alpine, _) = hidden(32633, 47.4, 15.5);
    let feet: Vec<_> = alpine.iter().map(|(x, y)| (x / 0.3048, y / 0.3048)).collect();
    let near = Expected::Near(Geographic { lat: 47.41, lon: 15.49 });
    let best = guess(&feet, &near, 3).unwrap().remove(0);
    let mut readings = vec![best.hypothesis];
    readings.extend(&best.also_read);
    for reading in [Hypothesis::InFeet, Hypothesis::InUsSurveyFeet] {
        assert!(readings.contains(&reading), "{readings:?}");
    }
    assert_eq!(readings.len(), 2, "{readings:?}");
}

/// Rough places in many countries: the first answer is the system that is in use there, and the one that
/// was meant is it, or named beside it.
#[test]
fn rough_places_lead_to_the_systems_in_use_there() {
    for row in data("guesses.csv") {
        let (lat, lon) = (row.number("lat"), row.number("lon"));
        let (code, first) = (row.number("system") as u32, row.number("first") as u32);
        let (points, _) = hidden(code, lat, lon);
        // Off by some 2 km, to one side and the other.
        for (up, right) in [(0.018, -0.009), (-0.012, 0.015), (0.004, 0.02)] {
            let near = Expected::Near(Geographic { lat: lat + up, lon: lon + right });
            let found = guess(&points, &near, 3).unwrap();
            let best = &found[0];
            assert_eq!(best.crs.code(), Some(first), "{code}: {}", best.crs.label());
            let named = best.alike.iter().any(|alike| alike.crs.code() == Some(code));
            assert!(code == first || named, "{code} is not named beside {first}");
        }
    }
}

/// What lands up to 2,000 km from the place is told with its distance, near the limit too, and nothing
/// beyond.
#[test]
fn systems_are_told_up_to_the_limit() {
    let grid = Crs::from_epsg(32610).unwrap();
    let points = [(500_000.0, 5_250_000.0), (500_000.0, 5_250_100.0), (500_100.0, 5_250_000.0)];
    let geographic = Crs::from_epsg(4326).unwrap();
    let lands = Converter::new(&grid, &geographic).unwrap();
    let at = lands.convert(Coordinate::xy(points[0].0, points[0].1)).unwrap();
    let at = Geographic { lat: at.y, lon: at.x };
    let geodesic = Geodesic::new(geographic.ellipsoid().unwrap());
    for (azimuth, far_m) in [0.0, 180.0, 90.0].into_iter().flat_map(|azimuth| {
        [1_000.0, 500_000.0, 1_990_000.0, 1_999_000.0, 2_001_000.0, 2_100_000.0]
            .map(|far| (azimuth, far))
    }) {
        let (place, _) = geodesic.direct(at, azimuth, far_m);
        let found = guess(&points, &Expected::Near(place), 100_000).unwrap();
        // Systems whose answers lie together are told with one of them.
        let is_told = |one: &&Guess| {
            let own = one.crs == grid || one.alike.iter().any(|other| other.crs == grid);
            own && one.hypothesis == Hypothesis::AsWritten
        };
        let told = found.iter().find(is_told);
        // East and west of its zone a system is not in use.
        if azimuth == 90.0 && far_m > 400_000.0 || far_m > 2_000_000.0 {
            assert!(told.is_none(), "{azimuth}° {far_m} m: {told:?}");
            continue;
        }
        let told = told.unwrap_or_else(|| panic!("{azimuth}° {far_m} m: not told"));
        let off = (told.distance_m - far_m).abs();
        assert!(off < 300.0, "{azimuth}° {far_m} m: {}", told.distance_m);
    }
}
