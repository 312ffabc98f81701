//! Conditions, computed columns, and columns to keep.

use std::path::Path;
use velvet_peg::{
    BuildPoints, ConvertLayer, Crs, Geometry, Layer, LayerReader, Result, Selection, Summary,
    WriteOptions,
};

/// Four features, one of each kind and one without a geometry.
const SOURCE: &str = r#"{"type":"FeatureCollection","features":[
{"type":"Feature","geometry":{"type":"Point","coordinates":[0,0]},"properties":{"gate":"1","name":"Alder","cfs":4.5,"share":7,"open":null}},
{"type":"Feature","geometry":{"type":"LineString","coordinates":[[0,0],[3,4]]},"properties":{"gate":"2","name":"Birch","cfs":0.5,"share":9,"open":false}},
{"type":"Feature","geometry":{"type":"Polygon","coordinates":[[[0,0],[2,0],[2,2],[0,2],[0,0]]]},"properties":{"gate":"3","name":"Cédar","cfs":null,"share":10,"open":true}},
{"type":"Feature","geometry":null,"properties":{"gate":"4","name":"Fire","cfs":2.0,"share":8,"open":null}}]}"#;

/// The layer without its system, so that figures are planar.
fn bare(folder: &Path) -> LayerReader {
    let path = folder.join("source.geojson");
    std::fs::write(&path, SOURCE).unwrap();
    let layer = Layer::read(&path).unwrap();
    let mut plain = LayerReader::open(&path, None).unwrap();
    plain.assume(Crs::from_epsg(32610).unwrap());
    assert_eq!(layer.len(), 4);
    plain
}

fn run(reader: &LayerReader, out: &Path, select: Selection) -> Result<Summary> {
    ConvertLayer { select, ..ConvertLayer::default() }.run(reader, out)
}

#[test]
fn expressions_give_what_sql_says() {
    let folder = tempfile::tempdir().unwrap();
    let reader = bare(folder.path());
    let table = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/data/expressions.txt");
    for line in std::fs::read_to_string(table).unwrap().lines() {
        if line.starts_with('#') {
            continue;
        }
        let (expression, expected) = line.split_once(" | ").unwrap();
        let expected: Vec<&str> = expected.split(" | ").collect();
        let room = tempfile::tempdir().unwrap();
        let out = room.path().join("out.gpkg");
        let set = vec![format!("answer = {expression}")];
        run(&reader, &out, Selection { set, ..Selection::default() })
            .unwrap_or_else(|e| panic!("{expression}: {e}"));
        let layer = Layer::read(&out).unwrap();
        let found: Vec<String> = layer
            .features()
            .map(|feature| match feature.value("answer").unwrap().to_text() {
                text if text.is_empty() => "~".to_string(),
                text => text,
            })
            .collect();
        assert_eq!(found, expected, "{expression}");
        // As a condition it keeps what is true.
        if expected.iter().all(|value| ["true", "false", "~"].contains(value)) {
            let out = room.path().join("kept.gpkg");
            let condition = Some(expression.to_string());
            let outcome = run(&reader, &out, Selection { condition, ..Selection::default() });
            let outcome = outcome.unwrap();
            let kept = expected.iter().filter(|value| **value == "true").count() as u64;
            assert_eq!((outcome.out, outcome.left_out), (kept, 4 - kept), "{expression}");
        }
    }
}

