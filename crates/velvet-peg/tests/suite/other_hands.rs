//! Files that other software wrote, or that are written as it writes them: every layer,
//! feature, value and unreadable record of them, against a list of what they hold.
//!
//! `tests/data/README.md` says where the files are from.

use std::fmt::Write;
use std::path::Path;
use velvet_peg::table::{CoordinateColumns, TableOptions};
use velvet_peg::{BuildPoints, Crs, LayerReader, Value};

const LAYERS: [&str; 11] = [
    "native-points.parquet",
    "native-polygons.parquet",
    "wkb-lines.parquet",
    "track.gpx",
    "places.kml",
    "plan.dxf",
    "survey.xml",
    "fixes.nmea",
    "districts.topojson",
    "gates.geojsonl",
    "fields.gml",
];

fn data(name: &str) -> std::path::PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/data").join(name)
}

/// Everything that a layer holds, as lines.
fn listed(reader: &LayerReader) -> String {
    let info = reader.info();
    let crs = info.crs.as_ref().map_or("none".to_string(), Crs::label);
    let mut text = format!("  {} in {crs}, {}\n", info.name, info.crs_origin.name());
    reader
        .for_each_batch(&mut |batch| {
            for bad in batch.unreadable() {
                writeln!(text, "    {} unreadable: {}", bad.number, bad.reason).unwrap();
            }
            for feature in 0..batch.geometry().len() {
                let fields = info.schema.fields().iter();
                let values: Vec<String> = fields
                    .zip(batch.values(feature))
                    .filter(|(_, value)| *value != Value::Null)
                    .map(|(field, value)| {
                        let kind = match value {
                            Value::Text(_) => "",
                            Value::Integer(_) => "whole ",
                            Value::Real(_) => "number ",
                            _ => "other ",
                        };
                        format!("{}={kind}{}", field.name(), value.to_text())
                    })
                    .collect();
                let number = batch.first() + feature as u64;
                let mut shape = batch.geometry().text_of(feature);
                let vertices = batch.geometry().vertices(feature);
                if vertices.len() > 20 {
                    let (x, y) =
                        (&batch.geometry().x[vertices.clone()], &batch.geometry().y[vertices]);
                    let kind = shape.split(' ').next().unwrap();
                    let area = velvet_peg::planar::ring_area(x, y);
                    shape = format!("{kind} of {} vertices and area {area:.6}", x.len());
                }
                writeln!(text, "    {number} {shape} {}", values.join("; ")).unwrap();
            }
            Ok(())
        })
        .unwrap();
    text
}

#[test]
fn everything_in_files_of_other_hands_is_read() {
    let mut found = String::new();
    for name in LAYERS {
        writeln!(found, "{name}").unwrap();
        for reader in LayerReader::open_all(&data(name)).unwrap() {
            found += &listed(&reader);
            let arcs =
                reader.notices.iter().any(|notice| notice.text.contains("chords that are within"));
            assert_eq!(
                arcs,
                ["plan", "parcels", "alignments", "Field"].contains(&reader.info().name.as_str()),
                "{:?}",
                reader.notices
            );
        }
    }
    let expected = std::fs::read_to_string(data("expected.txt")).unwrap();
    for (number, (a, b)) in found.lines().zip(expected.lines()).enumerate() {
        assert_eq!(a, b, "line {} of expected.txt", number + 1);
    }
    assert_eq!(found.lines().count(), expected.lines().count(), "{found}");
}

