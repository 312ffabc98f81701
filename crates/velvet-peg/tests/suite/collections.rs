//! Collections become features of one kind each, curves lines within the tolerance, whatever the
//! notation, and both is said.

use std::path::Path;
use velvet_peg::features::{BuildFeatures, BuildOptions};
use velvet_peg::{Crs, Geometry, Layer, LayerReader, ReadOptions};

fn data(name: &str) -> std::path::PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/data").join(name)
}

/// What a case became: its features as text, or why there are none.
type Became = Result<Layer, String>;

/// Builds the features of one text in a table.
fn of_text(folder: &Path, text: &str) -> Became {
    let (table, out) = (folder.join("t.csv"), folder.join("t.gpkg"));
    std::fs::write(&table, format!("id,shape\n7,\"{text}\"\n")).unwrap();
    let mut build = BuildFeatures { geometry: Some("shape".into()), ..BuildFeatures::default() };
    build.build = BuildOptions { crs: Some(Crs::from_epsg(32610).unwrap()), ..build.build };
    build.build.write.replace_file = true;
    build.run(&table, &out).map_err(|error| error.to_string())?;
    Ok(Layer::read(&out).unwrap())
}

/// Puts a blob in the place of the only feature of a layer of mixed kinds, as another program would.
fn put_blob(path: &Path, crs: u32, blob: &str) {
    let _ = std::fs::remove_file(path);
    let mut layer = Layer::new("shapes", Some(Crs::from_epsg(crs).unwrap()));
    layer.push(Geometry::Point((0.0, 0.0)), [("id", 7.into())]).unwrap();
    layer.push(Geometry::LineString(vec![(0.0, 0.0), (1.0, 1.0)]), [("id", 8.into())]).unwrap();
    layer.write(path).unwrap();
    let file = rusqlite::Connection::open(path).unwrap();
    for trigger in ["insert", "update1", "update2", "update3", "update4", "delete"] {
        file.execute_batch(&format!("DROP TRIGGER rtree_shapes_geom_{trigger}")).unwrap();
    }
    file.execute_batch(&format!(
        "UPDATE shapes SET geom = x'{blob}' WHERE fid = 1; DELETE FROM shapes WHERE fid = 2;"
    ))
    .unwrap();
}

/// Reads a geometry from a GeoPackage.
fn of_database(folder: &Path, wkb: &str) -> Became {
    let path = folder.join("d.gpkg");
    put_blob(&path, 32610, &format!("47500001b67f0000{wkb}"));
    Layer::read(&path).map_err(|error| error.to_string())
}

/// Length of the lines or area of the polygons of a layer.
pub(crate) fn measure(layer: &Layer) -> (f64, f64) {
    let (mut length, mut area) = (0.0, 0.0);
    for batch in layer.batches() {
        let column = batch.geometry();
        for feature in 0..column.len() {
            for part in column.parts(feature) {
                for ring in column.rings(part) {
                    let range = column.ring(ring);
                    let at = |n: usize| (column.x[n], column.y[n]);
                    let pairs = range.clone().zip(range.skip(1));
                    let mut ring_area = 0.0;
                    for (one, two) in pairs {
                        let ((ax, ay), (bx, by)) = (at(one), at(two));
                        length += (bx - ax).hypot(by - ay);
                        ring_area += (ax * by - bx * ay) / 2.0;
                    }
                    let hole = ring > column.rings(part).start;
                    area += if hole { -ring_area.abs() } else { ring_area.abs() };
                }
            }
        }
    }
    (length, area)
}

