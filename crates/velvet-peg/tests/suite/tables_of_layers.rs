//! Tables of attributes of the formats of layers are tables like others: features are built of them.

use std::path::{Path, PathBuf};
use velvet_peg::features::BuildFeatures;
use velvet_peg::look;
use velvet_peg::look::{Look, LookOptions};
use velvet_peg::table::{Cell, TableFile, TableOptions};
use velvet_peg::{Advice, BuildPoints, ConvertLayer, Crs, Layer, LayerReader, WriteOptions};

const GATES: &str = "gate,lon,lat,built,open,shape\n\
    007,-120.045,47.423,1931-05-04,true,POINT (1 2)\n\
    008,-120.046,,,false,\n\
    009,-120.047,47.425,1999-12-31,,\"POLYGON ((0 0, 4 0, 4 3, 0 0))\"\n\
    010,-120.048,97.4,,true,POINT (5\n";

/// The rows as a table of each format, and a list of records.
fn tables(folder: &Path) -> Vec<PathBuf> {
    let csv = folder.join("gates.csv");
    std::fs::write(&csv, GATES).unwrap();
    let mut paths = vec![csv.clone()];
    for extension in ["gpkg", "parquet", "xlsx"] {
        let path = folder.join(format!("gates.{extension}"));
        let table = TableFile::open(&csv, &TableOptions::default()).unwrap();
        let reader = LayerReader::of_table(table).unwrap();
        ConvertLayer::default().run(&reader, &path).unwrap();
        paths.push(path);
    }
    let records = r#"[{"gate":"007","lon":-120.045,"lat":47.423,"built":"1931-05-04","open":true,"shape":"POINT (1 2)"},
        {"gate":"008","lon":-120.046,"lat":null,"open":false},
        {"gate":"009","lon":-120.047,"lat":47.425,"built":"1999-12-31","shape":"POLYGON ((0 0, 4 0, 4 3, 0 0))"},
        {"gate":"010","lon":-120.048,"lat":97.4,"open":true,"shape":"POINT (5"}]"#;
    paths.push(folder.join("gates.json"));
    std::fs::write(&paths[4], records).unwrap();
    paths
}

fn features(path: &Path) -> Vec<String> {
    let layer = Layer::read(path).unwrap();
    let names: Vec<String> =
        layer.info().schema.fields().iter().map(|field| field.name().clone()).collect();
    let one = |feature: velvet_peg::layer::Feature<'_>| {
        let values = names.iter().map(|name| feature.value(name).unwrap().to_text());
        format!("{:?} {:?}", feature.vertices(), values.collect::<Vec<_>>())
    };
    layer.features().map(one).collect()
}

#[test]
fn features_are_built_of_the_tables_of_every_format() {
    let folder = tempfile::tempdir().unwrap();
    let mut first: Option<(Vec<String>, Vec<String>)> = None;
    for table in tables(folder.path()) {
        let name = table.extension().unwrap().to_string_lossy().into_owned();
        // Points from columns.
        let out = folder.path().join(format!("{name}-points.gpkg"));
        let build = BuildPoints::in_system(Crs::from_epsg(4326).unwrap());
        let outcome = build.run(&table, &out).unwrap();
        assert_eq!((outcome.rows_in, outcome.out, outcome.rejected.count), (4, 2, 2), "{name}");
        let rejects = std::fs::read_to_string(outcome.rejected.path.unwrap()).unwrap();
        assert!(rejects.contains("the latitude is blank") && rejects.contains("008"), "{rejects}");
        let points = features(&out);
        // Features from text.
        let out = folder.path().join(format!("{name}-shapes.gpkg"));
        let mut build =
            BuildFeatures { geometry: Some("shape".into()), ..BuildFeatures::default() };
        build.build.crs = Some(Crs::from_epsg(32610).unwrap());
        let outcome = build.run(&table, &out).unwrap();
        assert_eq!(outcome.rejected.count, 2, "{name}");
        let shapes = features(&out);
        assert!(
            shapes.len() == 2 && shapes[1].starts_with("[(0.0, 0.0), (4.0, 0.0)"),
            "{shapes:?}"
        );
        match &first {
            None => first = Some((points, shapes)),
            Some(first) => assert_eq!(&(points, shapes), first, "{name}"),
        }
    }
}

