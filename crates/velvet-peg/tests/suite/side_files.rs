//! Files beside tables that tell their system, types and dialect: written, read again, and those of
//! other hands.

use std::path::Path;
use velvet_peg::features::BuildFeatures;
use velvet_peg::table::{Cell, CoordinateColumns, TableFile, TableOptions};
use velvet_peg::{BuildPoints, ConvertLayer, Crs, Layer, LayerReader, TextDialect, WriteOptions};

/// Columns with their types, and the values of each feature.
fn described(layer: &Layer) -> Vec<String> {
    let fields = layer.info().schema.fields().clone();
    let kinds = fields.iter().map(|field| {
        let declared = field.metadata().get("declared_type").cloned().unwrap_or_default();
        format!("{} {} {declared}", field.name(), field.data_type())
    });
    let rows = layer.features().map(|feature| {
        let values = fields.iter().map(|field| format!("{:?}", feature.value(field.name())));
        values.collect::<Vec<_>>().join("|")
    });
    kinds.chain(rows).collect()
}

const REGISTER: &str = "gate,open,built,seen,at,no,cfs,x,y\n\
    007,true,1931-05-04,2026-05-03T06:30:00,06:30:00,12,2.5,1835071.5,155177.25\n\
    008,,,,,,,1835071.5,155178.25\n\
    12,false,2000-01-02,2026-05-03T00:00:00,00:00:00,-4,0.25,1835072.5,155177.25\n";

/// The register as points whose columns have the types that a workbook would give them.
fn register(folder: &Path) -> Layer {
    let table = folder.join("register.csv");
    std::fs::write(&table, REGISTER).unwrap();
    let told = serde_json::json!({
        "@context": ["http://www.w3.org/ns/csvw", { "@language": "en" }],
        "tables": [{
            "url": "http://tumblewick.example/data/register.csv",
            "tableSchema": { "columns": [
                { "name": "gate", "datatype": "string" },
                { "titles": ["open", "offen"], "datatype": { "base": "boolean" } },
                { "titles": { "en": "built" }, "datatype": "date" },
                { "name": "seen", "datatype": "datetime" },
                { "name": "at", "datatype": "time" },
                { "name": "no", "datatype": "integer" },
                { "name": "cfs", "datatype": "number" },
                { "name": "x" }, { "name": "y" },
                { "name": "source", "virtual": true },
            ] },
        }],
        "dcterms:conformsTo": [{ "@id": "https://tumblewick.example/rules" }, "urn:ogc:def:crs:EPSG::2285"],
    });
    std::fs::write(folder.join("register.csv-metadata.json"), told.to_string()).unwrap();
    let out = folder.join("register.parquet");
    BuildPoints::default().run(&table, &out).unwrap();
    LayerReader::open(&out, None).unwrap().read().unwrap()
}

#[test]
fn what_is_written_beside_a_table_gives_the_same_layer_again() {
    let folder = tempfile::tempdir().unwrap();
    let layer = register(folder.path());
    let wanted = described(&layer);
    assert_eq!(layer.info().crs.as_ref().and_then(Crs::code), Some(2285));
    let kinds = wanted[..7].join("; ");
    assert!(
        kinds.starts_with(
            "gate Utf8 ; open Boolean ; built Utf8 DATE; seen Utf8 DATETIME; at Utf8 TIME; no Int64"
        ),
        "{kinds}"
    );
    let plain = WriteOptions { overwrite: true, ..WriteOptions::default() };
    let dialect = TextDialect { metadata: true, ..TextDialect::default() };
    for (name, wkt, text) in [
        ("a.csv", false, dialect.clone()),
        ("b.csv", true, dialect.clone()),
        ("c.txt", false, TextDialect { delimiter: Some('^'), crlf: true, ..dialect.clone() }),
        ("d.tsv", true, TextDialect { byte_order_mark: true, ..dialect.clone() }),
        ("e.csv.zip", false, dialect.clone()),
    ] {
        let table = folder.path().join(name);
        let convert = ConvertLayer {
            write: WriteOptions { wkt, text, ..plain.clone() },
            ..ConvertLayer::default()
        };
        let reader = LayerReader::open(&folder.path().join("register.parquet"), None).unwrap();
        let written = convert.run(&reader, &table).unwrap();
        assert!(written.verified, "{name}");
        assert!(!written.notices.iter().any(|n| n.text.contains("no place for")), "{name}");
        let out = folder.path().join(format!("{name}.parquet"));
        let build = match wkt {
            true => BuildFeatures::default().run(&table, &out),
            false => {
                let named = |name: &str| Some(name.to_string());
                let columns = CoordinateColumns {
                    x: named("easting"),
                    y: named("northing"),
                    ..CoordinateColumns::default()
                };
                BuildPoints { columns, ..BuildPoints::default() }.run(&table, &out)
            }
        };
        build.unwrap_or_else(|error| panic!("{name}: {error}"));
        let again = LayerReader::open(&out, None).unwrap().read().unwrap();
        assert_eq!(again.info().crs, layer.info().crs, "{name}");
        let kept: Vec<String> = described(&again)
            .into_iter()
            .filter(|line| {
                !line.starts_with("easting")
                    && !line.starts_with("northing")
                    && !line.starts_with("wkt")
            })
            .map(|line| line.split("|Some(Text(\"POINT").next().unwrap().to_string())
            .collect();
        let columns = wanted.len() - 3;
        assert_eq!(kept[..columns], wanted[..columns], "{name}");
        for (row, wanted) in kept[columns..].iter().zip(&wanted[columns..]) {
            assert!(row.starts_with(wanted.as_str()), "{name}: {row}");
        }
    }
    // A system without a code goes by its definition.
    let compound = Crs::parse("EPSG:2926+EPSG:5703").unwrap();
    let declared = folder.path().join("declared.parquet");
    let source = LayerReader::open(&folder.path().join("register.parquet"), None).unwrap();
    velvet_peg::declare(&source, &compound, &declared, &plain).unwrap();
    let table = folder.path().join("heights.csv");
    let convert =
        ConvertLayer { write: WriteOptions { text: dialect, ..plain }, ..ConvertLayer::default() };
    convert.run(&LayerReader::open(&declared, None).unwrap(), &table).unwrap();
    let read = TableFile::open(&table, &TableOptions::default()).unwrap();
    let told = read.crs().unwrap();
    assert_eq!((told.name(), told.vertical_name()), (compound.name(), Some("NAVD88 height")));
    let part = told.horizontal().unwrap();
    assert_eq!(velvet_peg::definition::identify(&part).code, Some(2926));
}

