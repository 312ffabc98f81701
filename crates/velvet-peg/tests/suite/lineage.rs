//! What is said of a layer in words, and how its coordinates came about, goes along with it.

use std::path::Path;
use velvet_peg::convert::Way;
use velvet_peg::features::BuildOptions;
use velvet_peg::{BuildPoints, ConvertLayer, Crs, Geometry, Layer, LayerReader, WriteOptions};

const BOOK: &str = "Headgates of the book of 2026.";

fn gates(code: u32, at: (f64, f64)) -> Layer {
    let mut layer = Layer::new("gates", Some(Crs::from_epsg(code).unwrap()));
    layer.push(Geometry::Point(at), [("name", "Alder".into())]).unwrap();
    layer
}

/// A GeoPackage whose contents were described by another hand.
fn described(path: &Path) {
    gates(4326, (-120.0, 47.4)).write(path).unwrap();
    let file = rusqlite::Connection::open(path).unwrap();
    file.execute("UPDATE gpkg_contents SET description = ?1", [BOOK]).unwrap();
}

fn lines(path: &Path) -> (Vec<String>, Vec<String>) {
    let reader = LayerReader::open(path, None).unwrap();
    let info = reader.info();
    (info.said().map(str::to_string).collect(), info.lineage().map(str::to_string).collect())
}

fn convert(from: &Path, to: u32, way: Way, out: &Path) {
    let target = Some(Crs::from_epsg(to).unwrap());
    let convert = ConvertLayer { target, way, ..ConvertLayer::default() };
    convert.run(&LayerReader::open(from, None).unwrap(), out).unwrap();
}

/// From format to format a description stays, and each conversion adds its line: what was taken, and to
/// what it is known.
#[test]
fn each_conversion_adds_a_line_to_what_was_said() {
    let folder = tempfile::tempdir().unwrap();
    let file = |name: &str| folder.path().join(name);
    described(&file("a.gpkg"));
    assert_eq!(lines(&file("a.gpkg")), (vec![BOOK.to_string()], Vec::new()));
    let named = || Way { operations: vec![1173], ..Way::default() };
    let epoch = || Way { epoch: Some(2026.5), ..Way::default() };
    let utm27 = "EPSG:26711 NAD27 / UTM zone 11N";
    let steps = [
        (
            "b.parquet",
            26711,
            named(),
            format!(
                "converted from EPSG:4326 WGS 84 to {utm27}: NAD27 to WGS 84 (4) [EPSG:1173], reversed (known to \
             10 m), as named"
            ),
        ),
        (
            "c.fgb",
            4267,
            Way::default(),
            format!(
                "converted from {utm27} to EPSG:4267 NAD27: same datum: no shift, exact to rounding"
            ),
        ),
        (
            "d.gpkg",
            6318,
            Way::default(),
            "converted from EPSG:4267 NAD27 to EPSG:6318 NAD83(2011): ".into(),
        ),
        (
            "e.parquet",
            9000,
            epoch(),
            "converted from EPSG:6318 NAD83(2011) to EPSG:9000 ITRF2014 at epoch \
             2026.5: ITRF2014 to NAD83(2011) (1) [EPSG:8970], reversed"
                .into(),
        ),
    ];
    let mut from = file("a.gpkg");
    let mut expected: Vec<String> = Vec::new();
    for (name, to, way, line) in steps {
        let out = file(name);
        convert(&from, to, way, &out);
        expected.push(line);
        let (said, lineage) = lines(&out);
        assert_eq!(said, [BOOK], "{name}");
        assert_eq!(lineage.len(), expected.len(), "{name}: {lineage:#?}");
        for (line, expected) in lineage.iter().zip(&expected) {
            assert!(line.starts_with(expected.as_str()), "{name}: {line}\nexpected: {expected}");
        }
        from = out;
    }
}

/// The same conversion twice, with the way back between, is three lines.
#[test]
fn there_and_back_and_there_again_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let file = |name: &str| folder.path().join(name);
    gates(4267, (-120.0, 47.4)).write(file("0.gpkg")).unwrap();
    for (number, to) in [26711, 4267, 26711].into_iter().enumerate() {
        let (from, out) = (file(&format!("{number}.gpkg")), file(&format!("{}.gpkg", number + 1)));
        convert(&from, to, Way::default(), &out);
    }
    let (_, lineage) = lines(&file("3.gpkg"));
    assert_eq!(lineage.len(), 3, "{lineage:?}");
    assert_eq!(lineage[0], lineage[2]);
}

