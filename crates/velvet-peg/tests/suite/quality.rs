//! Quality sheets: the trade's everyday mistakes are found, with figures, and nothing else.

use std::path::{Path, PathBuf};
use velvet_peg::check::{CheckOptions, CheckReport, Place, sheets_as_markdown};
use velvet_peg::{BuildPoints, Crs, Geometry, Layer, Severity, check};

/// A little cloud of points near 47.41° N, 120.02° W, in degrees to seven digits.
fn cloud() -> Vec<(f64, f64)> {
    (0..40)
        .map(|n| {
            let (i, j) = (f64::from(n % 8), f64::from(n / 8));
            let x = -120.0200013 + 0.0012345 * i + 0.0000777 * j;
            let y = 47.4100017 + 0.0023456 * j + 0.0001111 * i;
            ((x * 1e7).round() / 1e7, (y * 1e7).round() / 1e7)
        })
        .collect()
}

struct Bench(tempfile::TempDir);

impl Bench {
    fn layer(&self, name: &str, crs: Option<u32>, points: &[(f64, f64)]) -> PathBuf {
        // What is pushed to a layer in degrees has to be degrees: declared behind that, it need not.
        let mut layer = Layer::new(name, None);
        for (number, at) in points.iter().enumerate() {
            let id = number as i64 + 1;
            layer.push(Geometry::Point(*at), [("id", id.into())]).unwrap();
        }
        crs.into_iter().for_each(|code| layer.declare(Crs::from_epsg(code).unwrap()));
        let path = self.0.path().join(format!("{name}.gpkg"));
        let _ = std::fs::remove_file(&path);
        layer.write(&path).unwrap();
        path
    }

    fn check(&self, files: &[PathBuf], options: &CheckOptions) -> CheckReport {
        check(files, options).unwrap()
    }
}

fn findings(report: &CheckReport) -> Vec<(Severity, String)> {
    let own = report.sheets.iter().flat_map(|sheet| &sheet.findings);
    let between = report.agreement.iter().flat_map(|agreement| &agreement.findings);
    own.chain(between).map(|finding| (finding.level, finding.text.clone())).collect()
}

/// What is done to the points of a layer, and what a sheet of it has to say.
type Mistake = (&'static str, fn(usize, (f64, f64)) -> (f64, f64), Option<&'static str>);

#[test]
fn mistakes_within_a_layer_are_found() {
    let bench = Bench(tempfile::tempdir().unwrap());
    let cases: &[Mistake] = &[
        ("as it is", |_, at| at, None),
        (
            "a lost minus",
            |n, (x, y)| if n == 17 { (-x, y) } else { (x, y) },
            Some(
                "1 vertex would join the others with the sign turned (a lost minus or W?): feature 18",
            ),
        ),
        (
            "swapped in three rows",
            |n, (x, y)| if n < 3 { (y, x) } else { (x, y) },
            Some("3 vertices would join the others with the coordinates swapped: feature 1"),
        ),
        (
            "one stray point",
            |n, (x, y)| if n == 5 { (x + 3.0, y) } else { (x, y) },
            Some("1 vertex lies far from all others: feature 6 (-117"),
        ),
        (
            "zeros for missing",
            |n, at| if n == 9 { (0.0, 0.0) } else { at },
            Some("1 coordinate is exactly 0: zeros for missing values? feature 10 at 0, 0"),
        ),
        (
            "mixed precision",
            |n, (x, y)| {
                if n < 4 { ((x * 1e3).round() / 1e3, (y * 1e3).round() / 1e3) } else { (x, y) }
            },
            Some("mixed precision: 4 of 40 vertices have"),
        ),
        (
            "the same place twice",
            |n, (x, y)| if n == 30 { (-120.0200013, 47.4100017) } else { (x, y) },
            Some("1 feature has the same geometry as one before it: features 1 and 31"),
        ),
    ];
    for (name, change, wanted) in cases {
        let points: Vec<(f64, f64)> =
            cloud().into_iter().enumerate().map(|(n, at)| change(n, at)).collect();
        let file = bench.layer("points", Some(4326), &points);
        let found = findings(&bench.check(&[file], &CheckOptions::default()));
        match wanted {
            None => assert!(found.is_empty(), "{name}: {found:?}"),
            Some(wanted) => {
                assert!(
                    found.iter().any(|(_, text)| text.starts_with(wanted)),
                    "{name}: {found:?}"
                );
            }
        }
    }
}

