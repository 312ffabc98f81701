//! Several layers in one command: into one GeoPackage, which is whole or not there, and into a folder
//! of files.

use crate::support::{Bench, words};

/// Layers of a file with their numbers of features.
fn layers(bench: &Bench, file: &str) -> Vec<(String, u64)> {
    let look = bench.ok(&["look", file, "--json"]).json();
    let layer = |layer: &serde_json::Value| {
        (layer["name"].as_str().unwrap().to_string(), layer["features"].as_u64().unwrap())
    };
    look["layers"].as_array().unwrap().iter().map(layer).collect()
}

fn pairs(of: &[(&str, u64)]) -> Vec<(String, u64)> {
    of.iter().map(|(name, count)| ((*name).to_string(), *count)).collect()
}

const TRACK: &str = r#"<gpx version="1.1" xmlns="http://www.topografix.com/GPX/1/1">
<wpt lat="47.4" lon="-120"><name>A</name></wpt><wpt lat="47.41" lon="-120.01"/>
<trk><name>T</name><trkseg><trkpt lat="47.4" lon="-120"/><trkpt lat="47.5" lon="-120.1"/></trkseg></trk>
</gpx>"#;

#[test]
fn layers_of_many_files_become_one_file() {
    let bench = Bench::with_demo();
    bench.write("walk.gpx", TRACK);
    let run = bench.ok(&words(
        "convert fields.geojson laterals.geojson walk.gpx --all-layers --to EPSG:2926 -o all.gpkg --json",
    ));
    let expected =
        [("fields", 16), ("laterals", 9), ("waypoints", 2), ("tracks", 1), ("track_points", 2)];
    assert_eq!(layers(&bench, "all.gpkg"), pairs(&expected));
    let answer = run.json();
    assert_eq!((&answer["rows_in"], &answer["out"]), (&30.into(), &30.into()));
    assert_eq!(answer["verified"], true);
    assert!(run.err.contains("layer tracks: 1 feature in, 1 out"), "{}", run.err);
    // A way is told once, however many layers go it; what is true of several, with their names.
    assert_eq!(run.err.matches("the change of datum is known").count(), 1, "{}", run.err);
    let run = bench.ok(&words("convert walk.gpx --all-layers --where 1=2 -o walk.gpkg"));
    let of_all = "layers waypoints, tracks, track_points: ";
    assert_eq!(run.err.matches(of_all).count(), 1, "{}", run.err);

    // Each layer is what it is alone.
    bench.ok(&words("convert fields.geojson --to EPSG:2926 -o alone.gpkg"));
    bench.ok(&words("convert alone.gpkg -o alone.csv"));
    bench.ok(&words("convert all.gpkg --layer fields -o one.csv"));
    assert_eq!(bench.read("alone.csv"), bench.read("one.csv"));

    // Again: refused, added to, replaced; another layer stays.
    let run = bench.run(&words("convert laterals.geojson fields.geojson -o all.gpkg"));
    assert!(run.code == 2 || run.code == 1, "{}", run.err);
    bench.ok(&words("convert laterals.geojson fields.geojson -o all.gpkg --overwrite"));
    assert_eq!(layers(&bench, "all.gpkg").len(), 5);
    bench.ok(&words("convert laterals.geojson fields.geojson -o all.gpkg --append"));
    let twice = layers(&bench, "all.gpkg");
    assert!(twice.contains(&("fields".into(), 32)) && twice.contains(&("laterals".into(), 18)));

    // Of two with one name, the file's name tells them apart.
    std::fs::create_dir(bench.path("b")).unwrap();
    bench.ok(&words("convert fields.geojson -o b/east.gpkg"));
    bench.ok(&words("convert fields.geojson -o b/west.gpkg"));
    bench.ok(&words("convert b/east.gpkg b/west.gpkg -o both.gpkg"));
    assert_eq!(layers(&bench, "both.gpkg"), pairs(&[("east_fields", 16), ("west_fields", 16)]));
}

