//! What becomes of heights.

use velvet_peg_core::{Converter, Coordinate, Crs, PlanOptions};

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
