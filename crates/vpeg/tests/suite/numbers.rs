//! Numbers at the edges of what a number can be, in every command: figures or errors, and every row or
//! feature accounted for.

use crate::support::{Bench, Run, words};

/// As they may stand in a table.
const WRITTEN: [&str; 26] = [
    "NaN",
    "inf",
    "-inf",
    "-0",
    "1e308",
    "-1e308",
    "1e-320",
    "180",
    "-180",
    "540",
    "90",
    "-90",
    "90.0000001",
    "179.9999999",
    "1e17",
    "--5",
    "0x10",
    "٣",
    "1e",
    "+",
    "",
    "1,5",
    "1e400",
    "0",
    "4.9e-324",
    "99999999999999999999999999999999999999999999",
];

/// As JSON has them.
const IN_JSON: [&str; 12] = [
    "1e308",
    "-1e308",
    "1e-320",
    "-0",
    "180",
    "-180",
    "540",
    "90",
    "-90",
    "1e17",
    "1e300",
    "99999999999999999999999999999999999999999999",
];

/// What was read is what came out and what was rejected, in the words of the last line.
fn balanced(line: &str, run: &Run) {
    assert!(matches!(run.code, 0 | 1 | 3), "{line}: {} {}", run.code, run.err);
    assert!(!run.err.contains("panicked"), "{line}: {}", run.err);
    assert!(!run.err.contains("does not hold what it should"), "{line}: {}", run.err);
    let done = run.err.lines().find(|line| line.starts_with("done: "));
    // What writes features or rows and ends well says how many.
    let writes = line.contains(" -o ") && !line.starts_with("draw");
    assert!(done.is_some() || run.code == 1 || !writes, "{line}: {}", run.err);
    let Some(done) = done else { return };
    let before = |word: &str| -> Option<u64> {
        let at = done.find(word)?;
        done[..at].rsplit(' ').next()?.parse().ok()
    };
    let unit = if done.contains(" rows in") { " rows" } else { " feature" };
    let (Some(read), Some(rejected)) = (before(unit), before(" rejected")) else {
        panic!("{line}: {done}")
    };
    let words: Vec<&str> = done.split([' ', ',']).filter(|word| !word.is_empty()).collect();
    let out = words.windows(3).find(|w| w[2] == "out" || w[2] == "out;").unwrap();
    assert_eq!(read, out[0].parse::<u64>().unwrap() + rejected, "{line}: {done}");
}

#[test]
fn numbers_of_tables_are_read_or_rejected() {
    let bench = Bench::new();
    let mut rows = "id,lon,lat,h\n".to_string();
    for (at, value) in WRITTEN.iter().enumerate() {
        rows +=
            &format!("{at},\"{value}\",47,1\n{at},-120,\"{value}\",1\n{at},-120,47,\"{value}\"\n");
    }
    bench.write("t.csv", rows);
    for line in [
        "look t.csv",
        "build points t.csv --crs EPSG:4326 --lon lon --lat lat -o o.gpkg",
        "build points t.csv --crs EPSG:4326 --lon lon --lat lat --z h -o o.geojson",
        "build points t.csv --crs EPSG:32610 --x lon --y lat -o o.fgb",
        "build points t.csv --crs EPSG:2285 --x lon --y lat --z h -o o.shp",
        "convert t.csv --crs EPSG:4326 --to EPSG:32610 -o o.csv",
    ] {
        let run = bench.run(&words(line));
        balanced(line, &run);
        assert!(line.starts_with("look") || run.code == 3, "{line}: {}", run.err);
    }
    for place in ["NaN,NaN", "1e308,0", "90,540", "91,0", "47,1e17", "inf,0"] {
        let run = bench.run(&["position", "--", place]);
        assert!(run.code == 1 && run.err.starts_with("error: "), "{place}: {}", run.err);
    }
    for place in ["-90,-180", "90,0", "0,180", "-0,-0"] {
        let run = bench.ok(&["position", "--", place]);
        assert!(run.out.contains("Geographic, EPSG:4326"), "{place}: {}", run.out);
    }
}

