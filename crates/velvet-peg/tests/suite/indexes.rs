//! The indexes of places that GeoPackages and FlatGeobufs are written with: whole, and what is found
//! through them is what lies there.

use flatgeobuf::{FallibleStreamingIterator, FgbReader};
use rusqlite::Connection;
use std::fs::File;
use std::io::BufReader;
use std::path::Path;
use std::sync::Arc;
use velvet_peg::arrow::array::{ArrayRef, Int64Array, RecordBatch};
use velvet_peg::layer::Batch;
use velvet_peg::{Crs, Geometry, Layer, LayerWriter, Value, WriteOptions};

/// Numbers that look random and are the same in every run (Marsaglia 2003).
struct Numbers(u64);

impl Numbers {
    fn next(&mut self) -> f64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0 >> 11) as f64 / (1_u64 << 53) as f64
    }
}

/// Points and, every third, ditches of the district, some of them in the same place.
fn features(count: usize) -> Vec<Geometry> {
    let mut numbers = Numbers(0x2545_f491_4f6c_dd1d);
    let feature = |at: usize| {
        let (x, y) = (6e5 + 4e4 * numbers.next(), 5.24e6 + 4e4 * numbers.next());
        let (x, y) = if at.is_multiple_of(7) { (612_345.678, 5_251_234.567) } else { (x, y) };
        match at % 3 {
            0 => Geometry::LineString(vec![(x, y), (x + 300.0 * numbers.next(), y - 200.0)]),
            _ => Geometry::Point((x, y)),
        }
    };
    (0..count).map(feature).collect()
}

/// West, east, south, north.
fn around(feature: &Geometry) -> [f64; 4] {
    let vertices = match feature {
        Geometry::LineString(vertices) => vertices.clone(),
        Geometry::Point(at) => vec![*at],
        other => panic!("{other:?}"),
    };
    let start = [f64::INFINITY, f64::NEG_INFINITY, f64::INFINITY, f64::NEG_INFINITY];
    vertices.iter().fold(start, |[w, e, s, n], (x, y)| [w.min(*x), e.max(*x), s.min(*y), n.max(*y)])
}

fn meet(a: [f64; 4], b: [f64; 4]) -> bool {
    a[0] <= b[1] && a[1] >= b[0] && a[2] <= b[3] && a[3] >= b[2]
}

/// The whole district, a few fields, the place that many share, and one where nothing lies.
const WINDOWS: [[f64; 4]; 4] = [
    [5e5, 7e5, 5e6, 6e6],
    [610_000.5, 614_000.5, 5_250_000.5, 5_256_000.5],
    [612_345.6, 612_345.7, 5_251_234.5, 5_251_234.6],
    [1.0, 2.0, 1.0, 2.0],
];

fn layer(features: &[Geometry]) -> Layer {
    let mut layer = Layer::new("places", Some(Crs::from_epsg(32610).expect("a system")));
    for (at, feature) in features.iter().enumerate() {
        let values = [("number", Value::from(at as u64))];
        layer.push(feature.clone(), values).expect("it fits");
    }
    layer
}

/// A file whose index SQLite finds whole.
fn whole(file: &Path) -> Connection {
    let connection = Connection::open(file).expect("a database");
    let check: String = connection
        .query_row("SELECT rtreecheck('main', 'rtree_places_geom')", [], |row| row.get(0))
        .expect("a check");
    assert_eq!(check, "ok");
    connection
}

fn found_in_geopackage(file: &Path, window: [f64; 4]) -> Vec<i64> {
    let connection = whole(file);
    let mut found = connection
        .prepare(
            "SELECT p.number FROM rtree_places_geom r JOIN places p ON p.fid = r.id \
             WHERE r.maxx >= ?1 AND r.minx <= ?2 AND r.maxy >= ?3 AND r.miny <= ?4 ORDER BY 1",
        )
        .expect("a query");
    found.query_map(window, |row| row.get(0)).expect("rows").map(|n| n.expect("one")).collect()
}

