//! Every kind of geometry through every format, and files that are broken.

use velvet_peg::layer::{Batch, GeometryKind};
use velvet_peg::measure::MeasureOptions;
use velvet_peg::{Crs, Geometry, Layer, LayerReader, WriteOptions, measure};

const ALL_KINDS: &str = r#"{"type":"FeatureCollection","features":[
{"type":"Feature","properties":{"n":1},"geometry":{"type":"Point","coordinates":[-120,47.4,350.25]}},
{"type":"Feature","properties":{"n":2},"geometry":{"type":"LineString","coordinates":[[-120,47.4,1],[-119.99,47.41,2]]}},
{"type":"Feature","properties":{"n":3},"geometry":{"type":"Polygon","coordinates":[[[-120,47.4,1],[-119.9,47.4,1],[-119.9,47.5,1],[-120,47.4,1]]]}},
{"type":"Feature","properties":{"n":4},"geometry":{"type":"MultiPoint","coordinates":[[-120,47.4,5],[-119,47,6]]}},
{"type":"Feature","properties":{"n":5},"geometry":{"type":"MultiLineString","coordinates":[[[-120,47.4,1],[-119.9,47.4,1]],[[-120,47.5,1],[-119.9,47.5,1],[-119.8,47.5,1]]]}},
{"type":"Feature","properties":{"n":6},"geometry":{"type":"MultiPolygon","coordinates":[[[[0,0,0],[1,0,0],[1,1,0],[0,0,0]]],[[[5,5,0],[9,5,0],[9,9,0],[5,5,0]],[[8,6,0],[8,7,0],[7,6,0],[8,6,0]]]]}},
{"type":"Feature","properties":{"n":7},"geometry":null}]}"#;

fn shape(layer: &Layer) -> Vec<(Option<GeometryKind>, usize, usize, usize)> {
    let batch = layer.batches().next().unwrap();
    let column = batch.geometry();
    (0..column.len())
        .map(|feature| {
            let parts = column.parts(feature);
            let rings: usize = parts.clone().map(|part| column.rings(part).len()).sum();
            (column.kinds()[feature], parts.len(), rings, column.vertices(feature).len())
        })
        .collect()
}

#[test]
fn every_kind_survives_geojson_and_geopackage() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    std::fs::write(at("all.geojson"), ALL_KINDS).unwrap();
    let first = Layer::read(at("all.geojson")).unwrap();
    assert_eq!(first.info().kind, None, "mixed");
    let wanted = [
        (Some(GeometryKind::Point), 1, 1, 1),
        (Some(GeometryKind::LineString), 1, 1, 2),
        (Some(GeometryKind::Polygon), 1, 1, 4),
        (Some(GeometryKind::MultiPoint), 2, 2, 2),
        (Some(GeometryKind::MultiLineString), 2, 2, 5),
        (Some(GeometryKind::MultiPolygon), 2, 3, 12),
        (None, 0, 0, 0),
    ];
    assert_eq!(shape(&first), wanted);
    first.write(at("all.gpkg")).unwrap();
    let second = Layer::read(at("all.gpkg")).unwrap();
    assert_eq!(shape(&second), wanted);
    assert!(second.info().has_z);
    second.write(at("again.geojson")).unwrap();
    let third = Layer::read(at("again.geojson")).unwrap();
    assert_eq!(shape(&third), wanted);
    let (a, b) =
        (&first.batches().next().unwrap().geometry(), &third.batches().next().unwrap().geometry());
    assert_eq!(a.z, b.z, "heights too");
    // Rings may have been turned; what is in them is the same.
    let sorted = |values: &[f64]| {
        let mut values = values.to_vec();
        values.sort_by(f64::total_cmp);
        values
    };
    assert_eq!((sorted(&a.x), sorted(&a.y)), (sorted(&b.x), sorted(&b.y)));
    assert_eq!(a.text_of(0), "POINT Z (-120 47.4 350.25)");
    assert_eq!(a.text_of(3), "MULTIPOINT Z ((-120 47.4 5), (-119 47 6))");
    let text = a.text_of(5);
    assert!(text.starts_with("MULTIPOLYGON Z (((0 0 0, 1 0 0, 1 1 0, 0 0 0)), ((5 5 0,"), "{text}");
    assert_eq!(a.text_of(6), "GEOMETRYCOLLECTION EMPTY");
}