#[test]
fn every_notation_gives_the_same_features() {
    let folder = tempfile::tempdir().unwrap();
    for case in csv::Reader::from_path(data("curves.csv")).unwrap().records() {
        let case = case.unwrap();
        let (name, wkt, wkb, becomes) = (&case[0], &case[1], &case[2], &case[3]);
        let sources: [(&str, Became); 3] = [
            ("text", of_text(folder.path(), wkt)),
            ("bytes as text", of_text(folder.path(), wkb)),
            ("database", of_database(folder.path(), wkb)),
        ];
        for (source, became) in sources {
            let what = format!("{name}, {source}");
            if let Some(why) = becomes.strip_prefix("refused:") {
                let error = became.map(|layer| layer.len()).unwrap_err();
                assert!(error.contains(why.trim()), "{what}: {error}");
                continue;
            }
            let layer = became.unwrap_or_else(|error| panic!("{what}: {error}"));
            for feature in layer.features() {
                assert_eq!(feature.value("id"), Some(7.into()), "{what}: the number is kept");
            }
            let words: Vec<&str> = becomes.split(' ').collect();
            match words.as_slice() {
                ["line", "length", length] => {
                    let found = measure(&layer).0;
                    let length: f64 = length.parse().unwrap();
                    assert!((found - length).abs() < 3e-3, "{what}: {found}");
                }
                ["polygon", "area", area] => {
                    let found = measure(&layer).1;
                    let area: f64 = area.parse().unwrap();
                    // No chord is more than the tolerance inside.
                    assert!((-0.07..1e-3).contains(&(found - area)), "{what}: {found}");
                }
                _ => {
                    let texts: Vec<String> = layer
                        .batches()
                        .flat_map(|b| (0..b.len()).map(|at| b.geometry().text_of(at)))
                        .collect();
                    assert_eq!(texts.join("; "), becomes, "{what}");
                }
            }
        }
    }
}

#[test]
fn chords_stay_within_the_tolerance_and_heights_go_evenly() {
    let folder = tempfile::tempdir().unwrap();
    let layer = of_text(folder.path(), "CIRCULARSTRING Z (10 0 100, 0 10 110, -10 0 120)").unwrap();
    let batch = layer.batches().next().unwrap();
    let column = batch.geometry();
    let vertices: Vec<(f64, f64, f64)> =
        (0..column.x.len()).map(|at| (column.x[at], column.y[at], column.z[at])).collect();
    assert!(vertices.contains(&(0.0, 10.0, 110.0)), "the place in the middle stays a vertex");
    for pair in vertices.windows(2) {
        let [(ax, ay, az), (bx, by, bz)] = [pair[0], pair[1]];
        assert!((ax.hypot(ay) - 10.0).abs() < 1e-9);
        let middle = ((ax + bx) / 2.0).hypot((ay + by) / 2.0);
        assert!((10.0 - 1e-3..10.0).contains(&middle), "{middle}");
        assert!(bz > az && bz - az < 0.2);
    }
}

#[test]
fn the_tolerance_is_in_metres_whatever_the_unit() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("arc.gpkg");
    let arc = "4750000100000000010800000003000000000000000088c34000000000000000000000000000000000\
               000000000088c34000000000008 8c3c00000000000000000";
    let arc: String = arc.split_whitespace().collect();
    let count = |code: u32, tolerance: f64| -> usize {
        put_blob(&path, code, &arc);
        let mut options = ReadOptions::default();
        options.tolerance = tolerance;
        let reader = LayerReader::open_with(&path, None, &options).unwrap();
        let said: Vec<&str> = reader.notices.iter().map(|n| n.text.as_str()).collect();
        assert!(said.iter().any(|text| text.contains("1 curve is read as chords")), "{said:?}");
        reader.read().unwrap().features().next().unwrap().vertices().len()
    };
    // Chords of an arc: their number goes with the square root of the tolerance.
    let (metres, coarse, feet) = (count(32610, 0.001), count(32610, 0.1), count(2285, 0.001));
    let ratio = metres as f64 / coarse as f64;
    assert!((9.5..10.5).contains(&ratio), "{metres} {coarse}");
    let ratio = metres as f64 / feet as f64;
    // The same numbers in feet are an arc of a smaller radius.
    assert!((1.75..1.87).contains(&ratio), "{metres} {feet}");
}

