//! Adding features to a layer that is there.

use std::path::Path;
use velvet_peg::layer::GeometryKind;
use velvet_peg::{Crs, Geometry, Layer, LayerReader, Value, WriteOptions, declare};

fn append() -> WriteOptions {
    WriteOptions { append: true, ..WriteOptions::default() }
}

/// Two gates in degrees.
fn gates(names: [&str; 2]) -> Layer {
    let mut layer = Layer::new("gates", Some(Crs::from_epsg(4326).unwrap()));
    for (n, name) in names.iter().enumerate() {
        let at = (-123.0 + n as f64 / 100.0, 47.4);
        layer
            .push(Geometry::Point(at), [("name", (*name).into()), ("cfs", (n as i64).into())])
            .unwrap();
    }
    layer
}

/// The same layer in UTM, with one more column, in a file of this format.
fn there(path: &Path) {
    let mut layer = Layer::new("gates", Some(Crs::from_epsg(32610).unwrap()));
    let attributes =
        [("NAME", "Old".into()), ("cfs", Value::Real(1.5)), ("rider", Value::Text("Mina".into()))];
    layer.push(Geometry::Point((500_000.0, 5_250_000.0)), attributes).unwrap();
    layer.write(path).unwrap();
}

#[test]
fn new_features_take_over_system_and_columns() {
    let folder = tempfile::tempdir().unwrap();
    for extension in ["gpkg", "shp", "fgb", "parquet"] {
        let path = folder.path().join(format!("gates.{extension}"));
        there(&path);
        let notices = gates(["Alder", "Birch"]).write_with(&path, &append()).unwrap();
        let told = notices.iter().map(|n| n.text.as_str()).collect::<Vec<_>>().join("\n");
        assert!(told.contains("have no `rider`: left blank"), "{told}");
        assert!(told.contains("converted from EPSG:4326"), "{told}");
        let layer = Layer::read(&path).unwrap();
        assert_eq!(layer.len(), 3, "{extension}");
        assert_eq!(layer.crs().and_then(Crs::code), Some(32610));
        // One of the formats has an order of its own.
        let alder = layer.features().find(|f| f.value("NAME") == Some("Alder".into())).unwrap();
        assert_eq!(alder.value("cfs"), Some(Value::Real(0.0)));
        assert_eq!(alder.value("rider"), Some(Value::Null));
        let (x, y) = alder.vertices()[0];
        assert!((x - 500_000.0).abs() < 1e-3 && y > 5.2e6, "{x} {y}");
    }
}

#[test]
fn what_does_not_go_together_is_refused_before_a_byte_is_written() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("gates.gpkg");
    there(&path);
    let before = std::fs::read(&path).unwrap();
    let utm = Crs::from_epsg(32610).unwrap();
    let point = || Geometry::Point((500_000.0, 5_250_000.0));
    let mut lines = Layer::new("gates", Some(utm.clone()));
    lines.push(Geometry::LineString(vec![(0.0, 0.0), (1.0, 1.0)]), [("name", "x".into())]).unwrap();
    let mut more = Layer::new("gates", Some(utm.clone()));
    more.push(point(), [("name", "x".into()), ("depth", 1.into())]).unwrap();
    let mut words = Layer::new("gates", Some(utm));
    words.push(point(), [("cfs", "much".into())]).unwrap();
    let mut nowhere = Layer::new("gates", None);
    nowhere.push(point(), [("name", "x".into())]).unwrap();
    for (layer, says) in [
        (lines, "it holds points, and the new features are lines"),
        (more, "it has no column for `depth`"),
        (words, "its column `cfs` holds numbers, and that of the new features texts"),
        (nowhere, "the new features have no reference system"),
    ] {
        let error = layer.write_with(&path, &append()).unwrap_err();
        assert!(error.is_usage() && error.to_string().contains(says), "{error}");
        assert_eq!(std::fs::read(&path).unwrap(), before, "{says}");
    }
}

