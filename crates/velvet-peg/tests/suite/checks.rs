//! Warnings before everyday mistakes hurt: what must be told, and what must not.

use std::fmt::Write;
use velvet_peg::course::GeodesicSolver;
use velvet_peg::look::{Look, LookOptions};
use velvet_peg::table::AppendOptions;
use velvet_peg::table::CoordinateColumns;
use velvet_peg::{BuildPoints, ConvertTable, Crs, Severity, look};

/// Twenty headgates in the Tumblewick district as longitude and latitude.
fn gates() -> Vec<(f64, f64)> {
    (0..20).map(|i| (-120.05 + 0.005 * f64::from(i), 47.40 + 0.002 * f64::from(i % 7))).collect()
}

fn table(rows: &[(f64, f64)]) -> String {
    let mut text = String::from("gate,lon,lat\n");
    for (number, (lon, lat)) in rows.iter().enumerate() {
        writeln!(text, "{number},{lon},{lat}").unwrap();
    }
    text
}

/// The warnings of building points from these rows in this system.
fn warnings(rows: &[(f64, f64)], crs: u32) -> Vec<String> {
    let folder = tempfile::tempdir().unwrap();
    let (input, output) = (folder.path().join("gates.csv"), folder.path().join("gates.gpkg"));
    std::fs::write(&input, table(rows)).unwrap();
    let build = BuildPoints::in_system(Crs::from_epsg(crs).unwrap());
    let outcome = build.run(&input, &output).unwrap();
    assert_eq!(outcome.out, rows.len() as u64, "warned rows are kept");
    outcome
        .notices
        .into_iter()
        .filter(|n| n.severity == Severity::Warning)
        .map(|n| n.text)
        .collect()
}

fn with(at: usize, x: f64, y: f64) -> Vec<(f64, f64)> {
    let mut rows = gates();
    rows[at] = (x, y);
    rows
}

fn scaled(factor: f64) -> Vec<(f64, f64)> {
    // State plane North in US survey feet, round about the district.
    (0..20)
        .map(|i| {
            (
                (1_835_000.0 + 900.0 * f64::from(i)) * factor,
                (152_000.0 + 300.0 * f64::from(i % 7)) * factor,
            )
        })
        .collect()
}

#[test]
fn good_data_is_left_in_peace() {
    assert_eq!(warnings(&gates(), 4326), [""; 0]);
    assert_eq!(warnings(&scaled(1.0), 2285), [""; 0]);
    // A long thin district, a single place, two places: nothing stands apart.
    let long: Vec<_> = (0..40).map(|i| (-121.0 + 0.05 * f64::from(i), 47.4)).collect();
    assert_eq!(warnings(&long, 4326), [""; 0]);
    assert_eq!(warnings(&gates()[..1], 4326), [""; 0]);
    assert_eq!(warnings(&[(-120.0, 47.4), (-119.0, 46.0)], 4326), [""; 0]);
}

#[test]
fn single_rows_that_stand_apart_are_named_with_their_likely_mistake() {
    let lost_minus = warnings(&with(4, 120.03, 47.41), 4326);
    assert_eq!(lost_minus.len(), 1, "{lost_minus:?}");
    assert!(
        lost_minus[0].contains("row 6 (120.03, 47.41)") && lost_minus[0].contains("sign turned"),
        "{lost_minus:?}"
    );

    let swapped = warnings(&with(9, 47.41, -80.0), 4326);
    assert!(swapped[0].contains("far from all others"), "{swapped:?}");

    let transposed = warnings(&with(19, -120.03, 74.41), 4326);
    assert!(
        transposed[0].contains("row 21") && transposed[0].contains("far from all others"),
        "{transposed:?}"
    );

    let mut feet = scaled(1.0);
    feet[3] = (feet[3].1, feet[3].0);
    let swapped = warnings(&feet, 2285);
    assert!(swapped[0].contains("row 5") && swapped[0].contains("swapped"), "{swapped:?}");
}

#[test]
fn many_rows_are_counted_and_a_few_named() {
    let mut rows: Vec<(f64, f64)> =
        (0..200).map(|i| (-120.05 + 0.0005 * f64::from(i), 47.4)).collect();
    for row in rows.iter_mut().take(9) {
        row.0 = -row.0;
    }
    let told = warnings(&rows, 4326);
    assert!(told[0].starts_with("9 rows would join"), "{told:?}");
    assert!(
        told[0].contains("row 2 ") && told[0].contains("row 6 ") && !told[0].contains("row 7 "),
        "{told:?}"
    );
    assert!(told[0].contains("and 4 more"), "{told:?}");
}

#[test]
fn whole_tables_in_the_wrong_unit_sign_or_order_are_told() {
    for (rows, crs, says) in [
        // Metres declared as feet: the middle falls far off, and feet would put it right.
        (
            scaled(0.304_800_609_601_219_2),
            2285,
            "taken as metres it would be inside: this system counts in US survey feet",
        ),
        (scaled(1.0), 32148, "taken as feet it would be inside: this system counts in metres"),
        (gates().iter().map(|(x, y)| (-x, *y)).collect(), 4269, "with the sign of x turned"),
        (
            scaled(1.0).iter().map(|(x, y)| (*y, *x)).collect(),
            2285,
            "with x and y swapped it would be inside",
        ),
    ] {
        let told = warnings(&rows, crs);
        assert!(told.iter().any(|text| text.contains(says)), "EPSG:{crs}: {told:?}");
        assert!(told.iter().any(|text| text.contains("outside the area where")), "{told:?}");
    }
}

