//! Points of a table to each format, against a plain program that reads the same table and writes the
//! same rows with the crate of the format and nothing else: no detection of columns, no checks, no
//! index, no rejects. Both on the wall, by turns, in one run.
//!
//! ```text
//! cargo run --release -p velvet-peg-bench --bin writers [ROWS]
//! ```
//!
//! 400,000 rows if not given. The table and the files are made in the temporary folder, and removed.

use arrow_array::builder::{BinaryBuilder, Float64Builder, Int64Builder, StringBuilder};
use arrow_array::{ArrayRef, RecordBatch};
use flatgeobuf::{ColumnType, FgbWriter, FgbWriterOptions, GeometryType};
use geozero::{ColumnValue, FeatureProcessor, GeomProcessor, PropertyProcessor};
use parquet::arrow::ArrowWriter;
use parquet::basic::{Compression, ZstdLevel};
use parquet::file::properties::WriterProperties;
use std::error::Error;
use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::Path;
use std::sync::Arc;
use std::time::Instant;
use velvet_peg::{BuildPoints, Crs, WriteOptions};

type Done = Result<(), Box<dyn Error>>;

/// A plain program: a table to a file.
type Plain = fn(&Path, &Path) -> Done;

/// A row as it is read: the cells, easting and northing.
type Row<'a> = (&'a csv::StringRecord, i64, f64, f64, f64);

const TURNS: usize = 5;

fn main() -> Done {
    let rows = std::env::args().nth(1).and_then(|text| text.parse().ok()).unwrap_or(400_000);
    let folder = tempfile::tempdir()?;
    let table = folder.path().join("in.csv");
    make(&table, rows)?;
    println!("{rows} points of 6 columns on the wall; threads: {}\n", threads());
    println!("{:<12} {:>12} {:>12} {:>8}", "format", "plain ns/row", "ours ns/row", "ratio");
    let plain: [(&str, Plain); 6] = [
        ("gpkg", geopackage),
        ("parquet", geoparquet),
        ("shp", shapefile),
        ("fgb", flatgeobuf),
        ("geojson", geojson),
        ("csv", text),
    ];
    for (end, plain) in plain {
        let (theirs, ours) =
            (folder.path().join(format!("plain.{end}")), folder.path().join(format!("ours.{end}")));
        let mut turns = Vec::new();
        for _ in 0..=TURNS {
            let start = Instant::now();
            plain(&table, &theirs)?;
            let between = Instant::now();
            build(&table, &ours, rows)?;
            turns.push(((between - start).as_secs_f64(), between.elapsed().as_secs_f64()));
        }
        // The first fills caches.
        let turns = &turns[1..];
        let ns = |of: fn(&(f64, f64)) -> f64| median(turns.iter().map(of)) * 1e9 / rows as f64;
        println!(
            "{end:<12} {:>12.0} {:>12.0} {:>8.2}",
            ns(|turn| turn.0),
            ns(|turn| turn.1),
            median(turns.iter().map(|(plain, ours)| ours / plain))
        );
    }
    Ok(())
}

fn threads() -> usize {
    std::thread::available_parallelism().map_or(1, std::num::NonZeroUsize::get)
}

fn median(values: impl Iterator<Item = f64>) -> f64 {
    let mut values: Vec<f64> = values.collect();
    values.sort_by(f64::total_cmp);
    values[values.len() / 2]
}

fn build(table: &Path, out: &Path, rows: u64) -> Done {
    let mut points = BuildPoints::in_system(Crs::from_epsg(4326)?);
    points.columns.x = Some("lon".into());
    points.columns.y = Some("lat".into());
    let (overwrite, verify) = (true, Some(false));
    points.build.write = WriteOptions { overwrite, verify, ..WriteOptions::default() };
    assert_eq!(points.run(table, out)?.out, rows);
    Ok(())
}

/// Invented stations.
fn make(path: &Path, rows: u64) -> Done {
    let mut out = BufWriter::new(File::create(path)?);
    writeln!(out, "id,name,lon,lat,elevation,code")?;
    for row in 0..rows {
        let part = |step: f64| (row as f64 * step).fract();
        let (lon, lat) = (-120.5 + part(0.618_033_988_75), 47.0 + part(0.754_877_666_25));
        let elevation = 300.0 + part(0.3);
        writeln!(out, "{row},Station {},{lon:.9},{lat:.9},{elevation:.3},EP", row % 977)?;
    }
    out.flush()?;
    Ok(())
}

