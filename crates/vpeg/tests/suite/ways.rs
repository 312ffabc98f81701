//! Which way coordinates are carried, where somebody says so: by commands, in jobs, and what is said of
//! it.

use crate::support::{Bench, words};

/// A command, the code it ends with, and what it says.
const CASES: &[(&str, i32, &[&str])] = &[
    (
        "convert fields.geojson --to EPSG:4267 --operation EPSG:1173 -o a.gpkg",
        0,
        &[
            "NAD27 to WGS 84 (4) [EPSG:1173], reversed (known to 10 m), as named",
            "the operation was named; else it would be NAD27 to WGS 84 (6) [EPSG:1175], reversed (known to 7 m)",
        ],
    ),
    (
        "convert fields.geojson --to EPSG:4269 --operation 1173,1175 -o b.gpkg",
        1,
        &["the operations that are named lead from World Geodetic System 1984 ensemble to"],
    ),
    (
        "convert headgates.csv --crs EPSG:4326 --to EPSG:4267 --operation 1173 -o c.csv",
        3,
        &["[EPSG:1173], reversed"],
    ),
    (
        "build points headgates.csv --crs EPSG:4326 --to EPSG:4267 --operation 1173 -o d.gpkg",
        3,
        &["[EPSG:1173], reversed"],
    ),
    (
        "build lines lateral-vertices.csv --by ditch --order point --crs EPSG:2285 --to EPSG:4326 --operation 1188 -o e.gpkg",
        0,
        &["NAD83 to WGS 84 (1) [EPSG:1188]"],
    ),
    (
        "convert fields.geojson --to EPSG:2285 --require-best -o f.gpkg",
        1,
        &["the best way is asked for"],
    ),
    ("convert fields.geojson --to EPSG:32610 --require-best -o g.gpkg", 0, &["wrote g.gpkg"]),
    ("convert fields.geojson --operation EPSG:1188 -o h.gpkg", 2, &["--to <REF>"]),
    (
        "convert fields.geojson --to EPSG:2285 --operation NAD83 -o i.gpkg",
        2,
        &["`NAD83` is no operation: write its code in the registry, such as EPSG:1188"],
    ),
];

#[test]
fn ways_are_named_and_said() {
    let bench = Bench::with_demo();
    for (line, code, says) in CASES {
        let run = bench.run(&words(line));
        assert_eq!(run.code, *code, "{line}: {}", run.err);
        for wanted in *says {
            assert!(run.err.contains(wanted), "{line}: no {wanted}\n{}", run.err);
        }
        let out = line.split("-o ").nth(1).unwrap();
        assert_eq!(bench.has(out), matches!(code, 0 | 3), "{line}");
    }
    // By another way the same field lies a metre or two off.
    bench.ok(&words("convert fields.geojson --to EPSG:4267 -o best.geojson"));
    bench.ok(&words("convert a.gpkg --to EPSG:4267 -o named.geojson"));
    let first = |name: &str| -> (f64, f64) {
        let all: serde_json::Value = serde_json::from_str(&bench.read(name)).unwrap();
        let at = &all["features"][0]["geometry"]["coordinates"][0][0];
        (at[0].as_f64().unwrap(), at[1].as_f64().unwrap())
    };
    let show = "crs show EPSG:4326 --to EPSG:4267 --at 47.42,-120.0 --json";
    let ways = bench.ok(&words(show)).json()["route"].clone();
    let way = ways["alternatives"].as_array().unwrap();
    let way = way.iter().find(|way| way["codes"][0] == 1173).unwrap();
    let (a, b) = (first("best.geojson"), first("named.geojson"));
    let metres = ((a.0 - b.0) * 75_370.0).hypot((a.1 - b.1) * 111_190.0);
    let told = way["apart_m"].as_f64().unwrap();
    assert!((metres - told).abs() < 0.02 && (0.5..3.0).contains(&told), "{metres} {told}");
    assert!((way["moves_m"].as_f64().unwrap() - 88.97).abs() < 0.2, "{way}");
}

#[test]
fn ways_are_compared_at_a_place() {
    let bench = Bench::new();
    let run = bench.ok(&words("crs show EPSG:4277 --to EPSG:4326 --at 52,-1"));
    for wanted in [
        "at latitude 52.0000°, longitude -1.0000°",
        "EPSG:1314   2 m       115.667 m  taken       UK - Great Britain",
        "EPSG:1196   10 m      116.451 m  0.785 m     UK - England",
        "to take another: vpeg convert FILE --to EPSG:4326 --operation EPSG:1196 -o OUT",
    ] {
        assert!(run.out.contains(wanted), "no {wanted}\n{}", run.out);
    }
    // What is cut is marked.
    let long = bench.ok(&words("crs show EPSG:4267 --to EPSG:4269 --at 47.4,-120"));
    assert!(long.out.contains("onshore; North Amer…"), "{}", long.out);
    let named = "crs show EPSG:4277 --to EPSG:4326 --at 52,-1 --operation 1196";
    let run = bench.ok(&words(named));
    assert!(
        run.out.contains("taken, as it was named: OSGB36 to WGS 84 (2) [EPSG:1196]"),
        "{}",
        run.out
    );
    assert!(run.out.contains("EPSG:1314   2 m"), "the usual one stands beside it\n{}", run.out);
}

