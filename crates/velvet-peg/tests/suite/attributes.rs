//! Columns shaped, joined by key, and taken over from polygons.

use std::path::Path;
use velvet_peg::join::JoinTable;
use velvet_peg::measure::{MeasureColumns, MeasureOptions, feature_legs};
use velvet_peg::select::{NumberText, PlaceColumns};
use velvet_peg::tag::TagPoints;
use velvet_peg::{
    Advice, AreaUnit, ConvertLayer, Crs, Geometry, Layer, LayerReader, LengthUnit, Selection,
    Value, WriteOptions, measure,
};

fn gates() -> Layer {
    let mut layer = Layer::new("gates", Some(Crs::from_epsg(32610).unwrap()));
    for (x, name, cfs) in [(1.0, "007", 1234.5678), (5.0, "G-2", 2.0), (15.0, "G-03", 0.25)] {
        let at = Geometry::Point((600_000.0 + x, 5_250_000.0 + x));
        layer.push(at, [("gate", name.into()), ("cfs", cfs.into()), ("n", 7.into())]).unwrap();
    }
    layer
}

fn reader(layer: &Layer) -> LayerReader {
    LayerReader::of_layer(layer, Path::new("code"))
}

fn values(path: &Path, column: &str) -> Vec<Value> {
    Layer::read(path).unwrap().features().map(|f| f.value(column).unwrap()).collect()
}

fn columns(path: &Path) -> Vec<String> {
    let layer = Layer::read(path).unwrap();
    layer.info().schema.fields().iter().map(|f| f.name().clone()).collect()
}

#[test]
fn columns_are_shaped_in_the_order_that_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let out = folder.path().join("out.gpkg");
    let place = |text: &str| PlaceColumns::parse(text, Path::new("")).unwrap().0;
    let select = Selection {
        condition: Some("cfs < 2000".into()),
        set: vec!["double = cfs * 2".into()],
        constant: vec![("district".into(), "Tumblewick".into()), ("year".into(), "2026".into())],
        coordinates: vec![place("x,y:1"), place("EPSG:4326:lon,lat:6")],
        drop: vec!["n".into()],
        first: vec!["district".into(), "gate".into()],
        rename: vec![("cfs".into(), "flow".into())],
        round: vec![("double".into(), 1)],
        format: vec![("flow".into(), NumberText { decimals: 2, thousands: Some(',') })],
        ..Selection::default()
    };
    let convert = ConvertLayer { select, ..ConvertLayer::default() };
    convert.run(&reader(&gates()), &out).unwrap();
    assert_eq!(
        columns(&out),
        ["district", "gate", "flow", "double", "year", "x", "y", "lon", "lat"]
    );
    assert_eq!(values(&out, "flow"), ["1,234.57".into(), "2.00".into(), Value::from("0.25")]);
    assert_eq!(values(&out, "double"), [2469.1.into(), 4.0.into(), Value::from(0.5)]);
    assert_eq!(values(&out, "year")[0], 2026.into());
    assert_eq!(values(&out, "x")[0], 600_001.0.into());
    let Value::Real(lon) = values(&out, "lon")[0] else { panic!("a number") };
    assert!((-121.7..-121.6).contains(&lon) && (lon * 1e6).fract().abs() < 1e-3, "{lon}");
}

#[test]
fn columns_go_by_their_names_before_or_after_renaming() {
    let folder = tempfile::tempdir().unwrap();
    for name in ["cfs", "flow"] {
        let named = |other: &str| vec![name.to_string(), other.to_string()];
        let plain = || Selection {
            rename: vec![("cfs".into(), "flow".into())],
            round: vec![(name.to_string(), 0)],
            ..Selection::default()
        };
        let kept = Selection { keep: named("gate"), ..plain() };
        let first = Selection { first: named("n"), ..plain() };
        for (select, wanted) in [(kept, vec!["flow", "gate"]), (first, vec!["flow", "n", "gate"])] {
            let out = folder.path().join(format!("{name}{}.gpkg", wanted.len()));
            let convert = ConvertLayer { select, ..ConvertLayer::default() };
            convert.run(&reader(&gates()), &out).unwrap();
            assert_eq!(columns(&out), wanted, "{name}");
            assert_eq!(values(&out, "flow")[0], 1235.into(), "{name}");
        }
    }
}