#[test]
fn every_kind_is_measured_as_what_it_is() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("all.geojson");
    std::fs::write(&path, ALL_KINDS).unwrap();
    let reader = LayerReader::open(&path, None).unwrap();
    let measures = measure(&reader, &MeasureOptions::default()).unwrap();
    let figures: Vec<(f64, f64)> =
        measures.features.iter().map(|m| (m.length_m, m.area_m2)).collect();
    assert_eq!(figures[0], (0.0, 0.0), "a point");
    assert!((figures[1].0 - 1343.0).abs() < 2.0 && figures[1].1 == 0.0, "a line: {:?}", figures[1]);
    assert!(figures[2].1 > 4e7 && figures[2].1 < 5e7, "a polygon: {:?}", figures[2]);
    assert_eq!(figures[3], (0.0, 0.0), "points");
    // Two lines: their lengths add up, the gap between them does not count.
    assert!((figures[4].0 - 3.0 * 7540.0).abs() < 60.0, "lines: {:?}", figures[4]);
    // Two polygons, one with a hole.
    let square_degree = 1.23e10;
    assert!(
        (figures[5].1 / square_degree - (0.5 + 8.0 - 0.5)).abs() < 0.1,
        "polygons: {:?}",
        figures[5]
    );
    assert_eq!(figures[6], (0.0, 0.0), "no geometry");
    assert!(measures.grid.is_none() && measures.features[2].grid_area_m2.is_none());
    assert!(measures.total(|m| m.grid_area_m2).is_none());
}

#[test]
fn broken_geometries_are_refused_with_their_feature() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("line.gpkg");
    let mut layer = Layer::new("line", Some(Crs::from_epsg(32610).unwrap()));
    for shift in [0.0, 10.0] {
        let vertices = vec![
            (500_000.0 + shift, 5_000_000.0),
            (500_100.0, 5_000_050.0),
            (500_200.0, 5_000_000.0),
        ];
        layer.push(Geometry::LineString(vertices), [("name", "T-1".into())]).unwrap();
    }
    layer.write(&path).unwrap();
    let file = rusqlite::Connection::open(&path).unwrap();
    for trigger in ["insert", "update1", "update2", "update3", "update4", "delete"] {
        file.execute_batch(&format!("DROP TRIGGER rtree_line_geom_{trigger}")).unwrap();
    }
    let whole: Vec<u8> =
        file.query_row("SELECT geom FROM line WHERE fid = 2", [], |row| row.get(0)).unwrap();
    let put =
        |bytes: &[u8]| file.execute("UPDATE line SET geom = ?1 WHERE fid = 2", [bytes]).unwrap();
    // Cut anywhere, it is refused and never panics.
    for length in 0..whole.len() {
        put(&whole[..length]);
        let error = Layer::read(&path).unwrap_err();
        assert!(error.is_data() && error.to_string().contains("feature 2"), "{length}: {error}");
        assert!(error.to_string().contains("layer line"), "{error}");
    }
    // A count that promises more than there is.
    let mut boasting = whole.clone();
    let at = whole.len() - 3 * 16 - 4;
    boasting[at..at + 4].copy_from_slice(&u32::MAX.to_le_bytes());
    put(&boasting);
    assert!(Layer::read(&path).unwrap_err().to_string().contains("cut short"));
    // A kind that simple features do not have.
    let mut curved = whole.clone();
    curved[at - 4] = 99;
    put(&curved);
    assert!(Layer::read(&path).unwrap_err().to_string().contains("type 99"));
    // Empty by its flag: a feature without geometry.
    let mut empty = whole.clone();
    empty[3] |= 0x10;
    put(&empty);
    let read = Layer::read(&path).unwrap();
    assert_eq!(read.features().nth(1).unwrap().kind(), None);
    put(&whole);
    assert_eq!(Layer::read(&path).unwrap().features().nth(1).unwrap().vertices()[0].0, 500_010.0);
}