#[test]
fn what_makes_no_sense_is_told_before_any_work() {
    let folder = tempfile::tempdir().unwrap();
    let reader = bare(folder.path());
    let out = folder.path().join("out.gpkg");
    let none = Selection::default;
    let condition = |text: &str| Selection { condition: Some(text.into()), ..none() };
    let set = |text: &str| Selection { set: vec![text.into()], ..none() };
    for (select, says) in [
        (condition("cfs >"), "cannot be read as an SQL expression"),
        (condition("cfs > 3 4"), "it goes on with `4` behind"),
        (condition("flow > 3"), "there is no column `flow`: the columns are `gate`"),
        (condition("name > 3"), "brings together text and a whole number"),
        (condition("cfs + 1"), "gives a number, not true or false"),
        (condition("geometry IS NULL"), "through a function, such as ST_X(geometry)"),
        (condition("ST_Area(name) > 1"), "take `geometry`"),
        (condition("ST_Buffer(geometry) > 1"), "there is no function ST_BUFFER"),
        (condition("cfs > (SELECT 1)"), "is not something that is computed here"),
        (set("cfs"), "cannot be read"),
        (set("a = name + 1"), "needs numbers, and text is there"),
        (set("a = 1 WHERE cfs > 1"), "holds more than assignments"),
        (Selection { keep: vec!["flow".into()], ..none() }, "there is no column `flow`"),
    ] {
        let error = run(&reader, &out, select.clone()).unwrap_err();
        assert!(error.is_usage() && error.to_string().contains(says), "{select:?}: {error}");
        assert!(!out.exists());
    }
}

#[test]
fn columns_are_kept_in_the_order_asked_for_and_may_be_computed() {
    let folder = tempfile::tempdir().unwrap();
    let reader = bare(folder.path());
    let out = folder.path().join("out.csv");
    let select = Selection {
        condition: Some("ST_IsEmpty(geometry) = FALSE".into()),
        set: vec!["Share = share * 10, label = name || '!'".into(), "twice = share * 2".into()],
        keep: ["label", "twice", "share"].map(String::from).into(),
        ..Selection::default()
    };
    run(&reader, &out, select).unwrap();
    let text = std::fs::read_to_string(&out).unwrap();
    assert!(text.starts_with("label,twice,share,feature,"), "{text}");
    assert!(text.contains("Alder!,140,70,1,") && !text.contains("Fire"), "{text}");
}

#[test]
fn tables_are_filtered_cut_and_converted_on_the_way() {
    let folder = tempfile::tempdir().unwrap();
    let table = folder.path().join("gates.tsv");
    let rows = "gate\tlon\tlat\tcfs\tnote\n1\t-123.0\t47.4\t4.5\ta\n2\t-123.1\t47.4\t1\tb\n3\tbroken\t47.4\t9\tc\n4\tbroken\t47.4\t1\td\n";
    std::fs::write(&table, rows).unwrap();
    let mut points = BuildPoints::in_system(Crs::from_epsg(4326).unwrap());
    points.build.to = Some(Crs::from_epsg(32610).unwrap());
    points.build.select = Selection {
        condition: Some("cfs > 2".into()),
        set: vec!["x = ST_X(geometry)".into()],
        keep: ["gate", "x"].map(String::from).into(),
        ..Selection::default()
    };
    let out = folder.path().join("gates.gpkg");
    let outcome = points.run(&table, &out).unwrap();
    // Broken rows that the condition leaves out are no rejects.
    assert_eq!(
        (outcome.rows_in, outcome.out, outcome.left_out, outcome.rejected.count),
        (4, 1, 2, 1)
    );
    assert_eq!(outcome.rejected.first[0].0, 4);
    let rejects = std::fs::read_to_string(outcome.rejected.path.unwrap()).unwrap();
    assert!(rejects.ends_with("3,broken,47.4,9,c\n"), "{rejects}");
    let layer = Layer::read(&out).unwrap();
    let feature = layer.features().next().unwrap();
    let Some(velvet_peg::Value::Real(x)) = feature.value("x") else { panic!("a number") };
    assert!((x - 500_000.0).abs() < 1e-3, "coordinates are those of the output: {x}");
    assert!((feature.vertices()[0].0 - 500_000.0).abs() < 1e-3);
    assert_eq!(layer.info().schema.fields().len(), 2);
}

#[test]
fn every_function_has_its_line_and_its_example_works() {
    let page = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/expressions.md");
    let page = std::fs::read_to_string(page).unwrap();
    assert!(
        page.contains(&velvet_peg::select::FunctionHelp::table()),
        "docs/expressions.md is out of date"
    );
    let folder = tempfile::tempdir().unwrap();
    let reader = bare(folder.path());
    for (number, function) in velvet_peg::select::FUNCTIONS.iter().enumerate() {
        let out = folder.path().join(format!("{number}.gpkg"));
        let set = vec![function.example.to_string()];
        let outcome = run(&reader, &out, Selection { set, ..Selection::default() });
        outcome.unwrap_or_else(|e| panic!("{}: {e}", function.example));
    }
}