#[test]
fn jobs_name_ways_too() {
    let bench = Bench::with_demo();
    bench.ok(&words(
        "convert fields.geojson --to EPSG:4267 --operation 1173 -o a.gpkg --save-job job.toml",
    ));
    let job = bench.read("job.toml");
    assert!(job.contains("operations = [\"EPSG:1173\"]"), "{job}");
    bench.ok(&words("run job.toml --overwrite"));
    let log = bench.read("job.log");
    assert!(
        log.contains("route: NAD27 to WGS 84 (4) [EPSG:1173], reversed (known to 10 m), as named"),
        "{log}"
    );
    for (from, to, says) in [
        ("\"EPSG:1173\"", "\"EPSG:1\"", "the registry has no operation EPSG:1"),
        ("\"EPSG:1173\"", "\"here\"", "`here` is no operation"),
        ("operations = [\"EPSG:1173\"]", "require-best = true", "the best way is asked for"),
    ] {
        bench.write("other.toml", job.replace(from, to));
        let run = bench.run(&words("run other.toml --overwrite"));
        assert!(run.code == 1 && run.err.contains(says), "{to}: {}", run.err);
    }
}

/// A model of the geoid, 20 m below the ellipsoid everywhere.
fn model() -> Vec<u8> {
    let mut grid: Vec<u8> = Vec::new();
    [46.0f64, 238.0, 0.5, 0.5].iter().for_each(|value| grid.extend(value.to_le_bytes()));
    [5i32, 7, 1].iter().for_each(|value| grid.extend(value.to_le_bytes()));
    (0..35).for_each(|_| grid.extend((-20.0f32).to_le_bytes()));
    grid
}

#[test]
fn heights_change_by_a_model_of_the_geoid() {
    let bench = Bench::new();
    std::fs::create_dir(bench.path("grids")).unwrap();
    let grid = model();
    bench.write("grids/g2018u0.bin", &grid);
    // A place without a height, and one outside the model.
    bench.write("marks.csv", "id,e,n,h\n1,-120,47.4,100\n2,-120.1,47.41,\n3,-110,47.4,5\n");
    let line = "build points marks.csv --x e --y n --z h --crs EPSG:6318+EPSG:5703 --to EPSG:6319";
    let run = bench.run(&words(&format!("{line} --grids grids -o marks.geojsonl")));
    assert_eq!(run.code, 3, "{}", run.err);
    let says = "heights change by NAD83(2011) to NAVD88 height (3) [EPSG:9229] (known to 0.015 m)";
    assert!(run.err.contains(says) && run.err.contains("rejected: row 4"), "{}", run.err);
    let table = line.replace("build points", "convert");
    let run = bench.run(&words(&format!("{table} --grids grids -o heights.csv")));
    let table = bench.table("heights.csv");
    let at = |name: &str| table.0.iter().position(|column| column == name).unwrap();
    let height = |row: usize| table.1[row][at("height")].clone();
    assert_eq!(run.code, 3);
    assert_eq!((height(0).parse::<f64>().unwrap(), height(1).as_str()), (80.0, ""));
    let run = bench.run(&words(&format!("{line} -o none.gpkg")));
    assert!(run.code == 1 && !bench.has("none.gpkg"), "{}", run.err);
    let needs = "which takes a model: NAD83(2011) to NAVD88 height (3) [EPSG:9229] needs the file g2018u0.bin";
    assert!(run.err.contains(needs), "{}", run.err);
}