/// Reads the table plainly.
fn each_row(table: &Path, mut each: impl FnMut(Row<'_>) -> Done) -> Done {
    let mut reader = csv::Reader::from_path(table)?;
    let mut record = csv::StringRecord::new();
    while reader.read_record(&mut record)? {
        let number = |at: usize| record[at].parse::<f64>();
        each((&record, record[0].parse()?, number(2)?, number(3)?, number(4)?))?;
    }
    Ok(())
}

/// A point as well-known binary.
fn point(x: f64, y: f64) -> Vec<u8> {
    let mut bytes = vec![1, 1, 0, 0, 0];
    bytes.extend(x.to_le_bytes());
    bytes.extend(y.to_le_bytes());
    bytes
}

fn geopackage(table: &Path, out: &Path) -> Done {
    let _ = std::fs::remove_file(out);
    let mut connection = rusqlite::Connection::open(out)?;
    connection.execute_batch(
        "PRAGMA journal_mode = OFF; PRAGMA synchronous = OFF; CREATE TABLE points (fid INTEGER PRIMARY \
         KEY, geom BLOB, id INTEGER, name TEXT, lon REAL, lat REAL, elevation REAL, code TEXT)",
    )?;
    let transaction = connection.transaction()?;
    {
        let mut insert =
            transaction.prepare("INSERT INTO points VALUES (NULL, ?, ?, ?, ?, ?, ?, ?)")?;
        each_row(table, |(record, id, x, y, elevation)| {
            insert.execute((point(x, y), id, &record[1], x, y, elevation, &record[5]))?;
            Ok(())
        })?;
    }
    Ok(transaction.commit()?)
}

fn geoparquet(table: &Path, out: &Path) -> Done {
    let mut writer: Option<ArrowWriter<File>> = None;
    let (mut ids, mut names, mut codes) =
        (Int64Builder::new(), StringBuilder::new(), StringBuilder::new());
    let mut numbers = [Float64Builder::new(), Float64Builder::new(), Float64Builder::new()];
    let mut shapes = BinaryBuilder::new();
    let mut count = 0;
    let mut flush = |ids: &mut Int64Builder,
                     names: &mut StringBuilder,
                     numbers: &mut [Float64Builder; 3],
                     codes: &mut StringBuilder,
                     shapes: &mut BinaryBuilder|
     -> Result<(), Box<dyn Error>> {
        let [lon, lat, elevation] = numbers.each_mut().map(|column| Arc::new(column.finish()));
        let columns: [(&str, ArrayRef); 7] = [
            ("id", Arc::new(ids.finish())),
            ("name", Arc::new(names.finish())),
            ("lon", lon),
            ("lat", lat),
            ("elevation", elevation),
            ("code", Arc::new(codes.finish())),
            ("geometry", Arc::new(shapes.finish())),
        ];
        let batch = RecordBatch::try_from_iter(columns)?;
        let to = match &mut writer {
            Some(writer) => writer,
            none => {
                let properties = WriterProperties::builder()
                    .set_compression(Compression::ZSTD(ZstdLevel::default()))
                    .build();
                none.insert(ArrowWriter::try_new(
                    File::create(out)?,
                    batch.schema(),
                    Some(properties),
                )?)
            }
        };
        Ok(to.write(&batch)?)
    };
    each_row(table, |(record, id, x, y, elevation)| {
        ids.append_value(id);
        names.append_value(&record[1]);
        codes.append_value(&record[5]);
        for (column, value) in numbers.iter_mut().zip([x, y, elevation]) {
            column.append_value(value);
        }
        shapes.append_value(point(x, y));
        count += 1;
        match count % 8192 {
            0 => flush(&mut ids, &mut names, &mut numbers, &mut codes, &mut shapes),
            _ => Ok(()),
        }
    })?;
    flush(&mut ids, &mut names, &mut numbers, &mut codes, &mut shapes)?;
    if let Some(writer) = writer {
        writer.close()?;
    }
    Ok(())
}

fn shapefile(table: &Path, out: &Path) -> Done {
    use shapefile::dbase::{FieldName, FieldValue, Record, TableWriterBuilder};
    let name = |text: &str| FieldName::try_from(text).map_err(|_| format!("{text} is no name"));
    let builder = TableWriterBuilder::new()
        .add_numeric_field(name("id")?, 10, 0)
        .add_character_field(name("name")?, 20)
        .add_numeric_field(name("lon")?, 14, 9)
        .add_numeric_field(name("lat")?, 14, 9)
        .add_numeric_field(name("elevation")?, 7, 3)
        .add_character_field(name("code")?, 2);
    let mut writer = shapefile::Writer::from_path(out, builder)?;
    each_row(table, |(cells, id, x, y, elevation)| {
        let mut record = Record::default();
        let number = |value: f64| FieldValue::Numeric(Some(value));
        record.insert("id".into(), number(id as f64));
        record.insert("name".into(), FieldValue::Character(Some(cells[1].into())));
        record.insert("lon".into(), number(x));
        record.insert("lat".into(), number(y));
        record.insert("elevation".into(), number(elevation));
        record.insert("code".into(), FieldValue::Character(Some(cells[5].into())));
        Ok(writer.write_shape_and_record(&shapefile::Point::new(x, y), &record)?)
    })
}

fn flatgeobuf(table: &Path, out: &Path) -> Done {
    let options = FgbWriterOptions { detect_type: false, ..FgbWriterOptions::default() };
    let mut writer = FgbWriter::create_with_options("points", GeometryType::Point, options)?;
    let columns = [
        ("id", ColumnType::Long),
        ("name", ColumnType::String),
        ("lon", ColumnType::Double),
        ("lat", ColumnType::Double),
        ("elevation", ColumnType::Double),
        ("code", ColumnType::String),
    ];
    for (name, kind) in columns {
        writer.add_column(name, kind, |_, _| {});
    }
    each_row(table, |(record, id, x, y, elevation)| {
        writer.point_begin(0)?;
        writer.xy(x, y, 0)?;
        writer.point_end(0)?;
        writer.property(0, "id", &ColumnValue::Long(id))?;
        writer.property(1, "name", &ColumnValue::String(&record[1]))?;
        writer.property(2, "lon", &ColumnValue::Double(x))?;
        writer.property(3, "lat", &ColumnValue::Double(y))?;
        writer.property(4, "elevation", &ColumnValue::Double(elevation))?;
        writer.property(5, "code", &ColumnValue::String(&record[5]))?;
        Ok(writer.feature_end(0)?)
    })?;
    Ok(writer.write(BufWriter::new(File::create(out)?))?)
}

fn geojson(table: &Path, out: &Path) -> Done {
    let mut file = BufWriter::new(File::create(out)?);
    file.write_all(b"{\"type\":\"FeatureCollection\",\"features\":[\n")?;
    let mut first = true;
    each_row(table, |(record, id, x, y, elevation)| {
        if !std::mem::take(&mut first) {
            file.write_all(b",\n")?;
        }
        let feature = serde_json::json!({
            "type": "Feature",
            "geometry": { "type": "Point", "coordinates": [x, y] },
            "properties": {
                "id": id,
                "name": &record[1],
                "lon": x,
                "lat": y,
                "elevation": elevation,
                "code": &record[5],
            },
        });
        Ok(serde_json::to_writer(&mut file, &feature)?)
    })?;
    file.write_all(b"\n]}\n")?;
    Ok(file.flush()?)
}

fn text(table: &Path, out: &Path) -> Done {
    let mut writer = csv::Writer::from_path(out)?;
    writer.write_record(["id", "name", "lon", "lat", "elevation", "code", "x", "y"])?;
    let mut cells = csv::StringRecord::new();
    each_row(table, |(record, _, x, y, _)| {
        cells.clear();
        record.iter().for_each(|cell| cells.push_field(cell));
        cells.push_field(&format!("{x:.9}"));
        cells.push_field(&format!("{y:.9}"));
        Ok(writer.write_record(&cells)?)
    })?;
    Ok(writer.flush()?)
}
