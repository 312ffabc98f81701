//! Lists in JSON: features without a collection around them, and records, which are a table.

use velvet_peg::{Layer, LayerReader};

fn point(x: f64, properties: &str) -> String {
    format!(
        r#"{{"type":"Feature","geometry":{{"type":"Point","coordinates":[{x},47]}},"properties":{properties}}}"#
    )
}

/// The values of the features of a layer, and how many have a geometry.
fn described(layer: &Layer) -> (Vec<String>, usize) {
    let fields = layer.info().schema.fields().clone();
    let features = layer.features().map(|feature| {
        let values = fields.iter().filter_map(|field| feature.value(field.name()));
        values.map(|value| value.to_text()).collect::<Vec<_>>().join("|")
    });
    (features.collect(), layer.features().filter(|feature| feature.kind().is_some()).count())
}

#[test]
fn lists_of_features_and_of_records_are_read() {
    let folder = tempfile::tempdir().unwrap();
    let features = [point(-120.0, r#"{"gate":"G-1"}"#), point(-120.1, r#"{"gate":"G-2"}"#)];
    let bare = r#"{"type":"Point","coordinates":[-120.2,47]}"#;
    // What the file holds; its rows, how many have a place, whether it is a table alone, its columns.
    for (name, text, rows, placed, alone) in [
        ("list.json", format!("[{},{}]", features[0], features[1]), vec!["G-1", "G-2"], 2, false),
        ("bare.json", format!("[ {},\n{bare} ]", features[0]), vec!["G-1", ""], 2, false),
        (
            "records.json",
            r#"[{"gate":"G-1","cfs":2.5,"open":true},{"gate":"G-2","note":{"a":[1]}}]"#.to_string(),
            vec!["G-1|2.5|true|", "G-2||||{\"a\":[1]}"],
            0,
            true,
        ),
        (
            "mixed.json",
            format!(r#"[{},{{"gate":"G-9"}}]"#, features[0]),
            vec!["G-1", "G-9"],
            1,
            false,
        ),
        ("empty.json", "[]".to_string(), vec![], 0, false),
    ] {
        let path = folder.path().join(name);
        std::fs::write(&path, text).unwrap();
        let reader = LayerReader::open(&path, None).unwrap();
        let info = reader.info();
        assert_eq!((info.bare, info.crs.is_none()), (alone, alone), "{name}");
        let (found, with_place) = described(&reader.read().unwrap());
        let tidy = |rows: &[String]| -> Vec<String> {
            rows.iter().map(|row| row.replace("||", "|").trim_matches('|').to_string()).collect()
        };
        let rows: Vec<String> = rows.iter().map(ToString::to_string).collect();
        assert_eq!((tidy(&found), with_place), (tidy(&rows), placed), "{name}");
    }
    // What is neither is told, with its text, and nothing else is lost.
    let path = folder.path().join("odd.json");
    std::fs::write(&path, format!(r#"[{},7,"x",{{"type":"Feature","geometry":3}}]"#, features[0]))
        .unwrap();
    let reader = LayerReader::open(&path, None).unwrap();
    assert_eq!(reader.info().count, Some(1));
    let mut told = Vec::new();
    reader
        .for_each_batch(&mut |batch| {
            told.extend(batch.unreadable().iter().map(|record| record.original.clone()));
            Ok(())
        })
        .unwrap();
    assert_eq!(told, ["7", "\"x\"", "3"]);
    // By its first bytes, as from standard input.
    let piped = folder.path().join("no-name");
    std::fs::copy(folder.path().join("records.json"), &piped).unwrap();
    assert_eq!(velvet_peg::format_of(&piped).unwrap().name(), "GeoJSON");
}

#[test]
fn a_topology_is_known_by_any_name_and_told_what_it_lacks() {
    let folder = tempfile::tempdir().unwrap();
    let data = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/data");
    let text = std::fs::read_to_string(data.join("districts.topojson")).unwrap();
    let (json, bare) = (folder.path().join("a.json"), folder.path().join("no-name"));
    std::fs::write(&json, format!("\u{feff}  {text}")).unwrap();
    std::fs::write(&bare, &text).unwrap();
    assert_eq!(velvet_peg::format_of(&bare).unwrap().name(), "TopoJSON");
    let layers = LayerReader::open_all(&json).unwrap();
    let names: Vec<&str> = layers.iter().map(|layer| layer.info().name.as_str()).collect();
    assert_eq!(names, ["fields", "gate", "ditches"]);
    // A collection that speaks of one stays a collection.
    let speaks = format!(
        r#"{{"about":"\"Topology\"","type":"FeatureCollection","features":[{}]}}"#,
        point(1.0, "{}")
    );
    std::fs::write(&json, speaks).unwrap();
    assert_eq!(LayerReader::open_all(&json).unwrap()[0].info().count, Some(1));
    for (text, says) in [
        (r#"{"type":"Topology","arcs":[]}"#, "the topology has no objects"),
        (r#"{"type":"Topology","objects":{},"arcs":[]}"#, "the topology has no objects"),
        (r#"{"type":"Topology","objects":{"a":{"type":"Point"}},"arcs":[7]}"#, "arc 0 is no list"),
        (
            r#"{"type":"Topology","objects":{"a":{"type":"Point"}},"arcs":[[[1]]]}"#,
            "arc 0: [1] is not a position",
        ),
        (
            r#"{"type":"Topology","transform":{"scale":[1]},"objects":{"a":{"type":"Point"}}}"#,
            "[1] is not a position",
        ),
        (r#"{"type":"Topology","objects":"#, "cannot be read as TopoJSON"),
    ] {
        std::fs::write(&json, text).unwrap();
        let error = LayerReader::open_all(&json).unwrap_err().to_string();
        assert!(error.contains(says) && error.contains("a.json"), "{error}");
    }
}

/// What cannot be read is kept as it stands, digit by digit, and what can be is read whatever stands around it.
#[test]
fn coordinates_are_read_or_kept_as_they_stand() {
    let polygon = |ring: &str| format!(r#"{{"type":"Polygon","coordinates":[{ring}]}}"#);
    let deep = format!("{}1{}", "[".repeat(60), "]".repeat(60));
    // A geometry, and its vertices or why there are none.
    let cases = [
        (r#"{"type":"Point","coordinates":[1,2.5]}"#.to_string(), Ok("1 2.5")),
        (r#"{"coordinates":[-0.0,2e0,3],"type":"Point"}"#.into(), Ok("-0 2 3")),
        (r#"{"type":"Point","coordinates":[9007199254740993,2]}"#.into(), Ok("9007199254740992 2")),
        (r#"{"type":"Point","coordinates":[1,2,null]}"#.into(), Ok("1 2")),
        (r#"{"type":"Point","coordinates":[1,2,"3",{"m":[4]}]}"#.into(), Ok("1 2")),
        (r#"{"type":"Point","coordinates":[]}"#.into(), Ok("")),
        (r#"{"type":"MultiPolygon","coordinates":[[],[]]}"#.into(), Ok("")),
        (r#"{"type":"MultiPoint","coordinates":[[1,2],[3,4.25]]}"#.into(), Ok("1 2, 3 4.25")),
        (
            r#"{"type":"GeometryCollection","geometries":[{"type":"Point","coordinates":[1,2]}]}"#
                .into(),
            Ok("1 2"),
        ),
        (polygon("[[0,0],[4,0],[4,3.0],[0,0]]"), Ok("0 0, 4 0, 4 3, 0 0")),
        (polygon("[[0,0],[4,0],[4],[0,0]]"), Err("[4] is not a position")),
        (polygon("[[0,0],[4.0,0],[9007199254740993],[0,0]]"), Err("[9007199254740993] is not")),
        (polygon(r#"[[0,0],["4",0],[4,3],[0,0]]"#), Err(r#"["4",0] is not a position"#)),
        (polygon("[[0,0],[[4,1],0],[4,3],[0,0]]"), Err("[[4,1],0] is not a position")),
        (polygon(r#"{"a":1}"#), Err(r#"hold {"a":1}"#)),
        (r#"{"type":"LineString","coordinates":"1,2 3,4"}"#.into(), Err(r#"but "1,2 3,4""#)),
        (r#"{"type":"LineString"}"#.into(), Err("are not a list, but null")),
        (r#"{"type":"Circle","coordinates":[1,2],"radius":[3]}"#.into(), Err("type Circle")),
        (r#"{"type":"GeometryCollection","geometries":{"a":[1.0]}}"#.into(), Err("are no list")),
        (r#"[1,2.0,"3"]"#.into(), Err("a geometry of type nothing")),
        (format!(r#"{{"type":"Point","coordinates":{deep}}}"#), Err("is not a position")),
    ];
    let folder = tempfile::tempdir().unwrap();
    let good = point(9.0, "{}");
    for (geometry, wanted) in cases {
        let feature =
            format!(r#"{{"type":"Feature","properties":{{"n":1}},"geometry":{geometry}}}"#);
        for (name, text) in [
            (
                "a.geojson",
                format!(r#"{{"type":"FeatureCollection","features":[{good},{feature}]}}"#),
            ),
            ("a.geojsonl", format!("{good}\n{feature}\n")),
            ("list.json", format!("[{good},{feature}]")),
        ] {
            let path = folder.path().join(name);
            std::fs::write(&path, text).unwrap();
            let (mut found, mut kept) = (Vec::new(), Vec::new());
            let reader = LayerReader::open(&path, None).unwrap();
            reader
                .for_each_batch(&mut |batch| {
                    let g = batch.geometry();
                    found.extend((0..g.x.len()).map(|at| {
                        let z = g.z.get(at).filter(|z| z.is_finite());
                        let z = z.map_or(String::new(), |z| format!(" {z}"));
                        format!("{} {}{z}", g.x[at], g.y[at])
                    }));
                    kept.extend(
                        batch
                            .unreadable()
                            .iter()
                            .map(|record| (record.reason.to_string(), record.original.clone())),
                    );
                    Ok(())
                })
                .unwrap();
            assert_eq!(found.remove(0), "9 47", "{name}: {geometry}");
            match wanted {
                Ok(vertices) => {
                    assert_eq!(found.join(", "), vertices, "{name}: {geometry}");
                    assert!(kept.is_empty(), "{name}: {geometry}: {kept:?}");
                }
                Err(why) => {
                    assert_eq!((found.len(), kept.len()), (0, 1), "{name}: {geometry}");
                    assert!(kept[0].0.contains(why), "{name}: {}", kept[0].0);
                    assert_eq!(kept[0].1, geometry, "{name}");
                }
            }
        }
    }
}
