//! Every format to every other, with what is hard to keep: what comes out is what went in, or it is
//! said what became of it.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use velvet_peg::arrow::array::*;
use velvet_peg::features::BuildFeatures;
use velvet_peg::layer::{Batch, GeometryColumn};
use velvet_peg::{
    ConvertLayer, Crs, Format, Layer, LayerReader, LayerWriter, Notice, Summary, WriteOptions,
};

/// Geometries of well-known texts; a blank one is none.
fn geometries(texts: &[&str]) -> GeometryColumn {
    let folder = tempfile::tempdir().unwrap();
    let (table, out) = (folder.path().join("t.csv"), folder.path().join("t.gpkg"));
    let mut column = GeometryColumn::new();
    for text in texts {
        if text.is_empty() {
            column.end_feature(None);
            continue;
        }
        std::fs::write(&table, format!("id,shape\n1,\"{text}\"\n")).unwrap();
        let mut build = BuildFeatures::default();
        build.build.write.replace_file = true;
        build.run(&table, &out).unwrap();
        let layer = Layer::read(&out).unwrap();
        column.push_from(layer.batches().next().unwrap().geometry(), 0);
    }
    column
}

/// A layer by its number: geometries of one kind, each with a column of whole numbers to know them by.
fn layers() -> Vec<(&'static str, Layer)> {
    let attributes = |rows: usize| {
        let words = [
            "plain",
            "blanks  ",
            "a,\"b\";\tc",
            "Þ é 水 😀",
            "line\nends",
            "\u{7}bell",
            "",
            "null",
        ];
        let text = |row: usize| (words[row % 8] != "null").then(|| words[row % 8]);
        let big = [0, 1 << 53, (1 << 53) + 1, i64::MAX, i64::MIN, -7];
        let real = [0.0, 0.1, -1e300, 1e-12, f64::INFINITY, 123_456_789.125];
        let columns: Vec<(&str, ArrayRef, bool)> = vec![
            ("id", Arc::new(Int64Array::from_iter_values(0..rows as i64)), true),
            ("text", Arc::new(StringArray::from_iter((0..rows).map(text))), true),
            ("big", Arc::new(Int64Array::from_iter_values((0..rows).map(|r| big[r % 6]))), true),
            (
                "real",
                Arc::new(Float64Array::from_iter_values((0..rows).map(|r| real[r % 6]))),
                true,
            ),
            (
                "ok",
                Arc::new(BooleanArray::from_iter(
                    (0..rows).map(|r| [Some(true), Some(false), None][r % 3]),
                )),
                true,
            ),
            (
                "day",
                Arc::new(Date32Array::from_iter((0..rows).map(|r| [Some(20_000), None][r % 2]))),
                true,
            ),
            (
                "moment",
                Arc::new(TimestampMillisecondArray::from_iter(
                    (0..rows).map(|r| [Some(1_772_609_415_250), None][r % 2]),
                )),
                true,
            ),
            (
                "clock",
                Arc::new(Time64MicrosecondArray::from_iter(
                    (0..rows).map(|r| [Some(27_000_000_000), None][r % 2]),
                )),
                true,
            ),
        ];
        RecordBatch::try_from_iter_with_nullable(columns).unwrap()
    };
    let of = |name: &'static str, texts: &[&str]| {
        let geometry = geometries(texts);
        let batch = Batch::try_new(geometry, attributes(texts.len()), 1).unwrap();
        let crs = Some(Crs::from_epsg(4326).unwrap());
        (name, Layer::try_from_batches(name, crs, vec![batch]).unwrap())
    };
    vec![
        of(
            "points",
            &[
                "POINT Z (-120 47.5 350.25)",
                "POINT (-120.25 47.75)",
                "POINT (180 1)",
                "POINT (-180 1)",
                "",
                "POINT (-120.5 47.5)",
                "POINT (0 0)",
                "POINT (1 1)",
            ],
        ),
        of(
            "lines",
            &[
                "LINESTRING (170 10, -170 20)",
                "LINESTRING Z (0 0 1, 1 1 2)",
                "MULTILINESTRING ((0 0, 1 1), (2 2, 3 3))",
            ],
        ),
        of(
            "polygons",
            &[
                "POLYGON ((170 0, -170 0, -170 10, 170 10, 170 0))",
                "POLYGON ((0 0, 4 0, 4 4, 0 4, 0 0), (1 1, 1 2, 2 2, 2 1, 1 1))",
            ],
        ),
        of("empty", &[]),
    ]
}

/// The attributes of a layer by the number of the feature, as text; nothing and blank are one.
fn values(layers: &[LayerReader]) -> BTreeMap<String, BTreeMap<String, String>> {
    let mut all = BTreeMap::new();
    for layer in layers {
        for feature in layer.read().unwrap().features() {
            let names: Vec<String> =
                layer.info().schema.fields().iter().map(|field| field.name().clone()).collect();
            let texts: BTreeMap<String, String> = names
                .iter()
                .map(|name| (name.clone(), feature.value(name).unwrap().to_text()))
                .filter(|(_, text)| !text.is_empty())
                .collect();
            // The points of tracks have no number of ours.
            if let Some(id) = texts.get("id").cloned() {
                all.insert(id, texts);
            }
        }
    }
    all
}

