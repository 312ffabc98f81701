//! Batches made by code: every Arrow type that can be held is, the rest is refused by name, and what
//! is written is what was given.

use std::sync::Arc;
use velvet_peg::arrow::array::builder::{
    FixedSizeBinaryBuilder, Int32Builder, ListBuilder, StringDictionaryBuilder,
};
use velvet_peg::arrow::array::types::Int32Type;
use velvet_peg::arrow::array::*;
use velvet_peg::arrow::schema::{DataType, Field, Schema};
use velvet_peg::layer::{Batch, GeometryColumn};
use velvet_peg::table::{Cell, TableFile, TableOptions};
use velvet_peg::{
    Converter, Crs, Format, Geometry, Layer, LayerReader, LayerWriter, Value, WriteOptions,
};

/// Two points and nothing.
fn geometry() -> GeometryColumn {
    let mut column = GeometryColumn::new();
    column.push_point(-120.004, 47.412, None);
    column.push_point(-119.991, 47.405, None);
    column.end_feature(None);
    column
}

fn batch(columns: Vec<(&str, ArrayRef)>) -> velvet_peg::Result<Batch> {
    Batch::try_new(
        geometry(),
        RecordBatch::try_from_iter_with_nullable(
            columns.into_iter().map(|(name, column)| (name, column, true)),
        )
        .unwrap(),
        1,
    )
}

/// Columns of every kind, the type that they are held in, and their values as text.
fn columns() -> Vec<(&'static str, ArrayRef, DataType, [&'static str; 3])> {
    let mut words = StringDictionaryBuilder::<Int32Type>::new();
    words.append_value("weir");
    words.append_value("gate");
    words.append_null();
    let mut marks = FixedSizeBinaryBuilder::new(2);
    marks.append_value([1, 255]).unwrap();
    marks.append_value([0, 0]).unwrap();
    marks.append_null();
    let whole = DataType::Int64;
    let real = DataType::Float64;
    let text = DataType::Utf8;
    vec![
        (
            "i8",
            Arc::new(Int8Array::from(vec![Some(-128), Some(127), None])),
            whole.clone(),
            ["-128", "127", ""],
        ),
        (
            "i16",
            Arc::new(Int16Array::from(vec![Some(-32768), Some(7), None])),
            whole.clone(),
            ["-32768", "7", ""],
        ),
        (
            "i32",
            Arc::new(Int32Array::from(vec![Some(i32::MIN), Some(7), None])),
            whole.clone(),
            ["-2147483648", "7", ""],
        ),
        (
            "i64",
            Arc::new(Int64Array::from(vec![Some(i64::MAX), Some(7), None])),
            whole.clone(),
            ["9223372036854775807", "7", ""],
        ),
        (
            "u8",
            Arc::new(UInt8Array::from(vec![Some(255), Some(7), None])),
            whole.clone(),
            ["255", "7", ""],
        ),
        (
            "u16",
            Arc::new(UInt16Array::from(vec![Some(65535), Some(7), None])),
            whole.clone(),
            ["65535", "7", ""],
        ),
        (
            "u32",
            Arc::new(UInt32Array::from(vec![Some(u32::MAX), Some(7), None])),
            whole.clone(),
            ["4294967295", "7", ""],
        ),
        (
            "u64",
            Arc::new(UInt64Array::from(vec![Some(u64::MAX), Some(7), None])),
            text.clone(),
            ["18446744073709551615", "7", ""],
        ),
        (
            "f32",
            Arc::new(Float32Array::from(vec![Some(4.5), Some(-0.25), None])),
            real.clone(),
            ["4.5", "-0.25", ""],
        ),
        (
            "f64",
            Arc::new(Float64Array::from(vec![Some(0.1), Some(-1e20), None])),
            real.clone(),
            ["0.1", "-100000000000000000000", ""],
        ),
        (
            "decimal",
            Arc::new(
                Decimal128Array::from(vec![Some(12345), Some(-5), None])
                    .with_precision_and_scale(10, 2)
                    .unwrap(),
            ),
            real,
            ["123.45", "-0.05", ""],
        ),
        (
            "long_decimal",
            Arc::new(
                Decimal128Array::from(vec![Some(12345678901234567890123), Some(-5), None])
                    .with_precision_and_scale(30, 3)
                    .unwrap(),
            ),
            text.clone(),
            ["12345678901234567890.123", "-0.005", ""],
        ),
        (
            "yes",
            Arc::new(BooleanArray::from(vec![Some(true), Some(false), None])),
            DataType::Boolean,
            ["true", "false", ""],
        ),
        (
            "text",
            Arc::new(StringArray::from(vec![Some("007"), Some(""), None])),
            text.clone(),
            ["007", "", ""],
        ),
        (
            "large_text",
            Arc::new(LargeStringArray::from(vec![Some("ж 漢"), Some("a"), None])),
            text.clone(),
            ["ж 漢", "a", ""],
        ),
        (
            "view",
            Arc::new(StringViewArray::from(vec![
                Some("a text of more than twelve bytes"),
                Some("b"),
                None,
            ])),
            text.clone(),
            ["a text of more than twelve bytes", "b", ""],
        ),
        ("words", Arc::new(words.finish()), text.clone(), ["weir", "gate", ""]),
        (
            "bytes",
            Arc::new(BinaryArray::from(vec![Some(b"\x01\xff".as_slice()), Some(b""), None])),
            DataType::Binary,
            ["01ff", "", ""],
        ),
        (
            "large_bytes",
            Arc::new(LargeBinaryArray::from(vec![
                Some(b"\x01\xff".as_slice()),
                Some(b"\x00"),
                None,
            ])),
            DataType::Binary,
            ["01ff", "00", ""],
        ),
        (
            "byte_view",
            Arc::new(BinaryViewArray::from(vec![
                Some(b"\x01\xff".as_slice()),
                Some(b"\x00"),
                None,
            ])),
            DataType::Binary,
            ["01ff", "00", ""],
        ),
        ("marks", Arc::new(marks.finish()), DataType::Binary, ["01ff", "0000", ""]),
        (
            "day",
            Arc::new(Date32Array::from(vec![Some(20_574), Some(-1), None])),
            text.clone(),
            ["2026-05-01", "1969-12-31", ""],
        ),
        (
            "moment",
            Arc::new(TimestampSecondArray::from(vec![Some(1_777_626_000), Some(0), None])),
            text.clone(),
            ["2026-05-01T09:00:00", "1970-01-01T00:00:00", ""],
        ),
        (
            "time",
            Arc::new(Time32SecondArray::from(vec![Some(32_400), Some(0), None])),
            text.clone(),
            ["09:00:00", "00:00:00", ""],
        ),
        ("nothing", Arc::new(NullArray::new(3)), text, ["", "", ""]),
    ]
}

