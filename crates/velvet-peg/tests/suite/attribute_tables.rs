//! Rows without a geometry: tables of attributes in GeoPackages, tables to tables, one row a feature.

use std::path::Path;
use velvet_peg::table::{TableFile, TableOptions};
use velvet_peg::{
    ConvertLayer, Crs, Format, Geometry, Layer, LayerReader, Selection, TextDialect, WriteOptions,
    declare,
};

fn rows_of(path: &Path) -> Vec<Vec<String>> {
    if !Format::of(path).unwrap().is_table() {
        let layer = LayerReader::open(path, None).unwrap().read().unwrap();
        let names: Vec<String> =
            layer.info().schema.fields().iter().map(|f| f.name().clone()).collect();
        let row = |f: velvet_peg::layer::Feature<'_>| {
            names.iter().map(|name| f.value(name).unwrap().to_text()).collect()
        };
        return std::iter::once(names.clone()).chain(layer.features().map(row)).collect();
    }
    let table = TableFile::open(path, &TableOptions::default()).unwrap();
    let rows = table.rows().unwrap();
    let header = rows.columns().to_vec();
    let count = header.len();
    let row = |row: velvet_peg::table::Row| {
        (0..count).map(|at| row.text(at).unwrap_or_default().to_string()).collect()
    };
    std::iter::once(header).chain(rows.map(Result::unwrap).map(row)).collect()
}

const REGISTER: &str = "gate,built,open,cfs,note\n007,1931-05-04,true,12.5,\"a, \"\"b\"\"\"\n008,,false,,\n009,1999-12-31,,-3.25,Þ é\n";

/// Every format that holds rows without a geometry takes a table and gives it back.
#[test]
fn tables_go_to_every_format_and_back() {
    let folder = tempfile::tempdir().unwrap();
    let source = folder.path().join("register.csv");
    std::fs::write(&source, REGISTER).unwrap();
    let wanted = rows_of(&source);
    for format in Format::all().filter(|f| f.capability().writes && f.capability().no_geometry) {
        let extension = format.capability().extensions[0];
        let there = folder.path().join(format!("t-{extension}.{extension}"));
        let table = TableFile::open(&source, &TableOptions::default()).unwrap();
        let reader = LayerReader::of_table(table).unwrap();
        let summary = ConvertLayer::default().run(&reader, &there).unwrap();
        assert_eq!((summary.rows_in, summary.out, summary.verified), (3, 3, true), "{extension}");
        assert_eq!(rows_of(&there), wanted, "{extension}");
        let again = folder.path().join(format!("again-{extension}.csv"));
        let reader = match format.is_table() {
            true => {
                let table = TableFile::open(&there, &TableOptions::default()).unwrap();
                LayerReader::of_table(table).unwrap()
            }
            false => LayerReader::open(&there, None).unwrap(),
        };
        let write = WriteOptions { no_geometry: true, ..WriteOptions::default() };
        let convert = ConvertLayer { write, ..ConvertLayer::default() };
        convert.run(&reader, &again).unwrap();
        assert_eq!(rows_of(&again), wanted, "{extension}");
    }
}

#[test]
fn rows_are_chosen_computed_and_rejected_like_features() {
    let folder = tempfile::tempdir().unwrap();
    let (source, out) = (folder.path().join("register.csv"), folder.path().join("out.csv"));
    std::fs::write(&source, format!("{REGISTER}010,1999-01-01,true,5,one,too many\n")).unwrap();
    let table = TableFile::open(&source, &TableOptions::default()).unwrap();
    let select = Selection {
        condition: Some("cfs IS NOT NULL".into()),
        set: vec!["twice = cfs * 2".into()],
        keep: vec!["gate".into(), "twice".into()],
        ..Selection::default()
    };
    let convert = ConvertLayer { select, ..ConvertLayer::default() };
    let summary = convert.run(&LayerReader::of_table(table).unwrap(), &out).unwrap();
    assert_eq!(
        (summary.rows_in, summary.left_out, summary.out, summary.rejected.count),
        (4, 1, 2, 1)
    );
    assert_eq!(std::fs::read_to_string(&out).unwrap(), "gate,twice\n007,25\n009,-6.5\n");
    let rejects = std::fs::read_to_string(summary.rejected.path.unwrap()).unwrap();
    assert!(rejects.contains("010, 1999-01-01, true, 5, one, too many"), "{rejects}");
    assert!(rejects.lines().nth(1).unwrap().starts_with("5,the row has 6 fields"), "{rejects}");
}

