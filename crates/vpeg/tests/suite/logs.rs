//! `--log`: what a command read, did, said and wrote, is in its log, and nothing but a log is
//! replaced by it.

use crate::support::{Bench, words};
use serde_json::Value;
use sha2::{Digest, Sha256};

/// A command on the demo data; the files that it reads, those that it writes, features out, and a
/// word of what it says or answers.
type Case =
    (&'static str, &'static [&'static str], &'static [&'static str], Option<u64>, &'static str);

const CASES: &[Case] = &[
    ("look headgates.csv", &["headgates.csv"], &[], None, "next: vpeg build points"),
    (
        "build points headgates.csv --lon longitude --lat latitude --crs EPSG:4326 -o gates.gpkg",
        &["headgates.csv"],
        &["gates.gpkg", "gates.gpkg.rejects.csv"],
        Some(36),
        "behind the pump house",
    ),
    (
        "convert fields.geojson --to EPSG:2285 -o fields.shp",
        &["fields.geojson"],
        &["fields.shp", "fields.dbf", "fields.shx", "fields.prj", "fields.cpg"],
        Some(16),
        "known to 4 m",
    ),
    (
        "convert fields.geojson --to like:turnouts.shp -o like.gpkg",
        &["fields.geojson", "turnouts.shp", "turnouts.dbf", "turnouts.prj"],
        &["like.gpkg"],
        Some(16),
        "same datum",
    ),
    (
        "fields fields.geojson --where crop='alfalfa' -o some.csv",
        &["fields.geojson"],
        &["some.csv"],
        None,
        "",
    ),
    (
        "convert old-weirs.csv --x east --y north --crs EPSG:2285 --to EPSG:4326 -o weirs.csv",
        &["old-weirs.csv"],
        &["weirs.csv"],
        Some(16),
        "route: NAD83 to WGS 84 (1) [EPSG:1188] (known to 4 m)",
    ),
    (
        "join fields.geojson register.xlsx --sheet Shares --on field",
        &["fields.geojson", "register.xlsx"],
        &[],
        None,
        "field",
    ),
    ("measure fields.geojson", &["fields.geojson"], &[], None, "sample std dev"),
    ("check fields.geojson -o sheet.html", &["fields.geojson"], &["sheet.html"], None, ""),
    ("draw fields.geojson -o map.svg", &["fields.geojson"], &["map.svg"], None, ""),
    ("pack fields.geojson -o fields.zip", &["fields.geojson"], &["fields.zip"], None, ""),
    ("position 47.4,-120", &[], &[], None, "UTM"),
    ("crs find washington north --json", &[], &[], None, "2285"),
    ("look -", &[], &[], None, "read without a checksum"),
];

fn names(list: &Value) -> Vec<&str> {
    list.as_array().unwrap().iter().map(|file| file["path"].as_str().unwrap()).collect()
}

#[test]
fn every_command_writes_the_log_that_jobs_write() {
    let bench = Bench::with_demo();
    let fields = bench.read("fields.geojson");
    for (line, read, written, out, says) in CASES {
        let mut typed = words(line);
        typed.extend(["--log", "day.log"]);
        let run = bench.run_with(&typed, &fields);
        assert!(run.code == 0 || run.code == 3, "{line}: {}", run.err);
        let text = bench.read("day.log");
        let log: Value = serde_json::from_str(&bench.read("day.log.json")).unwrap();
        let title = log["title"].as_str().unwrap();
        assert!(text.starts_with(title) && title.starts_with("vpeg "), "{line}: {title}");
        for (key, expected) in [("inputs", read), ("outputs", written)] {
            let found = names(&log[key]);
            assert!(expected.iter().all(|file| found.contains(file)), "{line}: {key} {found:?}");
            assert!(!expected.is_empty() || found.is_empty(), "{line}: {key} {found:?}");
            assert!(!found.contains(&"fields.prj") || found.contains(&"fields.shp"), "{line}");
            for file in log[key].as_array().unwrap() {
                let bytes = std::fs::read(bench.path(file["path"].as_str().unwrap())).unwrap();
                assert_eq!(file["bytes"], bytes.len(), "{line}");
                let sum = format!("{:x}", Hex(&Sha256::digest(&bytes)));
                assert!(file["sha256"] == sum.as_str() && text.contains(&sum), "{line}: {sum}");
            }
        }
        if let Some(out) = out {
            let step = &log["steps"][0];
            assert_eq!(step["out"], *out, "{line}");
            let told = step["rejects"].as_array().unwrap().len() as u64;
            assert_eq!(step["rejected"], told, "{line}");
        }
        assert!(text.contains(says), "{line}: {says} is not in\n{text}");
        // What was shown is in the log, word for word.
        for said in run.err.lines().filter_map(|line| line.strip_prefix("warning: ")) {
            assert!(text.contains(said), "{line}: {said}");
        }
        assert!(!text.contains('\u{1b}'), "{line}");
    }
}

/// Bytes as hexadecimal digits.
struct Hex<'a>(&'a [u8]);

impl std::fmt::LowerHex for Hex<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        self.0.iter().try_for_each(|byte| write!(f, "{byte:02x}"))
    }
}

#[test]
fn a_log_replaces_nothing_but_logs() {
    let bench = Bench::with_demo();
    let convert = "convert fields.geojson --to EPSG:2285 -o out.gpkg --log";
    for (line, says) in [
        (format!("{convert} headgates.csv"), "is no log"),
        (format!("{convert} fields.geojson"), "is named as the log, too"),
        (format!("{convert} out.gpkg"), "is named as the log, too"),
        (format!("{convert} out.gpkg.rejects.csv"), "is named as the log, too"),
        (format!("{convert} -"), "the log goes to files"),
        (format!("{convert} ."), "is a folder"),
    ] {
        let run = bench.run(&words(&line));
        assert_eq!(run.code, 1, "{line}");
        assert!(run.err.contains(says), "{line}: {}", run.err);
        assert!(!bench.has("out.gpkg") && !bench.has("out.gpkg.json"), "{line}");
    }
    // What fails leaves the log of what did not.
    bench.ok(&words("look fields.geojson --log day.log"));
    let before = bench.read("day.log");
    assert_eq!(bench.run(&words("look nothing.csv --log day.log")).code, 1);
    assert_eq!(bench.read("day.log"), before);
}

#[test]
fn jobs_write_their_log_where_it_is_asked_for() {
    let bench = Bench::with_demo();
    let run = bench.run(&words("run tumblewick.toml --log kept/run.log"));
    assert!(run.code == 0 || run.code == 3, "{}", run.err);
    assert!(bench.has("kept/run.log.json") && !bench.has("tumblewick.log"));
    let log: Value = serde_json::from_str(&bench.read("kept/run.log.json")).unwrap();
    assert_eq!(log["steps"].as_array().unwrap().len(), 18);
    let closures = log["steps"].as_array().unwrap().iter().flat_map(|step| {
        step["closures"].as_array().unwrap().iter().map(|closure| closure["unit"].clone())
    });
    let units: Vec<Value> = closures.collect();
    assert!(!units.is_empty() && units.iter().all(|unit| *unit == "US survey feet"), "{units:?}");
}