#[test]
fn columns_of_every_type_are_held_to_the_last_digit() {
    let given: Vec<(&str, ArrayRef)> =
        columns().into_iter().map(|(name, column, ..)| (name, column)).collect();
    let batch = batch(given).unwrap();
    for (at, (name, _, kind, texts)) in columns().into_iter().enumerate() {
        assert_eq!(batch.attributes().schema().field(at).data_type(), &kind, "{name}");
        for (row, text) in texts.into_iter().enumerate() {
            let value = batch.columns()[at].value(row);
            assert_eq!(value.to_string(), text, "{name}, row {row}");
            assert_eq!(value.is_null(), row == 2 || name == "nothing", "{name}, row {row}");
        }
    }
    // And come back from files that hold everything.
    let layer = Layer::try_from_batches("all", Some(Crs::from_epsg(4326).unwrap()), vec![batch]);
    let layer = layer.unwrap();
    let folder = tempfile::tempdir().unwrap();
    for extension in ["gpkg", "parquet"] {
        let path = folder.path().join(format!("all.{extension}"));
        layer.write(&path).unwrap();
        let again = Layer::read(&path).unwrap();
        for (there, back) in layer.features().zip(again.features()) {
            for (name, ..) in columns() {
                assert_eq!(there.value(name), back.value(name), "{extension}: {name}");
            }
        }
    }
}