/// What other programs put into a database: a table whose entry stays when it is gone, a view, a
/// table of attributes, types that the standard does not have.
#[test]
fn what_others_put_into_a_geopackage_is_read() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("others.gpkg");
    let mut layer = Layer::new("gates", Some(Crs::from_epsg(32610).unwrap()));
    for (x, cfs) in [(1.0, 12.5), (2.0, 0.5), (3.0, 7.0)] {
        layer.push(Geometry::Point((x, x)), [("cfs", cfs.into())]).unwrap();
    }
    layer.write(&path).unwrap();
    let file = rusqlite::Connection::open(&path).unwrap();
    file.execute_batch(
        "CREATE VIEW strong AS SELECT fid AS oid, geom, cfs, cfs * 2 AS twice, 'v' AS mark FROM gates WHERE cfs > 1;
         INSERT INTO gpkg_contents (table_name, data_type, identifier, srs_id) VALUES ('strong', 'features', 'strong', 32610);
         INSERT INTO gpkg_geometry_columns VALUES ('strong', 'geom', 'POINT', 32610, 0, 0);
         INSERT INTO gpkg_contents (table_name, data_type, identifier) VALUES ('lost', 'attributes', 'lost');
         CREATE TABLE register (code VARCHAR(8) PRIMARY KEY, n INT8, share DECIMAL(10,2), at TIME, ok BOOL) WITHOUT ROWID;
         INSERT INTO register VALUES ('b', 2, 0.25, '07:30:00', 1), ('a', 1, 3, NULL, 0);
         INSERT INTO gpkg_contents (table_name, data_type, identifier) VALUES ('register', 'attributes', 'register');",
    )
    .unwrap();
    drop(file);
    let readers = LayerReader::open_all(&path).unwrap();
    let names: Vec<&str> = readers.iter().map(|r| r.info().name.as_str()).collect();
    assert_eq!(names, ["gates", "strong", "register"]);
    let said = readers[0].notices.iter().map(|n| n.text.clone()).collect::<Vec<_>>().join("\n");
    assert!(said.contains("`lost`, which is not in the file"), "{said}");
    let view = readers[1].read().unwrap();
    let twice: Vec<_> = view.features().map(|f| f.value("twice").unwrap()).collect();
    assert_eq!(twice, [25.0.into(), 14.0.into()]);
    assert_eq!(view.features().next().unwrap().vertices(), [(1.0, 1.0)]);
    assert!(readers[2].info().bare && readers[2].info().crs.is_none());
    let register = readers[2].read().unwrap();
    let first = register.features().next().unwrap();
    let value = |name: &str| first.value(name).unwrap();
    assert_eq!((value("code"), value("n"), value("share")), ("a".into(), 1.into(), 3.0.into()));
    assert_eq!((value("ok"), value("at")), (false.into(), velvet_peg::Value::Null));
    // Into a GeoPackage that is there, beside its layers; types stay what they were declared.
    let out = folder.path().join("copy.gpkg");
    layer.write(&out).unwrap();
    let convert = |write: WriteOptions| ConvertLayer { write, ..ConvertLayer::default() };
    let beside =
        WriteOptions { append: true, layer: Some("register".into()), ..WriteOptions::default() };
    convert(beside.clone()).run(&readers[2], &out).unwrap();
    let summary = convert(beside).run(&readers[2], &out).unwrap();
    assert!(summary.notices.is_empty() && summary.verified, "{:?}", summary.notices);
    let again = LayerReader::open(&out, Some("register")).unwrap();
    assert_eq!(again.info().count, Some(4));
    let replaced =
        WriteOptions { overwrite: true, layer: Some("register".into()), ..WriteOptions::default() };
    convert(replaced).run(&readers[2], &out).unwrap();
    assert_eq!(LayerReader::open(&out, Some("register")).unwrap().info().count, Some(2));
    let file = rusqlite::Connection::open(&out).unwrap();
    let types: String = file
        .query_row("SELECT group_concat(type) FROM pragma_table_info('register')", [], |r| r.get(0))
        .unwrap();
    assert_eq!(types, "INTEGER,VARCHAR(8),INT8,DECIMAL(10,2),TIME,BOOL");
    let entry: (String, Option<i64>) = file
        .query_row(
            "SELECT data_type, srs_id FROM gpkg_contents WHERE table_name = 'register'",
            [],
            |row| Ok((row.get(0)?, row.get(1)?)),
        )
        .unwrap();
    assert_eq!(entry, ("attributes".to_string(), None));
    // There is nothing to convert or declare in it.
    let target = Some(Crs::from_epsg(4326).unwrap());
    let carried = ConvertLayer { target, ..ConvertLayer::default() };
    let error = carried.run(&again, &folder.path().join("x.gpkg")).unwrap_err().to_string();
    assert!(error.contains("is a table of attributes: it has no coordinates"), "{error}");
    let (crs, write) = (Crs::from_epsg(4326).unwrap(), WriteOptions::default());
    let error = declare(&again, &crs, &folder.path().join("x.gpkg"), &write).unwrap_err();
    assert!(
        error.to_string().contains("it has no coordinates") && error.advice().is_none(),
        "{error}"
    );
}