#[test]
fn several_layers_are_told_apart() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("two.gpkg");
    let mut layer = Layer::new("first", Some(Crs::from_epsg(4326).unwrap()));
    layer.push(Geometry::Point((-120.0, 47.4)), [("a", 1.into())]).unwrap();
    layer.write(&path).unwrap();
    let file = rusqlite::Connection::open(&path).unwrap();
    file.execute_batch(
        "CREATE TABLE second (id INTEGER PRIMARY KEY, shape BLOB, day DATE);
         INSERT INTO gpkg_contents (table_name, data_type, identifier, srs_id) VALUES ('second', 'features', 'second', 0);
         INSERT INTO gpkg_geometry_columns VALUES ('second', 'shape', 'POINT', 0, 0, 0);
         INSERT INTO second VALUES (1, NULL, '2026-09-01');
         CREATE TABLE notes (id INTEGER PRIMARY KEY, text TEXT);
         INSERT INTO gpkg_contents (table_name, data_type, identifier) VALUES ('notes', 'attributes', 'notes');",
    )
    .unwrap();
    let error = LayerReader::open(&path, None).unwrap_err().to_string();
    assert!(error.contains("has 3 layers") && error.contains("first, second, notes"), "{error}");
    let error = LayerReader::open(&path, Some("third")).unwrap_err().to_string();
    assert!(error.contains("no layer `third`"), "{error}");
    let second = LayerReader::open(&path, Some("second")).unwrap();
    assert!(second.info().crs.is_none());
    let layer = second.read().unwrap();
    assert_eq!(layer.features().next().unwrap().value("day"), Some("2026-09-01".into()));
    // A date stays declared as one.
    let out = folder.path().join("dates.gpkg");
    layer.write(&out).unwrap();
    let declared: String = rusqlite::Connection::open(&out)
        .unwrap()
        .query_row("SELECT type FROM pragma_table_info('second') WHERE name = 'day'", [], |row| {
            row.get(0)
        })
        .unwrap();
    assert_eq!(declared, "DATE");
}

#[test]
fn identifiers_are_not_lost() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let feature = |id: &str| {
        format!(
            r#"{{"type":"Feature","id":{id},"properties":{{"a":1}},"geometry":{{"type":"Point","coordinates":[1,2]}}}}"#
        )
    };
    let file = |ids: [&str; 2]| {
        format!(
            r#"{{"type":"FeatureCollection","features":[{},{}]}}"#,
            feature(ids[0]),
            feature(ids[1])
        )
    };
    for (ids, wanted) in [
        (["17", "4"], [17.into(), 4.into()]),
        (["\"a7\"", "9"], ["a7".into(), velvet_peg::Value::from("9")]),
    ] {
        std::fs::write(at("ids.geojson"), file(ids)).unwrap();
        let layer = Layer::read(at("ids.geojson")).unwrap();
        let found: Vec<_> = layer.features().map(|f| f.value("id").unwrap()).collect();
        assert_eq!(found, wanted);
    }
    // A key with gaps stays an attribute; one that only counts the rows does not.
    Layer::read(at("ids.geojson")).unwrap().write(at("ids.gpkg")).unwrap();
    assert!(Layer::read(at("ids.gpkg")).unwrap().features().next().unwrap().value("fid").is_none());
    let connection = rusqlite::Connection::open(at("ids.gpkg")).unwrap();
    connection
        .execute_batch("DROP TRIGGER rtree_ids_geom_delete; DELETE FROM ids WHERE fid = 1")
        .unwrap();
    let sparse = Layer::read(at("ids.gpkg")).unwrap();
    assert_eq!(sparse.features().next().unwrap().value("fid"), Some(2.into()));
    sparse.write(at("again.gpkg")).unwrap();
    assert_eq!(
        Layer::read(at("again.gpkg")).unwrap().features().next().unwrap().value("fid"),
        Some(2.into())
    );
}

