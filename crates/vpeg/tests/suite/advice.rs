//! What the tool says can be done is an option or a command that there is, and doing it helps.

use crate::support::Bench;

fn bench() -> Bench {
    let bench = Bench::with_demo();
    bench.write("commas.csv", "e;n;name\n705000,5;5254000,5;a\n705100,5;5254100,5;b\n");
    bench.write(
        "some.csv",
        "e;n;name\n705000;5254000;a\n705100,5;5254100,5;b\n705200,5;5254100;c\n",
    );
    bench.write("bytes.csv", b"e,n,name\n705000,5254000,a\n705000,5254001,caf\xe9\n");
    bench.write("bare.csv", "1,705000,5254000\n2,705100,5254100\n3,705200,5254200\n");
    bench.write("doubt.csv", "a,1\n");
    bench.write("twice.csv", "field,harvest\nF-01,oats\nF-01,rye\n");
    bench.write("loose.csv", "field,harvest\nf-01,oats\nf-02,rye\n");
    bench.write("open.csv", "bearing,distance\nN 0 E,100\nN 90 E,50\nS 0 E,100\nS 90 W,50\n");
    bench.write("shape.csv", "name,form\na,\"LINESTRING (0 0, 3 4)\"\n");
    bench.write("unit.csv", "p,bearing,distance\nA,N 0 E,100 m\nA,N 90 E,50 m\nA,S 45 W,80 m\n");
    bench.write("xy.csv", "a,b\n1,2\n2,3\n");
    bench.write(
        "lines.csv",
        "e,n\n600000,5250000\n600100,5250100\n600100,5250100\n600200,5250100\n",
    );
    bench.write(
        "rings.csv",
        "field,ring no,e,n\nF-1,1,600000,5250000\nF-1,1,600100,5250000\nF-1,1,600100,5250100\n\
         F-1,1,600000,5250100\nF-1,2,600040,5250040\nF-1,2,600060,5250040\nF-1,2,600060,5250060\n\
         F-1,2,600040,5250060\n",
    );
    let names: Vec<String> = (0..1_997).map(|at| format!("c{at}")).collect();
    let values = vec!["1"; names.len()].join(",");
    bench.write("wide.csv", format!("e,n,{}\n600000,5250000,{values}\n", names.join(",")));
    let build = ["build", "points", "old-weirs.csv", "--e", "east", "--n", "north"];
    bench.ok(&[&build[..], &["-o", "weirs.gpkg"]].concat());
    bench.ok(&["convert", "fields.geojson", "-o", "two.gpkg"]);
    bench.ok(&["convert", "laterals.geojson", "-o", "two.gpkg", "--overwrite"]);
    bench
}

fn words(line: &str) -> Vec<String> {
    let mut words = vec![String::new()];
    let mut quoted = false;
    for letter in line.chars() {
        match letter {
            '\'' => quoted = !quoted,
            ' ' if !quoted => words.push(String::new()),
            letter => words.last_mut().unwrap().push(letter),
        }
    }
    words
}

/// A command, what is said, and what is added to it (or takes its place, where it begins with
/// another command) for it to go through without that being said.
const ADVICE: &[(&str, &str, &str)] = &[
    (
        "build polygons rings.csv --by field --crs EPSG:32610 -o o.gpkg",
        ", or tell rings apart with --ring 'ring no'",
        "--ring 'ring no'",
    ),
    (
        "build points wide.csv --crs EPSG:32610 -o o.gpkg",
        "o.gpkg: has 1999 columns, more than the 1998 that a layer of a GeoPackage holds (a .parquet or .fgb has \
         room for them): name the columns to keep with --keep",
        "--keep c7,c9",
    ),
    (
        "build points commas.csv --crs EPSG:32610 -o o.gpkg",
        ": say --decimal-comma if it is a decimal point, --thousands ',' if it groups thousands",
        "--decimal-comma",
    ),
    (
        "convert commas.csv --crs EPSG:32610 --to EPSG:4326 -o o.csv",
        "say --decimal-comma",
        "--decimal-comma",
    ),
    ("build points some.csv --crs EPSG:32610 -o o.gpkg", "say --decimal-comma", "--decimal-comma"),
    (
        "build points bytes.csv --encoding utf-8 --crs EPSG:32610 -o o.gpkg",
        "correct them, or name the encoding with --encoding",
        "build points bytes.csv --encoding windows-1252 --crs EPSG:32610 -o o.gpkg",
    ),
    ("look doubt.csv", ": say which with --header or --no-header", "--no-header"),
    (
        "join fields.geojson twice.csv --on field -o o.gpkg",
        "Make the keys of the table unique, or add --many to get the feature once for each row",
        "--many",
    ),
    ("join fields.geojson loose.csv --on field -o o.gpkg", ": --loose has them meet", "--loose"),
    (
        "build courses open.csv --crs EPSG:2285 -o o.gpkg",
        ": add --start EASTING,NORTHING, or name the columns that hold it with --x and --y",
        "--start 1832900,155850",
    ),
    (
        "build courses open.csv --start 0,0 --crs EPSG:4326 -o o.gpkg",
        "and carry the result on: add --to EPSG:4326",
        "build courses open.csv --start 1832900,155850 --crs EPSG:2285 --to EPSG:4326 -o o.gpkg",
    ),
    ("build courses unit.csv --by p -o o.gpkg", ": add --crs REF or --unit UNIT", "--unit m"),
    (
        "build points xy.csv --crs EPSG:32610 -o o.gpkg",
        "say which they are with --x (longitude or easting) and --y (latitude or northing)",
        "--x a --y b",
    ),
    (
        "build lines lines.csv --crs EPSG:32610 -o o.gpkg",
        "all rows make one feature: name the column that tells them apart with --by",
        "",
    ),
    ("build lines lines.csv --crs EPSG:32610 -o o.gpkg", ": --repair mends them", "--repair"),
    (
        "build points bare.csv --x 2 --y 3 --crs EPSG:32610 -o o.gpkg",
        "(column_1, column_2 …): --names gives them names",
        "--names gate,e,n",
    ),
    ("measure two.gpkg", ": name one with --layer", "--layer fields"),
    (
        "measure two.gpkg --layer fields",
        "or name a grid with --grid (utm, state-plane",
        "--grid state-plane",
    ),
    (
        "measure two.gpkg --layer fields --grid EPSG:4326",
        "or name a grid with --grid (utm",
        "measure two.gpkg --layer fields --grid EPSG:2285",
    ),
    (
        "build points register.xlsx --x a --y b --crs EPSG:32610 -o o.gpkg",
        ": name one with --sheet, or take all with --all-sheets",
        "look register.xlsx --sheet Owners",
    ),
    (
        "convert fields.geojson -o two.gpkg",
        "choose another name, or add --overwrite to replace it",
        "--overwrite",
    ),
    (
        "measure headgates.csv",
        ": do so with `vpeg build points`",
        "build points headgates.csv --crs EPSG:4326 -o o.gpkg",
    ),
    ("crs show EPSG:99999", ": search with `vpeg crs find`", "crs find washington south"),
    (
        "fields fields.geojson --set 'a = 1 WHERE b > 1' -o o.gpkg",
        ": conditions go to --where",
        "convert fields.geojson --where 'crop IS NOT NULL' -o o.gpkg",
    ),
    (
        "measure weirs.gpkg",
        "declare it with `vpeg declare weirs.gpkg --crs REF -o OUT`",
        "declare weirs.gpkg --crs EPSG:2285 -o o.gpkg",
    ),
];