/// What a folder of grid files has, and what two systems need of it.
#[test]
fn grid_files_are_listed() {
    let bench = Bench::new();
    std::fs::create_dir(bench.path("grids")).unwrap();
    let grid = model();
    bench.write("grids/G2018U0.BIN", &grid);
    bench.write("grids/conus.las", "no grid");
    bench.write("grids/nzgeoid2009.gtx", &grid);
    bench.write("grids/readme.txt", "from the publisher");
    let listed = bench.ok(&words("grids grids"));
    for part in [
        "ready",
        "46° to 48° N, 122° to 119° W, 35 nodes",
        "NAD83(2011) to NAVD88 height (3) [EPSG:9229]",
        "conus.los is missing",
        "NAD27 to NAD83 (1) [EPSG:1241]",
        "not sound: its header is not one of a grid of heights",
    ] {
        assert!(listed.out.contains(part), "{part}: {}", listed.out);
    }
    assert!(listed.err.contains("does not name them: readme.txt"), "{}", listed.err);
    // The folder of the other commands.
    assert_eq!(bench.ok(&words("grids --grids grids")).out, listed.out);
    let run = bench.ok(&words("grids grids --from EPSG:6319 --to EPSG:6349 --at 47.4,-120"));
    assert!(run.out.contains("g2018u0.bin   ready"), "{}", run.out);
    assert!(
        run.out.contains("g2012bu0.bin  missing") && !run.out.contains("PRVD02"),
        "{}",
        run.out
    );
    assert!(run.err.contains("1 of these 3 operations lack files"), "{}", run.err);
    let run = bench.ok(&words("grids --from EPSG:4267 --to EPSG:4269 --at 47.4,-120"));
    assert!(run.out.contains("conus.las, conus.los") && !run.out.contains("holds"), "{}", run.out);
    assert!(run.err.contains("none of these operations has all its files"), "{}", run.err);
    let run = bench.ok(&words("grids --from EPSG:4326 --to EPSG:32610"));
    assert!(run.out.is_empty() && run.err.contains("vpeg crs show EPSG:4326 --to"), "{}", run.err);
    for (line, code, says) in [
        ("grids", 1, "no folder of grid files is named"),
        ("grids nowhere", 1, "cannot be read as a folder of grid files"),
        ("grids --from EPSG:4267", 2, "--to"),
        ("grids --at 47,-120", 2, "--from"),
    ] {
        let run = bench.run(&words(line));
        assert!(run.code == code && run.err.contains(says), "{line}: {}", run.err);
    }
}

/// A grid of differences in the layout of VERTCON (millimetres): 24 columns and 3 rows of 1 m.
fn differences() -> Vec<u8> {
    let (columns, rows) = (24i32, 3i32);
    let mut grid = vec![b' '; 64];
    [columns, rows, 1].iter().for_each(|value| grid.extend(value.to_le_bytes()));
    [-121.0f32, 0.1, 47.0, 0.5, 0.0].iter().for_each(|value| grid.extend(value.to_le_bytes()));
    for row in 0..rows {
        grid.resize((columns as usize + 1) * 4 * (row as usize + 1), 0);
        (0..=columns).for_each(|_| grid.extend(1000.0f32.to_le_bytes()));
    }
    grid
}

/// Heights of NGVD29 in feet become heights of NAVD88, and what a careless user does on the way is said.
#[test]
fn heights_change_between_vertical_datums_by_a_grid() {
    let bench = Bench::new();
    std::fs::create_dir(bench.path("grids")).unwrap();
    bench.write("grids/vertconw.94.gz", packed(&differences()));
    let marks =
        "mark,lon,lat,salt,elev_ft\nA,-120,47.4,1,100\nB,-120.1,47.41,2,\nC,-110,47.4,3,5\n";
    bench.write("marks.csv", marks);
    let way = "--crs EPSG:4269+EPSG:5702 --to EPSG:4269+EPSG:6360 --grids grids";
    let foot = 1200.0 / 3937.0;
    let outside =
        "the place lies outside the grid of NGVD29 height (m) to NAVD88 height (1) [EPSG:7969]";
    let unnamed = "EPSG:4269+EPSG:5702 NAD83 + NGVD29 height (ftUS) has heights, and no column is named as \
                   theirs (`elev_ft` looks like one): the places have none: name it with --z";
    // Without a name of the column: said, and nothing is changed.
    let run = bench.ok(&words(&format!("convert marks.csv {way} -o flat.csv")));
    assert!(run.err.contains(unnamed), "{}", run.err);
    assert!(run.err.contains("no place has a height: there was none to change"), "{}", run.err);
    let run = bench.run(&words(&format!("convert marks.csv --z elev_ft {way} -o marks88.csv")));
    assert!(run.code == 3 && !run.err.contains("no place has"), "{}", run.err);
    assert!(run.err.contains("rejected: row 4: -110, 47.4 cannot be carried"), "{}", run.err);
    assert!(bench.read("marks88.csv.rejects.csv").contains(outside));
    let table = bench.table("marks88.csv");
    let heights: Vec<&str> = table.1.iter().map(|row| row.last().unwrap().as_str()).collect();
    let first: f64 = heights[0].parse().unwrap();
    assert!((first - (100.0 + 1.0 / foot)).abs() < 1e-6 && heights[1].is_empty(), "{heights:?}");
    // As features: built and carried in one step, and in two.
    let run =
        bench.run(&words(&format!("build points marks.csv --z elev_ft {way} -o one.csv --wkt")));
    assert!(run.code == 3 && run.err.contains(outside), "{}", run.err);
    let run = bench.ok(&words("build points marks.csv --crs EPSG:4269+EPSG:5702 -o flat.gpkg"));
    assert!(run.err.contains(unnamed), "{}", run.err);
    bench.ok(&words("build points marks.csv --z elev_ft --crs EPSG:4269+EPSG:5702 -o marks.gpkg"));
    let to = "--to EPSG:4269+EPSG:6360 --grids grids";
    let run = bench.run(&words(&format!("convert marks.gpkg {to} -o two.csv --wkt")));
    assert!(
        run.code == 3 && run.err.contains(&format!("1 vertex cannot be converted: {outside}")),
        "{}",
        run.err
    );
    assert!(!run.err.contains("read from the definition"), "{}", run.err);
    assert_eq!(bench.read("one.csv"), bench.read("two.csv"));
    let run = bench.ok(&words(&format!("convert flat.gpkg {to} -o flat2.csv")));
    assert!(run.err.contains("no place has a height"), "{}", run.err);
    // A system without heights asks for none.
    let run = bench.ok(&words("build points marks.csv --crs EPSG:4269 -o plain.gpkg"));
    assert!(!run.err.contains("has heights"), "{}", run.err);
}

