//! Shapefiles, on files that the tests make.

use shapefile::dbase::{Date, FieldValue, Record, TableWriterBuilder};
use shapefile::{Point, PointZ, Polygon, PolygonRing, Polyline, Shape, ShapeWriter, Writer};
use std::fs;
use std::path::Path;
use velvet_peg::definition::{self, Spelling};
use velvet_peg::layer::{CrsOrigin, GeometryKind};
use velvet_peg::{Crs, Geometry, Layer, LayerReader, Value, WriteOptions};

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
    assert_eq!(info.crs_origin, CrsOrigin::SideFile);
    let layer = reader.read().unwrap();
    let features: Vec<_> = layer.features().collect();
    assert_eq!(features[2].value("name"), Some(Value::Text("Cédar".into())));
    assert_eq!(features[0].value("cfs"), Some(Value::Real(1.25)));
    assert_eq!(features[1].value("cfs"), Some(Value::Null));
    assert_eq!(features[1].value("turns"), Some(Value::Integer(4)));
    assert_eq!(features[0].value("open"), Some(Value::Boolean(true)));
    assert_eq!(features[0].value("seen"), Some(Value::Text("2026-05-03".into())));
    assert_eq!(layer.batches().next().unwrap().geometry().z, [1_100.0, 1_101.0, 1_102.0]);
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
    let geometry = layer.batches().next().unwrap().geometry();
    assert_eq!(geometry.kinds(), [Some(GeometryKind::MultiPolygon)]);
    let rings: Vec<usize> = geometry.parts(0).map(|part| geometry.rings(part).len()).collect();
    assert_eq!(rings, [1, 2], "the hole is in the second part");

    let path = folder.path().join("laterals.shp");
    let line = Polyline::with_parts(vec![square(0.0, 1.0), square(5.0, 1.0)]);
    ShapeWriter::from_path(&path).unwrap().write_shapes(&[line]).unwrap();
    let layer = LayerReader::open(&path, None).unwrap().read().unwrap();
    assert_eq!(
        layer.batches().next().unwrap().geometry().kinds(),
        [Some(GeometryKind::MultiLineString)]
    );
}

/// Land with a lake, an island in the lake and a pond on the island: whatever the order of the rings, the lake is a hole
/// of the land and the pond one of the island.
#[test]
fn a_pond_on_an_island_is_a_hole_of_the_island() {
    let folder = tempfile::tempdir().unwrap();
    let ring = |half: f64, outer: bool| {
        let mut corners = vec![(-half, -half), (-half, half), (half, half), (half, -half)];
        corners.push(corners[0]);
        if !outer {
            corners.reverse();
        }
        let points: Vec<Point> = corners.into_iter().map(|(x, y)| Point::new(x, y)).collect();
        if outer { PolygonRing::Outer(points) } else { PolygonRing::Inner(points) }
    };
    let (land, lake, island, pond) = (9.0, 7.0, 5.0, 3.0);
    for (number, order) in [
        [(land, true), (lake, false), (island, true), (pond, false)],
        [(land, true), (island, true), (pond, false), (lake, false)],
        [(island, true), (land, true), (lake, false), (pond, false)],
    ]
    .into_iter()
    .enumerate()
    {
        let path = folder.path().join(format!("land{number}.shp"));
        let polygon = Polygon::with_rings(order.map(|(half, outer)| ring(half, outer)).to_vec());
        ShapeWriter::from_path(&path).unwrap().write_shapes(&[polygon]).unwrap();
        let layer = LayerReader::open(&path, None).unwrap().read().unwrap();
        let geometry = layer.batches().next().unwrap().geometry();
        let mut parts: Vec<Vec<f64>> = geometry
            .parts(0)
            .map(|part| {
                geometry.rings(part).map(|ring| -geometry.x[geometry.ring(ring)][0]).collect()
            })
            .collect();
        parts.sort_by(|a, b| b[0].total_cmp(&a[0]));
        assert_eq!(parts, [[land, lake], [island, pond]], "order {number}");
    }
}

/// Numbers of the records that could be read, and of those that could not.
fn sorted_out(path: &Path) -> Option<(Vec<u64>, Vec<u64>)> {
    let (mut good, mut bad) = (Vec::new(), Vec::new());
    LayerReader::open(path, None)
        .ok()?
        .for_each_batch(&mut |batch| {
            bad.extend(batch.unreadable().iter().map(|record| record.number));
            good.extend((0..batch.geometry().len() as u64).map(|n| batch.first() + n));
            Ok(())
        })
        .unwrap();
    Some((good, bad))
}