#[test]
fn what_cannot_be_held_is_refused_by_name() {
    let mut lists = ListBuilder::new(Int32Builder::new());
    (0..3).for_each(|_| lists.append(true));
    let parts = StructArray::from(vec![(
        Arc::new(Field::new("part", DataType::Int32, true)),
        Arc::new(Int32Array::from(vec![1, 2, 3])) as ArrayRef,
    )]);
    let refused: [(&str, ArrayRef); 2] =
        [("sides", Arc::new(lists.finish())), ("owner", Arc::new(parts))];
    for (name, column) in refused {
        let error = batch(vec![(name, column)]).unwrap_err().to_string();
        assert!(error.contains(&format!("column `{name}` is of type")), "{error}");
    }
    let two = |rows: usize| {
        RecordBatch::try_from_iter([("n", Arc::new(Int64Array::from(vec![1; rows])) as ArrayRef)])
            .unwrap()
    };
    let error = Batch::try_new(geometry(), two(2), 1).unwrap_err().to_string();
    assert!(error.contains("3 geometries have 2 rows"), "{error}");
    for break_it in [
        |column: &mut GeometryColumn| column.y.truncate(1),
        |column: &mut GeometryColumn| column.z.push(1.0),
        |column: &mut GeometryColumn| column.m.push(1.0),
        |column: &mut GeometryColumn| {
            column.x.pop();
            column.y.pop();
        },
    ] {
        let mut column = geometry();
        break_it(&mut column);
        let error = Batch::try_new(column, two(3), 1).unwrap_err().to_string();
        assert!(error.contains("have not all the same coordinates"), "{error}");
    }
}

#[test]
fn values_and_columns_that_do_not_fit_are_refused_not_dropped() {
    let mut layer = Layer::new("gates", None);
    layer.push((1.0, 2.0), [("n", 1.into()), ("open", true.into())]).unwrap();
    for value in [Value::from("four"), Value::Binary(vec![4])] {
        let error = layer.push((1.0, 2.0), [("n", value), ("open", true.into())]).unwrap_err();
        let why = "does not fit column `n` (of the type: whole number)";
        assert!(error.to_string().contains(why), "{error}");
    }
    // Nor rounded, nor taken for yes.
    let mut depths = Layer::new("depths", None);
    depths.push((1.0, 2.0), [("depth", 0.5.into()), ("dry", true.into())]).unwrap();
    depths.push((1.0, 2.0), [("depth", (1_i64 << 53).into()), ("dry", 0.into())]).unwrap();
    for (depth, dry, column) in [((1_i64 << 53) + 1, 1, "depth"), (4, 7, "dry"), (4, -1, "dry")] {
        let error = depths.push((1.0, 2.0), [("depth", depth.into()), ("dry", dry.into())]);
        let error = error.unwrap_err().to_string();
        assert!(error.contains(&format!("does not fit column `{column}`")), "{error}");
    }
    assert_eq!(depths.features().last().unwrap().value("depth"), Some((2_f64.powi(53)).into()));
    layer.push((3.0, 4.0), [("n", Value::Null), ("open", Value::Null)]).unwrap();
    let numbers: Vec<_> = layer.features().map(|feature| feature.value("n")).collect();
    assert_eq!(numbers, [Some(1.into()), Some(Value::Null)]);

    let other = batch(vec![("m", Arc::new(Int32Array::from(vec![1, 2, 3])))]).unwrap();
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("gates.gpkg");
    let mut writer = LayerWriter::create(&path, layer.info(), &WriteOptions::default()).unwrap();
    let error = writer.write(&other).unwrap_err().to_string();
    assert!(
        error.contains("`m` (whole number)") && error.contains("`open` (yes or no)"),
        "{error}"
    );
    drop(writer);
    assert!(!path.exists());
    let first = layer.batches().next().unwrap().clone();
    assert!(Layer::try_from_batches("two", None, vec![first, other]).is_err());
    // A writer takes a description as the file that it comes from has it.
    let mut info = layer.info().clone();
    info.schema = Arc::new(Schema::new(vec![Field::new("m", DataType::Int32, false)]));
    let mut writer = LayerWriter::create(&path, &info, &WriteOptions::default()).unwrap();
    writer.write(&batch(vec![("m", Arc::new(Int32Array::from(vec![1, 2, 3])))]).unwrap()).unwrap();
    assert_eq!(writer.finish().unwrap().count, 3);
}