/// A table of two columns of numbers, what stands beside it, and what comes of it.
#[test]
fn what_other_hands_wrote_is_used_as_far_as_it_fits() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("t.csv");
    let context = r#""@context":"http://www.w3.org/ns/csvw","url":"t.csv""#;
    let conforms = r#""dc:conformsTo":"http://www.opengis.net/def/crs/EPSG/0/2286""#;
    let columns =
        r#""tableSchema":{"columns":[{"titles":"a","datatype":"string"},{"titles":"b"}]}"#;
    // The table, the file, the system, the columns, the first row and its type, and what is told.
    for (table, file, crs, names, first, told) in [
        (
            "a,b\n1,2\n3,4\n",
            format!("{{{context},{conforms}}}"),
            Some(2286),
            "a b",
            "1 Untyped",
            "says that the coordinates are in",
        ),
        ("a,b\n1,2\n3,4\n", format!("{{{context},{columns}}}"), None, "a b", "1 Text", ""),
        (
            "1,2\n3,4\n",
            format!("{{{context},{columns},\"dialect\":{{\"header\":false}}}}"),
            None,
            "a b",
            "1 Text",
            "",
        ),
        (
            "1;2\n3;4\n",
            format!("{{{context},\"dialect\":{{\"headerRowCount\":0,\"delimiter\":\";\"}}}}"),
            None,
            "column_1 column_2",
            "1 Untyped",
            "",
        ),
        (
            "# x\na|b\n1|2\n",
            format!(
                "{{{context},\"dialect\":{{\"commentPrefix\":\"#\",\"delimiter\":\"|\",\"header\":true}}}}"
            ),
            None,
            "a b",
            "1 Untyped",
            "",
        ),
        (
            "x\n\na,b\n'1',2\n",
            format!("{{{context},\"dialect\":{{\"skipRows\":2,\"quoteChar\":\"'\"}}}}"),
            None,
            "a b",
            "1 Untyped",
            "",
        ),
        (
            "a,b\n\"1\",2\n",
            format!("{{{context},\"dialect\":{{\"quoteChar\":null,\"header\":true}}}}"),
            None,
            "a b",
            "\"1\" Untyped",
            "",
        ),
        (
            "a,b\n1,2\n",
            format!("{{{context},\"tableSchema\":{{\"columns\":[{{\"titles\":\"a\"}}]}}}}"),
            None,
            "a b",
            "1 Untyped",
            "tells of another number of columns (1) than the table has (2): that is not used",
        ),
        (
            "a,b\n1,2\n",
            format!("{{{context},\"dc:conformsTo\":\"urn:ogc:def:crs:EPSG::99\"}}"),
            None,
            "a b",
            "1 Untyped",
            "names a reference system that cannot be used, `urn:ogc:def:crs:EPSG::99`",
        ),
        (
            "a,b\n1,2\n",
            format!("{{{context},\"dc:conformsTo\":{{\"dc:description\":\"PROJCRS[\"}}}}"),
            None,
            "a b",
            "1 Untyped",
            "has a definition of the reference system that cannot be read",
        ),
        (
            "a,b\n1,2\n",
            "{\"@context\":\"http://www.w3.org/ns/csvw\",\"url\":\"u.csv\"}".into(),
            None,
            "a b",
            "1 Untyped",
            "tells of other tables than t.csv",
        ),
        (
            "a,b\n1,2\n",
            "{\"type\":\"FeatureCollection\"}".into(),
            None,
            "a b",
            "1 Untyped",
            "is not in the vocabulary",
        ),
        ("a,b\n1,2\n", "{".into(), None, "a b", "1 Untyped", "is not JSON"),
    ] {
        std::fs::write(&path, table).unwrap();
        std::fs::write(folder.path().join("t.csv-metadata.json"), &file).unwrap();
        let read = TableFile::open(&path, &TableOptions::default())
            .unwrap_or_else(|error| panic!("{file}: {error}"));
        assert_eq!(read.crs().and_then(Crs::code), crs, "{file}");
        let mut rows = read.rows().unwrap();
        assert_eq!(rows.columns().join(" "), names, "{file}");
        let row = rows.next().unwrap().unwrap();
        let cell = match row.cell(0) {
            Some(Cell::Untyped(text)) => format!("{text} Untyped"),
            Some(Cell::Text(text)) => format!("{text} Text"),
            other => format!("{other:?}"),
        };
        assert_eq!(cell, first, "{file}");
        let notices: Vec<&str> = read.notices().iter().map(|n| n.text.as_str()).collect();
        match told {
            "" => assert!(
                !notices.iter().any(|text| text.contains("metadata.json")),
                "{file}: {notices:?}"
            ),
            told => assert!(notices.iter().any(|text| text.contains(told)), "{file}: {notices:?}"),
        }
    }
    // A delimiter that the text contradicts is told.
    std::fs::write(&path, "a;b\n1;2\n3;4\n").unwrap();
    let comma = format!("{{{context},\"dialect\":{{\"delimiter\":\",\"}}}}");
    std::fs::write(folder.path().join("t.csv-metadata.json"), comma).unwrap();
    let read = TableFile::open(&path, &TableOptions::default()).unwrap();
    let odd =
        |n: &velvet_peg::Notice| n.text.ends_with("divided by `,`; the text looks as if by `;`");
    assert!(read.notices().iter().any(odd), "{:?}", read.notices());
    // What is asked for goes before what the file says.
    std::fs::write(&path, "a;b\n1;2\n").unwrap();
    std::fs::write(
        folder.path().join("t.csv-metadata.json"),
        format!("{{{context},{conforms},\"dialect\":{{\"delimiter\":\",\",\"header\":false}}}}"),
    )
    .unwrap();
    let options = TableOptions { delimiter: Some(';'), header: true, ..TableOptions::default() };
    assert_eq!(TableFile::open(&path, &options).unwrap().rows().unwrap().columns(), ["a", "b"]);
    let mut points = BuildPoints::in_system(Crs::from_epsg(2285).unwrap());
    let named = |name: &str| Some(name.to_string());
    points.columns = CoordinateColumns { x: named("a"), y: named("b"), ..points.columns };
    points.build.table = options;
    let outcome = points.run(&path, &folder.path().join("given.gpkg")).unwrap();
    assert!(
        outcome
            .notices
            .iter()
            .any(|n| n.text.contains("EPSG:2285") && n.text.ends_with("the given one is used")),
        "{:?}",
        outcome.notices
    );
}

