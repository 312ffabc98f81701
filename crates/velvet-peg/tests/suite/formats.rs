//! Every format of layers: what is written comes back, format by format and through each
//! pair of formats.

use std::fs;
use std::path::Path;
use velvet_peg::layer::GeometryKind;
use velvet_peg::{Crs, Format, Layer, LayerReader, Notice, WriteOptions};

/// Points, lines and polygons with every type of attribute, as a file that nobody of ours
/// wrote.
const SOURCES: [(&str, &str); 3] = [
    (
        "points",
        r#"{"type":"FeatureCollection","features":[
{"type":"Feature","geometry":{"type":"Point","coordinates":[-120.0,47.4,350.25]},"properties":{"name":"Alder","count":3,"flow":4.25,"open":true,"note":"a \"b\" & <c>, d;e"}},
{"type":"Feature","geometry":{"type":"Point","coordinates":[-119.9876543,47.4123456,351.5]},"properties":{"name":"Birch","count":-17,"flow":0.1,"open":false,"note":null}},
{"type":"Feature","geometry":{"type":"Point","coordinates":[-120.0100001,47.3899999,349.0]},"properties":{"name":"Cédar","count":null,"flow":null,"open":null,"note":"ж 漢"}}]}"#,
    ),
    (
        "lines",
        r#"{"type":"FeatureCollection","features":[
{"type":"Feature","geometry":{"type":"LineString","coordinates":[[-120.0,47.4],[-119.99,47.41],[-119.98,47.405]]},"properties":{"name":"Lateral 1","count":1,"flow":12.5}},
{"type":"Feature","geometry":{"type":"MultiLineString","coordinates":[[[-120.02,47.4],[-120.01,47.41]],[[-120.0,47.42],[-119.99,47.43],[-119.98,47.44]]]},"properties":{"name":"Lateral 2","count":2,"flow":7.75}}]}"#,
    ),
    (
        "polygons",
        r#"{"type":"FeatureCollection","features":[
{"type":"Feature","geometry":{"type":"Polygon","coordinates":[[[-120.0,47.4],[-119.99,47.4],[-119.99,47.41],[-120.0,47.41],[-120.0,47.4]],[[-119.997,47.403],[-119.997,47.407],[-119.993,47.407],[-119.993,47.403],[-119.997,47.403]]]},"properties":{"name":"Field 1","acres":120.5}},
{"type":"Feature","geometry":{"type":"MultiPolygon","coordinates":[[[[-120.02,47.4],[-120.01,47.4],[-120.01,47.41],[-120.02,47.4]]],[[[-120.04,47.4],[-120.03,47.4],[-120.03,47.41],[-120.04,47.4]]]]},"properties":{"name":"Field 2","acres":63.0}}]}"#,
    ),
];

const EXTENSIONS: [&str; 10] =
    ["gpkg", "shp", "geojson", "geojsonl", "fgb", "parquet", "kml", "gpx", "dxf", "xml"];

/// A drawing has no holes and no parts, GPX no polygons.
fn holds(extension: &str, layer: &str) -> bool {
    !matches!((extension, layer), ("dxf", "lines" | "polygons") | ("gpx", "polygons"))
}

/// A feature as sorted texts: its name, its attributes that are there, its vertices.
fn described(path: &Path) -> Vec<String> {
    let mut readers = LayerReader::open_all(path).unwrap();
    readers.retain(|reader| !reader.info().name.ends_with("_points"));
    let reader = readers.pop().unwrap();
    let mut features = Vec::new();
    for feature in reader.read().unwrap().features() {
        let names = reader.info().schema.fields().iter().map(|field| field.name().clone());
        let mut values: Vec<String> = names
            .filter_map(|name| {
                let text = feature.value(&name)?.to_text();
                // A drawing says on which layer a thing is.
                (!text.is_empty() && name != "layer").then(|| format!("{name}={text}"))
            })
            .collect();
        values.sort();
        let kind = feature.kind().unwrap().single();
        let mut vertices: Vec<String> =
            feature.vertices().iter().map(|(x, y)| format!("{x:.7} {y:.7}")).collect();
        vertices.sort();
        if kind == GeometryKind::Polygon {
            vertices.dedup();
        }
        features.push(format!("{values:?} {kind:?} {vertices:?}"));
    }
    features.sort();
    features
}