/// Where zeros at the end are not written, one number of a thousand has three decimals less: that is no mistake; more
/// than that are one.
#[test]
fn round_numbers_by_chance_are_no_mistake() {
    let bench = Bench(tempfile::tempdir().unwrap());
    let along = |n: usize| ((-1_200_000 + n as i64) as f64 / 1e4, 47.5);
    let coarse = |n: usize| ((-1200 + (n % 40) as i64) as f64 / 10.0, (471 + n / 40) as f64 / 10.0);
    for (changed, wanted) in [(0, None), (160, Some("mixed precision: 199 of 40000 vertices have"))]
    {
        let points: Vec<(f64, f64)> =
            (0..40_000).map(|n| if n < changed { coarse(n) } else { along(n) }).collect();
        let found = findings(
            &bench.check(&[bench.layer("stations", Some(4326), &points)], &CheckOptions::default()),
        );
        let told = found.iter().find(|(_, text)| text.starts_with("mixed precision"));
        match wanted {
            None => assert!(told.is_none(), "{told:?}"),
            Some(wanted) => {
                assert!(told.is_some_and(|(_, text)| text.starts_with(wanted)), "{told:?}")
            }
        }
    }
}

#[test]
fn layers_that_lie_elsewhere_are_told_what_would_bring_them_home() {
    let bench = Bench(tempfile::tempdir().unwrap());
    let home = bench.layer("home", Some(4326), &cloud());
    let near = bench.layer("near", Some(4269), &cloud());
    let carried = |code: u32| -> Vec<(f64, f64)> {
        let to = Crs::from_epsg(code).unwrap();
        let layer = Layer::read(&home).unwrap().convert(&to).unwrap();
        layer.features().map(|f| f.vertices()[0]).collect()
    };
    let utm11 = carried(32611);
    let feet = carried(2285);
    let metres: Vec<(f64, f64)> = feet.iter().map(|(x, y)| (x * 0.3048, y * 0.3048)).collect();
    let packed = |value: f64| {
        let (degrees, rest) = (value.abs().trunc(), value.abs().fract() * 60.0);
        let seconds = ((rest.fract() * 60.0 * 100.0).round() / 100.0).min(59.99);
        (degrees + rest.trunc() / 100.0 + seconds / 10_000.0).copysign(value)
    };
    let minutes = |value: f64| {
        let (degrees, rest) = (value.abs().trunc(), value.abs().fract() * 60.0);
        (degrees + rest / 100.0).copysign(value)
    };
    let map = |f: &dyn Fn(f64, f64) -> (f64, f64)| -> Vec<(f64, f64)> {
        cloud().into_iter().map(|(x, y)| f(x, y)).collect()
    };
    type Case = (&'static str, Option<u32>, Vec<(f64, f64)>, &'static str);
    let cases: Vec<Case> = vec![
        ("swapped", Some(4326), map(&|x, y| (y, x)), "x and y swapped"),
        ("lost minus", Some(4326), map(&|x, y| (-x, y)), "the sign of x turned"),
        ("hemisphere", Some(4326), map(&|x, y| (x, -y)), "the sign of y turned"),
        ("zone next door", Some(32610), utm11, "declared as EPSG:32611"),
        ("no system", None, feet.clone(), "declared as EPSG:2285"),
        ("metres for feet", Some(2285), metres, "its numbers taken as metres"),
        ("feet for metres", Some(32148), feet.clone(), "its numbers taken as"),
        (
            "minutes",
            Some(4326),
            map(&|x, y| (minutes(x), minutes(y))),
            "degrees and minutes (DD.MMm)",
        ),
        ("packed", Some(4326), map(&|x, y| (packed(x), packed(y))), "seconds (DD.MMSS)"),
    ];
    for (name, crs, points, wanted) in cases {
        let odd = bench.layer("odd", crs, &points);
        let report = bench.check(&[home.clone(), odd, near.clone()], &CheckOptions::default());
        let agreement = report.agreement.as_ref().unwrap();
        assert_eq!(agreement.elsewhere.len(), 1, "{name}: {:?}", findings(&report));
        let stray = &agreement.elsewhere[0];
        assert_eq!(stray.layer, "odd", "{name}");
        let first: Vec<&str> = stray.hypotheses.iter().map(|(text, _)| text.as_str()).collect();
        assert!(first.iter().any(|text| text.contains(wanted)), "{name}: {first:?}");
        assert!(!report.passes(), "{name}");
        assert!(agreement.overlapping.contains(&("home".into(), "near".into())), "{name}");
    }
    // Layers that belong together do not lie elsewhere.
    let report = bench.check(&[home, near], &CheckOptions::default());
    assert!(report.passes() && report.agreement.unwrap().elsewhere.is_empty());
}