fn found_in_flatgeobuf(file: &Path, [west, east, south, north]: [f64; 4]) -> Vec<i64> {
    let reader = FgbReader::open(BufReader::new(File::open(file).expect("a file"))).expect("fgb");
    let mut features = reader.select_bbox(west, south, east, north).expect("an index");
    let mut found = Vec::new();
    while let Some(feature) = features.next().expect("a feature") {
        // A column number of two bytes, and a whole number of eight.
        let bytes = feature.fbs_feature().properties().expect("values").bytes();
        found.push(i64::from_le_bytes(bytes[2..10].try_into().expect("eight bytes")));
    }
    found.sort_unstable();
    found
}

/// One feature, one node, one too many for it, three levels, and more than are sorted at a time.
#[test]
fn what_lies_in_a_window_is_found_through_the_index() {
    let folder = tempfile::tempdir().expect("a folder");
    for count in [1, 16, 17, 51, 52, 48 * 51, 48 * 51 + 1, 140_000] {
        let features = features(count);
        let layer = layer(&features);
        let file = |end: &str| folder.path().join(format!("places-{count}.{end}"));
        layer.write(file("gpkg")).expect("it is written");
        layer.write(file("fgb")).expect("it is written");
        for window in WINDOWS {
            let lies = |at: &usize| meet(around(&features[*at]), window);
            let expected: Vec<i64> = (0..count).filter(lies).map(|at| at as i64).collect();
            assert_eq!(found_in_flatgeobuf(&file("fgb"), window), expected, "{count}");
            // Boxes of single precision are up to half a metre larger here.
            let found = found_in_geopackage(&file("gpkg"), window);
            let [w, e, s, n] = window;
            let wider = [w - 0.6, e + 0.6, s - 0.6, n + 0.6];
            assert!(expected.iter().all(|number| found.binary_search(number).is_ok()), "{count}");
            assert!(found.iter().all(|at| meet(around(&features[*at as usize]), wider)), "{count}");
        }
    }
}

/// Boxes are of single precision: rounded outwards, so that they hold what they are around.
#[test]
fn boxes_hold_what_they_are_around() {
    let folder = tempfile::tempdir().expect("a folder");
    let file = folder.path().join("places.gpkg");
    let features = features(500);
    layer(&features).write(&file).expect("it is written");
    let connection = whole(&file);
    let mut boxes = connection
        .prepare("SELECT id, minx, maxx, miny, maxy FROM rtree_places_geom ORDER BY id")
        .expect("a query");
    let boxes = boxes.query_map([], |row| {
        Ok((row.get::<_, i64>(0)?, [row.get(1)?, row.get(2)?, row.get(3)?, row.get(4)?]))
    });
    let boxes: Vec<(i64, [f64; 4])> = boxes.expect("rows").map(|row| row.expect("a box")).collect();
    assert_eq!(boxes.len(), features.len());
    for ((row, found), feature) in boxes.into_iter().zip(&features) {
        let of = around(feature);
        let holds =
            found[0] <= of[0] && found[1] >= of[1] && found[2] <= of[2] && found[3] >= of[3];
        // A step of single precision is half a metre here.
        let is_near = found.iter().zip(of).all(|(limit, of)| (limit - of).abs() <= 0.5);
        assert!(holds && is_near, "{row}: {found:?} {of:?}");
    }
}

/// A tree that was packed takes what another program adds, changes and deletes.
#[test]
fn a_packed_index_goes_on_with_its_table() {
    let folder = tempfile::tempdir().expect("a folder");
    let file = folder.path().join("places.gpkg");
    layer(&features(3000)).write(&file).expect("it is written");
    let more = layer(&features(5000));
    let options = WriteOptions { append: true, ..WriteOptions::default() };
    let mut writer = LayerWriter::create(&file, more.info(), &options).expect("more");
    more.batches().for_each(|batch| writer.write(batch).expect("it fits"));
    assert_eq!(writer.finish().expect("it is written").count, 5000);
    assert_eq!(found_in_geopackage(&file, WINDOWS[0]).len(), 8000);
    let connection = Connection::open(&file).expect("a database");
    connection.execute("DELETE FROM rtree_places_geom WHERE id % 5 > 0", []).expect("deleted");
    assert_eq!(found_in_geopackage(&file, WINDOWS[0]).len(), 1600);
}

