//! Work that would take more memory than there is says so before it begins, and how to go on all the same.

use crate::support::{Bench, words};
use std::fmt::Write;

/// Lines to type, and what it is that has to be held; each takes more than 1 MB, and less than 40.
const LINES: &[(&str, &str, &str)] = &[
    (
        "build lines vertices.csv --by ditch --crs EPSG:4326 -o o.gpkg",
        "vertices.csv",
        "rows of vertices",
    ),
    (
        "build polygons vertices.csv --by ditch --crs EPSG:4326 -o o.gpkg",
        "vertices.csv",
        "rows of vertices",
    ),
    ("join gates.geojson vertices.csv --on ditch", "vertices.csv", "rows of the table"),
    ("join gates.geojson vertices.csv --on ditch --json", "vertices.csv", "rows of the table"),
    (
        "join gates.geojson vertices.csv --on ditch -o o.gpkg --many",
        "vertices.csv",
        "rows of the table",
    ),
    (
        "join gates.geojson fields.geojson --on ditch -o o.gpkg",
        "fields.geojson",
        "rows of the table",
    ),
    ("tag gates.geojson --from fields.geojson", "fields.geojson", "polygons"),
    ("tag gates.geojson --from fields.geojson -o o.gpkg", "fields.geojson", "polygons"),
    (
        "run job.toml",
        "job.toml: line 8, column 6: step 1 (tag → tagged): fields.geojson",
        "polygons",
    ),
    ("measure lake.geojson", "lake.geojson", "vertices of feature 1"),
    ("measure lake.geojson -o o.gpkg", "lake.geojson", "vertices of feature 1"),
    ("check lake.geojson", "lake.geojson", "vertices of feature 1"),
    ("convert lake.geojson -o o.gpkg", "lake.geojson", "vertices of one feature"),
    ("look lake.topojson", "lake.topojson", "bytes of a topology"),
];

const JOB: &str = r#"
job = 1
[sources.gates]
file = "gates.geojson"
[sources.fields]
file = "fields.geojson"
[[steps]]
do = "tag"
from = "gates"
with = "fields"
as = "tagged"
[[outputs]]
file = "o.gpkg"
from = ["tagged"]
"#;

fn bench() -> Bench {
    let bench = Bench::new();
    let count = 30_000;
    let place = |at: usize| (-120.3 + 0.001 * (at % 200) as f64, 47.0 + 0.001 * (at / 200) as f64);
    let mut table = "ditch,lon,lat,depth_ft\n".to_string();
    let mut fields = Vec::new();
    let mut arcs = Vec::new();
    for at in 0..count {
        let (x, y) = place(at);
        writeln!(table, "T-{},{x:.4},{y:.4},{}", at / 6, at % 9).unwrap();
        let (e, n) = (x + 0.0005, y + 0.0005);
        let ring = format!(
            "[{x:.4},{y:.4}],[{e:.4},{y:.4}],[{e:.4},{n:.4}],[{x:.4},{n:.4}],[{x:.4},{y:.4}]"
        );
        let properties = format!(r#"{{"ditch":"T-{at}"}}"#);
        fields.push((properties, "Polygon", format!("[[{ring}]]")));
        arcs.push(format!("[[{x:.4},{y:.4}],[{e:.4},{n:.4}]]"));
    }
    bench.write("vertices.csv", table);
    let collection = |features: &[(String, &str, String)]| {
        let one = |(properties, kind, coordinates): &(String, &str, String)| {
            let geometry = format!(r#"{{"type":"{kind}","coordinates":{coordinates}}}"#);
            format!(r#"{{"type":"Feature","properties":{properties},"geometry":{geometry}}}"#)
        };
        let features: Vec<String> = features.iter().map(one).collect();
        format!(r#"{{"type":"FeatureCollection","features":[{}]}}"#, features.join(","))
    };
    bench.write("fields.geojson", collection(&fields));
    let gate = (r#"{"ditch":"T-7"}"#.to_string(), "Point", "[-120.2998,47.0002]".to_string());
    bench.write("gates.geojson", collection(&[gate]));
    let corner = |at: usize| {
        let turn = std::f64::consts::TAU * (at % 100_000) as f64 / 1e5;
        format!("[{:.7},{:.7}]", -120.0 + 0.1 * turn.cos(), 47.3 + 0.1 * turn.sin())
    };
    let lake = (0..=100_000).map(corner).collect::<Vec<_>>().join(",");
    bench
        .write("lake.geojson", collection(&[("{}".to_string(), "Polygon", format!("[[{lake}]]"))]));
    let line = r#"{"type":"LineString","arcs":[7]}"#;
    let arcs = arcs.join(",");
    let topology = format!(r#"{{"type":"Topology","objects":{{"a":{line}}},"arcs":[{arcs}]}}"#);
    bench.write("lake.topojson", topology);
    bench.write("job.toml", JOB);
    bench
}

#[test]
fn too_little_memory_is_told_before_the_work_and_what_goes_on_all_the_same() {
    let bench = bench();
    for (line, file, what) in LINES {
        let mut typed = words(line);
        typed.extend(["--memory", "1MB"]);
        let refused = bench.run(&typed);
        assert_eq!(refused.code, 1, "{line}: {}{}", refused.out, refused.err);
        let text = refused.err.trim();
        assert!(text.starts_with(&format!("error: {file}: ")), "{line}: {text}");
        assert!(text.contains(&format!(" {what} have to be held in memory together")), "{text}");
        assert!(
            text.contains("; 1.0 MB are allowed: divide the data or free memory; --memory "),
            "{text}"
        );
        assert!(!bench.has("o.gpkg"), "{line}");
        // What it says can be typed.
        let (_, amount) = text.rsplit_once("--memory ").unwrap();
        let amount = amount.split_whitespace().next().unwrap();
        let at = typed.len() - 1;
        typed[at] = amount;
        let done = bench.run(&typed);
        assert!(matches!(done.code, 0 | 3), "{line}: {amount}: {}", done.err);
        // Small work is done without a word of memory.
        assert!(!done.err.contains("memory"), "{line}: {}", done.err);
        if bench.has("o.gpkg") {
            std::fs::remove_file(bench.path("o.gpkg")).unwrap();
        }
    }
}

#[test]
fn an_amount_of_memory_has_a_unit() {
    let bench = Bench::new();
    bench.write("gates.csv", "gate,lon,lat\nTG-1,-120.1,47.4\n");
    for (amount, code) in [
        ("8GB", 0),
        ("0.5 gib", 0),
        ("300MB", 0),
        ("64MiB", 0),
        ("8", 2),
        ("GB", 2),
        ("0GB", 2),
        ("-1GB", 2),
        ("nanGB", 2),
        ("infGB", 2),
        ("1e99GB", 0),
        ("½GB", 2),
    ] {
        let run = bench.run(&["look", "gates.csv", &format!("--memory={amount}")]);
        assert_eq!(run.code, code, "{amount}: {}", run.err);
        let explained = run.err.contains("it is a number with GB or MB, such as 8GB");
        assert_eq!(explained, code == 2, "{amount}: {}", run.err);
    }
}