/// The files of an output that hold layers: a Shapefile may be several.
fn opened(summary: &Summary) -> Vec<LayerReader> {
    let main = |path: &&PathBuf| Format::of(path).is_ok_and(|format| !format.is_table());
    summary
        .files
        .iter()
        .filter(main)
        .flat_map(|path| LayerReader::open_all(path).unwrap())
        .collect()
}

fn said(notices: &[Notice]) -> String {
    notices.iter().map(|notice| notice.text.clone()).collect::<Vec<_>>().join("\n")
}

/// Values that differ, each as `column: before -> after`.
fn differing(
    before: &BTreeMap<String, BTreeMap<String, String>>,
    after: &BTreeMap<String, BTreeMap<String, String>>,
) -> Vec<(String, String)> {
    let mut found = Vec::new();
    for (id, texts) in before {
        let Some(there) = after.get(id) else {
            found.push(("id".into(), format!("feature {id} is gone")));
            continue;
        };
        for (name, text) in texts {
            // Numbers are compared as such: 0.10 is 0.1.
            let same = |other: &String| {
                other == text
                    || matches!((other.parse::<f64>(), text.parse::<f64>()), (Ok(a), Ok(b)) if a == b)
            };
            if !there.get(name).is_some_and(same) {
                found.push((name.clone(), format!("{id}: {text:?} -> {:?}", there.get(name))));
            }
        }
    }
    found
}

/// What has to be said of a column that differs.
fn words_for(name: &str) -> &'static [&'static str] {
    match name {
        "id" => &["kinds", "no geometry", "rejected"],
        "text" => &["control characters", "blanks at the end", "line ends", "blank texts"],
        "big" => &["digits", "rounded"],
        "real" => &["infinite", "rounded", "digits", "were cut"],
        _ => &["written as text"],
    }
}

#[test]
fn nothing_changes_without_a_word() {
    let folder = tempfile::tempdir().unwrap();
    let formats: Vec<Format> =
        Format::all().filter(|f| f.capability().writes && !f.is_table()).collect();
    let write = |reader: &LayerReader, path: &Path| -> Summary {
        let written = ConvertLayer::default().run(reader, path);
        written.unwrap_or_else(|error| panic!("{}: {error}", path.display()))
    };
    let mut passed = 0;
    for (name, layer) in layers() {
        for first in &formats {
            let extension = first.capability().extensions[0];
            let path = folder.path().join(format!("{name}-{extension}.{extension}"));
            let source = LayerReader::of_layer(&layer, Path::new("code"));
            let summary = write(&source, &path);
            let check =
                |summary: &Summary, what: &str, before: &BTreeMap<_, _>, after: &BTreeMap<_, _>| {
                    assert_eq!(summary.rows_in, summary.out + summary.rejected.count, "{what}");
                    let said = said(&summary.notices);
                    for (column, how) in differing(before, after) {
                        // A feature that a format has no place for is a reject with its reason.
                        if column == "id" && summary.rejected.count > 0 {
                            continue;
                        }
                        let told = words_for(&column).iter().any(|word| said.contains(word));
                        assert!(told, "{what}: {column} {how}\nsaid: {said}");
                    }
                };
            let readers = opened(&summary);
            let (before, there) = (values(&[source]), values(&readers));
            check(&summary, &format!("{name} to {extension}"), &before, &there);
            for second in &formats {
                let to = second.capability().extensions[0];
                for (at, reader) in readers.iter().enumerate() {
                    let path = folder.path().join(format!("{name}-{extension}-{at}.{to}.{to}"));
                    let mut reader =
                        LayerReader::open(reader.path(), Some(&reader.info().name)).unwrap();
                    if reader.info().crs.is_none() {
                        reader.assume(Crs::from_epsg(4326).unwrap());
                    }
                    let before = values(std::slice::from_ref(&reader));
                    let what = format!("{name} from {extension} to {to}");
                    let summary = write(&reader, &path);
                    check(&summary, &what, &before, &values(&opened(&summary)));
                    passed += 1;
                }
            }
        }
    }
    assert!(passed > 150, "{passed}");
}

/// A second writing of the same layer leaves the first as it was when it fails at the end.
#[test]
fn a_writer_that_is_dropped_leaves_what_was_there() {
    let folder = tempfile::tempdir().unwrap();
    let (_, layer) = layers().swap_remove(1);
    for format in Format::all().filter(|format| format.capability().writes) {
        let extension = format.capability().extensions[0];
        let path = folder.path().join(format!("of-{extension}.{extension}"));
        layer.write(&path).unwrap_or_else(|error| panic!("{extension}: {error}"));
        let before = std::fs::read(&path).unwrap();
        let options = WriteOptions { overwrite: true, ..WriteOptions::default() };
        let mut writer = LayerWriter::create(&path, layer.info(), &options).unwrap();
        for batch in layer.batches() {
            writer.write(batch).unwrap();
        }
        drop(writer);
        assert!(std::fs::read(&path).unwrap() == before, "{extension}");
    }
}

#[test]
fn a_feature_without_a_place_is_named() {
    let folder = tempfile::tempdir().unwrap();
    let (_, layer) = layers().swap_remove(0);
    for extension in ["gpx", "dxf"] {
        let path = folder.path().join(format!("a.{extension}"));
        let error = layer.write(&path).unwrap_err().to_string();
        assert!(error.contains("feature 5 has no geometry"), "{extension}: {error}");
        assert!(!path.exists());
    }
}
