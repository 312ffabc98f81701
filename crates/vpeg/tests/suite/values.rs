//! Values that a format or a database takes otherwise than they are meant: kept, or told.

use crate::support::{Bench, words};
use rusqlite::Connection;

/// The values of a column of the GeoJSON written from a layer, in order.
fn column(bench: &Bench, layer: &str, name: &str) -> Vec<serde_json::Value> {
    bench.ok(&["convert", layer, "-o", "column.geojson", "--overwrite"]);
    let read: serde_json::Value = serde_json::from_str(&bench.read("column.geojson")).unwrap();
    let features = read["features"].as_array().unwrap();
    features.iter().map(|feature| feature["properties"][name].clone()).collect()
}

#[test]
fn a_column_of_a_database_may_hold_what_its_type_does_not_say() {
    let bench = Bench::with_demo();
    for (value, kept) in
        [("'dry'", "dry"), ("1.5", "1.5"), ("9007199254740993", "9007199254740993")]
    {
        bench.ok(&words("convert fields.geojson -o f.gpkg --overwrite"));
        let database = Connection::open(bench.path("f.gpkg")).unwrap();
        // They call functions that only programs for layers have.
        let triggers: String = database
            .query_row(
                "SELECT group_concat('DROP TRIGGER \"' || name || '\";', ' ') FROM sqlite_master \
                 WHERE type = 'trigger' AND tbl_name = 'fields'",
                [],
                |row| row.get(0),
            )
            .unwrap();
        database
            .execute_batch(&format!(
                "{triggers} ALTER TABLE fields ADD COLUMN state INTEGER; UPDATE fields SET state = 7;
                 UPDATE fields SET state = {value} WHERE fid = 3;"
            ))
            .unwrap();
        drop(database);
        let read = column(&bench, "f.gpkg", "state");
        let text = read[2].as_str().map_or_else(|| read[2].to_string(), str::to_string);
        assert_eq!(text, kept, "{read:?}");
        assert!(read.iter().all(|value| !value.is_null()), "{read:?}");
        let run = bench.ok(&words("convert f.gpkg -o g.gpkg --overwrite"));
        assert!(run.err.contains("read again and compared"), "{}", run.err);
        // What is not a whole number is told.
        assert_eq!(run.err.contains("state"), kept.len() < 4, "{}", run.err);
    }
}

#[test]
fn text_keeps_its_blanks_where_the_format_has_them() {
    let bench = Bench::new();
    bench.write("t.csv", "id,lat,lon,note\n1,47.1,-120.1,\" led \"\n2,47.2,-120.2,\"x  \"\n");
    let build = |out: &str| {
        let line = "build points t.csv --lon lon --lat lat --crs EPSG:4326 --overwrite -o";
        let mut words = words(line);
        words.push(out);
        bench.ok(&words)
    };
    for (out, kept, told) in [
        ("o.gpkg", true, false),
        ("o.geojson", true, false),
        ("o.geojsonl", true, false),
        ("o.fgb", true, false),
        ("o.parquet", true, false),
        ("o.csv", true, false),
        ("o.xlsx", true, false),
        // Its texts are padded with blanks: those at the end cannot be told from the padding.
        ("o.shp", false, true),
    ] {
        let run = build(out);
        assert!(run.err.contains("read again and compared"), "{out}: {}", run.err);
        assert_eq!(run.err.contains("blank"), told, "{out}: {}", run.err);
        if out.ends_with("csv") {
            let (_, rows) = bench.table(out);
            assert!(rows.iter().any(|row| row.iter().any(|cell| cell == " led ")), "{rows:?}");
        } else if !out.ends_with("xlsx") {
            let mut notes: Vec<String> = column(&bench, out, "note")
                .iter()
                .map(|value| value.as_str().unwrap().to_string())
                .collect();
            notes.sort();
            let wanted = if kept { [" led ", "x  "] } else { [" led", "x"] };
            assert_eq!(notes, wanted, "{out}");
        }
    }
}

#[test]
fn the_key_of_a_layer_is_its_features_id() {
    let bench = Bench::with_demo();
    bench.ok(&words("convert fields.geojson -o f.gpkg"));
    bench.ok(&[
        "fields",
        "f.gpkg",
        "--where",
        "fid IN (3, 5)",
        "--keep",
        "fid,crop",
        "-o",
        "k.gpkg",
    ]);
    let database = Connection::open(bench.path("k.gpkg")).unwrap();
    let table: String =
        database.query_row("SELECT table_name FROM gpkg_contents", [], |row| row.get(0)).unwrap();
    let sql = format!("SELECT group_concat(fid) FROM \"{table}\"");
    let keys: String = database.query_row(&sql, [], |row| row.get(0)).unwrap();
    assert_eq!(keys, "3,5");
    bench.write("owners.csv", "fid,owner\n3,Ada\n5,Bo\n");
    bench.ok(&words("join k.gpkg owners.csv --on fid -o joined.gpkg"));
    assert_eq!(column(&bench, "joined.gpkg", "owner"), ["Ada", "Bo"]);
}