/// A square of 100 m of the UTM grid, in systems of other units, of none, and in one that stretches.
#[test]
fn lengths_and_areas_mean_the_same_in_every_system() {
    let folder = tempfile::tempdir().unwrap();
    let mut layer = Layer::new("plot", Some(Crs::from_epsg(32610).unwrap()));
    let corners = [
        (726_000.0, 5_254_000.0),
        (726_100.0, 5_254_000.0),
        (726_100.0, 5_254_100.0),
        (726_000.0, 5_254_100.0),
    ];
    layer.push(Geometry::polygon(corners), [("name", "P-1".into())]).unwrap();
    let reader = LayerReader::of_layer(&layer, Path::new("plot"));
    let figures = |to: u32, set: &[&str]| {
        let out = folder.path().join(format!("{to}.gpkg"));
        let convert = ConvertLayer {
            target: Some(Crs::from_epsg(to).unwrap()),
            select: Selection {
                set: set.iter().map(|s| s.to_string()).collect(),
                ..Selection::default()
            },
            write: WriteOptions { overwrite: true, ..WriteOptions::default() },
            ..ConvertLayer::default()
        };
        convert.run(&reader, &out).map(|outcome| {
            let texts: Vec<String> = outcome.notices.iter().map(|n| n.text.clone()).collect();
            let written = Layer::read(&out).unwrap();
            let feature = written.features().next().unwrap();
            let values: Vec<f64> = set
                .iter()
                .map(|s| {
                    feature.value(s.split(' ').next().unwrap()).unwrap().to_text().parse().unwrap()
                })
                .collect();
            (values, texts.join("\n"))
        })
    };
    let set =
        ["a = ST_Area(geometry)", "p = ST_Perimeter(geometry)", "acres = Acres(ST_Area(geometry))"];
    let (expected, said) = figures(32610, &set).unwrap();
    assert!(said.contains("square metres"), "{said}");
    // The grid is 0.02 % larger than the ground here.
    assert!(
        (expected[0] - 10_000.0).abs() < 10.0 && (expected[1] - 400.0).abs() < 0.2,
        "{expected:?}"
    );
    assert!((expected[2] * 4_046.856_422_4 - expected[0]).abs() < 1e-9);
    for to in [4326, 3857, 2285, 32611, 5070] {
        let (found, _) = figures(to, &set).unwrap();
        // The same datum, or one that differs by an ellipsoid of the same size.
        assert!((found[0] / expected[0] - 1.0).abs() < 1e-8, "{to}: {found:?} {expected:?}");
        assert!((found[1] / expected[1] - 1.0).abs() < 1e-8, "{to}: {found:?} {expected:?}");
    }
    let plane = ["g = Plane_Area(geometry)"];
    let (stretched, _) = figures(3857, &plane).unwrap();
    assert!(stretched[0] / expected[0] > 2.1, "pseudo-Mercator makes it larger: {stretched:?}");
    let error = figures(4326, &plane).unwrap_err().to_string();
    assert!(error.contains("its coordinates are degrees"), "{error}");
    // Coordinates are those of the output, in conditions as well.
    let (east, said) = figures(2285, &["x = ST_XMin(geometry)"]).unwrap();
    assert!(said.contains("those of the output, in EPSG:2285"), "{said}");
    assert!((1e6..3e6).contains(&east[0]), "{east:?}");
    for (condition, left) in
        [("ST_XMin(geometry) > 1000000", 1), ("ST_XMin(geometry) < 1000000", 0)]
    {
        let out = folder.path().join(format!("kept-{left}.gpkg"));
        let convert = ConvertLayer {
            target: Some(Crs::from_epsg(2285).unwrap()),
            select: Selection { condition: Some(condition.into()), ..Selection::default() },
            ..ConvertLayer::default()
        };
        assert_eq!(convert.run(&reader, &out).unwrap().out, left, "{condition}");
    }
}