fn packed(bytes: &[u8]) -> Vec<u8> {
    use std::io::Write;
    let mut packer = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::default());
    packer.write_all(bytes).unwrap();
    packer.finish().unwrap()
}

/// Files of other layouts in a folder are listed with what they hold, or why they cannot be used.
#[test]
fn grid_files_of_other_layouts_are_listed() {
    let bench = Bench::new();
    std::fs::create_dir(bench.path("grids")).unwrap();
    let list: String = (0..12)
        .map(|at| (50.0 + 0.5 * f64::from(at / 4), 10.0 + 0.5 * f64::from(at % 4)))
        .map(|(lat, lon)| format!("{lat} {lon} 45.5\n"))
        .collect();
    bench.write("grids/GCG2016.txt", &list);
    bench.write("grids/RAF18.mnt", "2 3 45 46 0.5 0.5 2 0 1 0 9999\n1 2 3 4 5 6 7 8 9\n");
    bench.write("grids/bgneu_2019m.asc", "ncols 2\nnrows 2\nxllcorner 23\n");
    bench.write("grids/dvr90_2002.tif", "II*\0");
    bench.write("grids/vertconw.94.gz", packed(&differences()));
    let run = bench.ok(&words("grids grids"));
    for part in [
        "GCG2016.txt",
        "50° to 51° N, 10° to 11.5° E, 12 nodes",
        "45° to 46° N, 2° to 3° E, 9 nodes",
        "not sound: its head has no number `dx`",
        "not sound: it cannot be read as TIFF",
        "vertconw.94",
        "72 nodes",
    ] {
        assert!(run.out.contains(part), "{part}: {}", run.out);
    }
    // The packed file is one that the registry knows by its name without the ending.
    assert!(!run.err.contains("vertconw.94.gz"), "{}", run.err);
}

/// Where a less accurate model of heights is there, the better one is named, and can be insisted on.
#[test]
fn a_better_change_of_heights_is_named() {
    let bench = Bench::new();
    std::fs::create_dir(bench.path("grids")).unwrap();
    bench.write("grids/g2012bu0.bin", model());
    bench.write("marks.csv", "id,e,n,h\n1,-120,47.4,100\n");
    let line = "convert marks.csv --x e --y n --z h --crs EPSG:6318+EPSG:5703 --to EPSG:6319 --grids grids";
    let run = bench.ok(&words(&format!("{line} -o a.csv")));
    let says = "a more accurate change of heights exists: NAD83(2011) to NAVD88 height (3) [EPSG:9229] (0.015 m) \
                needs the file g2018u0.bin";
    assert!(run.err.contains(says), "{}", run.err);
    let run = bench.run(&words(&format!("{line} -o b.csv --require-best")));
    let says =
        "the best way is asked for, and for heights that is NAD83(2011) to NAVD88 height (3)";
    assert!(run.code == 1 && run.err.contains(says) && !bench.has("b.csv"), "{}", run.err);
    bench.write("grids/g2018u0.bin", model());
    let run = bench.ok(&words(&format!("{line} -o b.csv --require-best")));
    assert!(!run.err.contains("more accurate"), "{}", run.err);
}
