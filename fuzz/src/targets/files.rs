//! Files of layers and tables.

use super::bench::{file, parts, with_folder};
use std::path::Path;
use velvet_peg::convert::ConvertLayer;
use velvet_peg::features::{BuildFeatures, BuildOptions};
use velvet_peg::table::TableOptions;
use velvet_peg::{BuildPoints, Crs, LayerReader, Summary, WriteOptions, look};

/// Nothing is lost.
fn balanced(summary: &Summary) {
    let out = summary.out + summary.left_out + summary.rejected.count;
    assert_eq!(summary.rows_in, out, "rows in are rows out, left out and rejected");
}

/// Features of a table with a column of geometries; each is a feature or a reject.
pub fn built(table: &Path, folder: &Path, rows: u64) {
    let build = BuildOptions { crs: Crs::from_epsg(32611).ok(), ..BuildOptions::default() };
    let job = BuildFeatures { geometry: Some("shape".to_string()), build };
    if let Ok(summary) = job.run(table, &folder.join("features.fgb")) {
        // A row of a collection gives a feature for each of its parts.
        let out = summary.out + summary.left_out + summary.rejected.count;
        assert!(out >= summary.rows_in, "{out} of {}", summary.rows_in);
        assert!(summary.rows_in <= rows.max(1));
    }
}

/// All layers of a file: each is read, and written as another, which is read again and compared.
fn layers(path: &Path, folder: &Path) {
    let _ = look(path, &Default::default());
    let Ok(readers) = LayerReader::open_all(path) else { return };
    for (at, reader) in readers.iter().enumerate().take(3) {
        let mut features = 0;
        let read = reader.for_each_batch(&mut |batch| {
            assert_eq!(batch.geometry().len(), batch.len());
            features += batch.len() as u64;
            Ok(())
        });
        let out = folder.join(format!("out{at}.geojsonl"));
        let write = WriteOptions { strict: false, ..WriteOptions::default() };
        let written = ConvertLayer { write, ..ConvertLayer::default() }.run(reader, &out);
        if let (Ok(()), Ok(summary)) = (read, written) {
            balanced(&summary);
            assert!(summary.rows_in >= features, "{} of {features}", summary.rows_in);
        }
    }
}

fn layer_file(data: &[u8], name: &str) {
    with_folder(|folder| layers(&file(folder, name, data), folder));
}

/// A table: looked at, and made points of, by its names or by its first two columns.
fn table_file(data: &[u8], name: &str) {
    with_folder(|folder| {
        let path = file(folder, name, data);
        let _ = look(&path, &Default::default());
        let mut points = BuildPoints::in_system(Crs::from_epsg(4326).expect("it is there"));
        if let Ok(summary) = points.run(&path, &folder.join("a.fgb")) {
            balanced(&summary);
        }
        points.build.table = TableOptions { no_header: true, ..TableOptions::default() };
        if let Ok(summary) = points.run(&path, &folder.join("b.fgb")) {
            balanced(&summary);
        }
    });
}

pub fn delimited(data: &[u8]) {
    table_file(data, "table.csv");
}

pub fn xlsx(data: &[u8]) {
    table_file(data, "book.xlsx");
}

pub fn xls(data: &[u8]) {
    table_file(data, "book.xls");
}

pub fn ods(data: &[u8]) {
    table_file(data, "book.ods");
}

pub fn dbf(data: &[u8]) {
    table_file(data, "table.dbf");
}

/// A Shapefile with its side files: lengths of the first three, then `.prj`.
pub fn shapefile(data: &[u8]) {
    let [shp, dbf, shx, prj] = parts(data);
    with_folder(|folder| {
        let path = file(folder, "layer.shp", shp);
        for (name, bytes) in [("layer.dbf", dbf), ("layer.shx", shx), ("layer.prj", prj)] {
            if !bytes.is_empty() {
                file(folder, name, bytes);
            }
        }
        layers(&path, folder);
    });
}

macro_rules! layer_files {
    ($($target:ident $name:literal)*) => {
        $(pub fn $target(data: &[u8]) {
            layer_file(data, $name);
        })*
    };
}

layer_files! {
    geopackage "layer.gpkg"
    geojson "layer.geojson"
    geojson_lines "layer.geojsonl"
    topojson "layer.topojson"
    gpx "layer.gpx"
    kml "layer.kml"
    kmz "layer.kmz"
    gml "layer.gml"
    landxml "layer.xml"
    flatgeobuf "layer.fgb"
    geoparquet "layer.parquet"
    arrow "layer.arrow"
    nmea "log.nmea"
    dxf "layer.dxf"
}
