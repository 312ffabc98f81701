//! The library as it is built without its features: what it still does, and what it says of what
//! was left out. Built with them, the same files are read and written, and nothing is refused.

use std::path::Path;
use velvet_peg::{
    BuildPoints, ConvertLayer, Crs, Error, Format, Layer, LayerReader, Selection, format_of,
};

const GATES: &str = "gate,lon,lat,cfs\nNo. 1,-120.01,47.41,3.5\nNo. 2,-119.99,47.42,0\n";

/// Every feature with a format of its own, the extensions, and the first bytes of such files where
/// they alone tell.
const FORMATS: [(&str, bool, &[&str], &[u8]); 12] = [
    ("geopackage", cfg!(feature = "geopackage"), &["gpkg"], b"SQLite format 3\0"),
    ("flatgeobuf", cfg!(feature = "flatgeobuf"), &["fgb"], b"fgb\x03fgb\0"),
    ("geoparquet", cfg!(feature = "geoparquet"), &["parquet", "geoparquet"], b"PAR1"),
    (
        "workbooks",
        cfg!(feature = "workbooks"),
        &["xlsx", "xls", "ods", "xlsm", "xlsb"],
        b"PK\x03\x04",
    ),
    (
        "geojson",
        cfg!(feature = "geojson"),
        &["geojson", "json", "geojsonl", "ndjson", "jsonl", "topojson"],
        b"{\"type\": \"FeatureCollection\", \"features\": []}",
    ),
    ("shapefile", cfg!(feature = "shapefile"), &["shp", "dbf"], b"\0\0\x27\x0a"),
    ("kml", cfg!(feature = "kml"), &["kml"], b""),
    ("gpx", cfg!(feature = "gpx"), &["gpx"], b""),
    ("gml", cfg!(feature = "gml"), &["gml"], b""),
    ("dxf", cfg!(feature = "dxf"), &["dxf"], b""),
    ("landxml", cfg!(feature = "landxml"), &["landxml", "xml"], b""),
    ("nmea", cfg!(feature = "nmea"), &["nmea", "nma"], b"$GPGGA,"),
];

/// Two gates in memory.
fn gates() -> Layer {
    let mut layer = Layer::new("gates", Some(Crs::from_epsg(4326).unwrap()));
    layer.push((-120.01, 47.41), [("gate", "No. 1".into()), ("cfs", 3.5.into())]).unwrap();
    layer.push((-119.99, 47.42), [("gate", "No. 2".into()), ("cfs", 0.0.into())]).unwrap();
    layer
}

#[test]
fn formats_that_are_built_are_written_and_read_whatever_the_others_are() {
    let folder = tempfile::tempdir().unwrap();
    let table = folder.path().join("gates.csv");
    std::fs::write(&table, GATES).unwrap();
    let copy = folder.path().join("copy.csv");
    let points = BuildPoints::in_system(Crs::from_epsg(4326).unwrap());
    let done = points.run(&table, &copy).unwrap();
    assert_eq!((done.out, done.rejected.count), (2, 0));
    assert!(std::fs::read_to_string(&copy).unwrap().contains("No. 2"));
    for format in Format::all().filter(|format| format.capability().writes && !format.is_table()) {
        let extension = format.capability().extensions[0];
        let out = folder.path().join(format!("copy.{extension}"));
        gates().write(&out).unwrap_or_else(|error| panic!("{extension}: {error}"));
        let again = Layer::read(&out).unwrap();
        assert_eq!(again.len(), 2, "{extension}");
        // Some formats put features in the order of their places.
        let places = |layer: &Layer| {
            let mut places: Vec<(f64, f64)> = layer.features().map(|f| f.vertices()[0]).collect();
            places.sort_by(|a, b| a.0.total_cmp(&b.0));
            places
        };
        for ((x, y), (u, v)) in places(&gates()).into_iter().zip(places(&again)) {
            assert!((x - u).abs() < 1e-8 && (y - v).abs() < 1e-8, "{extension}: {u} {v}");
        }
    }
}

#[test]
fn layers_are_converted() {
    let reader = LayerReader::of_layer(&gates(), Path::new("gates"));
    let folder = tempfile::tempdir().unwrap();
    let target = Some(Crs::from_epsg(32610).unwrap());
    let out = folder.path().join("utm.csv");
    let summary = ConvertLayer { target, ..ConvertLayer::default() }.run(&reader, &out).unwrap();
    assert_eq!((summary.rows_in, summary.out), (2, 2));
    let layer = gates().convert(&Crs::from_epsg(32610).unwrap()).unwrap();
    let (x, y) = layer.features().next().unwrap().vertices()[0];
    assert!((x - 725_000.0).abs() < 2e3 && (y - 5_254_000.0).abs() < 2e3, "{x} {y}");
    assert!(std::fs::read_to_string(&out).unwrap().contains("No. 1"));
}

#[test]
fn formats_that_were_left_out_are_refused_by_name() {
    let folder = tempfile::tempdir().unwrap();
    let layer = gates();
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
        if start.is_empty() {
            continue;
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
    let reader = LayerReader::of_layer(&gates(), Path::new("gates"));
    let built = cfg!(feature = "expressions");
    let wanted = [
        Selection { condition: Some("cfs > 1".into()), ..Selection::default() },
        Selection { set: vec!["twice = cfs * 2".into()], ..Selection::default() },
    ];
    for (number, select) in wanted.into_iter().enumerate() {
        let out = folder.path().join(format!("chosen-{number}.csv"));
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
    let out = folder.path().join("renamed.csv");
    let rename = vec![("cfs".into(), "flow".into())];
    let select = Selection { rename, keep: vec!["cfs".into()], ..Selection::default() };
    ConvertLayer { select, ..ConvertLayer::default() }.run(&reader, &out).unwrap();
    let text = std::fs::read_to_string(&out).unwrap();
    assert!(text.starts_with("flow,") && text.contains("3.5"), "{text}");
}