#[test]
fn minutes_and_seconds_behind_the_point_betray_themselves() {
    let bench = Bench(tempfile::tempdir().unwrap());
    let points: Vec<(f64, f64)> = (0..60)
        .map(|n| {
            let (m, s) = (f64::from(n % 60), f64::from(n * 37 % 60));
            (-120.0 - m / 100.0 - s / 10_000.0, 47.0 + s / 100.0 + m / 10_000.0)
        })
        .collect();
    let file = bench.layer("packed", Some(4326), &points);
    let found = findings(&bench.check(&[file], &CheckOptions::default()));
    assert!(found.iter().any(|(_, text)| text.contains("never go beyond 59")), "{found:?}");
}

#[test]
fn gates_hold_what_is_asked_of_them() {
    let bench = Bench(tempfile::tempdir().unwrap());
    velvet_peg::demo::lay_out(bench.0.path(), false).unwrap();
    let fields = bench.0.path().join("fields.geojson");
    let name = |text: &str| vec![text.to_string()];
    let cases: Vec<(CheckOptions, Option<&str>)> = vec![
        (CheckOptions::default(), None),
        (CheckOptions { key: name("field"), ..CheckOptions::default() }, None),
        (
            CheckOptions { key: name("ditch"), ..CheckOptions::default() },
            Some("ditch is not unique: 8 again: T-1 (features 1 and 2)"),
        ),
        (
            CheckOptions { key: vec!["field".into(), "ditch".into()], ..CheckOptions::default() },
            None,
        ),
        (CheckOptions { complete: name("crop"), ..CheckOptions::default() }, None),
        (CheckOptions { count: Some(16), ..CheckOptions::default() }, None),
        (
            CheckOptions { count: Some(17), ..CheckOptions::default() },
            Some("16 features, where 17 are expected"),
        ),
        (
            CheckOptions {
                expected: Some(Crs::from_epsg(4326).unwrap()),
                ..CheckOptions::default()
            },
            None,
        ),
        (
            CheckOptions {
                expected: Some(Crs::from_epsg(2285).unwrap()),
                ..CheckOptions::default()
            },
            Some("it is in EPSG:4326"),
        ),
    ];
    for (options, wanted) in cases {
        let report = bench.check(std::slice::from_ref(&fields), &options);
        assert_eq!(report.passes(), wanted.is_none(), "{options:?}");
        if let Some(wanted) = wanted {
            let found = findings(&report);
            assert!(found.iter().any(|(_, text)| text.starts_with(wanted)), "{found:?}");
        }
    }
    let error = check(&[fields], &CheckOptions { key: name("nix"), ..CheckOptions::default() });
    assert!(error.unwrap_err().to_string().contains("no column `nix`"));
    // A table is checked as the points that it makes; its rejects are faults.
    let gates = bench.0.path().join("headgates.csv");
    let options = CheckOptions {
        crs: Some(Crs::from_epsg(4326).unwrap()),
        complete: name("remark"),
        ..CheckOptions::default()
    };
    let report = bench.check(&[gates], &options);
    let found = findings(&report);
    assert_eq!((report.sheets[0].features, report.sheets[0].unreadable), (36, 4));
    assert!(found[0].1.starts_with("4 rows have no coordinates"), "{found:?}");
    assert!(found.iter().any(|(_, text)| text.starts_with("remark is blank in 36 of 36")));
}

#[test]
fn numbers_that_stand_for_nothing_are_told_only_beyond_the_others() {
    let bench = Bench(tempfile::tempdir().unwrap());
    let rows = |numbers: &[f64]| -> Vec<String> {
        let mut layer = Layer::new("wells", Some(Crs::from_epsg(4326).unwrap()));
        for (at, number) in numbers.iter().enumerate() {
            let place = cloud()[at % 40];
            layer.push(place, [("depth", (*number).into())]).unwrap();
        }
        let path = bench.0.path().join("wells.gpkg");
        let _ = std::fs::remove_file(&path);
        layer.write(&path).unwrap();
        let found = findings(&bench.check(&[path], &CheckOptions::default()));
        found.into_iter().map(|(_, text)| text).filter(|text| text.contains("stands")).collect()
    };
    let counted: Vec<f64> = (0..30).map(|at| 9_985.0 + f64::from(at)).collect();
    assert_eq!(rows(&counted), [""; 0], "a number among its neighbours");
    let told = |text: &str| vec![format!("depth: {text}: is it for a missing value?")];
    assert_eq!(rows(&[12.5, -9999.0, 30.0, -9999.0]), told("-9999 stands 2 times"));
    assert_eq!(rows(&[120.0, 9999.0, 340.0]), told("9999 stands 1 times"));
    assert_eq!(rows(&[-999.0, -999.0]), told("-999 stands 2 times"));
}