#[test]
fn batches_can_be_gone_through_as_an_iterator() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("many.geojsonl");
    let mut layer = Layer::new("many", Some(Crs::from_epsg(4326).unwrap()));
    for number in 0..30_000 {
        let x = f64::from(number) / 1000.0;
        layer.push(Geometry::Point((x, 47.0)), [("n", number.into())]).unwrap();
    }
    layer.write(&path).unwrap();
    let open = || LayerReader::open(&path, None).unwrap();
    let mut count = 0;
    for batch in open().batches() {
        let batch = batch.unwrap();
        assert_eq!(batch.first(), count + 1);
        count += batch.len() as u64;
    }
    assert_eq!(count, 30_000);
    // Whoever has seen enough leaves.
    let first = open().batches().next().unwrap().unwrap();
    assert_eq!(first.features().next().unwrap().vertices(), [(0.0, 47.0)]);
    // A file that is cut while it is read ends with an error, and nothing after it.
    let reader = open();
    std::fs::remove_file(&path).unwrap();
    let mut batches = reader.batches();
    assert!(batches.next().unwrap().unwrap_err().is_file());
    assert!(batches.next().is_none());
}

#[test]
fn readers_writers_and_layers_go_to_other_threads() {
    fn sent<T: Send>() {}
    fn shared<T: Send + Sync>() {}
    sent::<LayerReader>();
    sent::<LayerWriter>();
    sent::<velvet_peg::table::TableReader>();
    shared::<TableFile>();
    shared::<Layer>();
    shared::<Batch>();
    shared::<Crs>();
    shared::<Converter>();
    shared::<velvet_peg::Geodesic>();
    shared::<velvet_peg::Error>();
}

/// Nothing stays nothing where a column keeps it among its values, or in a run of them.
#[test]
fn nothing_within_dictionaries_and_runs_is_nothing() {
    let days = || Arc::new(Date32Array::from(vec![Some(20_574), None])) as ArrayRef;
    let words = || Arc::new(StringArray::from(vec![Some("weir"), None])) as ArrayRef;
    let numbers = || Arc::new(Int64Array::from(vec![Some(7), None])) as ArrayRef;
    let dictionary = |values: ArrayRef| -> ArrayRef {
        let keys = Int32Array::from(vec![Some(0), Some(1), None]);
        Arc::new(DictionaryArray::<Int32Type>::try_new(keys, values).unwrap())
    };
    let runs = |values: ArrayRef| -> ArrayRef {
        let ends = Int32Array::from(vec![1, 3]);
        Arc::new(RunArray::<Int32Type>::try_new(&ends, values.as_ref()).unwrap())
    };
    for (name, column, first) in [
        ("days by key", dictionary(days()), "2026-05-01"),
        ("words by key", dictionary(words()), "weir"),
        ("numbers by key", dictionary(numbers()), "7"),
        ("days in runs", runs(days()), "2026-05-01"),
        ("words in runs", runs(words()), "weir"),
        ("numbers in runs", runs(numbers()), "7"),
    ] {
        let made = batch(vec![(name, column)]).unwrap();
        let values = made.columns()[0];
        assert_eq!(values.value(0).to_string(), first, "{name}");
        assert!(values.value(1).is_null() && values.value(2).is_null(), "{name}: {values:?}");
    }
}

/// A day that no calendar has is refused with its column and its value; it does not become the text of
/// an error.
#[test]
fn days_beyond_the_calendar_are_refused() {
    let columns: [(&str, ArrayRef, &str); 3] = [
        ("day", Arc::new(Date32Array::from(vec![Some(1), Some(i32::MAX), None])), "2147483647"),
        (
            "moment",
            Arc::new(TimestampSecondArray::from(vec![Some(1), Some(i64::MAX), None])),
            "9223372036854775807",
        ),
        ("time", Arc::new(Time32SecondArray::from(vec![Some(1), Some(90_000), None])), "90000"),
    ];
    for (name, column, value) in columns {
        let error = batch(vec![(name, column)]).unwrap_err();
        let text = error.to_string();
        assert!(error.is_data() && text.contains(&format!("column `{name}` holds")), "{text}");
        assert!(text.contains(value), "{text}");
    }
}

