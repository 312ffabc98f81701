//! Files that state sizes they do not have, or hold what they should not: an answer or an error
//! that names the file, soon, and never a command to the terminal.

use crate::support::{Bench, words};
use std::process::Command;

#[test]
fn odd_files_are_answered_or_refused_by_name() {
    let bench = Bench::with_demo();
    bench.ok(&words("convert fields.geojson -o f.fgb"));
    let whole = std::fs::read(bench.path("f.fgb")).unwrap();
    let header = u32::from_le_bytes(whole[8..12].try_into().unwrap()) as usize;
    // The index of 16 features has 17 nodes of 40 bytes.
    let first = 12 + header + 17 * 40;
    for (name, at) in [("header.fgb", 8), ("feature.fgb", first)] {
        let mut bytes = whole.clone();
        bytes[at..at + 4].copy_from_slice(&0xE000_0000_u32.to_le_bytes());
        bench.write(name, bytes);
    }
    bench.write("bare.geojson", r#"{"type":"FeatureCollection","features":[0]}"#);
    bench.write("quote.gpx", "<?xml version=\"1.0\" encoding=é\"UTF-8\"?><gpx/>");
    bench.write(
        "axis.prj",
        r#"PROJCRS["x",BASEGEOGCRS["WGS 84",DATUM["World Geodetic System 1984",
        ELLIPSOID["WGS 84",6378137,298.257223563]]],CONVERSION["UTM zone 10N",
        METHOD["Transverse Mercator"],PARAMETER["Latitude of natural origin",0],
        PARAMETER["Longitude of natural origin",-123],
        PARAMETER["Scale factor at natural origin",0.9996],PARAMETER["False easting",500000],
        PARAMETER["False northing",0]],CS[Cartesian,2],AXIS["(é)",east],AXIS["(é)",north],
        LENGTHUNIT["metre",1]]"#,
    );
    for (command, code, says) in [
        ("look bare.geojson", 0, "1 record of the file cannot be read"),
        ("convert bare.geojson -o b.gpkg", 1, "it is no feature, but a bare value"),
        ("look quote.gpx", 0, "quote.gpx: GPX, 1 layer"),
        ("crs show file:axis.prj", 0, "EPSG:32610"),
        ("look header.fgb", 1, "header.fgb: cannot be read as FlatGeobuf: its header is stated"),
        ("look feature.fgb", 1, "feature 1 is stated as 3758096384 bytes"),
        ("convert feature.fgb -o x.gpkg", 1, "feature 1 is stated as 3758096384 bytes"),
    ] {
        let run = bench.run(&words(command));
        assert_eq!(run.code, code, "{command}: {}{}", run.out, run.err);
        assert!(format!("{}{}", run.out, run.err).contains(says), "{command}: {}", run.err);
        assert!(!run.err.contains("panicked"), "{command}: {}", run.err);
    }
    assert!(!bench.has("x.gpkg"));
    // So long a condition would exhaust the stack if it were read term by term.
    let terms = |number: usize| vec!["right_acres>1"; number].join(" OR ");
    for (number, code) in [(400, 0), (5_000, 1)] {
        let condition = terms(number);
        let out = format!("t{number}.gpkg");
        let run = bench.run(&["fields", "fields.geojson", "--where", &condition, "-o", &out]);
        assert_eq!(run.code, code, "{}", run.err);
        assert_eq!(run.err.contains("takes up to 500 operators"), code == 1, "{}", run.err);
    }
}

