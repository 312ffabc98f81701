//! Parcels from the courses of deeds, with closures and areas that are known.

use std::collections::HashMap;
use std::path::Path;
use velvet_peg::features::{BuildCourses, BuildOptions};
use velvet_peg::measure::MeasureOptions;
use velvet_peg::{Advice, Crs, LayerReader, LengthUnit, Summary, measure};

fn texts(outcome: &Summary) -> String {
    outcome.notices.iter().map(|notice| notice.text.clone()).collect::<Vec<_>>().join("\n")
}

/// Areas of the features of a file, square metres on the grid.
fn areas(path: &Path) -> Vec<f64> {
    let reader = LayerReader::open(path, None).unwrap();
    let measures = measure(&reader, &MeasureOptions::default()).unwrap();
    measures.features.iter().map(|feature| feature.grid_area_m2.unwrap()).collect()
}

#[test]
fn closures_and_areas_are_those_of_forty_digits() {
    let data = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/data/build");
    let folder = tempfile::tempdir().unwrap();
    let mut known: HashMap<(String, String, bool), Vec<f64>> = HashMap::new();
    for row in csv::Reader::from_path(data.join("deeds-known.csv")).unwrap().records() {
        let row = row.unwrap();
        let numbers: Vec<f64> = row.iter().skip(3).map(|cell| cell.parse().unwrap()).collect();
        let [courses, dx, dy, perimeter, area, adjusted] = numbers[..] else { panic!("{row:?}") };
        for (adjust, area) in [(false, area), (true, adjusted)] {
            let key = (row[0].to_string(), row[1].to_string(), adjust);
            known.insert(key, vec![courses, dx, dy, perimeter, area]);
        }
    }
    // Each parcel begins at the same place, and says so itself.
    let deeds = folder.path().join("deeds.csv");
    let text = std::fs::read_to_string(data.join("deeds.csv")).unwrap();
    let with_start = |(n, line): (usize, &str)| match n {
        0 => format!("{line},start_x,start_y\n"),
        _ => format!("{line},1835000,155000\n"),
    };
    std::fs::write(&deeds, text.lines().enumerate().map(with_start).collect::<String>()).unwrap();
    let stacked = BuildCourses {
        group: vec!["parcel".into()],
        start: Some((1_835_000.0, 155_000.0)),
        ..BuildCourses::default()
    };
    let error = stacked.run(&deeds, &folder.path().join("stacked.gpkg"));
    let error = error.unwrap_err().to_string();
    assert!(error.contains("36 parcels") && error.contains("`start_x` and `start_y`"), "{error}");
    let mut compared = 0;
    for (factor, rotate, adjust) in [
        ("1.0", 0.0, false),
        ("1.0", 0.0, true),
        ("0.99987", -1.25, false),
        ("0.99987", -1.25, true),
    ] {
        let build =
            BuildOptions { crs: Some(Crs::from_epsg(2285).unwrap()), ..BuildOptions::default() };
        let courses = BuildCourses {
            group: vec!["parcel".into()],
            combined_factor: Some(factor.parse().unwrap()),
            rotate_deg: Some(rotate),
            adjust,
            build,
            ..BuildCourses::default()
        };
        let out = folder.path().join(format!("{factor}-{adjust}.gpkg"));
        let (outcome, closures) = courses.run(&deeds, &out).unwrap();
        assert_eq!((outcome.out, outcome.rejected.count), (36, 0));
        assert_eq!(outcome.vertices, Some(outcome.rows_in));
        let foot = 1200.0 / 3937.0;
        for (closure, written) in closures.iter().zip(areas(&out)) {
            let key = (closure.name.clone(), factor.to_string(), adjust);
            let [courses, dx, dy, perimeter, area] = known[&key][..] else { panic!("{key:?}") };
            assert_eq!(closure.courses as f64, courses, "{key:?}");
            let found = &closure.misclosure;
            // A hundred-millionth of a foot, though coordinates are in the millions.
            for (found, wanted) in [
                (found.dx, dx),
                (found.dy, dy),
                (found.length, dx.hypot(dy)),
                (found.perimeter, perimeter),
            ] {
                assert!((found - wanted).abs() < 1e-8, "{key:?}: {found} for {wanted}");
            }
            // To the square centimetre: a thousandth of a square foot.
            assert!((closure.area - area).abs() < 1e-4, "{key:?}: {} for {area}", closure.area);
            let written = written / foot / foot;
            assert!((written - area).abs() < 1e-3, "{key:?}: {written} for {area} in the file");
            compared += 1;
        }
    }
    assert_eq!(compared, 4 * 36);
}