#[test]
fn geometries_that_are_not_valid_are_counted_with_their_place() {
    let bench = Bench(tempfile::tempdir().unwrap());
    let mut layer = Layer::new("bad", Some(Crs::from_epsg(32610).unwrap()));
    let ring = |points: &[(f64, f64)]| -> Geometry {
        Geometry::Polygon(vec![points.iter().map(|(x, y)| (6e5 + x, 5.25e6 + y)).collect()])
    };
    for (geometry, stand_in) in [
        (ring(&[(0.0, 0.0), (9.0, 0.0), (9.0, 9.0)]), 1.5),
        (ring(&[(0.0, 0.0), (2.0, 2.0), (2.0, 0.0), (0.0, 1.0)]), -9999.0),
        (ring(&[(0.0, 0.0), (9.0, 0.0), (9.0, 9.0), (9.0, 12.0), (9.0, 9.0)]), 2.5),
    ] {
        layer.push(geometry, [("area", stand_in.into()), ("note", " x".into())]).unwrap();
    }
    let path = bench.0.path().join("bad.gpkg");
    layer.write(&path).unwrap();
    let report = bench.check(&[path], &CheckOptions::default());
    let sheet = &report.sheets[0];
    assert_eq!((sheet.features, sheet.invalid, sheet.duplicate_geometries), (3, 1, 0));
    let found = findings(&report);
    for wanted in [
        "crosses or touches itself: 1 (feature 2 at 600000.667, 5250000.667)",
        "spike: 1 (feature 3 at 600009, 5250012)",
        "area: -9999 stands 1 times: is it for a missing value?",
        "note: 3 values have blanks at their ends",
    ] {
        assert!(found.iter().any(|(_, text)| text.starts_with(wanted)), "{wanted}: {found:?}");
    }
    // Where they are, for a map.
    let places: Vec<&Place> = sheet.findings.iter().flat_map(|finding| &finding.places).collect();
    let at = |feature| places.iter().find(|place| place.feature == feature).unwrap();
    assert!((at(2).x - 600_000.667).abs() < 0.001 && (at(2).y - 5_250_000.667).abs() < 0.001);
    assert_eq!((at(3).x, at(3).y), (600_009.0, 5_250_012.0));
    let markdown = sheets_as_markdown(&report);
    assert!(markdown.contains("Result: **does not pass**"), "{markdown}");
    assert!(markdown.contains(
        "| reference system | EPSG:32610 WGS 84 / UTM zone 10N (stated in the file; metres) |"
    ));
}

#[test]
fn coordinates_in_feet_are_told_what_the_other_foot_would_make_of_them() {
    let folder = tempfile::tempdir().unwrap();
    velvet_peg::demo::lay_out(folder.path(), false).unwrap();
    let out: PathBuf = folder.path().join("weirs.gpkg");
    let points = BuildPoints::in_system(Crs::from_epsg(2285).unwrap());
    points.run(&Path::new(folder.path()).join("old-weirs.csv"), &out).unwrap();
    let report = check(&[out], &CheckOptions::default()).unwrap();
    // 1.85 million feet and 2 parts in a million; a fact, not a finding.
    let lines = report.sheets[0].lines();
    let told = |(label, text): &(&str, String)| {
        *label == "coordinates count"
            && text == "US survey feet; as international feet they would lie 1.13 m away"
    };
    assert!(lines.iter().any(told), "{lines:?}");
    assert_eq!(findings(&report), []);
}

/// Features of one geometry are found wherever they stand, among so many that they are put in order on disk.
#[test]
fn doubles_are_found_among_many() {
    const MANY: u32 = 140_000;
    let mut layer = Layer::new("stakes", Some(Crs::from_epsg(32610).unwrap()));
    let stake = |number: u32| {
        (500_000.25 + f64::from(number % 400), 5_200_000.25 + f64::from(number / 400))
    };
    // Feature number, and the feature whose place it has.
    let again = [(9, 2), (70_000, 1), (70_001, 9), (139_999, 139_998), (140_000, 70_000)];
    let mut places: Vec<(f64, f64)> = (0..MANY).map(stake).collect();
    for (number, first) in again {
        places[number - 1] = places[first - 1];
    }
    for place in &places {
        layer.push(*place, [("kind", "stake".into())]).unwrap();
    }
    let sheet = layer.check(&CheckOptions::default()).unwrap();
    assert_eq!((sheet.features, sheet.duplicate_geometries), (MANY.into(), 5));
    let found = sheet.findings.iter().find(|one| one.text.contains("same geometry")).unwrap();
    let listed = "2 and 9; 1 and 70000; 2 and 70001; 139998 and 139999; 1 and 140000";
    assert!(found.text.ends_with(&format!("features {listed}")), "{}", found.text);
    let told: Vec<(u64, f64, f64)> =
        found.places.iter().map(|at| (at.feature, at.x, at.y)).collect();
    let wanted =
        again.map(|(number, _)| (number as u64, places[number - 1].0, places[number - 1].1));
    assert_eq!(told, wanted);
}