#[test]
fn collections_in_files_are_told_and_rejects_have_what_could_be_read() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("mixed.geojson");
    std::fs::write(
        &path,
        r#"{"type":"FeatureCollection","features":[
        {"type":"Feature","id":"a","properties":{"n":1},"geometry":{"type":"GeometryCollection","geometries":[
          {"type":"Point","coordinates":[-120,47]},{"type":"GeometryCollection","geometries":[
          {"type":"LineString","coordinates":[[-120,47],[-121,48]]}]}]}},
        {"type":"Feature","id":"b","properties":{"n":2,"layer":"x"},"geometry":{"type":"LineString","coordinates":[[-120,47],[-121,"north"]]}},
        {"type":"Feature","id":"c","properties":{"n":3},"geometry":{"type":"Circle","coordinates":[-120,47]}},
        {"type":"Feature","id":"d","properties":{"n":4,"layer":"y"},"geometry":{"type":"Point","coordinates":[-120,47]}},
        4]}"#,
    )
    .unwrap();
    let reader = LayerReader::open(&path, None).unwrap();
    let said = reader.notices.iter().map(|n| n.text.clone()).collect::<Vec<_>>().join("\n");
    assert!(said.contains("1 geometry collection is taken apart: 2 features"), "{said}");
    assert!(
        said.contains(
            "3 records of the file cannot be read and are left out: 1 Circle, 1 LineString"
        ),
        "{said}"
    );
    let out = folder.path().join("out.gpkg");
    let summary = velvet_peg::ConvertLayer::default().run(&reader, &out).unwrap();
    assert_eq!((summary.rows_in, summary.out, summary.rejected.count), (6, 3, 3));
    let ids: Vec<String> =
        Layer::read(&out).unwrap().features().map(|f| f.value("id").unwrap().to_text()).collect();
    assert_eq!(ids, ["a", "a", "d"]);
    let mut rejects = csv::Reader::from_path(summary.rejected.path.unwrap()).unwrap();
    let header: Vec<String> = rejects.headers().unwrap().iter().map(String::from).collect();
    let wanted = ["source_row", "reason", "layer", "geometry", "original", "id", "n", "layer_2"];
    assert_eq!(header, wanted);
    let rows: Vec<csv::StringRecord> = rejects.records().map(Result::unwrap).collect();
    let row = |at: usize| -> Vec<&str> { rows[at].iter().skip(2).collect() };
    // The vertices in front of the wrong one, and the whole as it stands.
    let line = r#"{"type":"LineString","coordinates":[[-120,47],[-121,"north"]]}"#;
    assert_eq!(row(0), ["mixed", "POINT (-120 47)", line, "b", "2", "x"]);
    assert_eq!(row(1)[2], r#"{"type":"Circle","coordinates":[-120,47]}"#);
    assert_eq!(row(2), ["mixed", "", "4", "", "", ""]);
}

/// A byte-order mark in front, as some editors leave it.
#[test]
fn a_byte_order_mark_is_passed_over() {
    let folder = tempfile::tempdir().unwrap();
    let feature = r#"{"type":"Feature","id":7,"properties":{"n":1},"geometry":{"type":"Point","coordinates":[1,2]}}"#;
    let whole = format!("\u{feff}{{\"type\":\"FeatureCollection\",\"features\":[{feature}]}}");
    let lines = format!("\u{feff}{feature}\n{feature}\n");
    for (name, text, count) in [("a.geojson", whole, 1), ("a.geojsonl", lines, 2)] {
        let path = folder.path().join(name);
        std::fs::write(&path, text).unwrap();
        let layer = Layer::read(&path).unwrap();
        assert_eq!(layer.len(), count, "{name}");
        assert_eq!(layer.features().next().unwrap().value("id"), Some(7.into()), "{name}");
    }
}

/// Numbers that a format has no word for are told in all of them.
#[test]
fn infinite_numbers_are_kept_or_told() {
    let folder = tempfile::tempdir().unwrap();
    let mut layer = Layer::new("gates", Some(Crs::from_epsg(4326).unwrap()));
    for (x, flow) in [(1.0, f64::INFINITY), (2.0, 2.5)] {
        layer.push(Geometry::Point((x, x)), [("flow", flow.into())]).unwrap();
    }
    for format in velvet_peg::Format::all().filter(|f| f.capability().writes && !f.is_table()) {
        let extension = format.capability().extensions[0];
        let path = folder.path().join(format!("{extension}.{extension}"));
        let notices = layer.write(&path).unwrap_or_else(|error| panic!("{extension}: {error}"));
        let told = notices.iter().any(|notice| notice.text.contains("infinite numbers: 1"));
        let layer = Layer::read(&path).unwrap();
        let kept =
            layer.features().any(|f| f.value("flow").is_some_and(|flow| flow.to_text() == "inf"));
        assert!(kept != told, "{extension}: kept {kept}, told {told}");
    }
}

