//! What is chosen on the way: the names, descriptions and links of KML, foreign members of GeoJSON.

use std::path::Path;
use velvet_peg::{Crs, Geometry, Layer, LayerReader, ReadOptions, WriteOptions};

/// The features of a layer: their filled columns as text.
fn rows(layer: &Layer) -> Vec<String> {
    let names: Vec<String> =
        layer.info().schema.fields().iter().map(|field| field.name().clone()).collect();
    let row = |feature: velvet_peg::layer::Feature<'_>| {
        let filled = names.iter().filter_map(|name| {
            let text = feature.value(name)?.to_text();
            (!text.is_empty()).then(|| format!("{name}={text}"))
        });
        filled.collect::<Vec<_>>().join("; ")
    };
    layer.features().map(row).collect()
}

fn sheets() -> Layer {
    let mut layer = Layer::new("sheets", Some(Crs::from_epsg(4326).unwrap()));
    for (number, gate, note) in [(1, "G-1", "a < b"), (2, "G-2", "")] {
        let link = format!("https://example.org/sheets?gate={gate}&side=1");
        let values = [
            ("number", number.into()),
            ("gate", gate.into()),
            ("name", "Alder".into()),
            ("note", note.into()),
            ("sheet", link.as_str().into()),
        ];
        layer.push(Geometry::Point((-120.0, 47.0 + f64::from(number))), values).unwrap();
    }
    layer
}

/// Values of one name: what is said twice counts once, and what differs has a column of its own.
#[test]
fn values_of_one_name_are_all_kept() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("gates.kml");
    let data = |values: &[&str]| -> String {
        let one = |value: &&str| format!("<Data name=\"cfs\"><value>{value}</value></Data>");
        values.iter().map(one).collect()
    };
    let data = data(&["1", "1", "2", "3", "2", "4"]);
    let text = format!(
        "<kml xmlns=\"http://www.opengis.net/kml/2.2\"><Placemark><ExtendedData>{data}</ExtendedData>\
         <Point><coordinates>-120,47</coordinates></Point></Placemark></kml>"
    );
    std::fs::write(&path, text).unwrap();
    let layer = Layer::read(&path).unwrap();
    let values: Vec<String> = layer
        .features()
        .flat_map(|feature| {
            layer
                .info()
                .schema
                .fields()
                .iter()
                .map(move |f| feature.value(f.name()).unwrap().to_text())
                .collect::<Vec<_>>()
        })
        .collect();
    assert_eq!(values, ["1", "2", "3", "4"]);
}

#[test]
fn placemarks_have_the_name_the_description_and_the_link_that_are_chosen() {
    let folder = tempfile::tempdir().unwrap();
    let out = folder.path().join("sheets.kml");
    let some = |name: &str| Some(name.to_string());
    // What is chosen; what the file has of it; how the first feature is read.
    for (label, description, link, there, read) in [
        (
            some("gate"),
            some("note"),
            some("sheet"),
            "<Placemark><name>G-1</name><atom:link href=\"https://example.org/sheets?gate=G-1&amp;side=1\"/>\
             <description>a &lt; b</description>",
            "name=G-1; link=https://example.org/sheets?gate=G-1&side=1; description=a < b; number=1; \
             gate=G-1; name_data=Alder; note=a < b; sheet=https://example.org/sheets?gate=G-1&side=1",
        ),
        (
            some("number"),
            None,
            None,
            "<Placemark><name>1</name><ExtendedData>",
            "name=1; number=1; gate=G-1; name_data=Alder; note=a < b; \
             sheet=https://example.org/sheets?gate=G-1&side=1",
        ),
        (
            None,
            None,
            None,
            "<Placemark><name>Alder</name><ExtendedData>",
            "name=Alder; number=1; gate=G-1; note=a < b; \
             sheet=https://example.org/sheets?gate=G-1&side=1",
        ),
    ] {
        let options =
            WriteOptions { label, description, link, overwrite: true, ..WriteOptions::default() };
        sheets().write_with(&out, &options).unwrap();
        let text = std::fs::read_to_string(&out).unwrap();
        assert!(text.contains(there), "{text}");
        assert_eq!(rows(&Layer::read(&out).unwrap())[0], read);
    }
    // A column that is not there, and formats without a place for it.
    for (name, options, says) in [
        ("a.kml", WriteOptions { label: some("nowhere"), ..WriteOptions::default() }, "nowhere"),
        (
            "a.dxf",
            WriteOptions { link: some("sheet"), ..WriteOptions::default() },
            "a column of links is for KML (.kml), and this is to be DXF",
        ),
        (
            "a.gpkg",
            WriteOptions { description: some("note"), ..WriteOptions::default() },
            "a column of descriptions is for KML (.kml)",
        ),
        (
            "a.shp",
            WriteOptions { label: some("gate"), ..WriteOptions::default() },
            "a column of labels is for drawings (.dxf) and KML (.kml)",
        ),
    ] {
        let path = folder.path().join(name);
        let error = sheets().write_with(&path, &options).unwrap_err().to_string();
        assert!(error.contains(says) && !path.exists(), "{name}: {error}");
    }
}

#[test]
fn foreign_members_are_columns_when_they_are_asked_for() {
    let folder = tempfile::tempdir().unwrap();
    let feature = r#"{"type":"Feature","id":7,"bbox":[0,0,1,1],"title":"Weir","style":{"colour":"red"},"rank":2,
        "properties":{"rank":1},"geometry":{"type":"Point","coordinates":[-120,47]}}"#;
    let feature = feature.replace("\n        ", "");
    let whole = format!(r#"{{"type":"FeatureCollection","features":[{feature}]}}"#);
    let files = [("a.geojson", whole), ("a.geojsonl", format!("{feature}\n"))];
    for (name, text) in files {
        let path = folder.path().join(name);
        std::fs::write(&path, text).unwrap();
        let mut options = ReadOptions::default();
        for (asked, expected) in [
            (false, "id=7; rank=1"),
            (true, r#"id=7; rank=1; title=Weir; style={"colour":"red"}; rank_member=2"#),
        ] {
            options.foreign_members = asked;
            let layer = read(&path, &options);
            let mut found: Vec<String> = rows(&layer)[0].split("; ").map(String::from).collect();
            let mut expected: Vec<&str> = expected.split("; ").collect();
            found.sort();
            expected.sort_unstable();
            assert_eq!(found, expected, "{name}");
        }
    }
}

fn read(path: &Path, options: &ReadOptions) -> Layer {
    LayerReader::open_with(path, None, options).unwrap().read().unwrap()
}