#[test]
fn text_is_written_as_whoever_receives_it_needs_it() {
    let folder = tempfile::tempdir().unwrap();
    let mut layer = Layer::new("gates", Some(Crs::from_epsg(32610).unwrap()));
    layer
        .push(Geometry::Point((1.5, 2.25)), [("name", "a;b".into()), ("cfs", (-0.5).into())])
        .unwrap();
    let plain = TextDialect::default();
    let cases: [(&str, TextDialect, &str); 5] = [
        ("a.csv", plain.clone(), "name,cfs,easting,northing\na;b,-0.5,1.5000,2.2500\n"),
        (
            "b.csv",
            TextDialect { decimal_comma: true, ..plain.clone() },
            "name;cfs;easting;northing\n\"a;b\";-0,5;1,5000;2,2500\n",
        ),
        (
            "c.csv",
            TextDialect { byte_order_mark: true, crlf: true, ..plain.clone() },
            "\u{feff}name,cfs,easting,northing\r\na;b,-0.5,1.5000,2.2500\r\n",
        ),
        (
            "d.csv",
            TextDialect { delimiter: Some('|'), ..plain.clone() },
            "name|cfs|easting|northing\na;b|-0.5|1.5000|2.2500\n",
        ),
        (
            "e.tsv",
            TextDialect { decimal_comma: true, ..plain.clone() },
            "name\tcfs\teasting\tnorthing\na;b\t-0,5\t1,5000\t2,2500\n",
        ),
    ];
    for (name, text, wanted) in cases {
        let path = folder.path().join(name);
        let write = WriteOptions { text, ..WriteOptions::default() };
        layer.write_with(&path, &write).unwrap();
        assert_eq!(std::fs::read_to_string(&path).unwrap(), wanted, "{name}");
    }
    for (name, text, says) in [
        (
            "f.csv",
            TextDialect { delimiter: Some(','), decimal_comma: true, ..plain.clone() },
            "cannot be told apart",
        ),
        ("g.csv", TextDialect { delimiter: Some('"'), ..plain.clone() }, "cannot stand between"),
        ("h.csv", TextDialect { delimiter: Some('→'), ..plain.clone() }, "cannot stand between"),
        ("i.gpkg", TextDialect { crlf: true, ..plain.clone() }, "is for delimited text"),
    ] {
        let write = WriteOptions { text, ..WriteOptions::default() };
        let error = layer.write_with(folder.path().join(name), &write).unwrap_err().to_string();
        assert!(error.contains(says), "{name}: {error}");
        assert!(!folder.path().join(name).exists());
    }
}

