//! What is done with features once they are read, whatever places their vertices are at.

use super::bench::{file, with_folder};
use std::fmt::Write;
use std::path::Path;
use velvet_peg::check::{CheckOptions, check};
use velvet_peg::convert::ConvertLayer;
use velvet_peg::draw::{DrawOptions, MapLayers, draw_layers};
use velvet_peg::measure::MeasureOptions;
use velvet_peg::tag::TagPoints;
use velvet_peg::{LayerReader, NoProgress, WriteOptions, measure};

/// Numbers at which something changes, or ends.
const NUMBERS: [f64; 24] = [
    0.0,
    -0.0,
    180.0,
    -180.0,
    179.9999999,
    90.0,
    -90.0,
    89.9999999,
    360.0,
    540.0,
    -540.0,
    1080.0,
    1e-9,
    1e-308,
    5e-324,
    1e15,
    1e100,
    1e154,
    1e307,
    1e308,
    -1e308,
    f64::MAX,
    500_000.0,
    6_378_137.0,
];

/// Features as GeoJSON. The first byte chooses the system. Then an even byte is a place of a grid of 16 by 16, so that
/// places fall on each other and on lines; an odd one below 128 is a place of two of the numbers (the next two bytes);
/// of the others one in four ends a feature, and the rest end a ring.
fn features(data: &[u8]) -> Option<String> {
    let (system, data) = data.split_first()?;
    let mut bytes = data.iter().copied();
    let (mut features, mut rings, mut ring) = (Vec::new(), Vec::new(), Vec::new());
    let mut end = |kind: u8, rings: &mut Vec<String>| {
        let parts = std::mem::take(rings);
        let (name, coordinates) = match kind % 4 {
            0 => ("MultiLineString", format!("[{}]", parts.join(","))),
            1 => ("MultiPolygon", format!("[[{}]]", parts.join("],["))),
            2 => ("Polygon", format!("[{}]", parts.join(","))),
            _ => ("MultiPoint", parts.into_iter().next().unwrap_or_else(|| "[]".to_string())),
        };
        features.push(format!(
            r#"{{"type":"Feature","properties":{{"gate":{kind}}},"geometry":{{"type":"{name}","coordinates":{coordinates}}}}}"#
        ));
    };
    while let Some(byte) = bytes.next() {
        match byte {
            byte if byte % 2 == 0 => {
                let (across, up) = (f64::from(byte / 16), f64::from(byte % 16));
                ring.push(format!("[{},{}]", -120.0 + across / 64.0, 47.0 + up / 64.0));
            }
            byte if byte < 128 => {
                let mut number = || NUMBERS[usize::from(bytes.next().unwrap_or(0)) % NUMBERS.len()];
                let mut place = String::new();
                write!(place, "[{:e},{:e}]", number(), number()).expect("texts can be written to");
                ring.push(place);
            }
            byte => {
                // Most rings are closed.
                if byte & 4 == 0
                    && let Some(first) = ring.first().cloned()
                {
                    ring.push(first);
                }
                rings.push(format!("[{}]", std::mem::take(&mut ring).join(",")));
                if byte & 2 == 0 {
                    end(byte >> 3, &mut rings);
                }
            }
        }
    }
    rings.push(format!("[{}]", ring.join(",")));
    end(*system >> 2, &mut rings);
    let crs = match system % 4 {
        0 => r#""crs":{"type":"name","properties":{"name":"EPSG:2285"}},"#,
        1 => r#""crs":{"type":"name","properties":{"name":"EPSG:32611"}},"#,
        _ => "",
    };
    Some(format!(r#"{{"type":"FeatureCollection",{crs}"features":[{}]}}"#, features.join(",")))
}

fn worked_on(path: &Path, folder: &Path) {
    let _ = check(&[path.to_path_buf()], &CheckOptions::default());
    let open = || LayerReader::open(path, None);
    let Ok(reader) = open() else { return };
    let _ = measure(&reader, &MeasureOptions::default());
    for name in ["out.kml", "out.fgb", "out.shp", "out.geojson"] {
        let write = WriteOptions { strict: false, ..WriteOptions::default() };
        let convert = ConvertLayer { write, ..ConvertLayer::default() };
        if let Ok(summary) = convert.run(&reader, &folder.join(name)) {
            let out = summary.out + summary.left_out + summary.rejected.count;
            assert_eq!(summary.rows_in, out, "{name}: rows in are rows out and rejected");
        }
    }
    if let (Ok(points), Ok(polygons)) = (open(), open()) {
        let _ = TagPoints::default().report(points, &polygons);
    }
    let map = MapLayers::from(vec![reader]);
    let _ = draw_layers(&map, &folder.join("map.svg"), &DrawOptions::default(), &mut NoProgress);
}

/// Features are checked, measured, written, drawn and tagged, and it ends.
pub fn geometry(data: &[u8]) {
    let Some(text) = features(&data[..data.len().min(600)]) else { return };
    with_folder(|folder| worked_on(&file(folder, "layer.geojson", text.as_bytes()), folder));
}
