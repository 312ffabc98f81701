//! Shapefiles, on files that the tests make.

use shapefile::dbase::{Date, FieldValue, Record, TableWriterBuilder};
use shapefile::{Point, PointZ, Polygon, PolygonRing, Polyline, ShapeWriter, Writer};
use std::fs;
use std::path::Path;
use velvet_peg::definition::{self, Spelling};
use velvet_peg::{Crs, GeometryKind, LayerReader, Value};

/// Three headgates with every kind of attribute, in state plane feet.
fn headgates(path: &Path) {
    let table = TableWriterBuilder::new()
        .add_character_field("name".try_into().unwrap(), 20)
        .add_numeric_field("cfs".try_into().unwrap(), 8, 2)
        .add_numeric_field("turns".try_into().unwrap(), 4, 0)
        .add_logical_field("open".try_into().unwrap())
        .add_date_field("seen".try_into().unwrap());
    let mut writer = Writer::from_path(path, table).unwrap();
    for (i, name) in ["Alder", "Birch", "Cédar"].iter().enumerate() {
        let mut record = Record::default();
        let n = i as f64;
        record.insert("name".into(), FieldValue::Character(Some((*name).into())));
        record.insert("cfs".into(), FieldValue::Numeric((i != 1).then_some(1.25 + n)));
        record.insert("turns".into(), FieldValue::Numeric(Some(3.0 + n)));
        record.insert("open".into(), FieldValue::Logical(Some(i == 0)));
        record.insert("seen".into(), FieldValue::Date(Some(Date::new(3, 5, 2026).unwrap())));
        let at = PointZ::new(1_845_000.0 + 100.0 * n, 150_000.0, 1_100.0 + n, 0.0);
        writer.write_shape_and_record(&at, &record).unwrap();
    }
}

fn prj(path: &Path, code: u32) {
    let crs = Crs::from_epsg(code).unwrap();
    fs::write(path, definition::wkt1_spelled(&crs, Spelling::SideFile).unwrap()).unwrap();
}

#[test]
fn attributes_heights_and_the_side_files_are_read() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("gates.shp");
    headgates(&path);
    fs::write(path.with_extension("cpg"), "UTF-8").unwrap();
    prj(&path.with_extension("prj"), 2285);
    let reader = LayerReader::open(&path, None).unwrap();
    let info = reader.info();
    assert_eq!(info.crs.as_ref().unwrap().code(), Some(2285));
    assert_eq!((info.kind, info.count, info.has_z), (Some(GeometryKind::Point), Some(3), true));
    assert!(reader.notices[0].text.contains("from the side file"), "{:?}", reader.notices);
    let layer = reader.read().unwrap();
    let features: Vec<_> = layer.features().collect();
    assert_eq!(features[2].value("name"), Some(Value::Text("Cédar".into())));
    assert_eq!(features[0].value("cfs"), Some(Value::Real(1.25)));
    assert_eq!(features[1].value("cfs"), Some(Value::Null));
    assert_eq!(features[1].value("turns"), Some(Value::Integer(4)));
    assert_eq!(features[0].value("open"), Some(Value::Boolean(true)));
    assert_eq!(features[0].value("seen"), Some(Value::Text("2026-05-03".into())));
    assert_eq!(layer.batches()[0].geometry.z, [1_100.0, 1_101.0, 1_102.0]);
}

#[test]
fn what_is_missing_beside_it_is_said() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("gates.shp");
    headgates(&path);
    assert!(LayerReader::open(&path, None).unwrap().info().crs.is_none());
    fs::write(path.with_extension("prj"), "PROJCS[\"broken").unwrap();
    let reader = LayerReader::open(&path, None).unwrap();
    assert!(reader.info().crs.is_none());
    assert!(reader.notices[0].text.contains("cannot be read"), "{:?}", reader.notices);
    fs::remove_file(path.with_extension("dbf")).unwrap();
    fs::remove_file(path.with_extension("shx")).unwrap();
    let bare = LayerReader::open(&path, None).unwrap();
    assert_eq!((bare.info().count, bare.info().schema.fields().len()), (Some(3), 0));
    assert!(bare.notices.iter().any(|notice| notice.text.contains("no attributes")));
}

#[test]
fn rings_become_polygons_with_their_own_holes() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("fields.shp");
    // Clockwise outside, the other way round the hole.
    let square = |x: f64, size: f64| {
        vec![
            Point::new(x, 0.0),
            Point::new(x, size),
            Point::new(x + size, size),
            Point::new(x + size, 0.0),
            Point::new(x, 0.0),
        ]
    };
    let hole: Vec<Point> =
        square(22.0, 2.0).into_iter().rev().map(|p| Point::new(p.x, p.y + 2.0)).collect();
    let polygon = Polygon::with_rings(vec![
        PolygonRing::Outer(square(0.0, 10.0)),
        PolygonRing::Outer(square(20.0, 10.0)),
        PolygonRing::Inner(hole),
    ]);
    ShapeWriter::from_path(&path).unwrap().write_shapes(&[polygon]).unwrap();
    let layer = LayerReader::open(&path, None).unwrap().read().unwrap();
    let geometry = &layer.batches()[0].geometry;
    assert_eq!(geometry.kinds(), [Some(GeometryKind::MultiPolygon)]);
    let rings: Vec<usize> = geometry.parts(0).map(|part| geometry.rings(part).len()).collect();
    assert_eq!(rings, [1, 2], "the hole is in the second part");

    let path = folder.path().join("laterals.shp");
    let line = Polyline::with_parts(vec![square(0.0, 1.0), square(5.0, 1.0)]);
    ShapeWriter::from_path(&path).unwrap().write_shapes(&[line]).unwrap();
    let layer = LayerReader::open(&path, None).unwrap().read().unwrap();
    assert_eq!(layer.batches()[0].geometry.kinds(), [Some(GeometryKind::MultiLine)]);
}

#[test]
fn damaged_files_are_refused_wherever_they_are_cut() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("gates.shp");
    headgates(&path);
    let whole = fs::read(&path).unwrap();
    for percent in 0..100 {
        fs::write(&path, &whole[..whole.len() * percent / 100]).unwrap();
        let error = LayerReader::open(&path, None).map(|reader| reader.info().count).unwrap_err();
        assert!(error.to_string().contains("damaged"), "{percent} %: {error}");
    }
}
