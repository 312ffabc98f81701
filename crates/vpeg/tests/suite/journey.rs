//! The commands on the demo data, as a technician would type them.

use crate::support::Bench;

#[test]
fn the_demo_tells_the_whole_story() {
    let bench = Bench::new();
    let run = bench.ok(&["demo", "tumblewick"]);
    for step in ["look", "build points", "declare", "convert", "measure", "draw"] {
        assert!(run.out.contains(&format!("$ vpeg {step}")), "{step}: {}", run.out);
    }
    let made = run.out.split("Made:").nth(1).unwrap();
    for name in [
        "headgates.gpkg",
        "headgates.gpkg.rejects.csv",
        "weirs.gpkg",
        "fields-state-plane.gpkg",
        "map.png",
    ] {
        assert!(made.contains(name), "{name}: {made}");
        assert!(bench.has(&format!("tumblewick/{name}")));
    }
    assert!(run.err.contains("40 rows in, 36 features out, 4 rejected"), "{}", run.err);
    // Again: refused, then replaced.
    assert_eq!(bench.run(&["demo", "tumblewick"]).code, 1);
    bench.ok(&["demo", "tumblewick", "--overwrite"]);
}

#[test]
fn rejects_keep_row_reason_and_original() {
    let bench = Bench::with_demo();
    let run = bench.run(&[
        "build",
        "points",
        "headgates.csv",
        "--lon",
        "longitude",
        "--lat",
        "latitude",
        "--crs",
        "EPSG:4326",
        "-o",
        "gates.gpkg",
    ]);
    assert_eq!(run.code, 3, "{}", run.err);
    assert!(run.err.contains("row 6 (120.0409167, 47.4294917)"), "the lost W is told: {}", run.err);
    assert!(run.err.contains("sign turned"), "{}", run.err);
    let (header, rows) = bench.table("gates.gpkg.rejects.csv");
    assert_eq!(header[..3], ["source_row", "reason", "gate"]);
    let found: Vec<(&str, &str)> =
        rows.iter().map(|row| (row[0].as_str(), row[2].as_str())).collect();
    assert_eq!(found, [("11", "G-010"), ("16", "G-015"), ("22", "G-021"), ("28", "G-027")]);
    assert!(rows[1][1].contains("minutes must be under 60"));
    assert!(rows[3].contains(&"behind the pump house".to_string()));
    let look = bench.ok(&["look", "gates.gpkg", "--json"]).json();
    assert_eq!(look["layers"][0]["features"], 36);
    assert_eq!(look["layers"][0]["crs"], "EPSG:4326");
    assert_eq!(look["layers"][0]["geometry"], "point");
}

#[test]
fn looking_says_what_comes_next() {
    let bench = Bench::with_demo();
    let run = bench.ok(&["look", "headgates.csv"]);
    assert!(
        run.out.contains("vpeg build points headgates.csv --lon longitude --lat latitude"),
        "{}",
        run.out
    );
    assert!(run.out.contains("row 22: the longitude is blank"));
    let json = bench.ok(&["look", "headgates.csv", "--json"]).json();
    assert_eq!(json["rows"], 40);
    assert_eq!(json["degrees"], true);
    assert_eq!(json["unusable_rows"], 4);
    for (file, next) in [
        ("lateral-vertices.csv", "vpeg build lines lateral-vertices.csv --by ditch --order point"),
        ("beats.csv", "vpeg build lines beats.csv --by beat --order corner"),
        ("deed.csv", "vpeg build courses deed.csv --start EASTING,NORTHING"),
    ] {
        let run = bench.ok(&["look", file]);
        assert!(run.out.contains(next), "{}", run.out);
    }
    let run = bench.ok(&["look", "old-weirs.csv"]);
    assert!(run.out.contains("--e east --n north --crs REF"), "{}", run.out);
}

#[test]
fn data_goes_round_the_formats_and_comes_back() {
    let bench = Bench::with_demo();
    bench.ok(&["convert", "fields.geojson", "--to", "EPSG:2285", "-o", "grid.gpkg"]);
    bench.ok(&["convert", "grid.gpkg", "--to", "like:fields.geojson", "-o", "back.geojson"]);
    let area = |file: &str| {
        bench.ok(&["measure", file, "--json"]).json()["totals"]["area_ellipsoid_m2"]
            .as_f64()
            .unwrap()
    };
    // WGS 84 and GRS 1980 differ by less than a part in 10^10 in area.
    assert!((area("fields.geojson") / area("back.geojson") - 1.0).abs() < 1e-9);
    assert!((area("fields.geojson") / area("grid.gpkg") - 1.0).abs() < 1e-9);
    let first = |file: &str| -> serde_json::Value {
        serde_json::from_str::<serde_json::Value>(&bench.read(file)).unwrap()["features"][2].clone()
    };
    let (before, after) = (first("fields.geojson"), first("back.geojson"));
    assert_eq!(before["properties"], after["properties"]);
    let rings =
        |feature: &serde_json::Value| feature["geometry"]["coordinates"].as_array().unwrap().len();
    assert_eq!((rings(&before), rings(&after)), (2, 2), "the hole stays");
    for at in 0..2 {
        let number =
            |f: &serde_json::Value| f["geometry"]["coordinates"][0][1][at].as_f64().unwrap();
        assert!((number(&before) - number(&after)).abs() < 1e-9);
    }
    // Vertices as rows.
    bench.ok(&["convert", "grid.gpkg", "--to", "EPSG:4269", "-o", "vertices.csv"]);
    let (header, rows) = bench.table("vertices.csv");
    assert_eq!(header[4..], ["feature", "part", "ring", "vertex", "lon", "lat"]);
    assert!(rows.iter().any(|row| row[6] == "2"), "the hole is the second ring");
}

