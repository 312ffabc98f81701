//! What a GeoPackage says of its columns beside their types is kept from file to file.

use rusqlite::Connection;
use std::path::Path;
use velvet_peg::layer::{COLUMN_DESCRIPTION, COLUMN_MIME, COLUMN_NAME, COLUMN_TITLE};
use velvet_peg::{ConvertLayer, Crs, Geometry, Layer, LayerReader, WriteOptions};

/// A layer whose columns another program has described.
fn described(path: &Path) {
    let mut layer = Layer::new("gates", Some(Crs::from_epsg(32610).unwrap()));
    for number in 1..=3 {
        let values = [("cfs", 2.5.into()), ("rider", "Alder".into()), ("no", number.into())];
        layer.push(Geometry::Point((f64::from(number), 2.0)), values).unwrap();
    }
    layer.write(path).unwrap();
    let file = Connection::open(path).unwrap();
    file.execute_batch(
        "CREATE TABLE gpkg_data_columns (table_name TEXT NOT NULL, column_name TEXT NOT NULL, \
         name TEXT, title TEXT, description TEXT, mime_type TEXT, constraint_name TEXT, \
         CONSTRAINT pk_gdc PRIMARY KEY (table_name, column_name), UNIQUE(table_name, name));
         INSERT INTO gpkg_extensions VALUES ('gpkg_data_columns', NULL, 'gpkg_schema', \
         'http://www.geopackage.org/spec121/#extension_schema', 'read-write');
         INSERT INTO gpkg_data_columns VALUES \
         ('gates', 'cfs', 'flow', 'Flow', 'cubic feet per second', NULL, NULL), \
         ('gates', 'rider', NULL, 'Ditch rider', NULL, 'text/plain', 'riders'), \
         ('other', 'cfs', 'x', 'Another table', NULL, NULL, NULL);",
    )
    .unwrap();
}

/// The rows of a file for a table, in order.
fn rows(path: &Path, table: &str) -> Vec<String> {
    let file = Connection::open(path).unwrap();
    let mut statement = file
        .prepare(
            "SELECT column_name || '|' || coalesce(name, '-') || '|' || coalesce(title, '-') || '|' \
             || coalesce(description, '-') || '|' || coalesce(mime_type, '-') \
             FROM gpkg_data_columns WHERE table_name = ?1 ORDER BY 1",
        )
        .unwrap();
    let rows = statement.query_map([table], |row| row.get(0)).unwrap();
    rows.map(Result::unwrap).collect()
}

fn extensions(path: &Path) -> i64 {
    let query = "SELECT count(*) FROM gpkg_extensions WHERE extension_name = 'gpkg_schema'";
    Connection::open(path).unwrap().query_row(query, [], |row| row.get(0)).unwrap()
}

const ROWS: [&str; 2] =
    ["cfs|flow|Flow|cubic feet per second|-", "rider|-|Ditch rider|-|text/plain"];

#[test]
fn titles_of_columns_go_along() {
    let folder = tempfile::tempdir().unwrap();
    let file = |name: &str| folder.path().join(name);
    described(&file("a.gpkg"));
    let reader = LayerReader::open(&file("a.gpkg"), None).unwrap();
    let metadata = reader.info().schema.field(0).metadata();
    for (key, text) in [
        (COLUMN_NAME, "flow"),
        (COLUMN_TITLE, "Flow"),
        (COLUMN_DESCRIPTION, "cubic feet per second"),
    ] {
        assert_eq!(metadata.get(key).map(String::as_str), Some(text));
    }
    let mime = reader.info().schema.field(1).metadata().get(COLUMN_MIME);
    assert_eq!(mime.map(String::as_str), Some("text/plain"));
    let told = &reader.notices[0].text;
    assert_eq!(told, "rules for the values of columns are not carried along: rider");

    // Into a new file, with another system, and a column less.
    let convert =
        ConvertLayer { target: Some(Crs::from_epsg(4326).unwrap()), ..ConvertLayer::default() };
    convert.run(&reader, &file("b.gpkg")).unwrap();
    assert_eq!(rows(&file("b.gpkg"), "gates"), ROWS);
    assert_eq!(extensions(&file("b.gpkg")), 1);

    // Beside another layer, over itself, added to: once each, and those of others stay.
    let mut other = Layer::new("other", Some(Crs::from_epsg(32610).unwrap()));
    other.push(Geometry::Point((1.0, 1.0)), [("cfs", 1.into())]).unwrap();
    other.write(file("c.gpkg")).unwrap();
    let options =
        |append: bool| WriteOptions { overwrite: !append, append, ..WriteOptions::default() };
    for append in [false, false, true] {
        let convert = ConvertLayer { write: options(append), ..ConvertLayer::default() };
        convert.run(&reader, &file("c.gpkg")).unwrap();
        assert_eq!(rows(&file("c.gpkg"), "gates"), ROWS);
        assert_eq!(extensions(&file("c.gpkg")), 1);
    }
    let again = LayerReader::open(&file("c.gpkg"), Some("gates")).unwrap();
    assert_eq!(again.info().count, Some(6));
    other.write_with(file("a.gpkg"), &options(false)).unwrap();
    assert_eq!(rows(&file("a.gpkg"), "gates"), ROWS);
    assert_eq!(rows(&file("a.gpkg"), "other"), ["cfs|x|Another table|-|-"]);

    // A file without any gets no table of them.
    other.write(file("d.gpkg")).unwrap();
    assert_eq!(extensions(&file("d.gpkg")), 0);
}
