//! `-` as an output: the data goes to standard output, in the format that is said, and all that is told
//! to standard error.

use crate::support::{Bench, words};
use std::process::Command;

#[test]
fn every_command_that_writes_layers_writes_them_to_standard_output() {
    let bench = Bench::with_demo();
    bench.ok(&words("convert fields.geojson --to EPSG:2285 -o fields.gpkg"));
    bench.ok(&words(
        "build polygons beats.csv --by beat --order corner --crs EPSG:2285 -o beats.gpkg",
    ));
    bench.ok(&words("build points old-weirs.csv --e east --n north --crs EPSG:2285 -o weirs.gpkg"));
    for (line, count) in [
        ("convert fields.gpkg -o -", 16),
        ("convert fields.gpkg --to EPSG:4326 --output -.geojson", 16),
        ("build points old-weirs.csv --e east --n north --crs EPSG:2285 -o -", 16),
        ("build lines lateral-vertices.csv --by ditch --order point --crs EPSG:2285 -o -", 9),
        ("build polygons beats.csv --by beat --order corner --crs EPSG:2285 -o -", 4),
        ("build courses deed.csv --by tract --adjust --crs EPSG:2285 -o -", 2),
        ("fields fields.gpkg --keep crop -o -", 16),
        ("declare fields.gpkg --crs EPSG:6597 -o -", 16),
        ("join fields.gpkg register.xlsx --sheet Shares --on field -o -", 16),
        ("tag weirs.gpkg --from beats.gpkg --columns beat -o -", 16),
        ("measure fields.gpkg -o -", 16),
    ] {
        for json in ["", " --json"] {
            let run = bench.run(&words(&format!("{line}{json}")));
            assert!([0, 3].contains(&run.code), "{line}: {}", run.err);
            let read = run.json();
            assert_eq!(read["features"].as_array().unwrap().len(), count, "{line}");
            assert!(run.err.contains("wrote standard output"), "{line}: {}", run.err);
        }
    }
    // Nothing of it is left in the folder.
    let left: Vec<String> = std::fs::read_dir(bench.path(""))
        .unwrap()
        .map(|entry| entry.unwrap().file_name().to_string_lossy().into_owned())
        .filter(|name| name.starts_with(['-', '.']))
        .collect();
    assert!(left.is_empty(), "{left:?}");
}

#[test]
fn standard_output_has_the_format_that_is_said() {
    let bench = Bench::with_demo();
    for (out, begins) in [
        ("-", "{\"type\":\"FeatureCollection\""),
        ("-.geojsonl", "\u{1e}"),
        ("-.csv", "field,ditch,crop,right_acres,"),
        ("-.kml", "<?xml"),
        ("-.gpkg", "SQLite format 3"),
        ("-.parquet", "PAR1"),
        ("-.geojson.gz", "\u{1f}"),
    ] {
        let line = format!("{} convert fields.geojson -o {out}", env!("CARGO_BIN_EXE_vpeg"));
        let run =
            Command::new("sh").args(["-c", &line]).current_dir(bench.path("")).output().unwrap();
        let err = String::from_utf8_lossy(&run.stderr);
        let is = run.stdout.starts_with(begins.as_bytes());
        let plain = begins == "\u{1e}" && run.stdout.starts_with(b"{");
        assert!(run.status.success() && (is || plain), "{out}: {err}");
    }
    for (out, why) in [
        ("-.shp", "takes several files, and standard output is one"),
        ("-.xyz", "the extension names no format"),
    ] {
        let run = bench.run(&["convert", "fields.geojson", "-o", out]);
        assert!(run.code == 1 && run.err.contains(why), "{out}: {}", run.err);
        assert!(run.out.is_empty(), "{out}");
    }
    for (line, begins) in [
        ("draw fields.geojson -o -.svg", "<svg"),
        ("check fields.geojson -o -.html", "<!doctype html>"),
        ("check fields.geojson -o -.md", "# "),
    ] {
        let run = bench.ok(&words(line));
        assert!(run.out.starts_with(begins), "{line}: {}", run.out);
    }
    let run = bench.run(&words("pack fields.geojson -o -.zip"));
    assert!(run.code == 1 && run.err.contains("a pack goes to a file"), "{}", run.err);
    std::fs::create_dir(bench.path("folder")).unwrap();
    for command in ["draw", "convert", "measure", "fields", "pack"] {
        let run = bench.run(&[command, "fields.geojson", "-o", "folder"]);
        let said = command == "convert" || run.err.contains("is a folder");
        assert!(said, "{command}: {}", run.err);
    }
    // A chain, and what is rejected.
    let chain =
        "vpeg convert fields.geojson -o - | vpeg fields - --where \"crop = 'wheat'\" -o -.csv";
    let tool = std::path::Path::new(env!("CARGO_BIN_EXE_vpeg")).parent().unwrap();
    let path = format!("{}:{}", tool.display(), std::env::var("PATH").unwrap());
    let run = Command::new("sh")
        .args(["-c", chain])
        .current_dir(bench.path(""))
        .env("PATH", path)
        .output()
        .unwrap();
    let rows = String::from_utf8(run.stdout).unwrap();
    assert!(rows.lines().count() > 6 && rows.lines().skip(1).all(|row| row.contains(",wheat,")));
    let run = bench.run(&words("build points headgates.csv --crs EPSG:4326 -o -.csv"));
    assert_eq!(run.code, 3);
    assert!(run.err.contains("28,`behind the pump house` cannot be read"), "{}", run.err);
    assert_eq!(run.out.lines().count(), 37);
}

#[test]
fn words_that_are_spelled_like_others_are_answered_with_these() {
    let bench = Bench::with_demo();
    for (line, meant) in [
        ("convert fields.geojson --layer feilds -o o.gpkg", "`fields`"),
        ("look register.xlsx --sheet Share", "`Shares`"),
        ("fields fields.geojson --keep feild -o o.gpkg", "`field`"),
        ("fields fields.geojson --where crp='wheat' -o o.gpkg", "`crop`"),
        ("measure fields.geojson --area-unit hectar", "`hectare`"),
        ("measure fields.geojson --length-unit metr", "`metre`"),
        ("convert fields.geojson -o o.gpk", "`.gpkg`"),
        ("convert fields.geojson -o o.geojsn", "`.geojson`"),
        ("join fields.geojson register.xlsx --sheet Shares --on feild", "`field`"),
        (
            "build points headgates.csv --lon longtude --lat latitude --crs EPSG:4326 -o o.gpkg",
            "`longitude`",
        ),
        ("measure fields.geojson --by crp", "`crop`"),
        ("mesure fields.geojson", "'measure'"),
        ("convert fields.geojson --too utm -o o.gpkg", "'--to'"),
        ("convert fields.geojson --to utm10m -o o.gpkg", ""),
        ("fields fields.geojson --keep depth -o o.gpkg", ""),
        ("convert fields.geojson --layer weirs -o o.gpkg", ""),
    ] {
        let run = bench.run(&words(line));
        assert!([1, 2].contains(&run.code), "{line}: {}", run.err);
        let said = run.err.contains("did you mean") || run.err.contains("similar");
        match meant {
            "" => assert!(!said, "{line}: {}", run.err),
            meant => assert!(said && run.err.contains(meant), "{line}: {}", run.err),
        }
    }
}