#[test]
fn declaring_moves_nothing() {
    let bench = Bench::with_demo();
    bench.ok(&[
        "build",
        "points",
        "old-weirs.csv",
        "--e",
        "east",
        "--n",
        "north",
        "-o",
        "weirs.gpkg",
    ]);
    let span =
        |file: &str| bench.ok(&["look", file, "--json"]).json()["layers"][0]["extent"].clone();
    let before = span("weirs.gpkg");
    assert_eq!(
        bench.run(&["declare", "weirs.gpkg", "--crs", "EPSG:2285"]).code,
        1,
        "in place needs --overwrite"
    );
    bench.ok(&["declare", "weirs.gpkg", "--crs", "EPSG:2285", "--overwrite"]);
    assert_eq!(span("weirs.gpkg"), before);
    // A zone that the numbers cannot belong to is told.
    let run = bench.ok(&["declare", "weirs.gpkg", "--crs", "EPSG:2269", "-o", "wrong.gpkg"]);
    assert!(run.err.contains("outside the area where EPSG:2269"), "{}", run.err);
    // Metres for feet too.
    let run = bench.ok(&["declare", "weirs.gpkg", "--crs", "EPSG:32148", "-o", "metres.gpkg"]);
    assert!(run.err.contains("taken as feet it would be inside"), "{}", run.err);
}

#[test]
fn tables_stream_from_standard_input_to_standard_output() {
    let bench = Bench::new();
    let input = "id;east;north;lon\n1;726010.3746;5254894.2202;old\n2;;1;x\n3;1;2\n";
    let run = bench.run_with(
        &[
            "convert",
            "-",
            "--e",
            "east",
            "--n",
            "north",
            "--crs",
            "EPSG:32610",
            "--to",
            "EPSG:4326",
            "--decimals",
            "6",
            "-o",
            "-",
        ],
        input,
    );
    assert_eq!(run.code, 3, "{}", run.err);
    assert_eq!(
        run.out,
        "id;east;north;lon;lon_2;lat\n1;726010.3746;5254894.2202;old;-120.004167;47.408333\n"
    );
    assert!(run.err.contains("the new one is called `lon_2`"), "{}", run.err);
    assert!(run.err.contains("3 rows in, 1 row out, 2 rejected"), "{}", run.err);
    let rejects = &run.err;
    assert!(!bench.has("rejects.csv"), "nothing is left where nothing was named");
    assert!(rejects.contains("3,the coordinate is blank,2,,1,x"), "{rejects}");
    assert!(rejects.contains("4,the row has 3 fields where the header has 4,3,1,2"), "{rejects}");
}

#[test]
fn encodings_and_delimiters_are_told_or_taken() {
    let bench = Bench::new();
    let text = "gate\tname\tlat\tlon\n1\tVerschlußbach\t47.40\t-120.01\n";
    let utf16: Vec<u8> =
        [0xFF, 0xFE].into_iter().chain(text.encode_utf16().flat_map(u16::to_le_bytes)).collect();
    let latin: Vec<u8> = text.chars().map(|c| c as u32 as u8).collect();
    bench.write("utf16.txt", utf16);
    bench.write("latin.txt", latin);
    bench.write("utf8.txt", format!("\u{feff}{text}"));
    for file in ["utf16.txt", "latin.txt", "utf8.txt"] {
        let out = format!("{file}.geojson");
        bench.ok(&["build", "points", file, "--crs", "EPSG:4326", "-o", &out]);
        assert!(bench.read(&out).contains("Verschlußbach"), "{file}");
    }
    // Apostrophes as quotation marks, told and taken; marks as ordinary characters.
    bench.write("single.csv", "'gate','lat','lon'\n'North, lower',47.4,-120\n");
    bench.ok(&["build", "points", "single.csv", "--crs", "EPSG:4326", "-o", "single.geojson"]);
    assert!(bench.read("single.geojson").contains("\"gate\":\"North, lower\""));
    let rows = "1\t47.4\t-120\n".repeat(60);
    bench.write("open.tsv", format!("gate\tlat\tlon\n\"5 inch\t47.4\t-120\n{rows}"));
    let run =
        bench.run(&["build", "points", "open.tsv", "--crs", "EPSG:4326", "-o", "open.geojson"]);
    assert!(
        run.code == 1
            && run.err.contains("row 2: the row runs over")
            && run.err.contains("--quote none"),
        "{}",
        run.err
    );
    let json = bench
        .ok(&[
            "build",
            "points",
            "open.tsv",
            "--quote",
            "none",
            "--crs",
            "EPSG:4326",
            "-o",
            "open.geojson",
            "--json",
        ])
        .json();
    assert_eq!(
        (&json["rows_in"], &json["out"], &json["rejected"]),
        (&61.into(), &61.into(), &0.into())
    );
    bench.write("odd.csv", "a&lat&lon\n1&47.4&-120\n");
    assert_eq!(
        bench.run(&["build", "points", "odd.csv", "--crs", "EPSG:4326", "-o", "odd.gpkg"]).code,
        1
    );
    bench.ok(&[
        "build",
        "points",
        "odd.csv",
        "--delimiter",
        "&",
        "--crs",
        "EPSG:4326",
        "-o",
        "odd.gpkg",
    ]);
}