#[test]
fn a_geopackage_made_elsewhere_is_filled_and_keeps_its_other_layers() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("district.gpkg");
    // An empty layer as a database tool would make it, with a key of another name and no index.
    there(&path);
    let file = rusqlite::Connection::open(&path).unwrap();
    file.execute_batch(
        "CREATE TABLE weirs (id INTEGER PRIMARY KEY, name TEXT, cfs DOUBLE, shape POINT);
         INSERT INTO gpkg_contents (table_name, data_type, identifier, srs_id)
           VALUES ('weirs', 'features', 'Weirs', 4326);
         INSERT INTO gpkg_geometry_columns VALUES ('weirs', 'shape', 'POINT', 4326, 0, 0);",
    )
    .unwrap();
    drop(file);
    let weirs = WriteOptions { layer: Some("weirs".into()), ..append() };
    for names in [["Cedar", "Elder"], ["Fir", "Linden"]] {
        gates(names).write_with(&path, &weirs).unwrap();
    }
    // A layer that is not there is made.
    let pumps = WriteOptions { layer: Some("pumps".into()), ..append() };
    gates(["North", "South"]).write_with(&path, &pumps).unwrap();
    let counts: Vec<(String, u64)> = LayerReader::open_all(&path)
        .unwrap()
        .iter()
        .map(|reader| (reader.info().name.clone(), reader.info().count.unwrap()))
        .collect();
    assert_eq!(counts, [("gates".into(), 1), ("weirs".into(), 4), ("pumps".into(), 2)]);
    // Which one is meant has to be said.
    let error = gates(["a", "b"]).write_with(&path, &WriteOptions { layer: None, ..append() });
    assert!(error.is_ok(), "the layer of the same name is meant: {error:?}");
    let file = rusqlite::Connection::open(&path).unwrap();
    let number = |sql: &str| -> i64 { file.query_row(sql, [], |row| row.get(0)).unwrap() };
    assert_eq!(number("SELECT count(*) FROM rtree_gates_geom"), 3);
    assert_eq!(number("SELECT count(*) FROM rtree_pumps_geom"), 2);
    assert_eq!(number("SELECT max(id) FROM weirs"), 4);
    assert_eq!(
        number("SELECT count(*) FROM sqlite_master WHERE type = 'trigger' AND tbl_name = 'gates'"),
        6
    );
    assert_eq!(
        number(
            "SELECT max_x < -122.98 AND min_x = -123 FROM gpkg_contents WHERE table_name = 'weirs'"
        ),
        1
    );
    let integrity: String = file.query_row("PRAGMA integrity_check", [], |row| row.get(0)).unwrap();
    assert_eq!(integrity, "ok");
}

#[test]
fn what_would_be_lost_by_writing_again_is_not_added_to() {
    let folder = tempfile::tempdir().unwrap();
    for (extension, says) in [
        ("kml", "may hold more than would be written again"),
        ("xml", "may hold more than would be written again"),
        ("gpx", "may hold more than would be written again"),
        ("csv", "may hold more than would be written again"),
        ("geojsonl", "its record 2 cannot be read"),
    ] {
        let path = folder.path().join(format!("gates.{extension}"));
        gates(["Alder", "Birch"]).write(&path).unwrap();
        if extension == "geojsonl" {
            let text = std::fs::read_to_string(&path).unwrap();
            std::fs::write(&path, text.replacen('\n', "\nbroken\n", 1)).unwrap();
        }
        let before = std::fs::read(&path).unwrap();
        let error = gates(["Cedar", "Elder"]).write_with(&path, &append()).unwrap_err();
        assert!(error.to_string().contains(says), "{extension}: {error}");
        assert_eq!(std::fs::read(&path).unwrap(), before);
    }
}

#[test]
fn an_empty_layer_takes_its_kind_from_what_comes() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("empty.geojson");
    std::fs::write(&path, r#"{"type":"FeatureCollection","features":[]}"#).unwrap();
    let mut bare = Layer::new("bare", Some(Crs::from_epsg(4326).unwrap()));
    bare.push(Geometry::Point((-120.0, 47.4)), []).unwrap();
    bare.write_with(&path, &append()).unwrap();
    let reader = LayerReader::open(&path, None).unwrap();
    assert_eq!((reader.info().count, reader.info().kind), (Some(1), Some(GeometryKind::Point)));
    // The same goes for declaring on the way.
    let crs = Crs::from_epsg(4326).unwrap();
    let out = folder.path().join("out.gpkg");
    declare(&reader, &crs, &out, &WriteOptions::default()).unwrap();
    declare(&reader, &crs, &out, &append()).unwrap();
    assert_eq!(Layer::read(&out).unwrap().len(), 2);
}
