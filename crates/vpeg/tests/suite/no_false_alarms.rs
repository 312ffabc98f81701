//! Attributes on which formats disagree go to every format without a false alarm of the second
//! reading: what a format cannot hold is told before, and all else comes back.

use crate::support::Bench;
use serde_json::Value;

const FORMATS: [&str; 10] =
    ["gpkg", "shp", "geojson", "geojsonl", "fgb", "parquet", "kml", "csv", "xlsx", "dxf"];

/// The attributes of every feature of a GeoJSON file, those of a place in common first.
fn properties(text: &str) -> Vec<Value> {
    let read: Value = serde_json::from_str(text).unwrap();
    read["features"].as_array().unwrap().iter().map(|f| f["properties"].clone()).collect()
}

#[test]
fn odd_attributes_go_to_every_format_and_come_back() {
    let bench = Bench::new();
    let rows = include_str!("../data/properties.txt").lines().filter(|line| !line.starts_with('#'));
    let mut wrong = Vec::new();
    for line in rows {
        let parts: Vec<&str> = line.split(" | ").collect();
        let [name, one, two, warned] = parts[..] else { panic!("{line}") };
        let feature = |properties: &str, x: f64| {
            format!(
                r#"{{"type":"Feature","properties":{properties},
                "geometry":{{"type":"Point","coordinates":[{x},47.4]}}}}"#
            )
        };
        let features = [feature(one, -120.1), feature(two, -120.2)].join(",");
        let source = format!(r#"{{"type":"FeatureCollection","features":[{features}]}}"#);
        bench.write("in.geojson", &source);
        for format in FORMATS {
            let out = format!("out.{format}");
            let run = bench.run(&["convert", "in.geojson", "-o", &out, "--overwrite"]);
            let compared = run.err.contains("read again and compared");
            if run.code != 0 || !compared {
                wrong.push(format!("{name}, {format}: {}", run.err));
                continue;
            }
            let told = run.err.contains("warning");
            if told != (warned == "all" || warned.split(' ').any(|word| word == format)) {
                wrong.push(format!("{name}, {format}: told {told}\n{}", run.err));
            }
            if !["gpkg", "geojson", "geojsonl", "parquet", "fgb"].contains(&format) {
                continue;
            }
            // These hold attributes as they are.
            bench.ok(&["convert", &out, "-o", "back.geojson", "--overwrite"]);
            let mut back = properties(&bench.read("back.geojson"));
            let mut sent = properties(&source);
            for list in [&mut back, &mut sent] {
                list.sort_by_key(ToString::to_string);
            }
            let same = |a: &Value, b: &Value| match (a, b) {
                (Value::Number(a), Value::Number(b)) => a.to_string() == b.to_string(),
                (Value::Number(a), Value::String(b)) | (Value::String(b), Value::Number(a)) => {
                    &a.to_string() == b
                }
                (Value::Bool(a), Value::String(b)) | (Value::String(b), Value::Bool(a)) => {
                    &a.to_string() == b
                }
                (a, b) => a == b,
            };
            let values = |list: &[Value]| -> Vec<Value> {
                let mut all: Vec<Value> = list
                    .iter()
                    .flat_map(|p| p.as_object().unwrap().values().cloned())
                    .filter(|value| !value.is_null())
                    .collect();
                all.sort_by_key(|value| value.as_str().map_or(value.to_string(), str::to_string));
                all
            };
            let (back, sent) = (values(&back), values(&sent));
            let whole = back.len() == sent.len() && back.iter().zip(&sent).all(|(a, b)| same(a, b));
            if !whole {
                wrong.push(format!("{name}, {format}: {sent:?} came back as {back:?}"));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn long_tables_in_the_order_of_their_places_have_no_strays_but_the_one_that_is() {
    let bench = Bench::new();
    let rows: Vec<String> = (0..30_000)
        .map(|n| {
            format!("{n},{:.7},{:.7}\n", -120.0 + f64::from(n) * 1e-4, 47.1 + f64::from(n) * 3e-5)
        })
        .collect();
    let table = |more: &str| format!("id,lon,lat\n{}{more}", rows.concat());
    bench.write("walk.csv", table(""));
    bench.write("stray.csv", table("30000,118.5,47.5\n"));
    let convert = |file: &str| {
        let out = format!("{file}.out.csv");
        bench.run(&["convert", file, "--crs", "EPSG:4269", "--to", "EPSG:2285", "-o", &out]).err
    };
    let said = convert("walk.csv");
    assert!(!said.contains("far from") && !said.contains("sign turned"), "{said}");
    let said = convert("stray.csv");
    assert!(
        said.contains("1 row would join the others with the sign turned")
            && said.contains("row 30002 (118.5, 47.5)"),
        "{said}"
    );
}
