//! Which operations are taken between everyday pairs of systems, and that a way and the way back are
//! the same.

use std::path::Path;
use velvet_peg_core::{
    Bounds, Converter, Coordinate, Crs, CrsKind, Geographic, PlanOptions, Policy, registry,
};

fn plan(from: u32, to: u32, lat: f64, lon: f64, epoch: Option<f64>) -> Result<Converter, String> {
    let area = Some(Bounds { south: lat, west: lon, north: lat, east: lon });
    let options = PlanOptions { area, epoch, ..PlanOptions::default() };
    let crs = |code| Crs::from_epsg(code).unwrap();
    Converter::plan(&crs(from), &crs(to), &options).map_err(|error| error.to_string())
}

fn operations(converter: &Converter) -> String {
    let one = |operation: &velvet_peg_core::Operation| match operation.code() {
        None => "=".to_string(),
        Some(code) if operation.is_reversed() => format!("-{code}"),
        Some(code) => code.to_string(),
    };
    converter.route().operations().map(one).collect::<Vec<_>>().join(" ")
}

#[test]
fn everyday_pairs_take_the_operations_that_a_geodesist_would_sign() {
    let mut reader = csv::ReaderBuilder::new()
        .comment(Some(b'#'))
        .from_reader(include_str!("../data/routes.csv").as_bytes());
    let mut wrong = Vec::new();
    for row in reader.records() {
        let row = row.unwrap();
        let number = |at: usize| row[at].parse::<f64>().unwrap();
        let (from, to) = (number(0) as u32, number(1) as u32);
        let epoch = (!row[4].is_empty()).then(|| number(4));
        let (lat, lon) = (number(2), number(3));
        let found = match plan(from, to, lat, lon, epoch) {
            Ok(converter) => {
                let known = converter.route().accuracy_m();
                let known =
                    known.map_or("?".to_string(), |m| format!("{}", (m * 1e6).round() / 1e6));
                format!("{},{known}", operations(&converter))
            }
            Err(error) => error,
        };
        if found != format!("{},{}", &row[5], &row[6]) {
            wrong.push(format!(
                "{},{},{},{},{},{found},{}",
                &row[0], &row[1], &row[2], &row[3], &row[4], &row[7]
            ));
        }
    }
    assert!(wrong.is_empty(), "\n{}", wrong.join("\n"));
}

/// Realisations of one system lie within decimetres: what is between them moves nothing by a metre.
#[test]
fn realisations_of_one_system_are_not_moved_by_the_shift_of_another() {
    for (from, to, lat, lon) in [
        (4152, 6318, 40.0, -100.0),
        (6318, 4152, 40.0, -100.0),
        (4759, 6318, 40.0, -100.0),
        (4617, 4269, 50.0, -100.0),
        (4269, 4617, 50.0, -100.0),
        (4617, 6318, 49.0, -100.0),
    ] {
        let converter = plan(from, to, lat, lon, None).unwrap();
        let moved = converter.convert(Coordinate::xy(lon, lat)).unwrap();
        assert!(
            (moved.x - lon).abs() < 1e-9 && (moved.y - lat).abs() < 1e-9,
            "{from} {to}: {moved:?}"
        );
    }
    // Through the ensemble the shift is applied once: 1 to 2 m.
    let converter = plan(4152, 9000, 40.0, -100.0, None).unwrap();
    let moved = converter.convert(Coordinate::xy(-100.0, 40.0)).unwrap();
    let metres = ((moved.x + 100.0) * 85_000.0).hypot((moved.y - 40.0) * 111_000.0);
    assert!((0.5..2.0).contains(&metres), "{metres}");
}

#[test]
fn epochs_are_years() {
    for (epoch, fits) in
        [(2026.9, true), (1900.0, true), (26.9, false), (20269.0, false), (f64::NAN, false)]
    {
        let planned = plan(6318, 9000, 40.0, -100.0, Some(epoch));
        assert_eq!(planned.is_ok(), fits, "{epoch}: {planned:?}");
    }
}

/// The frozen routes: every geographic system of the registry to WGS 84 and back, and to the next
/// system that is used where it is, at the middle of its area.
fn frozen() -> String {
    let mut text = String::from(
        "# Routes of the registry as they are chosen now, without grid files. Not each is known to be the \
         best: a\n# line that changes is to be looked at, and its reason told. Written by\n# `cargo test -p \
         velvet-peg-core --test suite -- --ignored freeze_the_routes`.\n\
         from,to,lat,lon,operations,metres\n",
    );
    let systems: Vec<Crs> = registry::CrsRow::all()
        .filter(|row| row.kind == CrsKind::Geographic2D && !row.deprecated)
        .filter_map(|row| Crs::from_epsg(row.code).ok())
        .filter(|crs| !crs.extent().boxes().is_empty())
        .collect();
    for (at, crs) in systems.iter().enumerate() {
        let bounds = crs.extent().boxes()[0];
        let (lat, lon) = ((bounds.south + bounds.north) / 2.0, (bounds.west + bounds.east) / 2.0);
        let (lat, lon) = ((lat * 10.0).round() / 10.0, (lon * 10.0).round() / 10.0);
        let code = crs.code().unwrap();
        let other =
            systems[at + 1..].iter().find(|other| other.extent().contains(Geographic { lat, lon }));
        let other = other.and_then(Crs::code).map(|other| (code, other));
        for (from, to) in [Some((code, 4326)), Some((4326, code)), other].into_iter().flatten() {
            let route = match plan(from, to, lat, lon, None) {
                Ok(converter) => {
                    let known = converter.route().accuracy_m();
                    let known = known.map_or("?".to_string(), |m| format!("{:.4}", m));
                    format!("{},{known}", operations(&converter))
                }
                Err(_) => "none,".to_string(),
            };
            text += &format!("{from},{to},{lat},{lon},{route}\n");
        }
    }
    text
}