#[test]
fn numbers_of_layers_are_carried_or_told() {
    let bench = Bench::with_demo();
    let feature = |geometry: &str, number: &str| {
        format!(
            r#"{{"type":"Feature","properties":{{"n":{number}}},"geometry":{}}}"#,
            geometry.replace('#', number)
        )
    };
    let shapes = [
        r#"{"type":"Point","coordinates":[#,47]}"#,
        r#"{"type":"Point","coordinates":[1,2,#]}"#,
        r#"{"type":"LineString","coordinates":[[0,0],[#,1]]}"#,
        r#"{"type":"LineString","coordinates":[[0,0],[0,#]]}"#,
        r#"{"type":"Polygon","coordinates":[[[0,0],[#,0],[1,1],[0,0]]]}"#,
        r#"{"type":"Polygon","coordinates":[[[0,0],[0,#],[1,1],[0,0]]]}"#,
    ];
    let collection = |features: &[String]| {
        format!(r#"{{"type":"FeatureCollection","features":[{}]}}"#, features.join(","))
    };
    let all: Vec<String> =
        IN_JSON.iter().flat_map(|n| shapes.iter().map(|shape| feature(shape, n))).collect();
    bench.write("all.geojson", collection(&all));
    bench.write("one.geojson", collection(&all[..1]));
    bench.write("none.geojson", collection(&[]));
    let nothing = r#"{"type":"Feature","properties":null,"geometry":null}"#.to_string();
    bench.write("nothing.geojson", collection(&[nothing]));
    let around = [("-90", "90"), ("80", "90"), ("0", "1")].map(|(south, north)| {
        let ring =
            format!("[[[-180,{south}],[180,{south}],[180,{north}],[-180,{north}],[-180,{south}]]]");
        feature(&format!(r#"{{"type":"Polygon","coordinates":{ring}}}"#), "1")
    });
    bench.write("around.geojson", collection(&around));
    for file in ["all", "one", "none", "nothing", "around"] {
        for line in [
            "look F",
            "check F",
            "measure F",
            "measure F -o o.gpkg --overwrite",
            "convert F --to EPSG:32610 -o o.gpkg --overwrite",
            "convert F --to EPSG:3857 -o o.fgb --overwrite",
            "convert F --to EPSG:2285 -o o.shp --overwrite",
            "convert F --to EPSG:32661 -o o.geojson --overwrite",
            "convert F -o o.gpkg --overwrite",
            "convert F -o o.geojson --overwrite",
            "convert F -o o.kml --overwrite",
            "convert F -o o.dxf --overwrite",
            "convert F -o o.parquet --overwrite",
            "convert F -o o.csv --overwrite",
            "convert F -o o.xlsx --overwrite",
            "convert F -o o.gpx --overwrite",
            "draw F -o o.svg --overwrite",
            "draw F -o o.html --overwrite",
            "zone F",
            "fields F --set a=n*1e308 -o o.fgb --overwrite",
            "tag F --from beats.geojson -o o.fgb --overwrite",
            "tag F --from heights.asc -o o.fgb --overwrite",
        ] {
            let line = line.replace('F', &format!("{file}.geojson"));
            let run = bench.run(&words(&line));
            balanced(&line, &run);
            // What has nothing wrong with it is not refused for its numbers.
            if ["none", "nothing"].contains(&file) && line.starts_with("convert") {
                assert!(!run.err.contains("out of range"), "{line}: {}", run.err);
            }
        }
    }
    // A negative zero is a number of its own to some and zero to others.
    let zero = r#"{"type":"Feature","properties":{"n":-0.0},"geometry":{"type":"Point","coordinates":[-120,-0.0]}}"#;
    bench.write("zero.geojson", collection(&[zero.to_string(), feature(shapes[0], "0.5")]));
    for format in ["gpkg", "fgb", "shp", "parquet", "geojson", "kml", "csv", "xlsx"] {
        bench.ok(&["convert", "zero.geojson", "-o", &format!("z.{format}")]);
    }
}

/// What is cut at the antimeridian loses no part, and ends, also where a part has no area or no place.
#[test]
fn parts_of_no_size_are_not_lost_at_the_antimeridian() {
    let bench = Bench::new();
    let (cut, flat) = (
        "1 feature crosses the antimeridian",
        "features without an area that cross the antimeridian: 1",
    );
    let across = "[[170,47],[190,47],[190,48],[170,47]]";
    for (kind, coordinates, says, there) in [
        ("MultiPolygon", format!("[[{across}],[]]"), cut, "[[-180,47],[-170,47],[-170,48],"),
        ("Polygon", format!("[{across},[]]"), cut, "[[-180,47],[-170,47],[-170,48],"),
        ("Polygon", format!("[{across},[[175,47.1]]]"), cut, "[[175,47.1]"),
        ("MultiPolygon", format!("[[{across}],[[[190,40]]]]"), cut, "[[-170,40]"),
        ("Polygon", "[[[170,47],[190,47],[170,47],[170,47]]]".into(), flat, "[190,47],[170,47]"),
        (
            "MultiPolygon",
            format!("[[{across}],[[[170,40],[190,40],[170,40],[170,40]]]]"),
            flat,
            "[190,40],[170,40]",
        ),
        ("MultiLineString", "[[[170,47],[190,47]],[[185,40]]]".into(), cut, "[[-175,40]]"),
    ] {
        bench.write(
            "in.geojson",
            format!(
                r#"{{"type":"FeatureCollection","features":[{{"type":"Feature","properties":{{}},"geometry":{{"type":"{kind}","coordinates":{coordinates}}}}}]}}"#
            ),
        );
        let run = bench.ok(&words("convert in.geojson -o out.geojson --overwrite"));
        assert!(run.err.contains(says), "{coordinates}: {}", run.err);
        assert!(!run.err.contains("pole"), "{coordinates}: {}", run.err);
        assert!(
            bench.read("out.geojson").contains(there),
            "{coordinates}: {}",
            bench.read("out.geojson")
        );
    }
}