#[test]
fn names_that_clash_with_the_formats_own_are_kept_apart() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("clash.gpkg");
    let mut layer = Layer::new("gpkg_contents", Some(Crs::from_epsg(4326).unwrap()));
    let attributes =
        [("fid", "mine".into()), ("Geom", "too".into()), ("select \"from\"", 1.into())];
    layer.push(Geometry::Point((-120.0, 47.4)), attributes).unwrap();
    layer.write(&path).unwrap();
    let back = Layer::read(&path).unwrap();
    let feature = back.features().next().unwrap();
    assert_eq!(feature.value("fid"), Some("mine".into()));
    assert_eq!(feature.value("Geom"), Some("too".into()));
    assert_eq!(feature.value("select \"from\""), Some(1.into()));
    let csv = folder.path().join("clash.csv");
    back.write_with(&csv, &WriteOptions { decimals: Some(3), ..WriteOptions::default() }).unwrap();
    let text = std::fs::read_to_string(&csv).unwrap();
    assert!(text.starts_with("fid,Geom,\"select \"\"from\"\"\",lon,lat\n"), "{text}");
    assert!(text.ends_with("mine,too,1,-120.000,47.400\n"), "{text}");
}

#[test]
fn features_made_in_code_mix_only_what_fits_together() {
    let mut layer = Layer::new("mixed", None);
    assert!(layer.is_empty() && layer.extent().is_none());
    layer.push(Geometry::Point((1.0, 2.0)), [("a", 1.into())]).unwrap();
    assert_eq!(layer.info().kind, Some(GeometryKind::Point));
    layer.push(Geometry::LineString(vec![(0.0, 0.0), (5.0, 9.0)]), [("a", 2.into())]).unwrap();
    assert_eq!(layer.info().kind, None);
    layer.push(Geometry::Point((1.0, 2.0)), [("a", 3.into())]).unwrap();
    assert_eq!(layer.info().kind, None, "once mixed, mixed");
    let bounds = layer.extent().unwrap();
    assert_eq!((bounds.west, bounds.south, bounds.east, bounds.north), (0.0, 0.0, 5.0, 9.0));
    assert_eq!(layer.features().map(|f| f.number).collect::<Vec<_>>(), [1, 2, 3]);
    layer.declare(Crs::from_epsg(32610).unwrap());
    assert_eq!(layer.crs().unwrap().code(), Some(32610));
}

#[test]
fn pushed_features_are_put_together_in_full_batches() {
    let mut layer = Layer::new("many", None);
    for number in 0..20_000 {
        layer.push((f64::from(number), 2.0), [("n", number.into())]).unwrap();
    }
    assert_eq!(layer.len(), 20_000);
    let sizes: Vec<usize> = layer.batches().map(Batch::len).collect();
    assert_eq!(sizes, [8192, 8192, 20_000 - 2 * 8192]);
    // Seen so far, it goes on: a copy as well.
    let mut copy = layer.clone();
    for layer in [&mut layer, &mut copy] {
        layer.push((1.0, 2.0), [("n", 7.into())]).unwrap();
        assert_eq!(layer.features().last().unwrap().value("n"), Some(7.into()));
        assert_eq!((layer.len(), layer.features().count()), (20_001, 20_001));
    }
    layer = copy;
    for (number, feature) in layer.features().take(20_000).enumerate() {
        assert_eq!(feature.number, number as u64 + 1);
        assert_eq!(feature.vertices(), [(number as f64, 2.0)]);
        assert_eq!(feature.value("n"), Some((number as i64).into()));
    }
}
