//! Heights that some places lack, through every format: what is missing comes back as missing, and
//! what a format has no word for is said before the file has its name.

use std::path::Path;
use velvet_peg::{ConvertLayer, Crs, Format, Layer, LayerReader, LayerWriter, WriteOptions};

/// Geometries whose heights are there, missing, or there at some vertices only.
const SHAPES: &[(&str, &str)] = &[
    ("point", "POINT Z (500000 5250000 100.25)"),
    ("flat-point", "POINT (500010 5250000)"),
    ("line", "LINESTRING Z (500000 5250000 1, 500100 5250100 2)"),
    ("flat-line", "LINESTRING (500000 5250000, 500100 5250200)"),
    ("part-line", "LINESTRING Z (500000 5250000 1, 500100 5250100 ?, 500200 5250100 3)"),
    ("polygon", "POLYGON Z ((500000 5250000 1, 500100 5250100 2, 500000 5250100 3))"),
    ("part-polygon", "POLYGON Z ((500000 5250000 1, 500100 5250100 ?, 500000 5250100 3))"),
];

/// Vertices of a layer as text, `?` for a missing height, in the order of the features' names.
fn places(layer: &Layer) -> Vec<String> {
    let mut found = Vec::new();
    for batch in layer.batches() {
        let column = batch.geometry();
        for feature in 0..column.len() {
            let at = batch.attributes().schema().index_of("name").unwrap();
            let name = batch.values(feature)[at].to_text();
            let mut vertices: Vec<String> = column
                .vertices(feature)
                .map(|at| {
                    let z = column.z.get(at).filter(|z| z.is_finite());
                    let z = z.map_or("?".to_string(), |z| format!("{z:.3}"));
                    format!("{:.5} {:.5} {z}", column.x[at], column.y[at])
                })
                .collect();
            // Rings may be closed or not, and begin where they like.
            vertices.sort();
            vertices.dedup();
            found.push(format!("{name}: {}", vertices.join(", ")));
        }
    }
    found.sort();
    found
}

/// A layer of the shapes with these names.
fn layer(names: &[&str]) -> Layer {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("shapes.geojson");
    let features: Vec<String> = SHAPES
        .iter()
        .filter(|(name, _)| names.contains(name))
        .map(|(name, text)| {
            let kind = match text.split([' ', '(']).next().unwrap() {
                "POINT" => "Point",
                "LINESTRING" => "LineString",
                _ => "Polygon",
            };
            let numbers = text[text.find('(').unwrap()..].replace(['(', ')'], "");
            let mut places: Vec<String> = numbers
                .split(", ")
                .map(|place| {
                    let n: Vec<f64> =
                        place.split(' ').filter_map(|number| number.parse().ok()).collect();
                    // To degrees and back below: a made-up plane near the origin.
                    let mut n: Vec<String> = n.iter().map(f64::to_string).collect();
                    n[0] = format!("{}", (n[0].parse::<f64>().unwrap() - 5e5) / 1e4);
                    n[1] = format!("{}", (n[1].parse::<f64>().unwrap() - 525e4) / 1e4);
                    format!("[{}]", n.join(","))
                })
                .collect();
            let coordinates = match kind {
                "Point" => places[0].clone(),
                "LineString" => format!("[{}]", places.join(",")),
                _ => {
                    places.push(places[0].clone());
                    format!("[[{}]]", places.join(","))
                }
            };
            format!(
                "{{\"type\":\"Feature\",\"properties\":{{\"name\":\"{name}\"}},\"geometry\":\
                 {{\"type\":\"{kind}\",\"coordinates\":{coordinates}}}}}"
            )
        })
        .collect();
    let text = format!("{{\"type\":\"FeatureCollection\",\"features\":[{}]}}", features.join(","));
    std::fs::write(&file, text).unwrap();
    Layer::read(&file).unwrap()
}

fn read_back(folder: &Path, extension: &str) -> Vec<String> {
    let mut files: Vec<_> = std::fs::read_dir(folder)
        .unwrap()
        .map(|entry| entry.unwrap().path())
        .filter(|path| path.extension().is_some_and(|e| e == extension))
        .collect();
    files.sort();
    let mut found = Vec::new();
    for file in files {
        for reader in LayerReader::open_all(&file).unwrap() {
            let layer = reader.read().unwrap();
            let twice = reader.info().name.ends_with("_points") && extension == "gpx";
            if !twice {
                found.extend(places(&layer));
            }
        }
    }
    found.sort();
    found
}

