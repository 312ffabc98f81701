//! Arrow files and streams: rows, geometries as the metadata say, systems, codecs, damage.

use std::collections::HashMap;
use std::path::Path;
use std::sync::Arc;
use velvet_peg::arrow::array::{
    ArrayRef, BinaryArray, BooleanArray, DictionaryArray, Float64Array, Int32Array, Int64Array,
    RecordBatch, StringArray, StructArray, TimestampMillisecondArray,
};
use velvet_peg::arrow::schema::{DataType, Field, Fields, Schema};
use velvet_peg::{BuildPoints, Crs, Layer, LayerReader};

/// How a file is written.
#[derive(Clone, Copy, Debug)]
enum Way {
    File,
    Stream,
    Lz4,
    Zstd,
}

fn write(path: &Path, way: Way, batches: &[RecordBatch]) {
    use arrow_ipc::CompressionType;
    use arrow_ipc::writer::{FileWriter, IpcWriteOptions, StreamWriter};
    let out = std::fs::File::create(path).unwrap();
    let schema = batches[0].schema();
    if let Way::Stream = way {
        let mut writer = StreamWriter::try_new(out, &schema).unwrap();
        batches.iter().for_each(|batch| writer.write(batch).unwrap());
        return writer.finish().unwrap();
    }
    let codec = match way {
        Way::Lz4 => Some(CompressionType::LZ4_FRAME),
        Way::Zstd => Some(CompressionType::ZSTD),
        _ => None,
    };
    let options = IpcWriteOptions::default().try_with_compression(codec).unwrap();
    let mut writer = FileWriter::try_new_with_options(out, &schema, options).unwrap();
    batches.iter().for_each(|batch| writer.write(batch).unwrap());
    writer.finish().unwrap();
}

/// Attributes of several types.
fn attributes() -> Vec<(&'static str, ArrayRef)> {
    let ditches = DictionaryArray::new(
        Int32Array::from(vec![1, 0, 1]),
        Arc::new(StringArray::from(vec!["Alder", "Hollow"])),
    );
    vec![
        ("no", Arc::new(Int64Array::from(vec![Some(i64::MAX), None, Some(-3)])) as ArrayRef),
        ("ditch", Arc::new(ditches)),
        ("open", Arc::new(BooleanArray::from(vec![Some(true), None, Some(false)]))),
        (
            "read",
            Arc::new(TimestampMillisecondArray::from(vec![Some(1_772_609_415_250), None, None])),
        ),
        ("x", Arc::new(Float64Array::from(vec![500_000.5, 500_100.0, f64::NAN]))),
        ("y", Arc::new(Float64Array::from(vec![5_200_000.25, 5_200_100.0, 5_200_200.0]))),
    ]
}

fn rows() -> RecordBatch {
    RecordBatch::try_from_iter(attributes()).unwrap()
}

/// The same with a column of geometries, whose field has this metadata.
fn with_geometry(name: &str, column: ArrayRef, metadata: &[(&str, &str)]) -> RecordBatch {
    let rows = rows();
    let mut fields: Vec<Arc<Field>> = rows.schema().fields().iter().cloned().collect();
    let metadata: HashMap<String, String> =
        metadata.iter().map(|(key, value)| ((*key).to_string(), (*value).to_string())).collect();
    fields
        .push(Arc::new(Field::new(name, column.data_type().clone(), true).with_metadata(metadata)));
    let mut columns = rows.columns().to_vec();
    columns.push(column);
    RecordBatch::try_new(Arc::new(Schema::new(fields)), columns).unwrap()
}

/// Points as well-known binary; the second is missing.
fn binary() -> ArrayRef {
    let point = |x: f64, y: f64| {
        let mut bytes = vec![1, 1, 0, 0, 0];
        bytes.extend(x.to_le_bytes());
        bytes.extend(y.to_le_bytes());
        bytes
    };
    let points = [Some(point(1.5, 2.5)), None, Some(point(3.0, 4.0))];
    Arc::new(points.iter().map(Option::as_deref).collect::<BinaryArray>())
}

/// Points as structures of coordinates.
fn native() -> ArrayRef {
    let column = |values: Vec<f64>| Arc::new(Float64Array::from(values)) as ArrayRef;
    let fields: Fields =
        ["x", "y"].map(|name| Field::new(name, DataType::Float64, false)).to_vec().into();
    let columns = vec![column(vec![1.5, 0.0, 3.0]), column(vec![2.5, 0.0, 4.0])];
    let there = vec![true, false, true].into();
    Arc::new(StructArray::new(fields, columns, Some(there)))
}

fn row(feature: &velvet_peg::layer::Feature<'_>) -> String {
    let names = ["no", "ditch", "open", "read"];
    let values = names.map(|name| feature.value(name).unwrap().to_text());
    format!("{} {:?}", values.join("|"), feature.vertices())
}

const ROWS: [&str; 3] =
    ["9223372036854775807|Hollow|true|2026-03-04T07:30:15.250", "|Alder||", "-3|Hollow|false|"];

