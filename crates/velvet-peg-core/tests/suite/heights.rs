//! What becomes of heights.

use std::sync::Arc;
use velvet_peg_core::grid::{GridFiles, Grids};
use velvet_peg_core::{Bounds, Converter, Coordinate, Crs, PlanOptions};

fn plan(from: &str, to: &str) -> velvet_peg_core::Result<Converter> {
    Converter::new(&Crs::parse(from)?, &Crs::parse(to)?)
}

#[test]
fn heights_are_carried_converted_or_refused() {
    let at = Coordinate { x: -120.0, y: 47.4, z: 100.0 };
    for (from, to, z) in [
        // Carried as they are where a system has none.
        ("EPSG:4269", "EPSG:2286", Some(100.0)),
        ("EPSG:4269+EPSG:5703", "EPSG:2286", Some(100.0)),
        // The same datum in another unit, and as a depth.
        ("EPSG:4269+EPSG:5703", "EPSG:2286+EPSG:6360", Some(100.0 / (1200.0 / 3937.0))),
        ("EPSG:4269+EPSG:5703", "EPSG:4269+EPSG:8228", Some(100.0 / 0.3048)),
        ("EPSG:4269+EPSG:5703", "EPSG:4269+EPSG:6357", Some(-100.0)),
        // Another vertical datum, and the ellipsoid, take a model.
        ("EPSG:4269+EPSG:5703", "EPSG:4269+EPSG:5702", None),
        ("EPSG:6318+EPSG:5703", "EPSG:6319", None),
        ("EPSG:6319", "EPSG:6318+EPSG:5703", None),
    ] {
        let converter = plan(from, to);
        match (converter, z) {
            (Ok(converter), Some(z)) => {
                let found = converter.convert(at).unwrap();
                assert!((found.z - z).abs() < 1e-9, "{from} to {to}: {found:?}");
            }
            (Err(error), None) => {
                assert!(
                    error.is_no_route() && error.to_string().contains("takes a model"),
                    "{error}"
                );
            }
            (found, _) => panic!("{from} to {to}: {found:?}"),
        }
    }
}

#[test]
fn a_constant_offset_of_the_registry_changes_the_vertical_datum() {
    // Baltic 1977 height to Black Sea height (1) [EPSG:5447]: +0.4 m.
    let (from, to) =
        (Crs::parse("EPSG:4200+EPSG:5705").unwrap(), Crs::parse("EPSG:4200+EPSG:5735").unwrap());
    let converter = Converter::plan(&from, &to, &PlanOptions::default()).unwrap();
    let (code, _, accuracy) = converter.height_change().unwrap();
    assert_eq!((code, accuracy.is_some()), (5447, true));
    let there = converter.convert(Coordinate { x: 40.0, y: 43.0, z: 10.0 }).unwrap();
    assert!((there.z - 10.4).abs() < 1e-12, "{there:?}");
    let back = Converter::new(&to, &from).unwrap().convert(there).unwrap();
    assert!((back.z - 10.0).abs() < 1e-12);
}

/// The registry's example of methods 1046 and 9657: LN02 to EVRF2000 (1).
#[test]
fn an_offset_with_slopes_agrees_with_the_published_example() {
    let (from, to) =
        (Crs::parse("EPSG:4258+EPSG:5728").unwrap(), Crs::parse("EPSG:4258+EPSG:5730").unwrap());
    let converter = Converter::new(&from, &to).unwrap();
    let at = Coordinate { x: 9.0 + 40.0 / 60.0, y: 47.0 + 20.0 / 60.0, z: 473.0 };
    let found = converter.convert(at).unwrap();
    assert!((found.z - 472.690).abs() < 0.001, "{found:?} by {:?}", converter.height_change());
}

#[test]
fn epochs_decide_whether_time_dependent_operations_run() {
    // ITRF2014 to NAD83(2011) is known to centimetres, for an epoch.
    let (from, to) = (Crs::from_epsg(7789).unwrap(), Crs::from_epsg(6317).unwrap());
    let refused = Converter::new(&from, &to).unwrap_err();
    assert!(refused.is_no_route() && refused.to_string().contains("epoch"), "{refused}");
    let at = |epoch| PlanOptions { epoch: Some(epoch), ..PlanOptions::default() };
    let converter = Converter::plan(&from, &to, &at(2026.9)).unwrap();
    assert_eq!(converter.route().accuracy_m(), Some(0.0), "{}", converter.route().summary());
    let place = Coordinate { x: -2_161_923.0, y: -3_744_625.0, z: 4_671_780.0 };
    let (early, late) = (
        Converter::plan(&from, &to, &at(2010.0)).unwrap().convert(place).unwrap(),
        converter.convert(place).unwrap(),
    );
    // The plate moves by some centimetres a year.
    let moved = (early.x - late.x).hypot(early.y - late.y).hypot(early.z - late.z);
    assert!((0.1..1.0).contains(&moved), "{moved} m");
}