#[test]
fn some_points_outside_the_area_of_use_are_counted() {
    let mut rows = gates();
    rows.truncate(7);
    rows.push((-135.0, 47.4));
    let told = warnings(&rows, 4269);
    assert!(!told.iter().any(|text| text.contains("the middle of the data (")), "{told:?}");
    let far = warnings(&with(2, -20.0, 47.4), 4269);
    assert!(
        far.iter()
            .any(|text| text.contains("1 point lies outside") || text.contains("far from all")),
        "{far:?}"
    );
}

#[test]
fn looking_warns_of_the_same_and_writes_nothing() {
    let folder = tempfile::tempdir().unwrap();
    let input = folder.path().join("gates.csv");
    std::fs::write(&input, table(&with(4, 120.03, 47.41))).unwrap();
    let Look::Table(found) = look(&input, &LookOptions::default()).unwrap() else {
        panic!("a table")
    };
    assert_eq!(found.degrees, Some(true));
    assert!(found.notices[0].text.contains("row 6"), "{:?}", found.notices);
    assert!(!found.notices[0].text.contains("kept as written"), "nothing is kept by looking");
    assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 1);

    // Ragged rows and odd headers.
    std::fs::write(&input, "gate,,gate,lat\n1,2,3,4\n1,2\n1,2,3,4,5\n").unwrap();
    let Look::Table(found) = look(&input, &LookOptions::default()).unwrap() else {
        panic!("a table")
    };
    let names: Vec<&str> = found.columns.iter().map(|column| column.name.as_str()).collect();
    assert_eq!(names, ["gate", "column_2", "gate_2", "lat"]);
    assert!(
        found.notices.iter().any(|n| n.text.contains("`column_2`, `gate_2`")),
        "{:?}",
        found.notices
    );
    assert!(
        found.notices.iter().any(|n| n.text.contains("2 rows have more or fewer fields")),
        "{:?}",
        found.notices
    );
    assert_eq!((found.x, found.degrees), (None, None));
}

#[test]
fn column_types_are_told_without_losing_codes() {
    let folder = tempfile::tempdir().unwrap();
    let input = folder.path().join("types.csv");
    let text = "whole,number,code,plus,long,mixed,blank,dotted\n\
                1,1.5,007,+5,12345678901234567890,1,,1.2.3\n\
                -20,2,010,+6,12345678901234567891,x,,4.5.6\n";
    std::fs::write(&input, text).unwrap();
    let Look::Table(found) = look(&input, &LookOptions::default()).unwrap() else {
        panic!("a table")
    };
    let kinds: Vec<&str> = found.columns.iter().map(|column| column.kind).collect();
    assert_eq!(kinds, ["whole number", "number", "text", "text", "text", "text", "blank", "text"]);
}

/// Data carried into the zone of another county or another continent.
#[test]
fn a_target_for_another_zone_is_warned_of() {
    let folder = tempfile::tempdir().unwrap();
    let input = folder.path().join("gates.csv");
    std::fs::write(&input, table(&gates())).unwrap();
    for (target, says) in [
        (2285, None),
        (32610, None),
        // The next UTM zone begins a kilometre away.
        (32611, None),
        (3857, None),
        // Its box reaches the district, its counties do not.
        (2286, Some("EPSG:2285 NAD83 / Washington North (ftUS) is the system of that zone")),
        (6599, Some("EPSG:6597 NAD83(2011) / Washington North (ftUS) is the system")),
        (32104, Some("not in Nebraska")),
        (32633, Some("outside the area where EPSG:32633")),
    ] {
        let convert = ConvertTable {
            columns: CoordinateColumns::default(),
            source: Crs::from_epsg(4326).unwrap(),
            target: Crs::from_epsg(target).unwrap(),
            way: velvet_peg::convert::Way::default(),
            decimals: None,
            packed: false,
            append: AppendOptions::default(),
        };
        let out = folder.path().join(format!("{target}.csv"));
        let (outcome, _) = convert.run(&input, &out).unwrap();
        let told: Vec<&str> = outcome.notices.iter().map(|n| n.text.as_str()).collect();
        match says {
            Some(says) => {
                assert!(told.iter().any(|text| text.contains(says)), "{target}: {told:?}")
            }
            None => assert!(!told.iter().any(|text| text.contains("middle")), "{target}: {told:?}"),
        }
    }
}

/// Grads from Paris are neither degrees nor from Greenwich: no false alarm, and true lengths.
#[test]
fn grads_from_paris_are_understood() {
    // Off Brest, west of Paris by more than the area of use has from Greenwich.
    assert!(warnings(&[(0.5, 52.0), (-7.4, 53.6), (0.6, 52.1)], 4807).is_empty());
    assert!(warnings(&[(600_000.0, 2_200_000.0), (100_000.0, 2_390_000.0)], 27572).is_empty());
    let far = warnings(&[(100.0, 52.0), (100.1, 52.0)], 4807);
    assert!(far[0].contains("latitude 46.8000°, longitude 92.3"), "{far:?}");
    let course = |code: u32, from: (f64, f64), to: (f64, f64)| {
        let maker = GeodesicSolver::new(&Crs::from_epsg(code).unwrap()).unwrap();
        let at = |(x, y)| maker.place(x, y).unwrap();
        maker.geodesic().inverse(at(from), at(to)).distance_m
    };
    let grads = course(4807, (0.0, 50.0), (1.0, 51.0));
    let degrees = course(4275, (0.0, 45.0), (0.9, 45.9));
    assert!((grads - degrees).abs() < 1e-6, "{grads} and {degrees}");
}
