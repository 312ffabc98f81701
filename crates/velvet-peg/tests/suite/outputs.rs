//! Outputs as independent readers of their containers see them: what a workbook reader finds
//! in a sheet, a Parquet reader in the metadata, an index search in FlatGeobuf, an XML reader
//! in the order of elements that the schemas of GPX and KML demand.

use calamine::{Data, Reader, open_workbook_auto};
use flatgeobuf::{FallibleStreamingIterator, FgbReader};
use quick_xml::events::Event;
use std::collections::HashMap;
use std::fs::{self, File};
use std::io::BufReader;
use std::path::{Path, PathBuf};
use velvet_peg::{Crs, Layer, LayerReader, Notice, WriteOptions};

const GATES: &str = r#"{"type":"FeatureCollection","features":[
{"type":"Feature","geometry":{"type":"Point","coordinates":[-120.0,47.4,350.25]},"properties":{"name":"Alder","time":"2026-05-03T06:30:00Z","share":7,"big":9007199254740993,"open":true,"note":"a\nb <&>"}},
{"type":"Feature","geometry":{"type":"Point","coordinates":[-119.5,47.5,351]},"properties":{"name":"Birch","time":"soon","share":null,"big":1,"open":false,"note":null}},
{"type":"Feature","geometry":{"type":"Point","coordinates":[-119.0,47.6,352]},"properties":{"name":"Cedar","time":null,"share":9,"big":2,"open":null,"note":""}}]}"#;

const FIELD: &str = r#"{"type":"Feature","geometry":{"type":"Polygon","coordinates":[[[0,0],[0,4],[4,4],[4,0],[0,0]],[[1,1],[2,1],[2,2],[1,2],[1,1]]]},"properties":{"name":"F-1","description":"d","acres":4.5}}"#;

/// Writes a source as a file of this name; gives its path and what was said.
fn written(
    folder: &Path,
    source: &str,
    name: &str,
    options: &WriteOptions,
) -> (PathBuf, Vec<Notice>) {
    let from = folder.join("source.geojson");
    fs::write(&from, source).unwrap();
    let to = folder.join(name);
    let notices = Layer::read(&from).unwrap().write_with(&to, options).unwrap();
    (to, notices)
}

/// The local names of the children of every element, by its path, in the order in which they
/// come.
fn children(path: &Path) -> HashMap<String, Vec<String>> {
    let text = fs::read_to_string(path).unwrap();
    let mut reader = quick_xml::Reader::from_str(&text);
    let mut stack: Vec<String> = Vec::new();
    let mut found: HashMap<String, Vec<String>> = HashMap::new();
    loop {
        let (name, opens) = match reader.read_event().unwrap() {
            Event::Start(tag) => (tag.local_name().as_ref().to_string(), true),
            Event::Empty(tag) => (tag.local_name().as_ref().to_string(), false),
            Event::End(_) => {
                stack.pop();
                continue;
            }
            Event::Eof => return found,
            _ => continue,
        };
        found.entry(stack.join("/")).or_default().push(name.clone());
        if opens {
            stack.push(name);
        }
    }
}

#[test]
fn elements_come_in_the_order_of_their_schemas() {
    let folder = tempfile::tempdir().unwrap();
    let plain = WriteOptions::default();
    let (gpx, notices) = written(folder.path(), GATES, "gates.gpx", &plain);
    assert!(notices.iter().any(|notice| notice.text.contains("extensions")), "{notices:?}");
    let gpx = children(&gpx);
    assert_eq!(gpx["gpx"], ["metadata", "wpt", "wpt", "wpt"]);
    let points = &gpx["gpx/wpt"];
    // What is no time goes to the extensions.
    assert_eq!(points[..4], ["ele", "time", "name", "extensions"]);
    assert_eq!(points[4..7], ["ele", "name", "extensions"]);
    let (gpx, notices) = written(folder.path(), FIELD, "field.gpx", &plain);
    assert!(notices.iter().any(|notice| notice.text.contains("along their rings")), "{notices:?}");
    let gpx = children(&gpx);
    assert_eq!(gpx["gpx"], ["metadata", "trk"]);
    assert_eq!(gpx["gpx/trk"], ["name", "extensions", "trkseg", "trkseg"]);

    let (kml, _) = written(folder.path(), FIELD, "field.kml", &plain);
    let kml = children(&kml);
    assert_eq!(kml["kml/Document"], ["name", "Schema", "Placemark"]);
    assert_eq!(kml["kml/Document/Placemark"], ["name", "description", "ExtendedData", "Polygon"]);
    assert_eq!(kml["kml/Document/Placemark/Polygon"], ["outerBoundaryIs", "innerBoundaryIs"]);
    let (kml, _) = written(folder.path(), GATES, "gates.kml", &plain);
    assert_eq!(
        children(&kml)["kml/Document/Placemark/Point"][..2],
        ["altitudeMode", "coordinates"]
    );
}