#[test]
fn depths_take_their_offsets_downwards_both_ways() {
    let mut checked = 0;
    for line in
        include_str!("../data/depths.csv").lines().filter(|line| !line.starts_with('#')).skip(1)
    {
        let cells: Vec<&str> = line.split(',').collect();
        let [operation, source, target, offset] = cells[..] else { panic!("{line}") };
        let offset: f64 = offset.parse().unwrap();
        let (source, target) =
            (format!("EPSG:4326+EPSG:{source}"), format!("EPSG:4326+EPSG:{target}"));
        for (from, to, moved) in [(&source, &target, offset), (&target, &source, -offset)] {
            let converter = plan(from, to).unwrap_or_else(|error| panic!("{line}: {error}"));
            // The heights of the same datums have operations of their own, which say the same.
            let code = converter.height_change().unwrap().0;
            let same = matches!((operation, code), ("5440", 5438) | ("5445", 5443));
            assert!(same || code.to_string() == operation, "{line}: by {code}");
            let at = converter.convert(Coordinate { x: 10.0, y: 40.0, z: 100.0 }).unwrap();
            assert!((at.z - 100.0 - moved).abs() < 1e-9, "{line}: {at:?}");
            assert_eq!((at.x, at.y), (10.0, 40.0), "{line}");
        }
        checked += 1;
    }
    assert_eq!(checked, 14);
}