/// A system that is declared is told, in a new file and where the layer lies, so that the lines lead to the
/// system that the layer has.
#[test]
fn declared_systems_are_told() {
    let folder = tempfile::tempdir().unwrap();
    let file = |name: &str| folder.path().join(name);
    let crs = |code| Crs::from_epsg(code).unwrap();
    let open = |name: &str| LayerReader::open(&file(name), None).unwrap();
    let as_before = "declared as EPSG:32611 WGS 84 / UTM zone 11N (before EPSG:32610 WGS 84 / UTM zone 10N): \
                     no coordinate was moved";
    described(&file("book.gpkg"));
    convert(&file("book.gpkg"), 32610, Way::default(), &file("utm.gpkg"));
    for out in ["new.gpkg", "new.parquet", "new.fgb", "utm.gpkg"] {
        let replace = WriteOptions { overwrite: out == "utm.gpkg", ..WriteOptions::default() };
        velvet_peg::declare(&open("utm.gpkg"), &crs(32611), &file(out), &replace).unwrap();
        let (said, lineage) = lines(&file(out));
        assert_eq!(said, [BOOK], "{out}");
        assert_eq!((lineage.len(), lineage[1].as_str()), (2, as_before), "{out}");
        assert_eq!(open(out).info().crs, Some(crs(32611)));
    }
    // The same again is nothing new.
    let replace = WriteOptions { overwrite: true, ..WriteOptions::default() };
    velvet_peg::declare(&open("utm.gpkg"), &crs(32611), &file("utm.gpkg"), &replace).unwrap();
    assert_eq!(lines(&file("utm.gpkg")).1.len(), 2);
    // A layer that is taken as in another system on its way to a third.
    let mut reader = open("utm.gpkg");
    reader.assume(crs(32612));
    let to = ConvertLayer { target: Some(crs(4326)), ..ConvertLayer::default() };
    to.run(&reader, &file("degrees.gpkg")).unwrap();
    let (_, lineage) = lines(&file("degrees.gpkg"));
    assert!(lineage[2].starts_with("declared as EPSG:32612 "), "{lineage:?}");
    assert!(lineage[3].starts_with("converted from EPSG:32612 "), "{lineage:?}");
}

/// Heights that a model changes are told with it.
#[test]
fn the_change_of_heights_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let file = |name: &str| folder.path().join(name);
    std::fs::write(file("wells.csv"), "name,lon,lat,z\nA,40,43,10\nB,40.01,43,12\n").unwrap();
    BuildPoints::in_system(Crs::parse("EPSG:4200+EPSG:5705").unwrap())
        .run(&file("wells.csv"), &file("wells.gpkg"))
        .unwrap();
    let target = Some(Crs::parse("EPSG:4200+EPSG:5735").unwrap());
    ConvertLayer { target, ..ConvertLayer::default() }
        .run(&LayerReader::open(&file("wells.gpkg"), None).unwrap(), &file("black-sea.gpkg"))
        .unwrap();
    let (_, lineage) = lines(&file("black-sea.gpkg"));
    let height = "; heights by Baltic 1977 height to Black Sea height (1) [EPSG:5447] (known to ";
    assert!(lineage[0].contains(height), "{lineage:?}");
}

/// Layers that are added to keep what was said of them and tell how the new features came; one that is
/// replaced does not tell the lineage of what is gone.
#[test]
fn added_and_replaced_features_are_told() {
    let folder = tempfile::tempdir().unwrap();
    let file = |name: &str| folder.path().join(name);
    let append = WriteOptions { append: true, ..WriteOptions::default() };
    let replace = WriteOptions { overwrite: true, ..WriteOptions::default() };
    described(&file("book.gpkg"));
    for extension in ["gpkg", "fgb", "parquet"] {
        let path = file(&format!("gates.{extension}"));
        convert(&file("book.gpkg"), 32611, Way::default(), &path);
        gates(4267, (-120.0, 47.41)).write_with(&path, &append).unwrap();
        let (said, lineage) = lines(&path);
        assert_eq!(said, [BOOK], "{extension}");
        assert_eq!(lineage.len(), 2, "{extension}: {lineage:?}");
        assert!(
            lineage[1].starts_with("converted from EPSG:4267 NAD27 to EPSG:32611"),
            "{lineage:?}"
        );
        // The same way once more is no other line.
        gates(4267, (-120.0, 47.42)).write_with(&path, &append).unwrap();
        assert_eq!(lines(&path).1.len(), 2, "{extension}");
    }
    let path = file("two.gpkg");
    convert(&file("book.gpkg"), 32611, Way::default(), &path);
    let other = WriteOptions { layer: Some("weirs".into()), ..replace.clone() };
    gates(4326, (-120.0, 47.4)).write_with(&path, &other).unwrap();
    let there = LayerReader::open(&path, Some("weirs")).unwrap();
    assert_eq!(there.info().description, None);
    let gates_again = WriteOptions { layer: Some("gates".into()), ..replace };
    gates(4326, (-120.0, 47.4)).write_with(&path, &gates_again).unwrap();
    let there = LayerReader::open(&path, Some("gates")).unwrap();
    assert_eq!(there.info().description.as_deref(), Some(BOOK));
}

/// Points that are converted as they are built say so too.
#[test]
fn points_that_are_converted_when_built_are_told() {
    let folder = tempfile::tempdir().unwrap();
    let file = |name: &str| folder.path().join(name);
    std::fs::write(
        file("wells.csv"),
        "name,easting,northing\nA,260000,5255000\nB,260100,5255010\n",
    )
    .unwrap();
    let options = BuildOptions {
        crs: Some(Crs::from_epsg(26711).unwrap()),
        to: Some(Crs::from_epsg(4267).unwrap()),
        ..BuildOptions::default()
    };
    BuildPoints { build: options, ..BuildPoints::default() }
        .run(&file("wells.csv"), &file("wells.gpkg"))
        .unwrap();
    let (said, lineage) = lines(&file("wells.gpkg"));
    assert!(said.is_empty());
    assert!(
        lineage[0].ends_with("to EPSG:4267 NAD27: same datum: no shift, exact to rounding"),
        "{lineage:?}"
    );
}