#[test]
fn tables_of_several_systems_are_not_read_as_one() {
    let folder = tempfile::tempdir().unwrap();
    let write = |name: &str, code: Option<u32>| {
        let path = folder.path().join(name);
        std::fs::write(&path, "x,y\n1835071.5,155177.25\n").unwrap();
        let side = folder.path().join(format!("{name}-metadata.json"));
        match code {
            Some(code) => std::fs::write(side, format!(
                r#"{{"@context":"http://www.w3.org/ns/csvw","url":"{name}","dc:conformsTo":"urn:ogc:def:crs:EPSG::{code}"}}"#
            )).unwrap(),
            None => drop(std::fs::remove_file(side)),
        }
        path
    };
    for (second, works) in [(Some(2285), true), (Some(2286), false), (None, false)] {
        let one = write("one.csv", Some(2285));
        let options =
            TableOptions { more: vec![write("two.csv", second)], ..TableOptions::default() };
        match TableFile::open(&one, &options) {
            Ok(table) => {
                assert!(works, "{second:?}");
                assert_eq!(table.crs().and_then(Crs::code), Some(2285));
                assert_eq!(table.rows().unwrap().count(), 2);
            }
            Err(error) => {
                assert!(!works, "{second:?}: {error}");
                assert!(error.to_string().contains("one and the same reference system"), "{error}");
            }
        }
    }
}