#[test]
fn shapes_that_make_no_sense_are_refused() {
    let folder = tempfile::tempdir().unwrap();
    let out = folder.path().join("out.gpkg");
    let name = |text: &str| text.to_string();
    for (select, why) in [
        (Selection { drop: vec![name("nix")], ..Selection::default() }, "no column `nix`"),
        (
            Selection { keep: vec![name("n")], drop: vec![name("cfs")], ..Selection::default() },
            "either kept or dropped",
        ),
        (
            Selection { rename: vec![(name("cfs"), name("GATE"))], ..Selection::default() },
            "two columns would be called `GATE`",
        ),
        (Selection { round: vec![(name("gate"), 1)], ..Selection::default() }, "holds no numbers"),
    ] {
        let convert = ConvertLayer { select, ..ConvertLayer::default() };
        let error = convert.run(&reader(&gates()), &out).unwrap_err().to_string();
        assert!(error.contains(why), "{error}");
        assert!(!out.exists());
    }
    for text in ["EPSG:32611", "a", "EPSG:32611:a", "EPSG:9:a,b", "a,b,c,d"] {
        assert!(PlaceColumns::parse(text, Path::new("")).is_err(), "{text}");
    }
    for text in ["", "x", ",", "99", ",,2"] {
        assert!(NumberText::parse(text).is_err(), "{text}");
    }
}

/// Keys of the table, loose or not, many or not: features out, and what the error says.
#[test]
fn keys_meet_as_the_report_says() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let rows =
        "key,owner,cfs\n7,Quill,1\nG-2,Ashby,2\nG-2,Drewe,3\ng-3 ,Vane,4\nX,Nobody,5\n,Blank,6\n";
    std::fs::write(at("t.csv"), rows).unwrap();
    let join = JoinTable {
        key: "gate".into(),
        table_key: Some("key".into()),
        write: WriteOptions { overwrite: true, ..WriteOptions::default() },
        ..JoinTable::default()
    };
    let report = join.report(&reader(&gates()), &at("t.csv")).unwrap();
    assert_eq!((report.features, report.features_met, report.rows, report.rows_met), (3, 1, 6, 2));
    assert_eq!((report.features_unmet.count, report.rows_unmet.count), (2, 3));
    assert_eq!((report.features_blank, report.rows_blank), (0, 1));
    assert_eq!(report.duplicates_met.first, ["G-2"]);
    assert_eq!(
        report.near,
        [
            ("007".to_string(), "7".to_string(), "leading zeros"),
            ("G-03".to_string(), "g-3".to_string(), "leading zeros"),
        ]
    );
    let run = |join: &JoinTable| join.run(reader(&gates()), &at("t.csv"), &at("out.gpkg"));
    let error = run(&join).unwrap_err();
    assert!(error.to_string().contains("G-2"), "{error}");
    assert_eq!(error.advice(), Some(&Advice::ManyRows));
    let many = JoinTable { many: true, ..join.clone() };
    let (outcome, _) = run(&many).unwrap();
    assert_eq!((outcome.rows_in, outcome.out), (3, 4));
    assert_eq!(columns(&at("out.gpkg")), ["gate", "cfs", "n", "owner", "cfs_2"]);
    let null = Value::Null;
    assert_eq!(
        values(&at("out.gpkg"), "owner"),
        [null.clone(), "Ashby".into(), "Drewe".into(), null.clone()]
    );
    let loose = JoinTable {
        loose: true,
        columns: vec!["owner".into()],
        prefix: Some("register_".into()),
        ..many.clone()
    };
    let (_, report) = run(&loose).unwrap();
    assert_eq!((report.features_met, report.near_count), (3, 0));
    assert_eq!(
        values(&at("out.gpkg"), "register_owner"),
        ["Quill".into(), "Ashby".into(), "Drewe".into(), Value::from("Vane")]
    );
    let matched = JoinTable { matched_only: true, ..many };
    let (outcome, _) = run(&matched).unwrap();
    assert_eq!((outcome.rows_in, outcome.left_out, outcome.out), (3, 2, 2));
    // Nothing meets: an error that says what the keys look like.
    std::fs::write(at("t.csv"), "gate,a\n8,1\n").unwrap();
    let nothing = JoinTable { key: "gate".into(), ..JoinTable::default() };
    let error = run(&nothing).unwrap_err().to_string();
    assert!(
        error.contains("no key of the layer is in the table") && error.contains("007"),
        "{error}"
    );
    // Decimals are not leading zeros.
    std::fs::write(at("t.csv"), "gate,a\n1.05,1\n").unwrap();
    let mut numbers = Layer::new("n", None);
    numbers.push(Geometry::Point((0.0, 0.0)), [("gate", "1.5".into())]).unwrap();
    let report = nothing.report(&reader(&numbers), &at("t.csv")).unwrap();
    assert_eq!(report.near_count, 0);
}