#[test]
fn one_place_and_one_course() {
    let bench = Bench::new();
    let sheet = bench.ok(&["position", "47°24'30\"N 120°00'15\"W"]);
    for text in [
        "47.408333333  -120.004166667",
        "47°24.500000′N",
        "EPSG:32610",
        "grid reference",
        "EPSG:2285",
        "ftUS",
        "point scale factor",
        "convergence",
        "X, Y, Z",
    ] {
        assert!(sheet.out.contains(text), "{text}: {}", sheet.out);
    }
    assert!(sheet.err.contains("from UTM zone 11N"), "{}", sheet.err);
    let json =
        bench.ok(&["position", "1845734.4072, 150054.5625", "--crs", "EPSG:2285", "--json"]).json();
    assert_eq!(json["crs"], "EPSG:4269");
    assert!((json["latitude"].as_f64().unwrap() - 47.408333333).abs() < 1e-8);
    // South of the equator a place begins with a minus.
    let there = bench
        .ok(&["course", "-33.9, 18.4", "--azimuth", "-45", "--distance", "1000", "--json"])
        .json();
    let end = format!("{}, {}", there["latitude"], there["longitude"]);
    let back = bench.ok(&["course", "-33.9, 18.4", &end, "--json"]).json();
    assert!((back["distance_m"].as_f64().unwrap() - 1000.0).abs() < 1e-7);
    assert!((back["azimuth_from"].as_f64().unwrap() - 315.0).abs() < 1e-9);
}

#[test]
fn the_registry_is_searched_and_shown() {
    let bench = Bench::new();
    let found = bench.ok(&["crs", "find", "washington", "south", "feet", "--json"]).json();
    assert_eq!(found["systems"][0]["code"], 6599);
    assert_eq!(found["systems"][1]["code"], 2286);
    let sheet = bench.ok(&["crs", "show", "EPSG:2286", "--to", "EPSG:4326"]);
    for text in [
        "Lambert Conic Conformal (2SP)",
        "1640416.667 US survey foot",
        "12.057",
        "IOGP",
        "known to 4 m",
        "wohpgn.las",
    ] {
        assert!(sheet.out.contains(text), "{text}: {}", sheet.out);
    }
    let json = bench.ok(&["crs", "show", "4269", "--to", "4326", "--json"]).json();
    assert_eq!(json["route"]["accuracy_m"], 4.0);
    assert_eq!(json["route"]["operations"][0]["changes_nothing"], true);
}

#[test]
fn maps_are_drawn_with_everything_a_map_needs() {
    let bench = Bench::with_demo();
    bench.ok(&[
        "draw",
        "fields.geojson",
        "laterals.geojson",
        "-o",
        "map.svg",
        "--title",
        "Ditches & fields",
    ]);
    let svg = bench.read("map.svg");
    for text in [
        "Ditches &amp; fields",
        "Legend",
        "fields",
        "laterals",
        "16 polygons",
        ">N</text>",
        " km</text>",
        "′W</text>",
        "EPSG:4326 WGS 84",
    ] {
        assert!(svg.contains(text), "{text}");
    }
    // One path a feature, with holes in the same path.
    let polygons = svg.split("fill-opacity=\"0.75\"").nth(1).unwrap().split("</g>").next().unwrap();
    assert_eq!(polygons.matches("<path").count(), 16);
    bench.ok(&[
        "draw",
        "laterals.geojson",
        "--crs",
        "EPSG:2285",
        "--pixels",
        "640x480",
        "-o",
        "map.png",
    ]);
    let png = std::fs::read(bench.path("map.png")).unwrap();
    assert_eq!(&png[1..4], b"PNG");
    assert_eq!(
        (&png[16..20], &png[20..24]),
        (&640u32.to_be_bytes()[..], &480u32.to_be_bytes()[..])
    );
}