fn frozen_file() -> std::path::PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/data/frozen-routes.csv")
}

#[test]
#[ignore = "writes the table that the next test compares with"]
fn freeze_the_routes() {
    std::fs::write(frozen_file(), frozen()).unwrap();
}

#[test]
fn no_route_changes_without_a_word() {
    let (known, now) = (std::fs::read_to_string(frozen_file()).unwrap(), frozen());
    let changed: Vec<String> = known
        .lines()
        .zip(now.lines())
        .filter(|(known, now)| known != now)
        .map(|(known, now)| format!("was {known}\nis  {now}"))
        .take(20)
        .collect();
    assert!(changed.is_empty(), "{}", changed.join("\n"));
    assert_eq!(known.lines().count(), now.lines().count());
    assert!(known.lines().count() > 1500);
}

fn rows(text: &'static str) -> csv::Reader<&'static [u8]> {
    csv::ReaderBuilder::new().comment(Some(b'#')).from_reader(text.as_bytes())
}

#[test]
fn ways_that_are_named_are_taken_or_refused_with_the_reason() {
    let mut wrong = Vec::new();
    for row in rows(include_str!("../data/named-ways.csv")).records() {
        let row = row.unwrap();
        let number = |at: usize| row[at].parse::<f64>().unwrap();
        let (lat, lon) = (number(2), number(3));
        let options = PlanOptions {
            area: Some(Bounds { south: lat, west: lon, north: lat, east: lon }),
            operations: row[4].split(' ').map(|code| code.parse().unwrap()).collect(),
            ..PlanOptions::default()
        };
        let crs = |at| Crs::from_epsg(number(at) as u32).unwrap();
        let found = match Converter::plan(&crs(0), &crs(1), &options) {
            Ok(converter) => {
                assert!(
                    converter.route().is_named && converter.route().summary().ends_with("as named")
                );
                operations(&converter)
            }
            Err(error) => format!("!{error}"),
        };
        let fits = match row[5].strip_prefix('!') {
            Some(reason) => found.starts_with('!') && found.contains(reason),
            None => found == row[5],
        };
        if !fits {
            wrong.push(format!("{row:?}: {found}"));
        }
    }
    assert!(wrong.is_empty(), "\n{}", wrong.join("\n"));
}

#[test]
fn naming_what_is_taken_anyway_changes_nothing() {
    let mut named = 0;
    for row in rows(include_str!("../data/routes.csv")).records() {
        let row = row.unwrap();
        let number = |at: usize| row[at].parse::<f64>().unwrap();
        let (from, to, lat, lon) = (number(0) as u32, number(1) as u32, number(2), number(3));
        let epoch = (!row[4].is_empty()).then(|| number(4));
        let Ok(best) = plan(from, to, lat, lon, epoch) else { continue };
        let codes: Vec<u32> = best.route().operations().filter_map(|o| o.code()).collect();
        if codes.is_empty() {
            continue;
        }
        let area = Some(Bounds { south: lat, west: lon, north: lat, east: lon });
        let options = PlanOptions { area, epoch, operations: codes, ..PlanOptions::default() };
        let crs = |code| Crs::from_epsg(code).unwrap();
        let again = Converter::plan(&crs(from), &crs(to), &options).unwrap();
        let at = Geographic { lat, lon };
        assert_eq!(operations(&again), operations(&best), "{row:?}");
        assert_eq!(again.place(at), best.place(at), "{row:?}");
        assert_eq!(best.apart_m(&again, at), Some(0.0), "{row:?}");
        named += 1;
        // Every other way is another one, and as far off as it is told to be.
        for way in &best.route().alternatives {
            let other = best.by(way);
            let (a, b) = (best.place(at).unwrap(), other.place(at).unwrap());
            let apart = best.apart_m(&other, at).unwrap();
            let east = (a.lon - b.lon).to_radians() * lat.to_radians().cos();
            let metres = east.hypot((a.lat - b.lat).to_radians()) * 6_378_137.0;
            assert!((apart - metres).abs() < 0.01 * metres + 1e-6, "{row:?}: {apart} {metres}");
        }
    }
    assert!(named > 40, "{named}");
}

#[test]
fn the_best_way_is_refused_where_it_needs_what_is_not_there() {
    for (from, to, lat, lon, epoch, refused) in [
        (4269, 4326, 47.4, -120.0, None, Some("[EPSG:1737] would be better than")),
        (4267, 4269, 47.4, -120.0, None, Some("it needs the files conus.las and conus.los")),
        (7789, 6317, 40.0, -100.0, Some(2026.9), None),
        (4326, 32610, 47.4, -120.0, None, None),
    ] {
        let options = PlanOptions {
            area: Some(Bounds { south: lat, west: lon, north: lat, east: lon }),
            epoch,
            policy: Policy::RequireBest,
            ..PlanOptions::default()
        };
        let crs = |code| Crs::from_epsg(code).unwrap();
        let planned = Converter::plan(&crs(from), &crs(to), &options);
        match (planned, refused) {
            (Ok(_), None) => {}
            (Err(error), Some(reason)) => assert!(error.to_string().contains(reason), "{error}"),
            (planned, _) => panic!("{from} {to}: {planned:?}"),
        }
    }
}

/// What leads there leads back, whatever is asked for first: every route of the frozen table.
#[test]
fn the_way_back_takes_the_same_operations() {
    let (mut wrong, mut pairs) = (Vec::new(), 0);
    for row in rows(include_str!("../data/frozen-routes.csv")).records() {
        let row = row.unwrap();
        let number = |at: usize| row[at].parse::<f64>().unwrap();
        let (from, to, lat, lon) = (number(0) as u32, number(1) as u32, number(2), number(3));
        // Ties within an ensemble have no direction.
        let back = |codes: &str| -> String {
            let turned = codes.split_whitespace().rev().map(|code| match code {
                "=" => "=".to_string(),
                code => code.strip_prefix('-').map_or(format!("-{code}"), str::to_string),
            });
            turned.collect::<Vec<_>>().join(" ")
        };
        let there = if &row[4] == "none" { "" } else { &row[4] };
        let found = plan(to, from, lat, lon, None).map_or(String::new(), |way| operations(&way));
        if found != back(there) {
            wrong.push(format!("{from} {to} at {lat} {lon}: {there}; back {found}"));
        }
        pairs += 1;
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    assert!(pairs > 1500, "{pairs}");
}

/// What a way needs is named, also where it is one of two steps, and an epoch is told apart from files.
#[test]
fn what_is_missing_for_a_way_is_named() {
    for (from, to, lat, lon, epoch, says) in [
        // No way without it.
        (8988, 9000, 40.0, -100.0, true, "ITRF88 to ITRF2014 (1) [EPSG:8069]"),
        (
            9000,
            6318,
            40.0,
            -100.0,
            true,
            "ITRF2014 to NAD83(2011) (1) [EPSG:8970] needs their epoch",
        ),
        (9000, 7844, -30.0, 140.0, true, "needs their epoch"),
        // A way of two steps, one of which cannot be run.
        (
            4136,
            4152,
            63.4,
            -170.3,
            false,
            "84 ensemble, before NAD83(HARN) to WGS 84 (1) [EPSG:1580]",
        ),
    ] {
        let error = plan_error(from, to, lat, lon);
        assert_eq!(error.is_epoch_missing(), epoch, "{from} {to}: {error}");
        assert!(error.is_no_route() && error.to_string().contains(says), "{from} {to}: {error}");
    }
    // A better way of two steps: the first needs files.
    let converter = plan(4267, 6318, 40.0, -100.0, None).unwrap();
    let better = &converter.route().unavailable[0];
    assert!(better.needs.contains("conus.las") && better.needs.contains("over "), "{better:?}");
    assert!(better.accuracy_m < converter.route().accuracy_m(), "{better:?}");
    // What is meant for Canada alone is no better way in Washington.
    let converter = plan(4269, 4326, 47.5, -119.5, None).unwrap();
    let codes: Vec<u32> = converter.route().unavailable.iter().map(|row| row.code).collect();
    assert!(codes.contains(&1737) && !codes.contains(&1696), "{codes:?}");
}

/// Where one step needs an epoch and the other a file, an epoch is not all that is needed.
#[test]
fn an_epoch_is_asked_for_where_nothing_else_is_missing() {
    let mut both = 0;
    for (from, lat, lon) in
        [(4237, 47.16, 19.5), (4265, 41.0, 12.5), (4312, 47.7, 13.3), (6318, 40.0, -100.0)]
    {
        // To ITRF2020.
        let Ok(converter) = plan(from, 9990, lat, lon, None) else { continue };
        for row in &converter.route().unavailable {
            let (epoch, file) = (row.needs.contains("epoch"), row.needs.contains(" file"));
            assert!(!(row.needs_epoch && file), "{from}: {row:?}");
            both += u32::from(epoch && file);
        }
    }
    assert!(both > 0, "no way of the table needs both");
}

fn plan_error(from: u32, to: u32, lat: f64, lon: f64) -> velvet_peg_core::Error {
    let area = Some(Bounds { south: lat, west: lon, north: lat, east: lon });
    let options = PlanOptions { area, ..PlanOptions::default() };
    let crs = |code| Crs::from_epsg(code).unwrap();
    Converter::plan(&crs(from), &crs(to), &options).unwrap_err()
}