#[test]
fn fewer_rows_than_shapes_are_told() {
    let bench = Bench::with_demo();
    let mut table = std::fs::read(bench.path("turnouts.dbf")).unwrap();
    let count = u32::from_le_bytes(table[4..8].try_into().unwrap());
    table[4..8].copy_from_slice(&(count - 2).to_le_bytes());
    bench.write("turnouts.dbf", table);
    let run = bench.run(&words("convert turnouts.shp -o t.gpkg"));
    assert!(run.err.contains("warning"), "{}", run.err);
    assert!(run.err.contains(&(count - 2).to_string()), "{}", run.err);
}

#[test]
fn functions_of_expressions_are_listed_with_units_and_mean_the_same_in_every_system() {
    let bench = Bench::with_demo();
    assert!(bench.ok(&words("fields --functions --json")).json().is_array());
    let list = bench.ok(&words("fields --functions")).out;
    for name in ["ST_Area", "ST_Length", "ST_Perimeter", "Plane_Area", "square metres"] {
        assert!(list.contains(name), "{name} is not in {list}");
    }
    bench.ok(&words("convert fields.geojson --to EPSG:2285 -o grid.gpkg"));
    bench.ok(&words("convert fields.geojson --to EPSG:3857 -o web.gpkg"));
    let areas = |layer: &str| -> Vec<f64> {
        let set = "a = ST_Area(geometry)";
        bench.ok(&["fields", layer, "--set", set, "-o", "a.gpkg", "--overwrite"]);
        column(&bench, "a.gpkg", "a").iter().map(|value| value.as_f64().unwrap()).collect()
    };
    let degrees = areas("fields.geojson");
    for layer in ["grid.gpkg", "web.gpkg"] {
        for (one, other) in degrees.iter().zip(areas(layer)) {
            // Sides are straight in other systems; the fields are half a kilometre wide.
            assert!((one - other).abs() < 1e-5 * one, "{layer}: {one} m², {other} m²");
        }
    }
    let set = "a = Plane_Area(geometry)";
    let run = bench.run(&["fields", "fields.geojson", "--set", set, "-o", "no.gpkg"]);
    assert!(run.code == 1 && run.err.contains("degrees"), "{}", run.err);
    assert!(!bench.has("no.gpkg"));
}

#[test]
fn words_for_systems_are_honoured_or_refused_with_the_reason() {
    let bench = Bench::with_demo();
    // West of the edge of the zone. Data on NAD83 stays on it.
    let weirs = bench.read("old-weirs.csv");
    let rows: Vec<&str> = weirs.lines().collect();
    bench.write("west.csv", rows[..2].join("\n"));
    bench.ok(&words("build points west.csv --crs EPSG:2285 -o west.gpkg"));
    for (command, code, says) in [
        ("convert west.gpkg --to utm -o u.gpkg", 0, "EPSG:26910"),
        ("convert fields.geojson --to utm -o u2.gpkg", 1, "straddles UTM zones"),
        ("convert fields.geojson --to state-plane -o u3.gpkg", 0, "EPSG:6597"),
        ("declare turnouts.shp --crs state-plane -o d.gpkg", 1, "state-plane"),
        ("convert west.csv --crs EPSG:2285 --to utm -o w.csv", 0, "EPSG:26910"),
        ("convert old-weirs.csv --crs EPSG:2285 --to state-plane -o s.csv", 0, "Washington"),
        ("build points headgates.csv --crs utm -o b.gpkg", 1, "utm"),
    ] {
        let run = bench.run(&words(command));
        // The demo has rows that are rejects.
        let done = run.code == 0 || run.code == 3;
        assert_eq!(done, code == 0, "{command}: {}", run.err);
        assert!(run.err.contains(says), "{command}: {}", run.err);
    }
}