#[test]
fn a_folder_goes_whole_and_a_failure_leaves_everything_as_it_was() {
    let bench = Bench::with_demo();
    std::fs::create_dir(bench.path("in")).unwrap();
    bench.ok(&words("convert fields.geojson -o in/b2.shp"));
    bench.ok(&words("convert laterals.geojson -o in/b10.geojson.gz"));
    bench.write("in/walk.gpx", TRACK);
    bench.write("in/readings.csv", "a,b\n1,2\n");
    bench.write("in/b2.shp.rejects.csv", "source_row,reason\n");
    bench.write("in/notes.txt~", "no layer");
    let run = bench.ok(&words("convert in -o whole.gpkg"));
    assert!(
        run.err.contains("passed over, because tables have no features yet: 1 file of in"),
        "{}",
        run.err
    );
    let names: Vec<String> =
        layers(&bench, "whole.gpkg").into_iter().map(|(name, _)| name).collect();
    assert_eq!(names, ["b2", "laterals", "waypoints", "tracks", "track_points"]);

    // Into the folder itself: what it made is not among what it is made of.
    for _ in 0..2 {
        bench.ok(&words("convert in -o in/whole.gpkg --overwrite"));
        assert_eq!(layers(&bench, "in/whole.gpkg").len(), 5);
    }
    std::fs::remove_file(bench.path("in/whole.gpkg")).unwrap();

    // One that fails: no file, or the old one.
    bench.write("in/z.geojson", r#"{"type":"FeatureCollection","features":["#);
    let before = std::fs::read(bench.path("whole.gpkg")).unwrap();
    for output in ["whole.gpkg --overwrite", "new.gpkg"] {
        let run = bench.run(&words(&format!("convert in -o {output}")));
        assert!(run.code == 1 && run.err.contains("z.geojson"), "{}", run.err);
    }
    assert!(std::fs::read(bench.path("whole.gpkg")).unwrap() == before && !bench.has("new.gpkg"));
    std::fs::remove_file(bench.path("in/z.geojson")).unwrap();

    // A folder of files in another format, a file for each layer.
    std::fs::create_dir(bench.path("out")).unwrap();
    bench.ok(&words("convert in -o out --format fgb"));
    let mut files: Vec<String> = std::fs::read_dir(bench.path("out"))
        .unwrap()
        .map(|entry| entry.unwrap().file_name().to_string_lossy().into_owned())
        .collect();
    files.sort();
    let expected =
        ["b10.fgb", "b2.fgb", "walk-track_points.fgb", "walk-tracks.fgb", "walk-waypoints.fgb"];
    assert_eq!(files, expected);
}

#[test]
fn what_another_program_has_in_its_log_stays() {
    let bench = Bench::with_demo();
    bench.ok(&words("convert fields.geojson -o d.gpkg"));
    let other = rusqlite::Connection::open(bench.path("d.gpkg")).unwrap();
    other.execute_batch("CREATE TABLE notes (text TEXT);").unwrap();
    other.query_row("PRAGMA journal_mode = WAL", [], |_| Ok(())).unwrap();
    other.execute_batch("INSERT INTO notes VALUES ('kept in the log');").unwrap();
    // While it is open there, nothing is put in its place.
    let line = "convert laterals.geojson fields.geojson -o d.gpkg --overwrite";
    let run = bench.run(&words(line));
    assert!(run.code == 1 && run.err.contains("is in use"), "{}", run.err);
    drop(other);
    bench.ok(&words(line));
    let file = rusqlite::Connection::open(bench.path("d.gpkg")).unwrap();
    let note: String = file.query_row("SELECT text FROM notes", [], |row| row.get(0)).unwrap();
    assert_eq!(note, "kept in the log");
    assert_eq!(layers(&bench, "d.gpkg"), pairs(&[("fields", 16), ("laterals", 9)]));
}

#[test]
fn files_of_layers_keep_how_they_are_packed() {
    let bench = Bench::with_demo();
    bench.write("walk.gpx", TRACK);
    bench.ok(&words("convert fields.geojson -o in.gpkg"));
    bench.ok(&words("convert laterals.geojson -o in.gpkg --append --output-layer ways"));
    bench.ok(&words("convert in.gpkg --layer ways -o in.geojson.gz"));
    for folder in ["out", "empty", "base.gdb"] {
        std::fs::create_dir(bench.path(folder)).unwrap();
    }
    bench.ok(&words("convert walk.gpx in.geojson.gz --all-layers -o out"));
    bench.ok(&words("convert in.gpkg --all-layers -o out --format geojson.zst"));
    for name in ["walk-tracks.gpx", "in.geojson.gz", "in-fields.geojson.zst", "in-ways.geojson.zst"]
    {
        assert!(bench.has(&format!("out/{name}")), "{name}");
    }
    assert_eq!(layers(&bench, "out/in-ways.geojson.zst")[0].1, 9);
    // Folders of something else are told what they are.
    bench.write("base.gdb/a.gdbtable", "");
    for (folder, says) in [("empty", "is a folder, not a file"), ("base.gdb", "holds a database")] {
        let run = bench.run(&["convert", folder, "-o", "x.gpkg"]);
        assert!(run.code == 1 && run.err.contains(says), "{}", run.err);
    }
}

#[test]
fn rejects_of_several_layers_stand_in_one_file_with_the_columns_of_all() {
    let bench = Bench::with_demo();
    let point = |x: &str, properties: &str| {
        format!(
            r#"{{"type":"FeatureCollection","features":[
            {{"type":"Feature","properties":{properties},"geometry":{{"type":"Point","coordinates":[-120,47]}}}},
            {{"type":"Feature","properties":{properties},"geometry":{{"type":"Point","coordinates":[{x}]}}}}]}}"#
        )
    };
    bench.write("a.geojson", point("7", r#"{"gate":"G-1","flow":2.5}"#));
    bench.write("b.geojson", point("-120,95", r#"{"flow":4,"owner":"Hollow"}"#));
    let run = bench.run(&words("convert a.geojson b.geojson --to EPSG:2926 -o ab.gpkg"));
    assert_eq!(run.code, 3, "{}", run.err);
    assert!(run.err.contains("4 features in, 2 features out, 2 rejected"), "{}", run.err);
    let rejects = bench.read("ab.gpkg.rejects.csv");
    let mut rows = csv::Reader::from_reader(rejects.as_bytes());
    let header: Vec<String> = rows.headers().unwrap().iter().map(ToString::to_string).collect();
    let front = ["source_row", "reason", "layer", "geometry", "original", "gate", "flow", "owner"];
    assert_eq!(header, front);
    let cells: Vec<Vec<String>> =
        rows.records().map(|row| row.unwrap().iter().map(ToString::to_string).collect()).collect();
    assert_eq!(cells[0][5..], ["G-1", "2.5", ""]);
    assert_eq!(cells[1][5..], ["", "4", "Hollow"]);
    assert_eq!((cells[0][2].as_str(), cells[1][2].as_str()), ("a", "b"));
}

#[test]
fn what_cannot_go_together_is_told_before_any_work() {
    let bench = Bench::with_demo();
    bench.write("walk.gpx", TRACK);
    for (command, says) in [
        (
            "convert fields.geojson laterals.geojson -o x.shp",
            "need a GeoPackage (.gpkg) or a folder",
        ),
        ("convert walk.gpx --all-layers -o x.geojson", "need a GeoPackage (.gpkg) or a folder"),
        ("convert fields.geojson -o x.gpkg --format shp", "--format is for files in a folder"),
        ("convert fields.geojson headgates.csv -o x.gpkg", "headgates.csv is a table"),
        ("convert fields.geojson walk.gpx -o x.gpkg", "walk.gpx: has 3 layers"),
        (
            "convert fields.geojson laterals.geojson --output-layer a -o x.gpkg",
            "cannot have one name",
        ),
        ("convert walk.gpx --all-layers --layer tracks -o x.gpkg", "cannot be used with"),
        ("convert walk.gpx --all-layers -o x.gpkg.zip", "nothing is added to packed files"),
    ] {
        let run = bench.run(&words(command));
        assert!(run.code != 0 && run.err.contains(says), "{command}: {}", run.err);
        assert!(
            !bench.has("x.gpkg")
                && !bench.has("x.gpkg.zip")
                && !bench.has("x.shp")
                && !bench.has("x.geojson")
        );
    }
}