#[test]
fn damaged_records_are_told_one_by_one() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("gates.shp");
    headgates(&path);
    let whole = fs::read(&path).unwrap();
    for percent in 0..100 {
        fs::write(&path, &whole[..whole.len() * percent / 100]).unwrap();
        // Each row of attributes is a feature or told as unreadable.
        match sorted_out(&path) {
            Some((good, bad)) => assert_eq!(good.len() + bad.len(), 3, "{percent} %"),
            None => assert!(percent < 63, "{percent} %: the first record is whole"),
        }
    }
    // The type of the second record: the others are as they were.
    let mut turned = whole.clone();
    turned[100 + 44 + 8] = 99;
    fs::write(&path, &turned).unwrap();
    assert_eq!(sorted_out(&path), Some((vec![1, 3], vec![2])));
    // Its length: the index leads on to the third.
    let mut turned = whole.clone();
    turned[100 + 44 + 4] = 0x7f;
    fs::write(&path, &turned).unwrap();
    assert_eq!(sorted_out(&path), Some((vec![1, 3], vec![2])));
    fs::remove_file(path.with_extension("shx")).unwrap();
    assert_eq!(sorted_out(&path), Some((vec![1], vec![2, 3])));
}

#[test]
fn other_hands_read_what_is_written() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("gates.shp");
    headgates(&path);
    fs::write(path.with_extension("cpg"), "UTF-8").unwrap();
    prj(&path.with_extension("prj"), 2285);
    let again = folder.path().join("again.shp");
    fs::write(again.with_extension("qix"), "of another file").unwrap();
    let layer = LayerReader::open(&path, None).unwrap().read().unwrap();
    let notices = layer.write(&again).unwrap();
    assert!(notices.iter().any(|n| n.text.contains("again.qix belonged to")), "{notices:?}");
    assert!(again.with_extension("qix").exists(), "nobody asked for it to be removed");
    let over = WriteOptions { overwrite: true, ..WriteOptions::default() };
    let bare = Layer::new("again", None);
    let mut bare = bare;
    bare.push((1.0, 2.0), [("name", "Gate 7".into())]).unwrap();
    let notices = bare.write_with(&again, &over).unwrap();
    assert!(notices.iter().any(|n| n.text.contains("again.qix")), "{notices:?}");
    for part in ["qix", "prj"] {
        assert!(!again.with_extension(part).exists(), "{part} tells of the file before");
    }
    layer.write_with(&again, &over).unwrap();
    let (before, after) = (shapefile::read(&path).unwrap(), shapefile::read(&again).unwrap());
    assert_eq!(before.len(), after.len());
    for ((shape, record), (other, values)) in before.into_iter().zip(after) {
        let (Shape::PointZ(a), Shape::PointZ(b)) = (shape, other) else { panic!("points") };
        assert_eq!((a.x, a.y, a.z), (b.x, b.y, b.z));
        for (name, value) in record {
            assert_eq!(values.get(&name), Some(&value), "{name}");
        }
    }
    for extension in ["shx", "dbf", "cpg", "prj"] {
        assert!(again.with_extension(extension).exists(), "{extension}");
    }
}

#[test]
fn what_a_shapefile_cannot_hold_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("mixed.shp");
    let crs = Crs::from_epsg(32610).unwrap();
    let mut layer = Layer::new("mixed", Some(crs));
    let long = "x".repeat(300);
    for (n, geometry) in [
        Geometry::Point((1.0, 2.0)),
        Geometry::LineString(vec![(0.0, 0.0), (5.0, 9.0)]),
        Geometry::Polygon(vec![vec![(0.0, 0.0), (4.0, 0.0), (4.0, 4.0)]]),
    ]
    .into_iter()
    .enumerate()
    {
        let attributes = [
            ("a long name of a column", Value::from(long.as_str())),
            ("a long name of a cousin", Value::Integer((1 << 60) + n as i64)),
            ("ratio", Value::Real(1.0 / 3.0)),
        ];
        layer.push(geometry, attributes).unwrap();
    }
    let notices = layer.write(&path).unwrap();
    let told = notices.iter().map(|n| n.text.as_str()).collect::<Vec<_>>().join("\n");
    for words in [
        "`a long name of a column` as `a_long_nam`, `a long name of a cousin` as `a_long_n_2`",
        "one kind of geometry a file",
        "longer than the 254 bytes",
        "more digits than readers of a Shapefile keep",
    ] {
        assert!(told.contains(words), "`{words}` is not in:\n{told}");
    }
    for kind in ["points", "lines", "polygons"] {
        let layer = Layer::read(folder.path().join(format!("mixed-{kind}.shp"))).unwrap();
        let feature = layer.features().next().unwrap();
        assert_eq!(feature.value("a_long_nam").unwrap().to_text().len(), 254);
        assert!(feature.value("a_long_n_2").unwrap().to_text().starts_with("11529215046068469"));
        assert_eq!(feature.value("ratio"), Some(Value::Real(1.0 / 3.0)));
    }
    let strict = WriteOptions { strict: true, ..WriteOptions::default() };
    let refused = folder.path().join("strict.shp");
    assert!(layer.write_with(&refused, &strict).unwrap_err().to_string().contains("in full"));
    assert!(!refused.exists());
}