#[test]
fn sheets_hold_numbers_dates_and_truth() {
    let folder = tempfile::tempdir().unwrap();
    let (path, notices) = written(folder.path(), GATES, "gates.xlsx", &WriteOptions::default());
    let told = notices.iter().map(|n| n.text.as_str()).collect::<Vec<_>>().join("\n");
    assert!(told.contains("whole numbers with more digits than a cell keeps: 1"), "{told}");
    let mut book = open_workbook_auto(&path).unwrap();
    assert_eq!(book.sheet_names(), ["source"]);
    let cells = book.worksheet_range("source").unwrap();
    let row = |n: usize| cells.rows().nth(n).unwrap().to_vec();
    let header: Vec<String> = row(0).iter().map(ToString::to_string).collect();
    assert_eq!(header, ["name", "time", "share", "big", "open", "note", "lon", "lat", "z"]);
    assert_eq!(row(1)[2], Data::Float(7.0));
    assert_eq!(row(1)[3], Data::String("9007199254740993".into()));
    assert_eq!(row(1)[4], Data::Bool(true));
    assert_eq!(row(1)[5], Data::String("a\nb <&>".into()));
    assert_eq!(row(1)[8], Data::Float(350.25));
    assert_eq!((&row(2)[2], &row(3)[4]), (&Data::Empty, &Data::Empty));
    let wkt = WriteOptions { wkt: true, ..WriteOptions::default() };
    let (path, _) = written(folder.path(), FIELD, "field.xlsx", &wkt);
    let cells = open_workbook_auto(&path).unwrap().worksheet_range("source").unwrap();
    let text = cells.rows().nth(1).unwrap()[3].to_string();
    assert!(text.starts_with("POLYGON ((0.000000000 0.000000000, 0.000000000 4."), "{text}");
}

#[test]
fn an_index_finds_and_metadata_say() {
    let folder = tempfile::tempdir().unwrap();
    let plain = WriteOptions::default();
    let (path, _) = written(folder.path(), GATES, "gates.fgb", &plain);
    let reader = FgbReader::open(BufReader::new(File::open(&path).unwrap())).unwrap();
    assert_eq!((reader.header().features_count(), reader.header().has_z()), (3, true));
    assert_eq!(reader.header().crs().unwrap().code(), 4326);
    let mut found = reader.select_bbox(-119.6, 47.0, -119.4, 48.0).unwrap();
    let mut names = 0;
    while let Some(feature) = found.next().unwrap() {
        assert_eq!(feature.geometry().unwrap().xy().unwrap().get(0), -119.5);
        names += 1;
    }
    assert_eq!(names, 1);

    let grid = Crs::from_epsg(2285).unwrap();
    let layer = Layer::read(folder.path().join("source.geojson")).unwrap().convert(&grid).unwrap();
    let path = folder.path().join("gates.parquet");
    layer.write(&path).unwrap();
    let file = parquet::file::reader::SerializedFileReader::try_from(path.as_path()).unwrap();
    let metadata = parquet::file::reader::FileReader::metadata(&file);
    let pairs = metadata.file_metadata().key_value_metadata().unwrap();
    let keys: Vec<&str> = pairs.iter().map(|pair| pair.key.as_str()).collect();
    assert_eq!(keys, ["geo", "description"], "an Arrow schema would hide it from some readers");
    let geo: serde_json::Value = serde_json::from_str(pairs[0].value.as_ref().unwrap()).unwrap();
    assert_eq!((&geo["version"], &geo["primary_column"]), (&"1.1.0".into(), &"geometry".into()));
    let column = &geo["columns"]["geometry"];
    assert_eq!(column["encoding"], "WKB");
    assert_eq!(column["geometry_types"], serde_json::json!(["Point Z"]));
    assert_eq!(column["crs"]["id"]["code"], 2285);
    assert_eq!(column["bbox"].as_array().unwrap().len(), 6);
    assert_eq!(column["bbox"][5], 352.0);
}

#[test]
fn lines_of_geojson_are_features_each() {
    let folder = tempfile::tempdir().unwrap();
    let (path, _) = written(folder.path(), GATES, "gates.geojsonl", &WriteOptions::default());
    let text = fs::read_to_string(&path).unwrap();
    let mut lines = 0;
    for line in text.lines() {
        let feature: serde_json::Value = serde_json::from_str(line).unwrap();
        assert_eq!(feature["type"], "Feature");
        lines += 1;
    }
    assert_eq!(lines, 3);
    assert_eq!(LayerReader::open(&path, None).unwrap().info().count, Some(3));
}

#[test]
fn large_tables_are_looked_at_by_parts() {
    use velvet_peg::look;
    use velvet_peg::look::{Look, LookOptions};
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("big.tsv");
    let rows = 800_000_u32;
    let mut text = String::from("gate\tlongitude\tlatitude\tremark\n");
    for row in 0..rows {
        let share = f64::from(row) / f64::from(rows);
        text += &format!(
            "G-{row:06}\t{:.6}\t{:.6}\tmade up for length\n",
            -120.0 - share,
            47.0 + share
        );
    }
    fs::write(&path, text).unwrap();
    let seen = |all: bool| {
        let options = LookOptions { all, ..LookOptions::default() };
        match look(&path, &options).unwrap() {
            Look::Table(table) => table,
            Look::Layers { .. } | Look::Raster(_) => panic!("a text is a table"),
        }
    };
    let (parts, all) = (seen(false), seen(true));
    assert_eq!((all.rows, all.sampled), (800_000, None));
    let read = parts.sampled.unwrap();
    assert!(read > 50_000 && read < 300_000, "{read}");
    assert!(parts.rows.abs_diff(800_000) < 8_000, "{}", parts.rows);
    assert_eq!(parts.columns.len(), all.columns.len());
    // Spread over the whole file, its end included.
    let (a, b) = (parts.extent.unwrap(), all.extent.unwrap());
    assert!((a.west - b.west).abs() < 1e-3 && (a.east - b.east).abs() < 1e-3);
    assert!(parts.unreadable.0 == 0 && parts.notices.is_empty(), "{:?}", parts.notices);
}