/// Builds points from a table and gives the output, the rejects and what was said.
fn built(name: &str, table: TableOptions, columns: [&str; 2]) -> (String, String, String) {
    let folder = tempfile::tempdir().unwrap();
    let out = folder.path().join("out.csv");
    let [x, y] = columns.map(|name| Some(name.to_string()));
    let columns = CoordinateColumns { x, y, ..CoordinateColumns::default() };
    let mut points = BuildPoints { columns, ..BuildPoints::default() };
    points.build.table = table;
    points.build.write.decimals = Some(2);
    let outcome = match points.run(&data(name), &out) {
        Ok(outcome) => outcome,
        Err(error) => return (String::new(), String::new(), error.to_string()),
    };
    let read = |path: &Path| std::fs::read_to_string(path).unwrap_or_default();
    let told: Vec<String> = outcome.notices.iter().map(|notice| notice.text.clone()).collect();
    let rejects = outcome.rejected.path.as_deref().map_or(String::new(), read);
    (read(&out), rejects, told.join("\n"))
}

#[test]
fn sheets_of_workbooks_are_tables() {
    let named = |sheets: &[&str]| TableOptions {
        sheets: sheets.iter().map(ToString::to_string).collect(),
        ..TableOptions::default()
    };
    let (out, _, told) =
        built("register.xlsx", named(&["gates"]), ["Location Easting", "Location Northing"]);
    assert_eq!(
        out,
        "Gate,Location Easting,Location Northing,Opened,Flow cfs,Flow share,x,y\n\
         G-1,726010.25,5254894.5,2026-04-01,4.5,007,726010.25,5254894.50\n\
         G-2,726110.5,5254990.25,2026-04-02T06:30:00,,008,726110.50,5254990.25\n\
         G-3,726200,5255010,07:15:00,true,,726200.00,5255010.00\n"
    );
    assert!(told.contains("the header is in row 3"), "{told}");
    assert!(told.contains("formulas without a saved value: 1"), "{told}");

    // Several sheets: matched by name, the difference told, the sheet remembered.
    let all = TableOptions { all_sheets: true, ..TableOptions::default() };
    let (out, rejects, told) = built("register.xlsx", all, ["easting", "northing"]);
    assert!(out.ends_with("W-1,,,,,,726300,5255100,new,Weirs,726300.00,5255100.00\n"), "{out}");
    assert!(rejects.contains("5,sheet Gates: the coordinate is blank,G-1,"), "{rejects}");
    assert!(told.contains("sheet Weirs has no column `Location Easting`"), "{told}");
    assert!(told.contains("sheet Empty is empty") && !told.contains("Hidden"), "{told}");

    for (name, table, says) in [
        ("register.xlsx", TableOptions::default(), "`Weirs` (2 rows with the header, 4 columns)"),
        ("register.xlsx", named(&["Wiers"]), "has no sheet `Wiers`"),
        ("register.xlsx", named(&["Empty"]), "sheet Empty: is empty"),
    ] {
        let (.., told) = built(name, table, ["x", "y"]);
        assert!(told.contains(says), "{told}");
    }
    let header = TableOptions { header_row: Some(2), ..named(&["Weirs"]) };
    let (.., told) = built("register.xlsx", header, ["x", "y"]);
    assert!(told.contains("the columns are `W-1`"), "{told}");
    let bare = TableOptions { no_header: true, ..named(&["Hidden"]) };
    let (out, ..) = built("register.xlsx", bare, ["1", "2"]);
    assert!(out.ends_with("1,2,1.00,2.00\n"), "{out}");

    for name in ["gates.xls", "gates.ods"] {
        let (out, ..) = built(name, TableOptions::default(), ["lon", "lat"]);
        let rows = "A,-120.01,47.41,-120.01,47.41\nB,-120.02,47.42,-120.02,47.42\n";
        assert_eq!(out, format!("gate,lon,lat,x,y\n{rows}"), "{name}");
    }
    let (out, rejects, told) = built("gates.dbf", TableOptions::default(), ["CFS", "SHARE"]);
    assert!(out.contains("Alder,4.5,9007199254740993,true,2026-05-03"), "{out}");
    assert!(rejects.contains("\n4,") && rejects.contains("Cédar,4.25,,,"), "{rejects}");
    assert!(rejects.contains("Elder,n/a,,,"), "{rejects}");
    assert!(told.contains("marked as deleted are left out: 1"), "{told}");
}