/// Rows of courses, the unit, the area in the grid's square units, the misclosure.
const DEEDS: &[(&str, &str, f64, f64)] = &[
    ("N 0 E,100\nN 90 E,50\nS 0 E,100\nS 90 W,50\n", "m", 5_000.0, 0.0),
    // The same the other way round, by azimuths.
    ("90,50\n0,100\n270,50\n180,100\n", "m", 5_000.0, 0.0),
    (
        "N 45-00-00 E,10 chUS\nS 45 E,10 chUS\nS 45 W,10 chUS\nN 45 W,10 chUS\n",
        "ftUS",
        435_600.0,
        0.0,
    ),
    (
        "N 0 E,328.0833333333\nN 90 E,100 m\nS 0 E,100 m\nS 90 W,100 m\n",
        "ftUS",
        107_638.673_611_1,
        4e-10,
    ),
    ("N 0 E,100\nN 90 E,100\nS 0 E,100\nS 90 W,99.5\n", "m", 10_000.0, 0.5),
];

#[test]
fn deeds_close_as_reckoned_by_hand() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    for (number, (rows, unit, area, miss)) in DEEDS.iter().enumerate() {
        let table = at(&format!("{number}.csv"));
        std::fs::write(&table, format!("bearing,distance\n{rows}")).unwrap();
        let code = if *unit == "m" { 32610 } else { 2285 };
        let build =
            BuildOptions { crs: Some(Crs::from_epsg(code).unwrap()), ..BuildOptions::default() };
        let courses = BuildCourses { start: Some((6e5, 1.5e5)), build, ..BuildCourses::default() };
        let out = at(&format!("{number}.gpkg"));
        let (_, closures) = courses.run(&table, &out).unwrap();
        let found = &closures[0];
        assert!((found.misclosure.length - miss).abs() < 1e-6, "{number}: {:?}", found.misclosure);
        assert!((found.area / area - 1.0).abs() < 1e-11, "{number}: {}", found.area);
        // The polygon in the file has the area that is told.
        let metres = found.unit.unwrap().metres();
        let written = areas(&out)[0];
        assert!((written - found.area * metres * metres).abs() < 1e-4, "{number}: {written}");
    }
}

