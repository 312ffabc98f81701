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