#[test]
fn cells_keep_what_they_are_and_one_of_several_tables_is_named() {
    let folder = tempfile::tempdir().unwrap();
    let paths = tables(folder.path());
    for path in &paths[1..3] {
        let table = TableFile::open(path, &TableOptions::default()).unwrap();
        let rows: Vec<_> = table.rows().unwrap().map(Result::unwrap).collect();
        let cells: Vec<Cell<'_>> = (0..5).map(|at| rows[0].cell(at).unwrap()).collect();
        let expected = [
            Cell::Text("007"),
            Cell::Number(-120.045),
            Cell::Number(47.423),
            Cell::Text("1931-05-04"),
            Cell::YesNo(true),
        ];
        assert_eq!((cells.as_slice(), rows.len()), (&expected[..], 4), "{}", path.display());
        assert_eq!(rows[1].cell(2), Some(Cell::Blank));
        assert_eq!((rows[0].number(), rows[3].number()), (1, 4));
    }
    // A second table beside the first.
    let table = TableFile::open(&paths[0], &TableOptions::default()).unwrap();
    let reader = LayerReader::of_table(table).unwrap();
    let write =
        WriteOptions { overwrite: true, layer: Some("more".into()), ..WriteOptions::default() };
    ConvertLayer { write, ..ConvertLayer::default() }.run(&reader, &paths[1]).unwrap();
    let error = TableFile::open(&paths[1], &TableOptions::default()).unwrap_err();
    assert!(error.to_string().contains("has 2 tables, of which one is to be named: gates, more"));
    assert_eq!(error.advice(), Some(&Advice::NameTable));
    let options = TableOptions { sheets: vec!["more".into()], ..TableOptions::default() };
    assert_eq!(TableFile::open(&paths[1], &options).unwrap().rows().unwrap().count(), 4);
    // Features are no table, nor is what fails on the way.
    let mut layer = Layer::new("a", Some(Crs::from_epsg(4326).unwrap()));
    layer.push(velvet_peg::Geometry::Point((1.0, 2.0)), [("a", 1.into())]).unwrap();
    for name in ["a.parquet", "b.gpkg", "c.geojson", "d.kml", "e.dxf"] {
        let path = folder.path().join(name);
        layer.write(&path).unwrap();
        let error = TableFile::open(&path, &TableOptions::default()).unwrap_err();
        assert!(error.to_string().contains("holds features already, not a table"), "{error}");
        assert_eq!(error.advice(), Some(&Advice::UseLayer), "{name}");
    }
    let bytes = std::fs::read(&paths[2]).unwrap();
    std::fs::write(&paths[2], &bytes[..bytes.len() / 2]).unwrap();
    let error = TableFile::open(&paths[2], &TableOptions::default()).unwrap_err().to_string();
    assert!(error.contains("gates.parquet"), "{error}");
}

#[test]
fn looking_at_a_table_of_attributes_shows_the_places_in_its_columns() {
    let folder = tempfile::tempdir().unwrap();
    for table in tables(folder.path()) {
        let Look::Table(seen) = look(&table, &LookOptions::default()).unwrap() else {
            panic!("{table:?} is no table");
        };
        let found = (seen.x.as_deref(), seen.y.as_deref(), seen.geometry.as_deref());
        assert_eq!(found, (Some("lon"), Some("lat"), Some("shape")), "{table:?}");
        assert_eq!((seen.rows, seen.columns.len()), (4, 6), "{table:?}");
        let rejected = seen.unreadable.1.join("; ");
        assert!(seen.unreadable.0 >= 1, "{table:?}: {rejected}");
    }
    // One without places is a list of attributes.
    let path = folder.path().join("owners.json");
    std::fs::write(&path, r#"[{"owner":"Quill","shares":3}]"#).unwrap();
    assert!(matches!(look(&path, &LookOptions::default()).unwrap(), Look::Layers { .. }));
}