/// Layers without features, and with features that have no place.
#[test]
fn an_index_of_nothing_is_whole() {
    let folder = tempfile::tempdir().expect("a folder");
    let file = |end: &str| folder.path().join(format!("places.{end}"));
    let empty = layer(&[]);
    empty.write(file("gpkg")).expect("it is written");
    empty.write(file("fgb")).expect("it is written");
    let boxes = "SELECT count(*) FROM rtree_places_geom";
    let count = whole(&file("gpkg")).query_row(boxes, [], |row| row.get::<_, i64>(0));
    assert_eq!(count.expect("a number"), 0);
    assert_eq!(Layer::read(file("fgb")).expect("it is read").len(), 0);
    let bare = layer(&features(2));
    let mut geometry = bare.batches().next().expect("a batch").geometry().clone();
    geometry.end_feature(None);
    let numbers: ArrayRef = Arc::new(Int64Array::from(vec![0, 1, 2]));
    let rows = RecordBatch::try_from_iter([("number", numbers)]).expect("rows");
    let batch = Batch::try_new(geometry, rows, 1).expect("a batch");
    for end in ["gpkg", "fgb"] {
        let file = folder.path().join(format!("bare.{end}"));
        let mut writer =
            LayerWriter::create(&file, bare.info(), &WriteOptions::default()).expect("a file");
        writer.write(&batch).expect("it fits");
        writer.finish().expect("it is written");
        assert_eq!(Layer::read(&file).expect("it is read").len(), 3, "{end}");
    }
    assert_eq!(found_in_geopackage(&folder.path().join("bare.gpkg"), WINDOWS[0]), [0, 1]);
}

/// A layer that comes into a file that holds others brings its tree with it; it is replaced by more and by fewer
/// features, and added to, in files of other page sizes too.
#[test]
fn an_index_goes_into_a_file_that_is_there() {
    let folder = tempfile::tempdir().expect("a folder");
    for page in [512, 4096, 65_536] {
        let file = folder.path().join(format!("district-{page}.gpkg"));
        let mut other = Layer::new("others", Some(Crs::from_epsg(32610).expect("a system")));
        other
            .push(Geometry::Point((612_000.0, 5_251_000.0)), [("number", 7.into())])
            .expect("it fits");
        other.write(&file).expect("it is written");
        let paged = Connection::open(&file).expect("a database");
        paged.execute_batch(&format!("PRAGMA page_size = {page}; VACUUM")).expect("other pages");
        drop(paged);
        let mut before = 0;
        for (count, append) in
            [(3_000, false), (10_000, false), (20, false), (5_000, true), (1, false), (60, true)]
        {
            let features = features(count);
            let options = WriteOptions { append, overwrite: !append, ..WriteOptions::default() };
            layer(&features).write_with(&file, &options).expect("it is written");
            before = if append { before + count } else { count };
            for window in WINDOWS {
                let found = found_in_geopackage(&file, window);
                let lies = |at: &usize| meet(around(&features[*at]), window);
                let least = (0..count).filter(lies).count();
                assert!(found.len() >= least, "{page}: {count} features, {window:?}");
            }
            let connection = whole(&file);
            let number =
                |sql: &str| -> i64 { connection.query_row(sql, [], |row| row.get(0)).expect(sql) };
            assert_eq!(
                number("SELECT count(*) FROM rtree_places_geom"),
                before as i64,
                "{page}: {count}"
            );
            assert_eq!(number("SELECT count(*) FROM places"), before as i64, "{page}: {count}");
            assert_eq!(number("SELECT number FROM others"), 7);
        }
        // What comes later finds its place.
        let connection = whole(&file);
        connection
            .execute("INSERT INTO rtree_places_geom VALUES (9999, 1, 2, 1, 2)", [])
            .expect("a box");
        assert_eq!(
            whole(&file)
                .query_row("SELECT count(*) FROM rtree_places_geom", [], |r| r.get::<_, i64>(0)),
            Ok(62)
        );
    }
}
