//! The library as it is built without its features: what it still does, and what it says of what
//! was left out. Built with them, the same files are read and written, and nothing is refused.

use std::path::Path;
use velvet_peg::{
    BuildPoints, ConvertLayer, Crs, Error, Format, Layer, LayerReader, Selection, format_of,
};

const GATES: &str = "gate,lon,lat,cfs\nNo. 1,-120.01,47.41,3.5\nNo. 2,-119.99,47.42,0\n";

/// Every feature with a format of its own, the extensions, and the first bytes of such files.
const FORMATS: [(&str, bool, &[&str], &[u8]); 4] = [
    ("geopackage", cfg!(feature = "geopackage"), &["gpkg"], b"SQLite format 3\0"),
    ("flatgeobuf", cfg!(feature = "flatgeobuf"), &["fgb"], b"fgb\x03fgb\0"),
    ("geoparquet", cfg!(feature = "geoparquet"), &["parquet", "geoparquet"], b"PAR1"),
    (
        "workbooks",
        cfg!(feature = "workbooks"),
        &["xlsx", "xls", "ods", "xlsm", "xlsb"],
        b"PK\x03\x04",
    ),
];

fn gates(folder: &Path) -> Layer {
    let table = folder.join("gates.csv");
    std::fs::write(&table, GATES).unwrap();
    let out = folder.join("gates.geojson");
    let points = BuildPoints::in_system(Crs::from_epsg(4326).unwrap());
    assert_eq!(points.run(&table, &out).unwrap().out, 2);
    Layer::read(&out).unwrap()
}

#[test]
fn formats_that_need_no_feature_are_read_and_written() {
    let folder = tempfile::tempdir().unwrap();
    let layer = gates(folder.path());
    for extension in ["geojson", "geojsonl", "shp", "kml", "gpx", "csv"] {
        let out = folder.path().join(format!("copy.{extension}"));
        layer.write(&out).unwrap_or_else(|error| panic!("{extension}: {error}"));
        if extension == "csv" {
            assert!(std::fs::read_to_string(&out).unwrap().contains("No. 2"));
            continue;
        }
        let again = Layer::read(&out).unwrap();
        assert_eq!(again.len(), 2, "{extension}");
        for (before, after) in layer.features().zip(again.features()) {
            assert_eq!(before.vertices(), after.vertices(), "{extension}");
        }
    }
}

#[test]
fn layers_are_converted() {
    let folder = tempfile::tempdir().unwrap();
    gates(folder.path());
    let reader = LayerReader::open(&folder.path().join("gates.geojson"), None).unwrap();
    let target = Some(Crs::from_epsg(32610).unwrap());
    let out = folder.path().join("utm.shp");
    let summary = ConvertLayer { target, ..ConvertLayer::default() }.run(&reader, &out).unwrap();
    assert_eq!((summary.rows_in, summary.out, summary.verified), (2, 2, true));
    let layer = Layer::read(&out).unwrap();
    assert_eq!(layer.crs().and_then(Crs::code), Some(32610));
    let (x, y) = layer.features().next().unwrap().vertices()[0];
    assert!((x - 725_000.0).abs() < 2e3 && (y - 5_254_000.0).abs() < 2e3, "{x} {y}");
}

#[test]
fn formats_that_were_left_out_are_refused_by_name() {
    let folder = tempfile::tempdir().unwrap();
    let layer = gates(folder.path());
    for (feature, built, extensions, start) in FORMATS {
        let says = |done: Result<(), Error>, what: &str| {
            let said = done.map_or_else(|error| error.to_string(), |()| "done".into());
            let told = said.contains(&format!("leaves out: build it with the feature `{feature}`"));
            assert_eq!(told, !built, "{what}: {said}");
        };
        for extension in extensions {
            let named = folder.path().join(format!("named.{extension}"));
            let known = Format::all().any(|f| f.capability().extensions.contains(extension));
            assert_eq!(known, built, "{extension}");
            says(layer.write(&named).map(|_| ()), extension);
            assert!(built || !named.exists(), "{extension}");
            std::fs::write(&named, start).unwrap();
            says(Layer::read(&named).map(|_| ()), extension);
            says(format_of(&named).map(|_| ()), extension);
        }
        // Without a word in its name, the file shows itself by its first bytes.
        let bare = folder.path().join(format!("bare-{feature}"));
        std::fs::write(&bare, start).unwrap();
        says(format_of(&bare).map(|_| ()), feature);
        says(Layer::read(&bare).map(|_| ()), feature);
    }
}

#[test]
fn expressions_that_were_left_out_are_refused() {
    let folder = tempfile::tempdir().unwrap();
    gates(folder.path());
    let reader = LayerReader::open(&folder.path().join("gates.geojson"), None).unwrap();
    let built = cfg!(feature = "expressions");
    let wanted = [
        Selection { condition: Some("cfs > 1".into()), ..Selection::default() },
        Selection { set: vec!["twice = cfs * 2".into()], ..Selection::default() },
    ];
    for (number, select) in wanted.into_iter().enumerate() {
        let out = folder.path().join(format!("chosen-{number}.geojson"));
        let done = ConvertLayer { select, ..ConvertLayer::default() }.run(&reader, &out);
        match done {
            Ok(summary) => assert!(built && summary.out + summary.left_out == 2, "{summary:?}"),
            Err(error) => {
                let error = error.to_string();
                assert!(!built && error.contains("feature `expressions`"), "{error}");
                assert!(!out.exists());
            }
        }
    }
    // What takes no expression is done all the same.
    let out = folder.path().join("renamed.geojson");
    let rename = vec![("cfs".into(), "flow".into())];
    let select = Selection { rename, keep: vec!["cfs".into()], ..Selection::default() };
    ConvertLayer { select, ..ConvertLayer::default() }.run(&reader, &out).unwrap();
    let layer = Layer::read(&out).unwrap();
    assert_eq!(layer.features().next().unwrap().value("flow"), Some(3.5.into()));
}