#[test]
fn what_is_advised_helps() {
    let mut failed = Vec::new();
    for (line, says, change) in ADVICE {
        let bench = bench();
        let run = bench.run(&words(line));
        if !run.err.replace('\n', " ").contains(says) {
            failed.push(format!("{line}: not said: {says}\n{}", run.err));
            continue;
        }
        if change.is_empty() {
            continue;
        }
        let anew = change.starts_with(|c: char| c.is_alphabetic());
        let again = if anew { change.to_string() } else { format!("{line} {change}") };
        let over = if again.contains(" -o o.") { format!("{again} --overwrite") } else { again };
        let done = bench.run(&words(&over));
        if ![0, 3].contains(&done.code) || done.err.contains(says) {
            failed.push(format!("{over}: {} {}", done.code, done.err));
        }
    }
    assert!(failed.is_empty(), "{}", failed.join("\n"));
}

/// Commands that are printed whole can be pasted, whatever the files are called.
#[test]
fn printed_commands_can_be_pasted() {
    let bench = Bench::with_demo();
    for name in ["old weirs", "it's", "weirs (2)", "plain-1.0"] {
        let (table, made) = (format!("{name}.csv"), format!("{name}.gpkg"));
        bench.write(&table, bench.read("old-weirs.csv"));
        let run =
            bench.ok(&["build", "points", &table, "--x", "east", "--y", "north", "-o", &made]);
        let printed = run.err.split('`').find(|part| part.starts_with("vpeg declare")).unwrap();
        let command = printed.replace("REF", "EPSG:2285").replace("OUT", "declared.gpkg");
        let tool = env!("CARGO_BIN_EXE_vpeg");
        let pasted = std::process::Command::new("sh")
            .arg("-c")
            .arg(format!("{command} --overwrite").replacen("vpeg", tool, 1))
            .current_dir(bench.path(""))
            .output()
            .unwrap();
        let said = String::from_utf8_lossy(&pasted.stderr).into_owned();
        assert!(pasted.status.success(), "{command}: {said}");
        assert!(said.contains("16 features in, 16 features out"), "{command}: {said}");
    }
}

/// The answers for machines hold notices as data.
#[test]
fn notices_are_data_for_machines() {
    let bench = Bench::with_demo();
    let convert = ["--json", "convert", "fields.geojson", "--to", "EPSG:2285", "-o", "o.shp"];
    let answer = bench.ok(&convert).json();
    let notices = answer["notices"].as_array().unwrap();
    for notice in notices {
        let known = ["note", "warning", "fault"].contains(&notice["severity"].as_str().unwrap());
        assert!(known && !notice["kind"].as_str().unwrap().is_empty(), "{notice}");
        assert!(!notice["text"].as_str().unwrap().contains("--"), "{notice}");
    }
    bench.write("far.csv", "lon,lat\n-120,47\n-121,47\n-60,47\n");
    let build = ["--json", "build", "points", "far.csv", "--crs", "EPSG:4152", "-o", "far.gpkg"];
    let answer = bench.ok(&build).json();
    let notices = answer["notices"].as_array().unwrap();
    let area = notices.iter().find(|notice| notice["kind"] == "area").unwrap();
    assert_eq!(area["severity"], "warning");
    assert_eq!(area["figures"][0], serde_json::json!({"name": "count", "value": 1.0, "unit": ""}));
    let place = bench.run(&["--json", "zone", "47.4,-120.01"]).json();
    let near = &place["notices"][0];
    assert_eq!((&near["kind"], &near["figures"][0]["unit"]), (&"area".into(), &"m".into()));
    assert!((near["figures"][0]["value"].as_f64().unwrap() - 754.0).abs() < 10.0, "{near}");
}