#[test]
fn rows_are_a_table_of_which_points_are_built() {
    let folder = tempfile::tempdir().unwrap();
    for (extension, way) in
        [("arrow", Way::File), ("feather", Way::Lz4), ("ipc", Way::Zstd), ("arrows", Way::Stream)]
    {
        let path = folder.path().join(format!("rows.{extension}"));
        // Two batches: rows count on.
        write(&path, way, &[rows(), rows()]);
        let reader = LayerReader::open(&path, None).unwrap();
        let info = reader.info();
        assert_eq!((info.bare, info.count, &info.crs), (true, Some(6), &None), "{way:?}");
        let layer = reader.read().unwrap();
        let found: Vec<String> = layer.features().map(|feature| row(&feature)).collect();
        let expected: Vec<String> = ROWS.iter().map(|row| format!("{row} []")).collect();
        assert_eq!((&found[..3], &found[3..]), (&expected[..], &expected[..]), "{way:?}");
        let out = folder.path().join(format!("{extension}.gpkg"));
        let build = BuildPoints::in_system(Crs::from_epsg(32610).unwrap());
        let outcome = build.run(&path, &out).unwrap();
        assert_eq!((outcome.rows_in, outcome.out, outcome.rejected.count), (6, 4, 2), "{way:?}");
        let first = Layer::read(&out).unwrap().features().next().unwrap().vertices();
        assert_eq!(first, [(500_000.5, 5_200_000.25)]);
    }
}

#[test]
fn geometries_and_systems_are_what_the_metadata_say() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("points.arrow");
    let name = "ARROW:extension:name";
    let more = "ARROW:extension:metadata";
    let json = velvet_peg::definition::json(&Crs::from_epsg(2285).unwrap()).unwrap();
    let json = format!(r#"{{"crs":{json},"crs_type":"projjson"}}"#);
    for (column, extension, metadata, system) in [
        (binary(), "geoarrow.wkb", r#"{"crs":"EPSG:32610"}"#, Some(32610)),
        (binary(), "ogc.wkb", json.as_str(), Some(2285)),
        (native(), "geoarrow.point", r#"{"crs":"OGC:CRS84"}"#, Some(4326)),
        (native(), "geoarrow.point", r#"{"crs":null}"#, None),
        (binary(), "geoarrow.wkb", "", None),
    ] {
        let batch = with_geometry("place", column, &[(name, extension), (more, metadata)]);
        write(&path, Way::File, &[batch]);
        let reader = LayerReader::open(&path, None).unwrap();
        let code = reader.info().crs.as_ref().and_then(Crs::code);
        assert_eq!((code, reader.info().bare), (system, false), "{extension} {metadata}");
        let layer = reader.read().unwrap();
        let found: Vec<String> = layer.features().map(|feature| row(&feature)).collect();
        let places = ["[(1.5, 2.5)]", "[]", "[(3.0, 4.0)]"];
        let expected: Vec<String> =
            ROWS.iter().zip(places).map(|(row, place)| format!("{row} {place}")).collect();
        assert_eq!(found, expected, "{extension}");
    }
    // Without a word, a column of a usual name is taken, and that is said.
    write(&path, Way::File, &[with_geometry("geom", binary(), &[])]);
    let reader = LayerReader::open(&path, None).unwrap();
    assert!(reader.notices[0].text.contains("column `geom` is taken for them"));
    assert_eq!(reader.read().unwrap().len(), 3);
}

#[test]
fn what_is_damaged_or_too_old_is_refused_by_name() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("rows.arrow");
    write(&path, Way::File, &[rows()]);
    let whole = std::fs::read(&path).unwrap();
    for (bytes, says) in [
        (whole[..whole.len() / 2].to_vec(), "cannot be read as an Arrow file"),
        (whole[..3].to_vec(), "cannot be read as an Arrow file"),
        (b"FEA1\0\0\0\0".to_vec(), "the first version of Feather"),
        (Vec::new(), "rows.arrow"),
    ] {
        std::fs::write(&path, bytes).unwrap();
        let error = LayerReader::open(&path, None).unwrap_err().to_string();
        assert!(error.contains(says) && error.contains("rows.arrow"), "{error}");
    }
    // It is not written, and that is said before anything is.
    let mut layer = Layer::new("a", None);
    layer.push(velvet_peg::Geometry::Point((1.0, 2.0)), []).unwrap();
    let error = layer.write(folder.path().join("x.arrow")).unwrap_err().to_string();
    assert!(error.contains("Arrow"), "{error}");
}

/// A text that a Parquet file holds once and names in every row is many times the file; a long one among many
/// short ones is not.
#[test]
fn texts_are_unpacked_as_far_as_the_file_is_large() {
    let data = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../testdata/fuzz");
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.parquet");
    std::fs::copy(data.join("geoparquet/one-long-text-in-every-row"), &path).unwrap();
    let error = LayerReader::open(&path, None).unwrap().read().unwrap_err().to_string();
    assert!(error.contains("a.parquet") && error.contains("again and again"), "{error}");

    let mut layer = Layer::new("gates", Some(Crs::from_epsg(4326).unwrap()));
    let long = "remark ".repeat(20_000);
    for gate in 0..20_000_u32 {
        let remark = if gate == 7 { long.clone() } else { format!("none {}", gate % 3) };
        let place = velvet_peg::Geometry::Point((-120.0, 47.0));
        layer.push(place, [("remark", remark.into())]).unwrap();
    }
    std::fs::remove_file(&path).unwrap();
    layer.write(&path).unwrap();
    let read = Layer::read(&path).unwrap();
    assert_eq!(read.len(), 20_000);
    let remarks: usize =
        read.features().map(|feature| feature.value("remark").unwrap().to_text().len()).sum();
    assert_eq!(remarks, long.len() + 19_999 * "none 0".len());
}
