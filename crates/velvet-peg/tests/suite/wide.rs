//! Tables and features of very many columns.

use std::fmt::Write as _;
use velvet_peg::{BuildPoints, ConvertLayer, Crs, Layer, LayerReader, Value};

const MANY: usize = 5_000;

/// Names of columns, and what they are told apart as.
fn crowds() -> [(&'static str, Vec<String>, [String; 2]); 3] {
    let each = |name: &dyn Fn(usize) -> String| (0..MANY).map(name).collect::<Vec<_>>();
    [
        ("all others", each(&|at| format!("k{at}")), ["k1".into(), format!("k{}", MANY - 1)]),
        ("all the same", each(&|_| "key".into()), ["key_2".into(), format!("key_{MANY}")]),
        (
            "capitals alone differ",
            each(&|at| if at % 2 == 0 { "Key".into() } else { "kEY".into() }),
            ["kEY_2".into(), format!("kEY_{MANY}")],
        ),
    ]
}

#[test]
fn crowds_of_columns_are_told_apart() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let build = BuildPoints::in_system(Crs::from_epsg(4326).unwrap());
    for (what, names, [second, last]) in crowds() {
        let mut table = format!("lon,lat,{}\n", names.join(","));
        for row in 0..2 {
            let values: Vec<String> = (0..MANY).map(|at| (at + row).to_string()).collect();
            let _ = writeln!(table, "-120.{row},47.4,{}", values.join(","));
        }
        std::fs::write(at("in.csv"), table).unwrap();
        for out in ["a.geojson", "a.parquet"] {
            let outcome = build.run(&at("in.csv"), &at(out)).unwrap();
            assert_eq!((outcome.out, outcome.rejected.count), (2, 0), "{what}: {out}");
            let layer = Layer::read(at(out)).unwrap();
            std::fs::remove_file(at(out)).unwrap();
            let fields = layer.info().schema.fields();
            let columns: Vec<&str> = fields.iter().map(|field| field.name().as_str()).collect();
            assert_eq!(columns.len(), MANY + 2, "{what}: {out}");
            assert_eq!((columns[3], columns[MANY + 1]), (&second[..], &last[..]), "{what}: {out}");
            let value = layer.features().nth(1).unwrap().value(&last).unwrap().to_text();
            assert_eq!(value, MANY.to_string(), "{what}: {out}");
        }
    }
}

#[test]
fn crowds_of_attributes_are_carried() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let mut data = String::new();
    for number in 0..MANY {
        let _ = write!(data, "<Data name=\"k{number}\"><value>{number}</value></Data>");
    }
    let text = format!(
        "<kml xmlns=\"http://www.opengis.net/kml/2.2\"><Document><Placemark><ExtendedData>{data}</ExtendedData>\
         <Point><coordinates>-120,47</coordinates></Point></Placemark></Document></kml>"
    );
    std::fs::write(at("in.kml"), text).unwrap();
    let job = ConvertLayer::default();
    let outcome =
        job.run(&LayerReader::open(&at("in.kml"), None).unwrap(), &at("a.geojson")).unwrap();
    assert_eq!((outcome.out, outcome.rejected.count), (1, 0));
    let layer = Layer::read(at("a.geojson")).unwrap();
    let feature = layer.features().next().unwrap();
    for number in [0, 1, MANY / 2, MANY - 1] {
        let value = feature.value(&format!("k{number}")).map(|value| value.to_text());
        assert_eq!(value, Some(number.to_string()));
    }
}

/// Features in a file, of which a batch holds fewer the more there is in each: columns, vertices, or long texts.
#[test]
fn batches_hold_less_of_large_features() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("large.geojsonl");
    let point = "{\"type\":\"Point\",\"coordinates\":[-120,47]}";
    let columns = |at: usize| (point.to_string(), format!("\"k{at}\":{at}"));
    let line: Vec<String> =
        (0..50_000).map(|at| format!("[-120,{}]", 47.0 + f64::from(at) * 1e-6)).collect();
    let line = format!("{{\"type\":\"LineString\",\"coordinates\":[{}]}}", line.join(","));
    let vertices = |at: usize| (line.clone(), format!("\"n\":{at}"));
    let text = "weir ".repeat(200_000);
    let texts = |at: usize| (point.to_string(), format!("\"note\":\"{text}{at}\""));
    // What is large, how many features, what each is, and how many a batch may hold.
    type Feature<'a> = &'a dyn Fn(usize) -> (String, String);
    let cases: [(&str, usize, Feature<'_>, usize); 4] = [
        ("nothing", 9_000, &|at| (point.to_string(), format!("\"n\":{at}")), 8_192),
        ("columns", 3_000, &columns, 350),
        ("vertices", 45, &vertices, 21),
        ("texts", 70, &texts, 34),
    ];
    for (what, count, feature, most) in cases {
        let mut file = String::new();
        for at in 0..count {
            let (geometry, values) = feature(at);
            let _ = writeln!(
                file,
                "{{\"type\":\"Feature\",\"geometry\":{geometry},\"properties\":{{{values}}}}}"
            );
        }
        std::fs::write(&path, file).unwrap();
        let mut sizes = Vec::new();
        let mut seen = 0;
        for batch in LayerReader::open(&path, None).unwrap().batches() {
            let batch = batch.unwrap();
            assert_eq!(batch.first(), seen as u64 + 1, "{what}");
            for row in 0..batch.len() {
                let mut values =
                    batch.values(row).into_iter().filter(|value| *value != Value::Null);
                let last = values.next_back().unwrap().to_text();
                assert!(last.ends_with(&seen.to_string()), "{what}: feature {seen}");
                seen += 1;
            }
            sizes.push(batch.len());
        }
        assert_eq!(seen, count, "{what}");
        let (last, others) = sizes.split_last().unwrap();
        assert!(!others.is_empty() && *last <= most, "{what}: {sizes:?}");
        assert!(others.iter().all(|size| *size <= most && *size > most / 2), "{what}: {sizes:?}");
    }
}