/// Two squares side by side, one with a hole, and a third over the corner of the second.
fn squares(crs: u32) -> Layer {
    let mut layer = Layer::new("squares", Some(Crs::from_epsg(crs).unwrap()));
    let square = |x: f64, size: f64| -> Vec<(f64, f64)> {
        [(0.0, 0.0), (size, 0.0), (size, size), (0.0, size)]
            .map(|(dx, dy)| (600_000.0 + x + dx, 5_250_000.0 + dy))
            .to_vec()
    };
    let hole: Vec<(f64, f64)> = square(4.0, 2.0).into_iter().map(|(x, y)| (x, y + 4.0)).collect();
    for (name, rings) in [
        ("A", vec![square(0.0, 10.0), hole]),
        ("B", vec![square(10.0, 10.0)]),
        ("C", vec![square(18.0, 4.0)]),
    ] {
        layer.push(Geometry::Polygon(rings), [("name", name.into()), ("n", 1.into())]).unwrap();
    }
    layer
}

#[test]
fn points_belong_to_polygons_by_the_stated_rule() {
    let folder = tempfile::tempdir().unwrap();
    let out = folder.path().join("out.gpkg");
    // Where, in which polygon, and how far from it.
    let cases = [
        ((1.0, 1.0), Some("A"), Some(0.0)),
        ((5.0, 5.0), Some("A"), Some(1.0)), // in the hole: the nearest within reach
        ((4.0, 5.0), Some("A"), Some(0.0)), // on the boundary of the hole
        ((10.0, 5.0), Some("A"), Some(0.0)), // on the common edge: the first
        ((10.0005, 5.0), Some("A"), Some(0.0)), // within a millimetre of it
        ((10.002, 5.0), Some("B"), Some(0.0)),
        ((10.0, 10.0), Some("A"), Some(0.0)), // a common corner
        ((19.0, 2.0), Some("B"), Some(0.0)),  // in two: the first
        ((21.0, 2.0), Some("C"), Some(0.0)),
        ((24.0, 2.0), Some("C"), Some(2.0)),
        ((50.0, 2.0), None, None),
        ((10.0, -3.0), Some("A"), Some(3.0)),
    ];
    let mut points = Layer::new("points", Some(Crs::from_epsg(32610).unwrap()));
    for (number, ((x, y), _, _)) in cases.iter().enumerate() {
        let at = Geometry::Point((600_000.0 + x, 5_250_000.0 + y));
        points.push(at, [("id", (number as i64).into())]).unwrap();
    }
    let tag = TagPoints {
        columns: vec!["name".into()],
        prefix: Some("field_".into()),
        within_m: Some(5.0),
        distance: Some("away".into()),
        write: WriteOptions { overwrite: true, ..WriteOptions::default() },
        ..TagPoints::default()
    };
    let polygons = squares(32610);
    let (outcome, report) = tag.run(reader(&points), &reader(&polygons), &out).unwrap();
    assert_eq!((outcome.rows_in, outcome.out), (12, 12));
    assert_eq!(
        values(&out, "field_name"),
        cases.map(|(_, name, _)| Value::from(name.map(String::from)))
    );
    for (found, (_, _, wanted)) in values(&out, "away").iter().zip(cases) {
        match (found, wanted) {
            // A metre of the grid is 1.000277 m on the ellipsoid here.
            (Value::Real(found), Some(wanted)) => {
                assert!((found - wanted * 1.000_277).abs() < 1e-4, "{found}")
            }
            (found, wanted) => assert_eq!(found, &Value::from(wanted)),
        }
    }
    assert_eq!(
        (report.inside, report.several.count, report.nearest, report.none.count),
        (4, 4, 3, 1)
    );
    assert_eq!(report.on_boundary, 4);
    let text: String = outcome.notices.iter().map(|n| n.text.clone() + "\n").collect();
    for wanted in ["7 (8) in B, C", "10 (11), 28.0 m from C", "4 points lie on a boundary"] {
        assert!(text.contains(wanted), "{text}");
    }
    // In degrees, and carried from one system to the other, the answers are the same.
    for system in [4326, 2927] {
        let carried = points.convert(&Crs::from_epsg(system).unwrap()).unwrap();
        let (outcome, again) = tag.run(reader(&carried), &reader(&polygons), &out).unwrap();
        assert_eq!(
            (again.several.count, again.none.count),
            (report.several.count, report.none.count),
            "{system}"
        );
        assert_eq!(values(&out, "field_name").len(), 12);
        let text: String = outcome.notices.iter().map(|n| n.text.clone() + "\n").collect();
        assert!(text.contains("for the test"), "{text}");
        let degrees = polygons.convert(&Crs::from_epsg(4326).unwrap()).unwrap();
        tag.run(reader(&points), &reader(&degrees), &out).unwrap();
        let Value::Real(away) = values(&out, "away")[9] else { panic!("near one") };
        // 100 km from the central meridian the grid is 0.99972 times the ellipsoid.
        assert!((away - 2.0 / 0.99972).abs() < 1e-4, "{away}");
    }
    // What is no polygon, no point, or without a system is refused.
    let tag = TagPoints { columns: Vec::new(), ..tag };
    let bare = Layer::new("bare", None);
    for (points, polygons, why) in [
        (&points, &points, "tagged from polygons"),
        (&polygons, &polygons, "points are what is tagged"),
        (&points, &bare, "no reference system"),
    ] {
        let error = tag.run(reader(points), &reader(polygons), &out).unwrap_err();
        assert!(error.to_string().contains(why), "{error}");
    }
}

