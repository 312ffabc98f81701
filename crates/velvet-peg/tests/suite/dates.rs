//! Dates, times of the day, moments and yes or no: each format keeps them as what they are, or says
//! what it makes of them.

use std::collections::HashMap;
use std::path::Path;
use std::sync::Arc;
use velvet_peg::arrow::array::*;
use velvet_peg::arrow::schema::{Field, Schema};
use velvet_peg::layer::{Batch, GeometryColumn, type_name};
use velvet_peg::table::{TableFile, TableOptions};
use velvet_peg::{
    Crs, Format, Layer, LayerWriter, WriteOptions,
    look::{Look, LookOptions, look},
};

/// A column of one of the types that the data file names.
fn column(kind: &str, numbers: &[Option<i64>]) -> ArrayRef {
    let numbers = numbers.to_vec();
    match kind {
        "date" => Arc::new(Date32Array::from_iter(numbers.iter().map(|n| n.map(|n| n as i32)))),
        "time" => Arc::new(Time64MicrosecondArray::from(numbers)),
        "yes" => Arc::new(BooleanArray::from_iter(numbers.iter().map(|n| n.map(|n| n == 1)))),
        "local" => Arc::new(TimestampMicrosecondArray::from(numbers)),
        "utc" => Arc::new(TimestampMicrosecondArray::from(numbers).with_timezone("UTC")),
        zone => Arc::new(TimestampMicrosecondArray::from(numbers).with_timezone(zone)),
    }
}

fn batch(column: ArrayRef) -> Batch {
    let mut geometry = GeometryColumn::new();
    for at in 0..column.len() {
        geometry.push_point(-120.0 - at as f64 / 100.0, 47.4, None);
    }
    let columns = [("seen", column, true)];
    Batch::try_new(geometry, RecordBatch::try_from_iter_with_nullable(columns).unwrap(), 1).unwrap()
}

/// Writes batches and gives what was said.
fn write(path: &Path, batches: &[Batch]) -> String {
    let mut info = Layer::new("readings", Some(Crs::from_epsg(4326).unwrap())).info().clone();
    info.schema = batches[0].attributes().schema();
    info.kind = Some(velvet_peg::layer::GeometryKind::Point);
    let mut writer = LayerWriter::create(path, &info, &WriteOptions::default()).unwrap();
    for batch in batches {
        writer.write(batch).unwrap();
    }
    let before = writer.notices.clone();
    let written = writer.finish().unwrap();
    let said: Vec<String> =
        before.iter().chain(&written.notices).map(ToString::to_string).collect();
    said.join("\n")
}

/// The type of the column that was written, and its values as text.
fn read(path: &Path) -> (String, Vec<String>) {
    if Format::of(path).unwrap().is_table() {
        let Look::Table(table) = look(path, &LookOptions::default()).unwrap() else { panic!() };
        let kind = table.columns[0].kind.to_string();
        let table = TableFile::open(path, &TableOptions::default()).unwrap();
        let rows = table.rows().unwrap().map(Result::unwrap);
        return (kind, rows.map(|row| row.text(0).unwrap().to_string()).collect());
    }
    let layer = Layer::read(path).unwrap();
    let schema = layer.info().schema.clone();
    let mut values: Vec<(f64, String)> = layer
        .features()
        .map(|f| (-f.vertices()[0].0, f.value("seen").unwrap().to_text()))
        .collect();
    // It is sorted by place.
    if path.extension().is_some_and(|e| e == "fgb") {
        values.sort_by(|one, two| one.0.total_cmp(&two.0));
    }
    let values = values.into_iter().map(|(_, value)| value).collect();
    (type_name(schema.field_with_name("seen").unwrap()).to_string(), values)
}