#[test]
fn one_row_a_feature_without_its_geometry() {
    let folder = tempfile::tempdir().unwrap();
    let mut layer = Layer::new("fields", Some(Crs::from_epsg(32610).unwrap()));
    let square = vec![(0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 0.0)];
    layer.push(Geometry::Polygon(vec![square]), [("crop", "oats".into())]).unwrap();
    for name in ["a.csv", "a.xlsx", "b.dbf"] {
        let path = folder.path().join(name);
        // Rows without coordinates are in no system, and nothing is said of one.
        let write = WriteOptions { no_geometry: true, strict: true, ..WriteOptions::default() };
        let told = layer.write_with(&path, &write).unwrap();
        assert!(!told.iter().any(|notice| notice.text.contains("reference system")), "{told:?}");
        assert_eq!(rows_of(&path), [["crop"], ["oats"]], "{name}");
    }
    let vertices = folder.path().join("v.dbf");
    layer.write(&vertices).unwrap();
    let rows = rows_of(&vertices);
    assert_eq!(rows[0], ["crop", "feature", "part", "ring", "vertex", "easting", "northing"]);
    assert_eq!(rows[2], ["oats", "1", "1", "1", "2", "1", "0"]);
    // The table of a Shapefile is not replaced by another.
    layer.write(folder.path().join("s.shp")).unwrap();
    let write = WriteOptions { overwrite: true, ..WriteOptions::default() };
    let error = layer.write_with(folder.path().join("s.dbf"), &write).unwrap_err().to_string();
    assert!(error.contains("table of the Shapefile"), "{error}");
    assert_eq!(Layer::read(folder.path().join("s.shp")).unwrap().len(), 1);
}

/// A Parquet file without the metadata that say where geometries are: rows, or geometries in a column
/// of a usual name, in no known system.
#[test]
fn plain_parquet_is_read() {
    let folder = tempfile::tempdir().unwrap();
    let file = |name: &str| folder.path().join(name);
    std::fs::write(file("register.csv"), REGISTER).unwrap();
    let table = TableFile::open(&file("register.csv"), &TableOptions::default()).unwrap();
    let rows = LayerReader::of_table(table).unwrap();
    ConvertLayer::default().run(&rows, &file("plain.parquet")).unwrap();
    let bytes = std::fs::read(file("plain.parquet")).unwrap();
    assert!(
        !bytes.windows(14).any(|word| word == b"primary_column"),
        "it says nothing of geometries"
    );
    let plain = LayerReader::open(&file("plain.parquet"), None).unwrap();
    assert!(plain.info().bare && plain.info().count == Some(3));
    // The same file as a layer of points, its metadata renamed as if another program left it out.
    let mut layer = Layer::new("gates", Some(Crs::from_epsg(32610).unwrap()));
    layer.push(Geometry::Point((1.5, 2.25)), [("name", "a".into())]).unwrap();
    layer.write(file("gates.parquet")).unwrap();
    let mut bytes = std::fs::read(file("gates.parquet")).unwrap();
    let key = b"\x03geo";
    let places: Vec<usize> =
        (0..bytes.len() - 4).filter(|at| bytes[*at..*at + 4] == key[..]).collect();
    places.iter().for_each(|at| bytes[at + 1] = b'x');
    std::fs::write(file("bare.parquet"), bytes).unwrap();
    let bare = LayerReader::open(&file("bare.parquet"), None).unwrap();
    assert!(bare.info().crs.is_none() && !bare.info().bare);
    assert!(bare.notices[0].text.contains("column `geometry` is taken for them"));
    assert_eq!(bare.read().unwrap().features().next().unwrap().vertices(), [(1.5, 2.25)]);
}

/// A file of attributes alone lacks the table that lists geometry columns, which its standard asks for
/// only where there are some.
#[test]
fn a_geopackage_of_attributes_alone_is_read() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("register.gpkg");
    std::fs::write(folder.path().join("r.csv"), REGISTER).unwrap();
    let table = TableFile::open(&folder.path().join("r.csv"), &TableOptions::default()).unwrap();
    ConvertLayer::default().run(&LayerReader::of_table(table).unwrap(), &path).unwrap();
    let file = rusqlite::Connection::open(&path).unwrap();
    file.execute_batch("DROP TABLE gpkg_geometry_columns; DROP TABLE gpkg_extensions;").unwrap();
    drop(file);
    let reader = LayerReader::open(&path, None).unwrap();
    assert!(reader.info().bare && reader.info().count == Some(3));
    // What has no coordinates is told so, with no advice to declare their system.
    let error = velvet_peg::measure(&reader, &Default::default()).unwrap_err();
    assert!(error.to_string().contains("it has no coordinates") && error.advice().is_none());
    let shapes = folder.path().join("register.shp");
    let summary = ConvertLayer::default().run(&reader, &shapes).unwrap();
    let told = |word: &str| summary.notices.iter().any(|notice| notice.text.contains(word));
    assert!(!told("reference system"), "{:?}", summary.notices);
}