/// Days, moments and yes or no at their limits go to every format, which reads them again before it
/// lets them be; sheets and databases keep what they are.
#[test]
fn days_and_moments_go_to_every_format() {
    let moments = [
        "2024-05-06T07:08:09",
        "2024-05-06T00:00:00",
        "2024-02-29T23:59:59",
        "1900-01-01T00:00:00",
        "1900-02-28T12:00:00",
        "1900-03-01T00:00:01",
        "9999-12-31T23:59:59",
        "1899-12-31T06:00:00",
        "1582-10-04T01:02:03",
        "0001-01-01T00:00:00",
        "2024-05-06T07:08:09.250",
    ];
    let seconds: StringArray = moments.iter().map(Some).chain([None]).collect();
    let days: StringArray = moments.iter().map(|text| text.get(..10)).chain([None]).collect();
    let cast = |texts: StringArray, kind: &DataType| {
        arrow_cast::cast(&texts, kind).unwrap_or_else(|error| panic!("{error}"))
    };
    let moment = DataType::Timestamp(velvet_peg::arrow::schema::TimeUnit::Millisecond, None);
    let count = moments.len() + 1;
    let columns: Vec<(&str, ArrayRef)> = vec![
        ("day", cast(days, &DataType::Date32)),
        ("moment", cast(seconds, &moment)),
        (
            "open",
            Arc::new(
                (0..count)
                    .map(|row| [Some(true), Some(false), None][row % 3])
                    .collect::<BooleanArray>(),
            ),
        ),
    ];
    let mut points = GeometryColumn::new();
    (0..count).for_each(|row| points.push_point(-120.0 + row as f64 / 64.0, 47.5, None));
    let attributes = RecordBatch::try_from_iter_with_nullable(
        columns.into_iter().map(|(name, column)| (name, column, true)),
    );
    let batch = Batch::try_new(points, attributes.unwrap(), 1).unwrap();
    let layer =
        Layer::try_from_batches("moments", Some(Crs::from_epsg(4326).unwrap()), vec![batch])
            .unwrap();
    let folder = tempfile::tempdir().unwrap();
    for format in Format::all().filter(|format| format.capability().writes) {
        let extension = format.capability().extensions[0];
        let path = folder.path().join(format!("moments-{extension}.{extension}"));
        layer.write(&path).unwrap_or_else(|error| panic!("{error}"));
        if !format.is_table() && format.capability().no_geometry {
            let again = Layer::read(&path).unwrap();
            let texts = |name: &str| -> Vec<String> {
                let value = |feature: velvet_peg::layer::Feature<'_>| match feature.value(name) {
                    Some(Value::Text(text)) => text,
                    Some(Value::Null) => String::new(),
                    other => panic!("{extension}: {name} is {other:?}"),
                };
                let mut texts: Vec<String> = again.features().map(value).collect();
                texts.sort();
                texts
            };
            let mut expected: Vec<String> = moments.iter().map(|text| text.to_string()).collect();
            expected.push(String::new());
            expected.sort();
            assert_eq!(texts("moment"), expected, "{extension}");
        }
    }
    let sheet = TableFile::open(&folder.path().join("moments-xlsx.xlsx"), &TableOptions::default())
        .unwrap();
    let rows: Vec<_> = sheet.rows().unwrap().map(Result::unwrap).collect();
    let cells = |column: usize| -> Vec<Cell<'_>> {
        rows.iter().map(|row| row.cell(column).unwrap()).collect()
    };
    assert_eq!(cells(0)[0], Cell::Date("2024-05-06"));
    // A cell does not tell the beginning of a day from the day.
    let (moment, day) = (Cell::DateTime(moments[0]), Cell::Date("2024-05-06"));
    assert_eq!(cells(1)[..2], [moment, day]);
    // Thousandths of a second are kept.
    assert_eq!(cells(1)[count - 2..], [Cell::DateTime(moments[count - 2]), Cell::Blank]);
    assert_eq!(cells(2)[..3], [Cell::YesNo(true), Cell::YesNo(false), Cell::Blank]);
}
