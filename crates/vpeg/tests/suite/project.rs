//! The project file: what it stands in for, where it is found, that every use is said, and that it
//! never takes the place of what the data or the command say.

use crate::support::{Bench, words};
use serde_json::Value;

const PROJECT: &str = r#"project = 1
title = "Tumblewick Irrigation District"
crs = "nad83 washington north ftus"
geographic-crs = "EPSG:4269"
near = "47.41, -120.01"
length-unit = "ftUS"
area-unit = ["acUS", "ha"]
height = 350
grids = "shifts"
outputs = "out"
"#;

/// The demo in a folder `data` below that of the project.
fn bench(project: &str) -> Bench {
    let bench = Bench::new();
    for folder in ["data", "shifts"] {
        std::fs::create_dir(bench.path(folder)).unwrap();
    }
    velvet_peg::demo::lay_out(&bench.path("data"), false).unwrap();
    bench.ok(&words("build points data/old-weirs.csv -o data/weirs-undeclared.gpkg"));
    bench.write("vpeg.toml", project);
    bench
}

/// A command, what is said to come from the file, and what is not.
type Case = (&'static str, &'static [&'static str], &'static [&'static str]);

const CASES: &[Case] = &[
    (
        "build points data/headgates.csv -o gates.gpkg",
        &[
            "--crs EPSG:4269 NAD83, because data/headgates.csv states no system",
            "-o out/gates.gpkg",
            "--grids shifts",
        ],
        &["--height"],
    ),
    (
        "build points data/headgates.csv --crs EPSG:4326 -o other.gpkg",
        &["-o out/other.gpkg"],
        &["--crs"],
    ),
    (
        "build lines data/lateral-vertices.csv --by ditch --order point -o out/lines.gpkg",
        &["--crs EPSG:2285 NAD83 / Washington North (ftUS), because data/lateral-vertices.csv"],
        &["-o "],
    ),
    (
        "convert data/weirs-undeclared.gpkg -o weirs.gpkg",
        &["--crs EPSG:2285 NAD83 / Washington North (ftUS), because data/weirs-undeclared.gpkg"],
        &[],
    ),
    ("convert data/fields.geojson --to project -o sp.gpkg", &["--to EPSG:2285 NAD83"], &["--crs"]),
    ("convert data/fields.geojson --to=project -o sp2.gpkg", &["--to EPSG:2285 NAD83"], &["--crs"]),
    // A column of that name is one, and behind `--` all words are files.
    (
        "convert --to project -o sp3.gpkg --set project=1 --keep project,field -- data/fields.geojson",
        &["--to EPSG:2285 NAD83", "--grids shifts"],
        &["--crs"],
    ),
    ("check data/weirs-undeclared.gpkg data/fields.geojson", &["--crs EPSG:2285"], &[]),
    (
        "measure data/fields.geojson --grid project",
        &["--grid EPSG:2285", "--length-unit ftUS", "--area-unit acUS,ha", "--height 350"],
        &[],
    ),
    (
        "measure data/fields.geojson --grid EPSG:32610 --area-unit m2 --combined-factor 0.9999",
        &["--length-unit ftUS"],
        &["--area-unit", "--height"],
    ),
    ("crs guess data/old-weirs.csv", &["--near 47.41, -120.01"], &[]),
    ("crs guess data/old-weirs.csv --like data/fields.geojson", &["--grids shifts"], &["--near"]),
    ("crs show project", &["EPSG:2285 NAD83"], &[]),
    ("draw data/fields.geojson -o map.svg", &["-o out/map.svg"], &["--crs"]),
    ("position 47.4,-120.0", &["--height 350"], &["--crs"]),
    ("pack data/fields.geojson -o fields.zip", &["--grids shifts"], &["-o"]),
];

#[test]
fn what_a_project_says_stands_in_for_options_and_is_said() {
    let bench = bench(PROJECT);
    for (line, said, unsaid) in CASES {
        let run = bench.run(&words(line));
        assert!(run.code == 0 || run.code == 3, "{line}: {}", run.err);
        let from = run.err.lines().find(|line| line.starts_with("note: from vpeg.toml: "));
        assert_eq!(from.is_some(), !said.is_empty(), "{line}: {}", run.err);
        let from = from.unwrap_or_default();
        assert!(said.iter().all(|what| from.contains(what)), "{line}: {from}");
        assert!(!unsaid.iter().any(|what| from.contains(what)), "{line}: {from}");
        // Left out, nothing is said, and the word has no meaning.
        let mut without = vec!["--no-project"];
        without.extend(words(line));
        let run = bench.run(&without);
        assert!(!run.err.contains("from vpeg.toml"), "{line}: {}", run.err);
    }
    for file in
        ["gates.gpkg", "other.gpkg", "lines.gpkg", "weirs.gpkg", "sp.gpkg", "sp2.gpkg", "map.svg"]
    {
        assert!(bench.has(&format!("out/{file}")), "{file}");
    }
    let kept = bench.ok(&["look", "out/sp3.gpkg", "--json"]).json();
    assert_eq!(kept["layers"][0]["columns"][0]["name"], "project", "{kept}");
    let code = |file: &str| -> Value {
        let look = bench.ok(&["look", file, "--json"]).json();
        look["layers"][0]["crs"].clone()
    };
    for (file, expected) in [
        ("gates", "EPSG:4269"),
        ("other", "EPSG:4326"),
        ("lines", "EPSG:2285"),
        ("weirs", "EPSG:2285"),
        ("sp", "EPSG:2285"),
    ] {
        assert_eq!(code(&format!("out/{file}.gpkg")), expected, "{file}");
    }
}

#[test]
fn degrees_never_get_a_system_of_feet_and_what_is_stated_stays() {
    let bench = bench("project = 1\ncrs = \"EPSG:2285\"\n");
    let run = bench.run(&words("build points data/headgates.csv -o gates.gpkg"));
    assert!(run.err.contains("nothing for data/headgates.csv, which states no system: its coordinates read as degrees"), "{}", run.err);
    let look = bench.ok(&words("look data/headgates.csv")).out;
    assert!(look.contains("--crs EPSG:4326"), "{look}");
    // A table whose columns are named, and a file beside a table that states its system.
    for (x, y) in
        [("-120.01", "47.41"), ("\"-120,01\"", "\"47,41\""), ("120 00 36 W", "47 24 36 N")]
    {
        bench.write("a.csv", format!("id,e1,n1\n1,{x},{y}\n2,{x},{y}\n3,{x},{y}\n"));
        let run = bench.run(&words("build points a.csv --x e1 --y n1 -o a.gpkg --overwrite"));
        assert!(run.err.contains("read as degrees"), "{x}: {}", run.err);
    }
    bench.write("utm.csv", "id,easting,northing\n1,725000,5254000\n2,725100,5254100\n");
    bench.ok(&words("build points utm.csv --crs EPSG:32610 -o b.csv --metadata"));
    let run = bench.ok(&words("build points b.csv -o b.gpkg"));
    assert!(!run.err.contains("vpeg.toml"), "{}", run.err);
    assert_eq!(bench.ok(&words("look b.gpkg --json")).json()["layers"][0]["crs"], "EPSG:32610");
}

#[test]
fn the_nearest_project_above_the_data_is_taken_and_jobs_need_none() {
    let bench = bench(PROJECT);
    bench.write("data/vpeg.toml", "project = 1\ncrs = \"EPSG:32610\"\n");
    let run = bench.ok(&words("convert data/fields.geojson --to project -o utm.gpkg"));
    assert!(run.err.contains("from data/vpeg.toml: --to EPSG:32610"), "{}", run.err);
    // Its folder of outputs is for those who work there.
    assert!(bench.has("utm.gpkg") && !bench.has("out"));
    // A job has the system itself.
    bench.ok(&words("convert data/fields.geojson --to project -o saved.gpkg --save-job job.toml"));
    let job = bench.read("job.toml");
    assert!(job.contains("EPSG:32610") && !job.contains("\"project\""), "{job}");
    std::fs::remove_file(bench.path("data/vpeg.toml")).unwrap();
    let run = bench.ok(&words("run job.toml --overwrite"));
    assert!(
        run.err.contains("from vpeg.toml: --grids shifts") && !run.err.contains("--crs"),
        "{}",
        run.err
    );
}

#[test]
fn a_project_file_that_is_wrong_is_refused_with_its_line() {
    for (text, says) in [
        ("crs = \"EPSG:2285\"\n", "a project file begins with `project = 1`"),
        ("project = 2\n", "version 2 of project files is not known"),
        ("project = 1\narea_unit = \"ha\"\n", "line 2: unknown field `area_unit`"),
        ("project = 1\narea-unit = \"acre\"\n", "`area-unit`: `acre` leaves open"),
        ("project = 1\narea-unit = 3\n", "line 2: write a text, or a list of texts"),
        ("project = 1\ncrs = \"washington\"\n", "`crs`: `washington` matches 26"),
        ("project = 1\ngeographic-crs = \"EPSG:2285\"\n", "no system of longitudes"),
        ("project = 1\nnear = \"here\"\n", "`near`: "),
        ("project = 1\ngrids = \"nowhere\"\n", "`grids`: there is no folder nowhere"),
        ("project = 1\ncrs = \n", "line 2: "),
    ] {
        let bench = bench(text);
        let run = bench.run(&words("look data/fields.geojson"));
        assert_eq!(run.code, 1, "{text}");
        assert!(
            run.err.starts_with("error: vpeg.toml: ") && run.err.contains(says),
            "{text}: {}",
            run.err
        );
        bench.ok(&words("look data/fields.geojson --no-project"));
        // Shells ask for these when they start.
        for line in ["completions bash", "--version", "help look", "look --help"] {
            bench.ok(&words(line));
        }
    }
    let bench = Bench::with_demo();
    let run = bench.run(&words("convert fields.geojson --to project -o x.gpkg"));
    assert!(run.code == 1 && run.err.contains("a file vpeg.toml names"), "{}", run.err);
}

#[test]
fn the_document_names_what_the_file_may_say() {
    let page = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/project.md");
    let page = std::fs::read_to_string(page).unwrap();
    let mut named: Vec<&str> = page
        .lines()
        .filter_map(|line| line.strip_prefix("| `"))
        .map(|line| line.split('`').next().unwrap())
        .collect();
    // Its own example is one.
    let example = page.split("```toml\n").nth(1).unwrap().split("```").next().unwrap();
    let bench = bench(&example.replace("\"grids\"", "\"shifts\""));
    bench.ok(&words("look data/fields.geojson"));
    let bench = self::bench("project = 1\nnothing = 1\n");
    let run = bench.run(&words("look data/fields.geojson"));
    let list = run.err.split("expected one of ").nth(1).unwrap().trim();
    let mut known: Vec<&str> = list.split('`').skip(1).step_by(2).collect();
    known.sort_unstable();
    named.sort_unstable();
    assert_eq!(named, known);
}