/// A point of a track that cannot be read is a reject of the points, and its track says that it lacks it.
#[test]
fn lines_say_that_they_lack_points() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("walk.gpx");
    let point = |at: &str| {
        format!("<trkpt lat=\"{at}\" lon=\"-120.0\"><time>2026-05-03T14:00:00Z</time></trkpt>")
    };
    let points: String = ["47.1", "north", "47.3"].iter().map(|at| point(at)).collect();
    let head = "<gpx version=\"1.1\" xmlns=\"http://www.topografix.com/GPX/1/1\">";
    std::fs::write(&path, format!("{head}<trk><trkseg>{points}</trkseg></trk></gpx>")).unwrap();
    let readers = LayerReader::open_all(&path).unwrap();
    let said = |at: usize| {
        readers[at].notices.iter().map(|n| n.text.clone()).collect::<Vec<_>>().join("\n")
    };
    assert_eq!(
        (readers[0].info().name.as_str(), readers[1].info().name.as_str()),
        ("tracks", "track_points")
    );
    assert!(said(0).contains("points of tracks that cannot be read: 1"), "{}", said(0));
    assert!(said(1).contains("1 trkpt"), "{}", said(1));
    assert_eq!(readers[0].read().unwrap().features().next().unwrap().vertices().len(), 2);
    let out = folder.path().join("points.gpkg");
    let summary = velvet_peg::ConvertLayer::default().run(&readers[1], &out).unwrap();
    assert_eq!((summary.rows_in, summary.out, summary.rejected.count), (3, 2, 1));
    let rejects = std::fs::read_to_string(summary.rejected.path.unwrap()).unwrap();
    assert!(rejects.contains("track_points,,,"), "{rejects}");
    assert!(rejects.contains("2026-05-03T14:00:00Z"), "{rejects}");
}

/// Figures of the half circle and, for the clothoid, of a sum of 100,000 places along it.
#[test]
fn curves_of_surveys_are_as_large_as_their_formulas_say() {
    for reader in LayerReader::open_all(&data("survey.xml")).unwrap() {
        let gaps = reader.notices.iter().find(|notice| notice.text.contains("do not close"));
        assert_eq!(gaps.is_some(), reader.info().name == "parcels", "{:?}", reader.notices);
        let widest = "1, the widest gap 10.308 ftUS";
        assert!(gaps.is_none_or(|notice| notice.text.contains(widest)), "{gaps:?}");
    }
    let mut options = ReadOptions::default();
    options.tolerance = 1e-6;
    for (layer, name, area) in [
        ("parcels", "Lot 1a", 12.5 * std::f64::consts::PI),
        ("alignments", "Main", -(500.0 + 50.0 * std::f64::consts::PI)),
        ("alignments", "Spur", 51.897_634_27),
    ] {
        let reader = LayerReader::open_with(&data("survey.xml"), Some(layer), &options).unwrap();
        let mut found = None;
        let mut each = |batch: velvet_peg::layer::Batch| {
            for feature in batch.features() {
                if feature.value("name") == Some(name.into()) {
                    let (x, y): (Vec<f64>, Vec<f64>) = feature.vertices().into_iter().unzip();
                    found = Some(velvet_peg::planar::ring_area(&x, &y));
                }
            }
            Ok(())
        };
        reader.for_each_batch(&mut each).unwrap();
        let found = found.unwrap();
        // The end of the spiral is given to six digits, and the spiral is bent to meet it.
        assert!((found - area).abs() < 1e-4, "{name}: {found}");
    }
}