#[test]
fn everything_comes_back_through_every_pair_of_formats() {
    let folder = tempfile::tempdir().unwrap();
    for (layer, text) in SOURCES {
        let source = folder.path().join(format!("{layer}.geojson"));
        fs::write(&source, text).unwrap();
        let wanted = described(&source);
        for first in EXTENSIONS.into_iter().filter(|e| holds(e, layer)) {
            let room = tempfile::tempdir().unwrap();
            let one = room.path().join(format!("{layer}.{first}"));
            convert(&source, &one);
            assert_eq!(described(&one), wanted, "{layer} to {first}");
            for second in EXTENSIONS.into_iter().filter(|e| holds(e, layer)) {
                let two = room.path().join(format!("two.{second}"));
                convert(&one, &two);
                assert_eq!(described(&two), wanted, "{layer} from {first} to {second}");
                fs::remove_file(&two).unwrap();
            }
        }
    }
}

/// Reads a file and writes it as another; it verifies itself.
fn convert(from: &Path, to: &Path) -> Vec<Notice> {
    let mut readers = LayerReader::open_all(from).unwrap();
    readers.retain(|reader| !reader.info().name.ends_with("_points"));
    let mut reader = readers.pop().unwrap();
    if reader.info().crs.is_none() {
        reader.assume(Crs::from_epsg(4326).unwrap());
    }
    let options = WriteOptions {
        overwrite: true,
        layer: Some("layer".into()),
        decimals: Some(9),
        ..WriteOptions::default()
    };
    let mut layer = reader.read().unwrap();
    layer.declare(Crs::from_epsg(4326).unwrap());
    layer.write_with(to, &options).unwrap_or_else(|e| panic!("{from:?} to {to:?}: {e}"))
}

#[test]
fn reference_systems_stay_where_a_format_keeps_them() {
    let folder = tempfile::tempdir().unwrap();
    let source = folder.path().join("points.geojson");
    fs::write(&source, SOURCES[0].1).unwrap();
    let grid = Crs::from_epsg(2285).unwrap();
    let layer = Layer::read(&source).unwrap().convert(&grid).unwrap();
    for extension in EXTENSIONS {
        let path = folder.path().join(format!("out.{extension}"));
        let notices = layer.write(&path).unwrap();
        let told = notices.iter().any(|notice| notice.text.contains("EPSG:2285"));
        let crs = LayerReader::open_all(&path).unwrap()[0].info().crs.clone();
        let code = crs.as_ref().and_then(Crs::code);
        match extension {
            "gpkg" | "shp" | "fgb" | "parquet" | "xml" => {
                assert_eq!(code, Some(2285), "{extension}")
            }
            "dxf" => assert!(told && crs.is_none(), "{notices:?}"),
            _ => assert!(told && code == Some(4326), "{extension}: {notices:?}"),
        }
        // What is lost is refused where nothing may be lost.
        let strict = WriteOptions { overwrite: true, strict: true, ..WriteOptions::default() };
        let lossless = matches!(extension, "gpkg" | "fgb" | "parquet" | "shp");
        let done = layer.write_with(folder.path().join(format!("strict.{extension}")), &strict);
        assert_eq!(done.is_ok(), lossless, "{extension}: {done:?}");
        assert_eq!(folder.path().join(format!("strict.{extension}")).exists(), lossless);
    }
}

#[test]
fn extensions_name_one_format_each_and_the_documentation_has_its_table() {
    let mut seen = Vec::new();
    for format in Format::all() {
        let entry = format.capability();
        assert!(!entry.extensions.is_empty() && !entry.name.is_empty(), "{format:?}");
        for extension in entry.extensions {
            assert_eq!(Format::of(Path::new(&format!("x.{extension}"))).unwrap(), format);
            assert_eq!(Format::of_extension(&extension.to_uppercase()), Some(format));
            assert!(!seen.contains(extension), "{extension} is of two formats");
            seen.push(extension);
        }
    }
    assert!(Format::of_extension("xyz").is_none());
    let page = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/formats.md");
    let page = fs::read_to_string(page).unwrap();
    assert!(page.contains(&Format::markdown_table()), "docs/formats.md is out of date");
}

/// Files without an extension are known by their first bytes; those of a Shapefile and of
/// its table are not looked for, because they lie beside one another.
#[test]
fn written_files_are_known_by_their_first_bytes() {
    let folder = tempfile::tempdir().unwrap();
    let source = folder.path().join("points.geojson");
    fs::write(&source, SOURCES[0].1).unwrap();
    let layer = Layer::read(&source).unwrap();
    for format in Format::all().filter(|format| format.capability().writes) {
        let extension = format.capability().extensions[0];
        let file = folder.path().join(format!("of-{extension}.{extension}"));
        layer.write(&file).unwrap();
        let bare = folder.path().join("bare");
        fs::copy(&file, &bare).unwrap();
        let found = velvet_peg::format_of(&bare).unwrap();
        match format.name() {
            "Shapefile" | "DBF table" => assert!(found.is_text_table()),
            _ => assert_eq!(found, format),
        }
    }
}