#[test]
fn values_stay_what_they_are() {
    let folder = tempfile::tempdir().unwrap();
    let data = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/data/dates.csv");
    for (line, row) in csv::Reader::from_path(data).unwrap().records().enumerate() {
        let row = row.unwrap();
        let what = format!("line {}: {row:?}", line + 2);
        let numbers: Vec<Option<i64>> = row[1].split('|').map(|n| n.parse().ok()).collect();
        let path = folder.path().join(format!("{line}.{}", &row[2]));
        let said = write(&path, &[batch(column(&row[0], &numbers))]);
        let (kind, values) = read(&path);
        assert_eq!(
            (kind.as_str(), values.join("|").as_str()),
            (&row[3], &row[4]),
            "{what}\n{said}"
        );
        let others = said.lines().filter(|line| !line.contains("no place for a reference system"));
        let others: Vec<&str> = others.filter(|line| !line.contains("extensions")).collect();
        match &row[5] {
            "" => assert!(others.is_empty(), "{what}: {others:?}"),
            wanted => {
                assert!(others.iter().any(|line| line.contains(wanted)), "{what}: {others:?}")
            }
        }
    }
}

/// Texts that are declared to be dates or times.
fn declared(kind: &str, texts: &[&str]) -> Batch {
    let texts = batch(Arc::new(StringArray::from(texts.to_vec())));
    let (geometry, attributes) = texts.into_parts();
    let metadata = HashMap::from([("declared_type".to_string(), kind.to_string())]);
    let field = Field::new("seen", attributes.column(0).data_type().clone(), true);
    let schema = Arc::new(Schema::new(vec![field.with_metadata(metadata)]));
    let attributes = RecordBatch::try_new(schema, attributes.columns().to_vec()).unwrap();
    Batch::try_new(geometry, attributes, 1).unwrap()
}

#[test]
fn what_is_no_date_makes_the_column_text_and_nothing_is_lost() {
    let folder = tempfile::tempdir().unwrap();
    // What comes before and after the value that does not fit is kept, in the same words.
    let cases: [(&str, &[&[&str]], &str); 7] = [
        ("DATE", &[&["2026-03-04", "2026-02-30"]], "not all of its values are dates"),
        (
            "DATE",
            &[&["2026-03-04"], &["spring"], &["1931-05-04"]],
            "not all of its values are dates",
        ),
        ("TIME", &[&["07:30:00"], &["24:00:00"], &["08:00:00.5"]], "times of the day"),
        ("DATETIME", &[&["2026-03-04T07:30:00"], &["2026-03-04T07:30:00Z"]], "all of UTC or none"),
        ("DATETIME", &[&["2026-03-04T07:30:00Z"], &["2026-03-04 at noon"]], "all of UTC or none"),
        ("DATETIME", &[&["2026-03-04T07:30:00.1234567"]], "all of UTC or none"),
        ("DATETIME", &[&["2026-12-31T23:59:60Z"]], "all of UTC or none"),
    ];
    for (at, (kind, parts, wanted)) in cases.into_iter().enumerate() {
        let path = folder.path().join(format!("{at}.parquet"));
        let batches: Vec<Batch> = parts.iter().map(|part| declared(kind, part)).collect();
        let said = write(&path, &batches);
        assert!(said.contains("written as text") && said.contains(wanted), "{at}: {said}");
        let (kind, values) = read(&path);
        let given = parts.concat().join("|").replace("08:00:00.5", "08:00:00.500");
        assert_eq!((kind.as_str(), values.join("|")), ("text", given), "{at}");
        let beside = std::fs::read_dir(folder.path()).unwrap().count();
        assert_eq!(beside, at + 1, "nothing else is left there");
    }
}

#[test]
fn moments_of_utc_may_come_after_blank_ones() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("late.parquet");
    let blank = batch(column("utc", &[None, None]));
    let late = batch(column("utc", &[Some(0)]));
    assert_eq!(write(&path, &[blank, late]), "");
    let (kind, values) = read(&path);
    assert_eq!(
        (kind.as_str(), values.join("|")),
        ("date with a time", "||1970-01-01T00:00:00Z".into())
    );
}