/// Files in memory by name.
#[derive(Debug)]
struct Memory(Vec<(&'static str, Vec<u8>)>);

impl GridFiles for Memory {
    fn read(&self, name: &str) -> std::io::Result<Option<Vec<u8>>> {
        Ok(self.0.iter().find(|(known, _)| *known == name).map(|(_, bytes)| bytes.clone()))
    }
}

/// A geoid that a bilinear surface reproduces, metres.
fn geoid(lat: f64, lon: f64) -> f64 {
    -20.0 + 0.5 * (lat - 47.0) - 0.25 * (lon + 121.0) + 0.125 * (lat - 47.0) * (lon + 121.0)
}

/// A grid of 46° to 48° N and 122° to 119° W by half degrees: with the mark of a `.bin`, or as `.gtx`.
fn heights(mark: Option<i32>, big_endian: bool) -> Vec<u8> {
    let mut bytes = Vec::new();
    let mut real = |value: f64| {
        bytes.extend(if big_endian { value.to_be_bytes() } else { value.to_le_bytes() });
    };
    // Longitudes from Greenwich eastward round the globe.
    [46.0, 238.0, 0.5, 0.5].into_iter().for_each(&mut real);
    let int = |value: i32| if big_endian { value.to_be_bytes() } else { value.to_le_bytes() };
    for value in [5, 7].into_iter().chain(mark) {
        bytes.extend(int(value));
    }
    for row in 0..5 {
        for column in 0..7 {
            let (lat, lon) = (46.0 + 0.5 * f64::from(row), -122.0 + 0.5 * f64::from(column));
            // The north-eastern node has no value.
            let none = mark.is_none() && row == 4 && column == 6;
            let value = if none { -88.8888 } else { geoid(lat, lon) } as f32;
            bytes.extend(if big_endian { value.to_be_bytes() } else { value.to_le_bytes() });
        }
    }
    bytes
}

fn with_files(files: Vec<(&'static str, Vec<u8>)>) -> PlanOptions {
    let area = Some(Bounds { south: 47.3, west: -120.1, north: 47.5, east: -119.9 });
    PlanOptions { area, grids: Some(Arc::new(Grids::new(Memory(files)))), ..PlanOptions::default() }
}

#[test]
fn a_model_leads_from_the_ellipsoid_to_a_vertical_datum_and_back() {
    let n = geoid(47.4, -120.0);
    let foot = 1200.0 / 3937.0;
    for big_endian in [false, true] {
        let options = with_files(vec![("g2018u0.bin", heights(Some(1), big_endian))]);
        for (from, to, z, there) in [
            ("EPSG:6318+EPSG:5703", "EPSG:6319", 100.0, 100.0 + n),
            ("EPSG:6319", "EPSG:6318+EPSG:5703", 100.0, 100.0 - n),
            ("EPSG:6319", "EPSG:6349", 100.0, 100.0 - n),
            ("EPSG:6318+EPSG:6360", "EPSG:6319", 100.0, 100.0 * foot + n),
            ("EPSG:6319", "EPSG:6318+EPSG:6360", 100.0, (100.0 - n) / foot),
            ("EPSG:6319", "EPSG:6318+EPSG:6357", 100.0, n - 100.0),
        ] {
            let crs = |text| Crs::parse(text).unwrap();
            let converter = Converter::plan(&crs(from), &crs(to), &options).unwrap();
            assert_eq!(converter.height_change().unwrap().0, 9229, "{from} to {to}");
            let found = converter.convert(Coordinate { x: -120.0, y: 47.4, z }).unwrap();
            // Nodes are single numbers: to a few micrometres.
            assert!((found.z - there).abs() < 1e-5, "{from} to {to}: {found:?} for {there}");
            assert!((found.x + 120.0).abs() < 1e-12 && (found.y - 47.4).abs() < 1e-12);
            let back = Converter::plan(&crs(to), &crs(from), &options).unwrap();
            let back = back.convert(found).unwrap();
            assert!((back.z - z).abs() < 1e-9, "{to} to {from}: {back:?}");
        }
    }
    // From the map, and on to geocentric coordinates of the same datum.
    let options = with_files(vec![("g2018u0.bin", heights(Some(1), false))]);
    let crs = |text| Crs::parse(text).unwrap();
    let direct = Converter::plan(&crs("EPSG:6319"), &crs("EPSG:6317"), &options).unwrap();
    let by_model =
        Converter::plan(&crs("EPSG:6318+EPSG:5703"), &crs("EPSG:6317"), &options).unwrap();
    let a = direct.convert(Coordinate { x: -120.0, y: 47.4, z: 100.0 + n }).unwrap();
    let b = by_model.convert(Coordinate { x: -120.0, y: 47.4, z: 100.0 }).unwrap();
    assert!((a.x - b.x).hypot(a.y - b.y).hypot(a.z - b.z) < 1e-5, "{a:?} {b:?}");
    // Outside the model there is no height.
    let outside = Coordinate { x: -118.0, y: 47.4, z: 100.0 };
    assert!(by_model.convert(outside).is_err());
}

#[test]
fn models_of_gtx_have_places_without_a_value() {
    // NZGD2000 to NZVD2009 height (2) [EPSG:9325], moved to where the grid of the test lies.
    let mut file = heights(None, true);
    file[..8].copy_from_slice(&(-41.0f64).to_be_bytes());
    file[8..16].copy_from_slice(&174.0f64.to_be_bytes());
    let area = Some(Bounds { south: -40.5, west: 174.2, north: -40.4, east: 174.4 });
    let options = PlanOptions { area, ..with_files(vec![("nzgeoid2009.gtx", file)]) };
    let (from, to) = (Crs::parse("EPSG:4959").unwrap(), Crs::parse("EPSG:4167+EPSG:4440").unwrap());
    let converter = Converter::plan(&from, &to, &options).unwrap();
    assert_eq!(converter.height_change().unwrap().0, 9325);
    let found = converter.convert(Coordinate { x: 174.3, y: -40.45, z: 50.0 }).unwrap();
    let n = geoid(46.0 + 0.55, -122.0 + 0.3);
    assert!((found.z - (50.0 - n)).abs() < 1e-5, "{found:?}");
    // In the cell of the node without a value.
    assert!(converter.convert(Coordinate { x: 176.9, y: -39.1, z: 50.0 }).is_err());
}

#[test]
fn what_a_model_lacks_is_said() {
    let good = heights(Some(1), false);
    let mut cut = good.clone();
    cut.truncate(100);
    let mut wrong = good.clone();
    wrong[40] = 7;
    let mut steps = good.clone();
    steps[16..24].copy_from_slice(&0.0f64.to_le_bytes());
    for (from, files, says) in [
        ("EPSG:6318+EPSG:5703", vec![], "EPSG:9229] needs the file g2018u0.bin"),
        ("EPSG:6318+EPSG:5703", vec![("g2018u0.bin", cut)], "which it cannot hold"),
        ("EPSG:6318+EPSG:5703", vec![("g2018u0.bin", wrong)], "its header is not one"),
        ("EPSG:6318+EPSG:5703", vec![("g2018u0.bin", steps)], "its header is not one"),
        (
            "EPSG:4269+EPSG:5703",
            vec![("g2018u0.bin", good)],
            "the positions are on North American Datum 1983",
        ),
    ] {
        let (from, to) = (Crs::parse(from).unwrap(), Crs::parse("EPSG:6319").unwrap());
        let error = Converter::plan(&from, &to, &with_files(files)).unwrap_err();
        assert!(error.is_no_route() && error.to_string().contains(says), "{says}: {error}");
    }
}

#[test]
fn places_of_unknown_height_are_carried_as_they_lie_on_the_ellipsoid() {
    let options = with_files(vec![("g2018u0.bin", heights(Some(1), false))]);
    for (from, to) in [
        ("EPSG:6319", "EPSG:4979"),
        ("EPSG:6319", "EPSG:4326"),
        ("EPSG:6318+EPSG:5703", "EPSG:6319"),
        ("EPSG:6319", "EPSG:6318+EPSG:5703"),
        ("EPSG:6318+EPSG:5703", "EPSG:6318+EPSG:6360"),
    ] {
        let crs = |text| Crs::parse(text).unwrap();
        let converter = Converter::plan(&crs(from), &crs(to), &options).unwrap();
        let at = |z| converter.convert(Coordinate { x: -120.0, y: 47.4, z }).unwrap();
        let (unknown, ground) = (at(f64::NAN), at(0.0));
        assert!(unknown.z.is_nan(), "{from} to {to}: {unknown:?}");
        let off = (unknown.x - ground.x).hypot(unknown.y - ground.y);
        assert!(off < 1e-12, "{from} to {to}: {unknown:?} {ground:?}");
    }
}