#[test]
fn figures_become_columns_and_are_explained() {
    let folder = tempfile::tempdir().unwrap();
    let out = folder.path().join("out.gpkg");
    let columns_of = MeasureColumns {
        measure: MeasureOptions { combined_factor: Some(0.9996), ..MeasureOptions::default() },
        lengths: vec![LengthUnit::named("ftUS").unwrap()],
        areas: vec![AreaUnit::SquareMetre, AreaUnit::UsSurveyAcre],
        ..MeasureColumns::default()
    };
    columns_of.run(reader(&squares(32610)), &out).unwrap();
    assert_eq!(
        columns(&out)[2..],
        [
            "perimeter_ellipsoid_ftUS",
            "area_ellipsoid_m2",
            "area_ellipsoid_acUS",
            "perimeter_grid_ftUS",
            "area_grid_m2",
            "area_grid_acUS",
            "perimeter_ground_ftUS",
            "area_ground_m2",
            "area_ground_acUS",
            "scale_factor",
        ]
    );
    let real = |column: &str| match values(&out, column)[0] {
        Value::Real(value) => value,
        ref other => panic!("{column}: {other:?}"),
    };
    assert_eq!(real("area_grid_m2"), 96.0);
    assert!((real("area_ground_m2") - 96.0 / (0.9996 * 0.9996)).abs() < 1e-9);
    // The mean scale factor explains the difference between grid and ellipsoid.
    let scale = real("scale_factor");
    // To what 20 nm along the boundary make of 96 m².
    let ratio = real("area_grid_m2") / real("area_ellipsoid_m2");
    assert!((ratio - scale * scale).abs() < 1e-8, "{ratio} {}", scale * scale);
    let ratio = real("perimeter_grid_ftUS") / real("perimeter_ellipsoid_ftUS");
    // And what 20 nm make of edges of 2 and 10 m.
    assert!((ratio - scale).abs() < 1e-8, "{ratio} {scale}");
    let measures = measure(&reader(&squares(32610)), &MeasureOptions::default()).unwrap();
    let ppm = measures.features[0].area_ppm().unwrap();
    assert!((ppm - (scale * scale - 1.0) * 1e6).abs() < 0.01, "{ppm}");
    let legs = feature_legs(&reader(&squares(32610)), 2, None).unwrap();
    assert_eq!(legs.iter().map(|leg| leg.grid_distance_m).collect::<Vec<_>>(), [Some(10.0); 4]);
    let bearings: Vec<f64> = legs.iter().map(|leg| leg.grid_bearing_deg.unwrap()).collect();
    assert_eq!(bearings, [90.0, 0.0, 270.0, 180.0]);
    // True north differs from grid north by the convergence: 0.99° here.
    assert!((legs[0].azimuth_deg - 90.98).abs() < 0.01, "{}", legs[0].azimuth_deg);
    for (options, why) in [
        (
            MeasureOptions {
                grid: Some(Crs::from_epsg(4326).unwrap()),
                ..MeasureOptions::default()
            },
            "has no plane figures",
        ),
        (
            MeasureOptions {
                combined_factor: Some(0.9996),
                ground_height_m: Some(9.0),
                ..MeasureOptions::default()
            },
            "not both",
        ),
        (MeasureOptions { combined_factor: Some(2.0), ..MeasureOptions::default() }, "near 1"),
        (MeasureOptions { by: Some("nix".into()), ..MeasureOptions::default() }, "no column `nix`"),
    ] {
        let error = measure(&reader(&squares(32610)), &options).unwrap_err();
        assert!(error.to_string().contains(why), "{error}");
    }
}