#[test]
fn missing_heights_stay_missing_in_every_format() {
    let sets: [&[&str]; 5] = [
        &["point", "flat-point"],
        &["line", "flat-line", "part-line"],
        &["part-line"],
        &["polygon", "part-polygon"],
        &["point", "flat-point", "line", "part-line", "polygon", "part-polygon"],
    ];
    for format in ["gpkg", "shp", "geojson", "geojsonl", "fgb", "parquet", "kml", "dxf"] {
        for set in sets {
            let folder = tempfile::tempdir().unwrap();
            let file = folder.path().join(format!("out.{format}"));
            let layer = layer(set);
            let kept = Format::of(&file).unwrap().capability().partial_z;
            let partial = set.iter().filter(|name| name.starts_with("part")).count();
            let told = |notices: &[velvet_peg::Notice]| {
                notices.iter().any(|n| n.text.contains("at some vertices only"))
            };
            // Nothing is written where a loss is not wanted.
            let strict = WriteOptions { strict: true, ..WriteOptions::default() };
            let refused = layer.write_with(&file, &strict);
            if !kept && partial > 0 {
                assert!(refused.is_err(), "{format} {set:?}");
                assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 0, "{format}");
            }
            let over = WriteOptions { overwrite: true, ..WriteOptions::default() };
            let notices = layer.write_with(&file, &over).unwrap();
            assert_eq!(told(&notices), !kept && partial > 0, "{format} {set:?}: {notices:?}");
            let mut expected = places(&layer);
            if !kept {
                for line in &mut expected {
                    if line.starts_with("part") {
                        let flat = |place: &str| format!("{} ?", place.rsplit_once(' ').unwrap().0);
                        let (name, all) = line.split_once(": ").unwrap();
                        let all: Vec<String> = all.split(", ").map(flat).collect();
                        *line = format!("{name}: {}", all.join(", "));
                    }
                }
            }
            assert_eq!(read_back(folder.path(), format), expected, "{format} {set:?}");
        }
    }
}

#[test]
fn a_flat_layer_goes_to_a_geocentric_system_at_height_0_and_comes_back() {
    let folder = tempfile::tempdir().unwrap();
    for format in ["gpkg", "shp", "fgb", "parquet"] {
        for set in [&["flat-point"][..], &["point", "flat-point"], &["flat-line", "part-line"]] {
            let (flat, there, back) = (
                folder.path().join(format!("flat.{format}")),
                folder.path().join("there.gpkg"),
                folder.path().join("back.gpkg"),
            );
            let over = WriteOptions { replace_file: true, ..WriteOptions::default() };
            let layer = layer(set);
            let mut info = layer.info().clone();
            info.has_z = layer.batches().any(|batch| batch.geometry().has_z());
            let mut writer = LayerWriter::create(&flat, &info, &over).unwrap();
            layer.batches().for_each(|batch| writer.write(batch).unwrap());
            writer.finish().unwrap();
            let carry = |from: &Path, to: u32, out: &Path| {
                let convert = ConvertLayer {
                    target: Some(Crs::from_epsg(to).unwrap()),
                    write: over.clone(),
                    ..ConvertLayer::default()
                };
                convert.run(&LayerReader::open(from, None).unwrap(), out).unwrap()
            };
            let source = match format {
                // Heights and their lack are in two files.
                "shp" if set.len() > 1 => continue,
                _ => flat.as_path(),
            };
            let outcome = carry(source, 4978, &there);
            let said = outcome.notices.iter().any(|n| n.text.contains("height 0"));
            assert!(said, "{format} {set:?}: {:?}", outcome.notices);
            let geocentric = Layer::read(&there).unwrap();
            assert!(geocentric.info().has_z);
            let column = geocentric.batches().next().unwrap().geometry();
            assert!(column.z.iter().all(|z| z.is_finite()), "{format} {set:?}");
            let radius = column.x[0].hypot(column.y[0]).hypot(column.z[0]);
            assert!((radius - 6_378_137.0).abs() < 200.0, "{radius}");
            carry(&there, 4979, &back);
            let again = Layer::read(&back).unwrap();
            for (a, b) in places(&layer).iter().zip(places(&again)) {
                assert_eq!(a.replace('?', "0.000"), b.replace("-0.000", "0.000"));
            }
        }
    }
}