/// Numbers with a fraction whose last digits no number keeps arrive as they are written; those that one
/// keeps are numbers, with zeros at the end or without.
#[test]
fn digits_behind_the_fifteenth_are_kept() {
    let bench = Bench::new();
    for (values, is_number) in [
        (["9.000000000000001", "1.5"], false),
        (["1.5", "-9.000000000000001"], false),
        (["123456789.1234567891", "0.25"], false),
        (["9.000000000000002", "1.5"], true),
        (["0.1234567890123456", "-47.30000000000001"], true),
        (["0.10000000000000001", "681523.401234567864"], true),
        (["0.100000000000000011111", "681523.401234567"], false),
        (["47.40000000000000000", "1.0000000000000000"], true),
        (["0.000000000000000000012", "1.5"], true),
    ] {
        let row = |at: usize| format!("{at},-120.{at},47.5,{}\n", values[at]);
        bench.write("t.csv", format!("id,lon,lat,n\n{}{}", row(0), row(1)));
        bench.ok(&words("build points t.csv --crs EPSG:4326 -o o.gpkg --replace-file"));
        let found = column(&bench, "o.gpkg", "n");
        for (found, value) in found.iter().zip(values) {
            match is_number {
                true => assert_eq!(found.as_f64(), value.parse().ok(), "{value}"),
                false => assert_eq!(found, value),
            }
        }
    }
}

/// Whole numbers of more digits than a number keeps, alone, among whole numbers, and among numbers with
/// a fraction: from every source that says no type, all digits arrive.
#[test]
fn long_whole_numbers_keep_their_digits_among_others() {
    let bench = Bench::new();
    for others in [["7", "8"], ["0.5", "8"], ["9007199254740992", "-0.25"], ["", "1.5"]] {
        for long in ["9007199254740993", "-9007199254740993", "900719925474099301"] {
            let values = [others[0], long, others[1]];
            let mut table = String::from("id,lon,lat,n\n");
            let mut features = Vec::new();
            let mut marks = String::new();
            for (at, value) in values.iter().enumerate() {
                table += &format!("{at},-120.{at},47.5,{value}\n");
                let json = if value.is_empty() { "null" } else { value };
                features.push(format!(
                    "{{\"type\":\"Feature\",\"properties\":{{\"n\":{json}}},\"geometry\":\
                     {{\"type\":\"Point\",\"coordinates\":[-120.{at},47.5]}}}}"
                ));
                marks += &format!(
                    "<Placemark><ExtendedData><Data name=\"n\"><value>{value}</value></Data>\
                     </ExtendedData><Point><coordinates>-120.{at},47.5</coordinates></Point>\
                     </Placemark>"
                );
            }
            bench.write("t.csv", table);
            bench.write(
                "t.geojson",
                format!("{{\"type\":\"FeatureCollection\",\"features\":[{}]}}", features.join(",")),
            );
            bench.write(
                "t.kml",
                format!(
                    "<kml xmlns=\"http://www.opengis.net/kml/2.2\"><Document>{marks}</Document></kml>"
                ),
            );
            let build =
                "build points t.csv --lon lon --lat lat --crs EPSG:4326 -o o.gpkg --overwrite";
            for line in [
                build,
                "convert t.geojson -o o.gpkg --replace-file",
                "convert t.kml -o o.gpkg --replace-file",
            ] {
                bench.ok(&words(line));
                bench.ok(&words("convert o.gpkg -o o.csv --overwrite"));
                let (header, rows) = bench.table("o.csv");
                let at = header.iter().position(|name| name == "n").unwrap();
                let found: Vec<&str> = rows.iter().map(|row| row[at].as_str()).collect();
                assert_eq!(found, values, "{line}");
            }
        }
    }
    // A layer that holds numbers does not take them, and stays as it was.
    bench.write("half.csv", "id,lon,lat,n\n1,-120.1,47.5,0.5\n");
    bench.write("long.csv", "id,lon,lat,n\n2,-120.2,47.5,9007199254740993\n");
    let build = |table: &str| {
        format!("build points {table} --lon lon --lat lat --crs EPSG:4326 -o half.gpkg")
    };
    bench.ok(&words(&build("half.csv")));
    let line = build("long.csv") + " --append --layer half";
    let run = bench.run(&words(&line));
    assert_eq!(run.code, 1, "{}", run.err);
    assert!(run.err.contains("would lose digits of 9007199254740993"), "{}", run.err);
    assert_eq!(column(&bench, "half.gpkg", "n"), [serde_json::json!(0.5)]);
    bench.write("whole.csv", "id,lon,lat,n\n2,-120.2,47.5,9007199254740992\n");
    bench.ok(&words(&(build("whole.csv") + " --append --layer half")));
}