/// A file with a character of code 0 is taken for none of text: no table that is written has one, whichever
/// way it goes there, and no file of rejects.
#[test]
fn tables_are_text_whatever_is_in_their_cells() {
    let bench = Bench::new();
    let feature = |(gate, north): &(&str, &str)| {
        format!(
            r#"{{"type":"Feature","geometry":null,"properties":{{"gate":"{gate}","east":-120,"north":"{north}"}}}}"#
        )
    };
    let rows = [("TG-1", "47.4"), (r"TG\u0000-2", "47.5"), ("TG-3", r"no\u0000where")];
    let features = rows.iter().map(feature).collect::<Vec<_>>().join(",");
    let collection = format!(r#"{{"type":"FeatureCollection","features":[{features}]}}"#);
    bench.write("gates.geojson", collection);
    bench.ok(&words("convert gates.geojson -o gates.xlsx"));
    let places = "--x east --y north --crs EPSG:4326";
    let told = "1 text with control characters, which delimited text cannot hold";
    for (line, table, says, cell) in [
        (
            format!("convert gates.xlsx {places} --to EPSG:2285 -o t.csv"),
            "t.csv",
            told,
            "TG\u{fffd}-2",
        ),
        ("convert gates.geojson -o l.csv".into(), "l.csv", "2 texts with control", "TG\u{fffd}-2"),
        ("fields gates.xlsx --keep gate -o f.csv".into(), "f.csv", told, "TG\u{fffd}-2"),
        (
            format!("build points gates.xlsx {places} -o p.gpkg"),
            "p.gpkg.rejects.csv",
            "1 rejected",
            "no\u{fffd}where",
        ),
    ] {
        let run = bench.run(&words(&line));
        assert!(matches!(run.code, 0 | 3) && run.err.contains(says), "{line}: {}", run.err);
        assert!(bench.read(table).contains(cell), "{line}: {}", bench.read(table));
        bench.ok(&["look", table]);
    }
}

#[test]
fn commands_to_the_terminal_in_data_are_shown_as_text() {
    let bench = Bench::new();
    bench.write(
        "e.csv",
        "id,lat,lon,name,\u{1b}[8m\u{fdd1}\n1,47.1,-120,x\u{1b}]0;t\u{7}\u{202e}y,\u{1b}[31mred\n\
         2,47.2,-120.1,x\u{1b}]0;t\u{7}\u{202e}y,\u{1b}[7mturned\n3,4\u{1b}]0;t\u{7},-121,b,\n",
    );
    let built = "build points e.csv --lon lon --lat lat --crs EPSG:4326 -o e.gpkg";
    for (command, shown) in [
        ("look e.csv", true),
        (built, true),
        ("look e.gpkg", false),
        ("check e.gpkg", true),
        ("join e.gpkg e.csv --on name -o j.gpkg", true),
        ("measure e.gpkg", false),
    ] {
        let run = bench.run(&words(command));
        let text = format!("{}{}", run.out, run.err);
        // Commands, and what has text run the other way.
        let command_sign = |c: char| c.is_control() && c != '\n' && c != '\t';
        let raw = |c: char| command_sign(c) || c == '\u{202e}' || c == '\u{fdd1}';
        assert!(!text.contains(raw), "{command}: {text:?}");
        // With colours, as on a terminal: the styles are those of the program alone.
        let coloured = Command::new(env!("CARGO_BIN_EXE_vpeg"))
            .args(words(command))
            .arg(if command.contains(" -o ") { "--overwrite" } else { "--quiet" })
            .current_dir(bench.path(""))
            .env_remove("NO_COLOR")
            .env("CLICOLOR_FORCE", "1")
            .output()
            .unwrap();
        let text = [coloured.stdout, coloured.stderr].concat();
        let text = String::from_utf8(text).unwrap();
        assert!(text.contains("\u{1b}[1m"), "{command}: {text:?}");
        for piece in text.split('\u{1b}').skip(1) {
            let begins = |styles: &[&str]| styles.iter().any(|style| piece.starts_with(style));
            let own = begins(&["[0m", "[1m", "[31m", "[32m", "[33m", "[36m"]);
            assert!(own && !begins(&["[31mred"]), "{command}: {piece:?}");
        }
        assert_eq!(text.contains("\\u{1b}]0;t\\u{7}"), shown, "{command}: {text}");
    }
    // The data itself keeps every sign.
    bench.ok(&words("convert e.gpkg -o back.geojson"));
    assert!(bench.read("back.geojson").contains("x\\u001b]0;t\\u0007\u{202e}y"));
}

/// What a crate below cannot handle ends a table with an error, also where it is read in another thread: it does not
/// end it early.
#[test]
fn tables_that_cannot_be_read_further_do_not_end_early() {
    let bench = Bench::with_demo();
    let found =
        concat!(env!("CARGO_MANIFEST_DIR"), "/../../testdata/fuzz/arrow/a-buffer-beyond-the-end");
    bench.write("x.arrow", std::fs::read(found).unwrap());
    bench.write("gates.csv", "gate,e,n\nG-001,1845000,150000\n");
    bench.ok(&words("build points gates.csv --crs EPSG:2285 -o gates.gpkg"));
    for command in [
        "join gates.gpkg x.arrow --on gate -o out.gpkg",
        "fields x.arrow -o out.csv",
        "build points x.arrow --x gate --y cfs --crs EPSG:2285 -o out.gpkg",
    ] {
        let run = bench.run(&words(command));
        assert_eq!(run.code, 1, "{command}: {}", run.err);
        assert!(run.err.contains("x.arrow: cannot be read further"), "{command}: {}", run.err);
        assert!(!run.err.contains("panicked"), "{command}: {}", run.err);
        assert!(!bench.has("out.gpkg") && !bench.has("out.csv"), "{command}");
    }
}

/// What lies in a log of the database belongs to it: values and rows that the file itself has no room for.
#[test]
fn what_lies_in_the_log_of_a_geopackage_is_read() {
    let bench = Bench::with_demo();
    bench.ok(&words("convert turnouts.shp -o w.gpkg"));
    let database = rusqlite::Connection::open(bench.path("w.gpkg")).unwrap();
    let large = "x".repeat(40 << 20);
    // They call functions that only programs for GeoPackages have.
    for number in 1..=4 {
        let drop = format!("DROP TRIGGER rtree_turnouts_geom_update{number}");
        database.execute_batch(&drop).unwrap();
    }
    database.execute_batch("PRAGMA journal_mode = WAL; PRAGMA wal_autocheckpoint = 0").unwrap();
    database.execute("ALTER TABLE turnouts ADD COLUMN note TEXT", []).unwrap();
    database.execute("UPDATE turnouts SET note = ?1 WHERE fid = 3", [&large]).unwrap();
    assert!(std::fs::metadata(bench.path("w.gpkg")).unwrap().len() < 1 << 20);
    let run = bench.ok(&words("convert w.gpkg -o w.fgb"));
    assert!(run.err.contains("14 features out"), "{}", run.err);
    assert!(std::fs::metadata(bench.path("w.fgb")).unwrap().len() > 40 << 20);
    drop(database);
}

/// A GeoPackage may hold views and triggers: they do what reading and writing rows takes, and end.
#[test]
fn what_a_geopackage_asks_for_ends_and_stays_in_it() {
    let bench = Bench::with_demo();
    let with = |name: &str, sql: &str| {
        bench.ok(&words(&format!("convert turnouts.shp -o {name}.gpkg")));
        let database = rusqlite::Connection::open(bench.path(&format!("{name}.gpkg"))).unwrap();
        database.execute_batch(sql).unwrap();
    };
    let view = |rows: &str| {
        format!(
            "CREATE VIEW v AS {rows};
             INSERT INTO gpkg_contents (table_name, data_type, identifier, srs_id)
                 VALUES ('v', 'features', 'v', 32610);
             INSERT INTO gpkg_geometry_columns VALUES ('v', 'geom', 'POINT', 32610, 0, 0);"
        )
    };
    with("plain", &view("SELECT fid, geom FROM turnouts WHERE fid < 5"));
    let run = bench.ok(&words("convert plain.gpkg --layer v -o plain.geojson"));
    assert!(run.err.contains("4 features in, 4 features out"), "{}", run.err);
    let endless = "WITH RECURSIVE r(n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM r) \
                   SELECT n AS fid, NULL AS geom FROM r";
    let many = "SELECT a.fid, NULL AS geom FROM turnouts a, turnouts b, turnouts c, turnouts d, \
                turnouts e, turnouts f, turnouts g, turnouts h, turnouts i";
    for (name, rows) in [("endless", endless), ("many", many)] {
        with(name, &view(rows));
        for command in ["look FILE", "convert FILE --layer v -o out.fgb", "check FILE"] {
            let line = command.replace("FILE", &format!("{name}.gpkg"));
            let run = bench.run(&words(&line));
            let said = format!("{}{}", run.out, run.err);
            assert!(said.contains("asks for more than a file of its size"), "{line}: {said}");
        }
        assert!(!bench.has("out.fgb"), "{name}");
    }
    with("large", &view("SELECT 1 AS fid, zeroblob(900000000) AS geom"));
    let run = bench.run(&words("convert large.gpkg --layer v -o out.fgb"));
    assert!(run.code == 1 && run.err.contains("too big"), "{}", run.err);
    // A trigger that would write outside of the file, or call what loads code.
    with(
        "trigger",
        "CREATE TRIGGER t AFTER INSERT ON turnouts BEGIN SELECT load_extension('x'); END;",
    );
    let run =
        bench.run(&words("convert turnouts.shp --append --output-layer turnouts -o trigger.gpkg"));
    assert!(run.code == 1 && !run.err.contains("panicked"), "{}", run.err);
    assert_eq!(bench.ok(&words("look trigger.gpkg --json")).json()["layers"][0]["features"], 14);
}

/// Signs and dashes in front of plain texts and numbers are no formulas.
#[test]
fn formulas_in_data_are_told_and_marked_on_request() {
    let bench = Bench::new();
    let names =
        ["=HYPERLINK(\"a\")", "+1 509 555 0100", "-5 ft", "-2.5", "+A1|B2!C3", "@home", "plain"];
    let quoted = |name: &&str| serde_json::to_string(name).unwrap();
    let features: Vec<String> = names
        .iter()
        .enumerate()
        .map(|(x, name)| {
            format!(
                r#"{{"type":"Feature","geometry":{{"type":"Point","coordinates":[{x},1]}},"properties":{{"name":{}}}}}"#,
                quoted(name)
            )
        })
        .collect();
    let collection = |features: &[String]| {
        format!(r#"{{"type":"FeatureCollection","features":[{}]}}"#, features.join(","))
    };
    bench.write("a.geojson", collection(&features));
    bench.write("harmless.geojson", collection(&[&features[1..4], &features[5..]].concat()));
    let column = |file: &str| -> Vec<String> {
        let mut reader = csv::Reader::from_path(bench.path(file)).unwrap();
        reader.records().map(|row| row.unwrap()[0].to_string()).collect()
    };
    // As they are unless something else is asked for: nothing of them is lost.
    let run = bench.run(&words("convert a.geojson -o a.csv"));
    assert_eq!(run.code, 0, "{}", run.err);
    assert_eq!(column("a.csv"), names);
    let told = "2 texts would run as formulas in a spreadsheet (row 2, column name: \
                `=HYPERLINK(\"a\")`, …): --formulas-as-text marks them as text";
    assert!(run.err.contains(told), "{}", run.err);
    let run = bench.run(&words("convert a.geojson -o b.csv --formulas-as-text"));
    assert!(run.code == 0 && !run.err.contains("formula"), "{}", run.err);
    let marked = [
        "'=HYPERLINK(\"a\")",
        "'+1 509 555 0100",
        "'-5 ft",
        "-2.5",
        "'+A1|B2!C3",
        "'@home",
        "plain",
    ];
    assert_eq!(column("b.csv"), marked);
    let run = bench.run(&words("convert harmless.geojson -o c.csv"));
    assert!(run.code == 0 && !run.err.contains("formula"), "{}", run.err);
    // A table with columns added to it is written in another way.
    bench.write("t.csv", "id,lon,lat,note\n=1,-120,47.4,=1+1\n2,-120.1,47.5,-5 ft\n");
    let carry = "convert t.csv --crs EPSG:4326 --to EPSG:32610 -o";
    let run = bench.ok(&words(&format!("{carry} d.csv")));
    let told = "2 texts would run as formulas in a spreadsheet (row 2, column id: `=1`, …)";
    assert!(run.err.contains(told), "{}", run.err);
    assert!(bench.read("d.csv").contains("\n=1,-120,47.4,=1+1,"), "{}", bench.read("d.csv"));
    let run = bench.ok(&words(&format!("{carry} e.csv --formulas-as-text")));
    assert!(!run.err.contains("formula"), "{}", run.err);
    let rows = bench.read("e.csv");
    assert!(rows.contains("\n'=1,-120,47.4,'=1+1,") && rows.contains(",'-5 ft,"), "{rows}");
    let run = bench.run(&words(&format!("{carry} f.csv --crlf")));
    assert!(run.code == 1 && run.err.contains("keeps the form that it has"), "{}", run.err);
    // A workbook has texts that are texts: they come back as they were, not as what they come to.
    let run = bench.run(&words("convert a.geojson -o a.xlsx"));
    assert!(run.code == 0 && !run.err.contains("formula"), "{}", run.err);
    bench.ok(&words("fields a.xlsx -o again.csv"));
    assert_eq!(column("again.csv"), names);
}

/// Squares of a fifth of their spacing, `number` of them.
fn squares(number: usize) -> Vec<String> {
    (0..number)
        .map(|i| {
            let (x, y) = ((i % 100) as f64 * 0.01, (i / 100) as f64 * 0.01);
            let corner = |dx: f64, dy: f64| format!("[{:.3},{:.3}]", x + dx, y + dy);
            let ends = [(0.0, 0.0), (0.0, 0.002), (0.002, 0.002), (0.002, 0.0), (0.0, 0.0)];
            format!("[{}]", ends.map(|(dx, dy)| corner(dx, dy)).join(","))
        })
        .collect()
}

#[test]
fn what_is_wrong_is_found_among_many_rings_or_parts() {
    let bench = Bench::new();
    let feature = |kind: &str, coordinates: String| {
        format!(
            r#"{{"type":"FeatureCollection","features":[{{"type":"Feature","properties":{{"id":1}},
            "geometry":{{"type":"{kind}","coordinates":[{coordinates}]}}}}]}}"#
        )
    };
    let outer = "[[-1,-1],[3,-1],[3,3],[-1,3],[-1,-1]]";
    for (kind, twin) in [("Polygon", "duplicate ring"), ("MultiPolygon", "parts overlap")] {
        let number = 16_000;
        let mut rings = squares(number);
        // The last one is there twice.
        rings.push(rings[number - 1].clone());
        let rings = match kind {
            "Polygon" => format!("{outer},{}", rings.join(",")),
            _ => rings.iter().map(|r| format!("[{r}]")).collect::<Vec<_>>().join(","),
        };
        bench.write("many.geojson", feature(kind, rings));
        let run = bench.run(&words("check many.geojson --json"));
        assert!(run.out.contains(twin), "{kind}: {}", run.out);
    }
}