#[test]
fn deeds_tell_what_is_missing_or_misread() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let run = |text: &str, change: &dyn Fn(&mut BuildCourses)| {
        std::fs::write(at("d.csv"), text).unwrap();
        let mut courses = BuildCourses { group: vec!["p".into()], ..BuildCourses::default() };
        courses.build.write.overwrite = true;
        change(&mut courses);
        courses.run(&at("d.csv"), &at("d.gpkg"))
    };
    let square = "p,bearing,distance,radius,delta,turn\nA,N 0 E,100,,,\nA,N 80 E,50,,,\nA,S 0 E,100,,,\nA,S 80 E,50,,,\n";
    let (outcome, _) = run(square, &|_| {}).unwrap();
    let told = texts(&outcome);
    assert!(told.contains("misses closing by 98.481") && told.contains("in row 5"), "{told}");
    let rows = "p,bearing,distance,radius,delta,turn\nA,N 0 E,100,,,\nA,,,50,90,R\nA,S 0 E,50,,,\nB,N 0 E,100 ft,,,\nC,N 0 E,9,,,\nC,,,5,90,\nD,,,5,90,L\nE,N 0 E,5,,,\nE,N 90 E,7.9,5,90,R\nE,S 0 E,5,,,\n";
    let (outcome, closures) = run(rows, &|_| {}).unwrap();
    assert_eq!(closures.iter().map(|c| c.name.as_str()).collect::<Vec<_>>(), ["A", "E"]);
    let rejects = std::fs::read_to_string(at("d.gpkg.rejects.csv")).unwrap();
    for wanted in [
        "write ftUS (US survey) or ft-intl",
        "needs its turn, left or right",
        "goes on from the course before it, and there is none",
    ] {
        assert!(rejects.contains(wanted), "{rejects}");
    }
    let told = texts(&outcome);
    assert!(told.contains("has an arc of 7.854, which the table's misses by 0.046"), "{told}");
    assert!(told.contains("bends off the course before it by 45.000°"), "{told}");
    assert_eq!(outcome.rows_in, outcome.vertices.unwrap() + outcome.rejected.count);
    // What is in no unit is not mixed with what names one.
    let mixed = "p,bearing,distance\nA,N 0 E,100\nA,N 90 E,100\nA,S 45 W,141.42\nB,N 0 E,100 m\n";
    let (outcome, closures) = run(mixed, &|_| {}).unwrap();
    assert_eq!((closures.len(), closures[0].unit, outcome.rejected.count), (1, None, 1));
    let rejects = std::fs::read_to_string(at("d.gpkg.rejects.csv")).unwrap();
    assert!(
        rejects.contains("nothing says which unit or reference system the parcel is to be in"),
        "{rejects}"
    );
    assert_eq!(outcome.rejected.first[0].1.advice, Some(Advice::StateSystemOrUnit));
    // A second start within a parcel is most likely a second parcel.
    let starts = "p,bearing,distance,e,n\nA,N 0 E,100,5,6\nA,N 90 E,100,,\nA,S 45 W,141.42,,\nB,N 0 E,9,70,80\n";
    let (outcome, _) = run(starts, &|courses| {
        courses.group = Vec::new();
        courses.start_columns = Some(("e".into(), "n".into()));
    })
    .unwrap();
    let told = texts(&outcome);
    assert!(told.contains("row 5 says that a parcel begins at 70, 80"), "{told}");
    // Neither a parcel without a name nor a comma in a distance is guessed at.
    let rows = "p,bearing,distance\nA,N 0 E,100\nA,N 90 E,100\nA,S 45 W,141.42\n,N 0 E,5\nB,N 0 E,\"125,50\"\n";
    let (outcome, closures) = run(rows, &|_| {}).unwrap();
    assert_eq!((closures.len(), outcome.rejected.count), (1, 2));
    let rejects = std::fs::read_to_string(at("d.gpkg.rejects.csv")).unwrap();
    for wanted in
        ["column `p`, which tells parcels apart, is blank", "write distances with a decimal point"]
    {
        assert!(rejects.contains(wanted), "{rejects}");
    }
    // Ground distances come to the grid; a rotation turns the bearings.
    let metre = "p,bearing,distance\nA,N 0 E,100\nA,N 90 E,100\nA,S 0 E,100\nA,S 90 W,100\n";
    let (_, closures) = run(metre, &|courses| {
        courses.combined_factor = Some(0.9999);
        courses.rotate_deg = Some(45.0);
        courses.unit = Some(LengthUnit::named("chUS").unwrap());
    })
    .unwrap();
    assert_eq!(closures[0].unit, Some(LengthUnit::named("chUS").unwrap()));
    let side = 100.0 * 0.9999;
    assert!((closures[0].area / (side * side) - 1.0).abs() < 1e-12);
    assert!((closures[0].legs[0].azimuth_deg - 45.0).abs() < 1e-12);
    for (change, why) in [
        (
            (&|c: &mut BuildCourses| c.build.crs = Some(Crs::from_epsg(4326).unwrap()))
                as &dyn Fn(&mut BuildCourses),
            "run on a plane grid",
        ),
        (&|c| c.build.crs = Some(Crs::from_epsg(32610).unwrap()), "where the first course begins"),
        (&|c| c.combined_factor = Some(99.0), "near 1"),
        (&|c| c.columns.bearing = Some("course".into()), "no column `course`"),
    ] {
        let error = run(metre, change).unwrap_err().to_string();
        assert!(error.contains(why), "{error}");
    }
}