/// Distances to polygons of any size, in any system, against geodesics to places all along their
/// edges, which are straight in the polygons' own system.
#[test]
fn the_nearest_polygon_is_as_far_as_the_geodesic_to_it() {
    let folder = tempfile::tempdir().unwrap();
    let degrees = Crs::from_epsg(4326).unwrap();
    let geodesic = velvet_peg::Geodesic::new(degrees.ellipsoid().unwrap());
    let rings: [(u32, &[(f64, f64)]); 4] = [
        (4326, &[(-120.0, 47.0), (-119.9, 47.0), (-119.9, 47.1), (-120.0, 47.1)]),
        (4326, &[(-30.0, 60.0), (60.0, 60.0), (60.0, 70.0)]),
        (3857, &[(-13.3e6, 5.9e6), (-13.0e6, 5.9e6), (-13.0e6, 6.2e6)]),
        (2285, &[(1.8e6, 1.5e5), (1.9e6, 1.5e5), (1.9e6, 1.9e5)]),
    ];
    let places = [
        (-120.008, 47.05),
        (-119.95, 46.99),
        (10.0, 50.0),
        (15.0, 61.0),
        (60.0, 30.0),
        (0.0, 89.9),
    ];
    for (system, ring) in rings {
        let crs = Crs::from_epsg(system).unwrap();
        let to_degrees = velvet_peg::Converter::new(&crs, &degrees).unwrap();
        let mut polygons = Layer::new("polygons", Some(crs));
        polygons.push(Geometry::polygon(ring.iter().copied()), [("name", "A".into())]).unwrap();
        for at in places {
            let mut points = Layer::new("points", Some(degrees.clone()));
            points.push(Geometry::Point(at), [("n", 1.into())]).unwrap();
            let tag = TagPoints {
                within_m: Some(3e7),
                distance: Some("away".into()),
                write: WriteOptions { overwrite: true, ..WriteOptions::default() },
                ..TagPoints::default()
            };
            let out = folder.path().join("out.gpkg");
            let done = tag.run(reader(&points), &reader(&polygons), &out);
            // Nothing is known of NAD83 elsewhere.
            if system == 2285 && at.0 > -60.0 {
                assert!(done.unwrap_err().is_compute(), "{at:?}");
                continue;
            }
            done.unwrap();
            let Value::Real(found) = values(&out, "away")[0] else { panic!("{at:?}") };
            let mut nearest = f64::INFINITY;
            for (n, a) in ring.iter().enumerate() {
                let b = ring[(n + 1) % ring.len()];
                for step in 0..=20_000 {
                    let t = f64::from(step) / 20_000.0;
                    let place =
                        velvet_peg::Coordinate::xy(a.0 + t * (b.0 - a.0), a.1 + t * (b.1 - a.1));
                    let place = to_degrees.convert(place).unwrap();
                    let to = velvet_peg::Geographic { lat: place.y, lon: place.x };
                    let from = velvet_peg::Geographic { lat: at.1, lon: at.0 };
                    nearest = nearest.min(geodesic.inverse(from, to).distance_m);
                }
            }
            // The places tried are up to 500 m apart, the found one is never farther.
            if found > 0.0 {
                assert!(found <= nearest + 1e-3, "{system} {at:?}: {found} {nearest}");
                assert!(
                    found >= nearest - 50.0 - 1e-5 * nearest,
                    "{system} {at:?}: {found} {nearest}"
                );
            }
        }
    }
}
