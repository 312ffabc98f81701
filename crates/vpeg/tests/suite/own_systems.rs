//! Systems of one's own for a site: made, written, used by every command, and kept by every format that
//! can say them.

use crate::support::{Bench, words};

/// Runs `crs make` with the words and the place of the demo.
fn make(bench: &Bench, line: &str) -> crate::support::Run {
    let mut line = words(line);
    line.splice(0..0, ["crs", "make"]);
    bench.run(&line)
}

const AT: &str = "47.4,-120.0";

/// What a command says, and with which code it ends.
const CASES: &[(&str, i32, &[&str])] = &[
    (
        "ground EPSG:2285 --at AT --height 380 -o plain.prj",
        0,
        &[
            "combined factor          0.999960594 (ground lengths are 39.4 ppm longer)",
            "warning: coordinates of this system look like those of EPSG:2285: --shift",
            "wrote plain.prj: `vpeg convert DATA --to file:plain.prj -o OUT`",
        ],
    ),
    (
        "ground EPSG:2285 --at AT --combined-factor 0.9999 --from-origin -o origin.json",
        0,
        &["0.999900000 (ground lengths are 100.0 ppm longer)", ".wkt, .prj and .json say it"],
    ),
    (
        "ground EPSG:2285 --at AT --height 380 --rotate -12.5 --shift -1840000,-140000 -o site.wkt",
        0,
        &["at grid bearing -12.5°", "6799.030, 7026.170", ".prj cannot"],
    ),
    (
        "ground EPSG:2285 --at AT --height 380 --rotate 12.5 -o site.prj",
        1,
        &[
            "site.prj: WKT 1",
            "has no words for a plane that is turned or stretched: write it to a .wkt or a .json",
        ],
    ),
    (
        "ground EPSG:2285 --at 46.3,-119.3 --height -5 --shift 1,1 -o south.wkt",
        0,
        &[
            "lies in Washington South (Benton, Washington), not in Washington North, which EPSG:2285",
        ],
    ),
    (
        "ground EPSG:26910 --at 40,-75 --combined-factor 1.0004 --shift 1,1 -o far.wkt",
        0,
        &["(ground lengths are 399.8 ppm shorter)", "lies outside the area where EPSG:26910"],
    ),
    (
        "ground EPSG:2285 --at AT --height 380000 -o x.wkt",
        1,
        &["380000 m is no height of the ground"],
    ),
    ("ground EPSG:2285 --at AT --height 380 -o plain.prj", 1, &["plain.prj: exists already"]),
    ("ground EPSG:2285 --at AT --height 380 -o plain.txt", 1, &["end in .wkt (WKT 2), .prj"]),
    ("ground EPSG:4326 --at AT --height 380 -o x.wkt", 1, &["EPSG:4326 WGS 84 is not projected"]),
    ("ground EPSG:3857 --at AT --height 380 -o x.wkt", 1, &["keeps no angles"]),
    ("ground EPSG:5703 --at AT --height 380 -o x.wkt", 1, &["no system of places on the Earth"]),
    (
        "ground EPSG:2285 --at AT --combined-factor 1.2 -o x.wkt",
        1,
        &["it is near 1, such as 0.99994"],
    ),
    (
        "ground EPSG:2285 --at AT --height 1 --shift 5 -o x.wkt",
        1,
        &["`5` is no easting and northing"],
    ),
    ("ground EPSG:2285 --at AT -o x.wkt", 2, &["--height <METRES>|--combined-factor <FACTOR>"]),
    ("ground EPSG:2285 --at Wenatchee --height 1 -o x.wkt", 1, &["`Wenatchee` is no place"]),
    (
        "low-distortion --area 47.3,-120.2,47.5,-119.9 --height 380 -o ldp.prj",
        0,
        &[
            "at 225 places, 380 m above the ellipsoid",
            "EPSG:32148 NAD83 / Washington North",
            "written: Lambert Conformal Conic, parallel 47°24′ N       -0.6      +1.0      +0.0  1.0 mm at most",
            "instead: Transverse Mercator, meridian 120°03′ W",
            "scale factor at natural origin  1.000059",
            "false northing                  70000 metres",
        ],
    ),
    (
        "low-distortion --like fields.geojson --height 350..420 --unit ftUS -o demo.wkt",
        0,
        &[
            "350 m to 420 m above the ellipsoid",
            "warning: EPSG:4326 WGS 84 is known to metres only",
            "false easting                   30000 US survey feet",
        ],
    ),
    (
        "low-distortion --area -33.9,151,-33.7,151.3 --height -20..20 --base EPSG:7844 -o s.json",
        0,
        &["EPSG:32756 WGS 84 / UTM zone 56S", "parallel 33°48′ S", "EPSG:7844 GDA2020"],
    ),
    ("low-distortion --area 47,-120,46,-119 --height 1 -o x.wkt", 1, &["is no area: write south"]),
    ("low-distortion --area 47,-120,48 --height 1 -o x.wkt", 1, &["is no area: write south"]),
    ("low-distortion --area 30,-120,55,-119 --height 1 -o x.wkt", 1, &["less than 20° apart"]),
    (
        "low-distortion --area 47,-120,48,-119 --height 9..1 -o x.wkt",
        1,
        &["is no height in metres"],
    ),
    ("low-distortion --area 47,-120,48,-119 --height 1 --unit rod7 -o x.wkt", 1, &["rod7"]),
    ("low-distortion --height 1 -o x.wkt", 2, &["--like <FILE>|--area"]),
    (
        "low-distortion --like weirs-undeclared.gpkg --height 1 -o x.wkt",
        1,
        &["has no reference system"],
    ),
    (
        "low-distortion --like fields.geojson --base EPSG:2285 --height 1 -o x.wkt",
        1,
        &["is not geographic"],
    ),
];

#[test]
fn systems_are_made_or_refused_with_the_reason() {
    let bench = Bench::with_demo();
    bench.ok(&words("build points old-weirs.csv --x east --y north -o weirs-undeclared.gpkg"));
    for (line, code, says) in CASES {
        let run = make(&bench, &line.replace("AT", AT));
        assert_eq!(run.code, *code, "{line}\n{}{}", run.out, run.err);
        for part in *says {
            let text = format!("{}{}", run.out, run.err);
            assert!(text.contains(part), "{line}: {part}\n{text}");
        }
        assert!(!bench.has("x.wkt") && !bench.has("site.prj"), "{line}");
    }
}

/// Lengths on the plane of a ground system are those on the ground, told by the tool itself.
#[test]
fn lengths_in_a_ground_system_are_those_on_the_ground() {
    let bench = Bench::with_demo();
    assert_eq!(
        make(&bench, &format!("ground EPSG:2285 --at {AT} --height 380 --rotate 30 -o g.wkt")).code,
        0
    );
    assert_eq!(
        make(&bench, "low-distortion --like fields.geojson --base EPSG:6318 --height 380 -o l.wkt")
            .code,
        0
    );
    for (system, ppm) in [("file:g.wkt", 15.0), ("file:l.wkt", 1.0)] {
        bench.ok(&words(&format!(
            "convert fields.geojson --to {system} -o on-site.gpkg --overwrite"
        )));
        let run = bench.ok(&words("measure on-site.gpkg --height 380 --json"));
        let answer: serde_json::Value = serde_json::from_str(&run.out).unwrap();
        let features = answer["features"].as_array().unwrap();
        assert_eq!(features.len(), 16);
        for feature in features {
            let number = |name: &str| {
                let found = feature.as_object().unwrap().iter().find(|(key, _)| key.contains(name));
                found.unwrap_or_else(|| panic!("{name}: {feature}")).1.as_f64().unwrap()
            };
            let off = (number("perimeter_grid") / number("perimeter_ground") - 1.0) * 1e6;
            assert!(off.abs() < ppm, "{system}: {off} ppm");
        }
    }
}

/// Every format that can say a turned plane keeps it; the others say that they do not.
#[test]
fn formats_keep_a_turned_plane_or_say_that_they_do_not() {
    let bench = Bench::with_demo();
    assert_eq!(
        make(&bench, &format!("ground EPSG:2285 --at {AT} --height 380 --rotate 30 -o site.wkt"))
            .code,
        0
    );
    bench.ok(&words("convert fields.geojson --to EPSG:2285 -o grid.gpkg"));
    bench.ok(&words("convert grid.gpkg --to EPSG:2285 -o plain.csv --wkt --decimals 5"));
    for output in ["a.gpkg", "a.parquet", "a.fgb"] {
        bench.ok(&words(&format!("convert grid.gpkg --to file:site.wkt -o {output}")));
        let look = bench.ok(&words(&format!("look {output}")));
        assert!(look.out.contains("site (a system without a code)"), "{output}: {}", look.out);
        let back = bench.ok(&words(&format!(
            "convert {output} --to EPSG:2285 -o back.csv --wkt --decimals 5 --overwrite"
        )));
        assert!(back.err.contains("same datum: no shift"), "{output}: {}", back.err);
        // FlatGeobuf has its own order.
        let lines = |file: &str| {
            let mut lines: Vec<String> = bench.read(file).lines().map(String::from).collect();
            lines.sort();
            lines
        };
        assert_eq!(lines("back.csv"), lines("plain.csv"), "{output}");
    }
    let run = bench.ok(&words("convert grid.gpkg --to file:site.wkt -o a.shp"));
    assert!(
        run.err.contains("warning: the file beside a Shapefile cannot say site"),
        "{}",
        run.err
    );
    assert!(!bench.has("a.prj"));
    let run = bench.run(&words("convert grid.gpkg --to file:site.wkt -o b.shp --strict"));
    assert_eq!(run.code, 1, "{}", run.err);
    // A second layer and a second system of one's own in the same file, and one declared there.
    assert_eq!(
        make(&bench, &format!("ground EPSG:2285 --at {AT} --height 380 --rotate 31 -o other.wkt"))
            .code,
        0
    );
    bench.ok(&words(
        "convert laterals.geojson --to file:site.wkt -o a.gpkg --output-layer laterals --append",
    ));
    bench.ok(&words(
        "convert laterals.geojson --to file:other.wkt -o a.gpkg --output-layer others --append",
    ));
    let database = rusqlite::Connection::open(bench.path("a.gpkg")).unwrap();
    let systems: Vec<(i64, String)> = database
        .prepare("SELECT srs_id, srs_name FROM gpkg_spatial_ref_sys WHERE definition_12_063 LIKE 'DERIVED%' ORDER BY 2")
        .unwrap()
        .query_map([], |row| Ok((row.get(0)?, row.get(1)?)))
        .unwrap()
        .collect::<Result<_, _>>()
        .unwrap();
    let names: Vec<&str> = systems.iter().map(|(_, name)| name.as_str()).collect();
    assert_eq!(names, ["other", "site"]);
    let used: i64 = database
        .query_row(
            "SELECT count(DISTINCT srs_id) FROM gpkg_contents WHERE srs_id > 1000000",
            [],
            |row| row.get(0),
        )
        .unwrap();
    assert_eq!(used, 2);
    let registered: i64 = database
        .query_row(
            "SELECT count(*) FROM gpkg_extensions WHERE extension_name = 'gpkg_crs_wkt'",
            [],
            |row| row.get(0),
        )
        .unwrap();
    assert_eq!(registered, 1);
}

/// GeoPackages of other hands that have a definition in WKT 2 only.
#[test]
fn definitions_in_the_newer_column_of_a_geopackage_are_read() {
    let bench = Bench::with_demo();
    bench.ok(&words("convert fields.geojson --to EPSG:2285 -o a.gpkg"));
    let wkt2 = bench.ok(&words("crs show EPSG:2285 --as wkt2")).out;
    let database = rusqlite::Connection::open(bench.path("a.gpkg")).unwrap();
    database
        .execute_batch(
            "ALTER TABLE gpkg_spatial_ref_sys ADD COLUMN definition_12_063 TEXT NOT NULL DEFAULT 'undefined';
             UPDATE gpkg_spatial_ref_sys SET organization = 'OURS', definition = 'undefined' WHERE srs_id = 2285",
        )
        .unwrap();
    let look = || bench.ok(&words("look a.gpkg")).out;
    assert!(look().contains("missing"), "{}", look());
    let set = |column: &str, text: &str| {
        let sql = format!("UPDATE gpkg_spatial_ref_sys SET {column} = ?1 WHERE srs_id = 2285");
        database.execute(&sql, [text]).unwrap();
    };
    set("definition_12_063", wkt2.trim());
    assert!(look().contains("EPSG:2285"), "{}", look());
    // One that cannot be read does not stand before one that can.
    set("definition_12_063", "FANCYCRS[\"x\"]");
    assert!(look().contains("missing"), "{}", look());
    set("definition", bench.ok(&words("crs show EPSG:2286 --as wkt1")).out.trim());
    assert!(look().contains("EPSG:2286"), "{}", look());
}

/// What is not said by a file beside a Shapefile: heights above the ellipsoid, where there are any.
#[test]
fn heights_above_the_ellipsoid_are_not_lost_without_a_word() {
    let bench = Bench::new();
    bench.write("marks.csv", "id,lon,lat,h\n1,-120,47.4,380.5\n2,-120.1,47.5,401\n");
    bench.ok(&words("build points marks.csv --crs EPSG:6319 --z h -o marks.gpkg"));
    let said = "has no word for heights above the ellipsoid";
    let run = bench.ok(&words("convert marks.gpkg -o marks.shp"));
    assert!(run.err.contains(said) && run.err.contains("EPSG:6319"), "{}", run.err);
    bench.write("flat.csv", "id,lon,lat\n1,-120,47.4\n");
    bench.ok(&words("build points flat.csv --crs EPSG:6318 -o flat.gpkg"));
    let run = bench.ok(&words("convert flat.gpkg -o flat.shp"));
    assert!(!run.err.contains(said), "{}", run.err);
}

#[test]
fn systems_of_ones_own_are_shown_with_what_they_are_made_of() {
    let bench = Bench::new();
    let line =
        format!("ground EPSG:2285 --at {AT} --height 380 --rotate -10 --name Weirs -o w.json");
    assert_eq!(make(&bench, &line).code, 0);
    let run = bench.ok(&words("crs show file:w.json"));
    for part in [
        "Weirs (a system without a code)",
        "derived from",
        "EPSG:2285 NAD83 / Washington North (ftUS)",
        "10° anticlockwise",
        "lengths times",
        "its definition",
    ] {
        assert!(run.out.contains(part), "{part}: {}", run.out);
    }
    assert!(run.err.contains("the plane of EPSG:2285"), "{}", run.err);
    let wkt = bench.ok(&words("crs show file:w.json --as wkt2"));
    bench.write("again.wkt", &wkt.out);
    let again = bench.ok(&words("crs show file:again.wkt"));
    assert_eq!(again.out, run.out);
    let run = bench.run(&words("crs show file:w.json --as prj"));
    assert!(run.code != 0 && run.err.contains("cannot be written in this notation"), "{}", run.err);
}

/// Coordinate metadata: the system is taken, and the epoch is told for the option that states it.
#[test]
fn the_epoch_of_coordinate_metadata_is_told() {
    let bench = Bench::new();
    let wkt = bench.ok(&words("crs show EPSG:9989 --as wkt2")).out;
    bench.write("epoch.wkt", format!("COORDINATEMETADATA[{},EPOCH[2020.5]]", wkt.trim()));
    bench.write("place.csv", "id,lon,lat,h\n1,-120,47,5\n");
    let line = "convert place.csv --crs file:epoch.wkt --to EPSG:6319 --z h -o out.csv";
    let run = bench.run(&words(line));
    assert!(run.code == 1 && run.err.contains("for coordinates of epoch 2020.5"), "{}", run.err);
    assert!(run.err.contains("needs their epoch"), "{}", run.err);
    let run = bench.ok(&words(&format!("{line} --epoch 2020.5")));
    assert!(!run.err.contains("warning"), "{}", run.err);
    bench.write("bare.wkt", "COORDINATEMETADATA[EPOCH[2020.5]]");
    let run = bench.run(&words("crs show file:bare.wkt"));
    assert!(run.code == 1 && run.err.contains("COORDINATEMETADATA"), "{}", run.err);
}

/// A system of one's own is taken by every command that takes a system.
#[test]
fn every_command_takes_a_system_of_ones_own() {
    let bench = Bench::with_demo();
    let line = format!("ground EPSG:2285 --at {AT} --height 380 --rotate 30 -o site.wkt");
    assert_eq!(make(&bench, &line).code, 0);
    // A position and back, with the figures of the plane.
    let run = bench.ok(&words(&format!("position {AT} --crs EPSG:4269 --to file:site.wkt")));
    for part in ["1846799.0299", "147026.1692", "convergence", "site (a system without a code)"] {
        assert!(run.out.contains(part), "{part}: {}", run.out);
    }
    let run =
        bench.ok(&words("position 1846799.030,147026.170 --crs file:site.wkt --to EPSG:4269"));
    assert!(run.out.contains("47°24′00.0000") || run.out.contains("47.4000000"), "{}", run.out);
    // Building with a change of system on the way, or afterwards.
    bench.ok(&words("build points old-weirs.csv --x east --y north --crs EPSG:2285 --to file:site.wkt -o a.gpkg"));
    bench.ok(&words("build points old-weirs.csv --x east --y north --crs EPSG:2285 -o grid.gpkg"));
    bench.ok(&words("convert grid.gpkg --to file:site.wkt -o b.gpkg"));
    for name in ["a", "b"] {
        bench.ok(&words(&format!("convert {name}.gpkg -o {name}.csv --wkt")));
    }
    assert_eq!(bench.read("a.csv"), bench.read("b.csv"));
    // Declared, measured on, checked, drawn, tagged.
    bench.ok(&words("build points old-weirs.csv --x east --y north -o bare.gpkg"));
    let run = bench.ok(&words("declare bare.gpkg --crs file:site.wkt -o declared.gpkg"));
    assert!(run.err.contains("no coordinate was moved"), "{}", run.err);
    assert!(bench.ok(&words("look declared.gpkg")).out.contains("site (a system without a code)"));
    let run = bench.ok(&words("measure fields.geojson --grid file:site.wkt"));
    assert!(run.out.contains("grid: plane, on site"), "{}", run.out);
    let run = bench.ok(&words("check a.gpkg"));
    assert!(run.out.contains("all inside"), "{}", run.out);
    bench.ok(&words("draw a.gpkg fields.geojson --crs file:site.wkt -o map.svg"));
    bench.ok(&words("convert fields.geojson --to file:site.wkt -o fields-site.gpkg"));
    let run = bench.ok(&words("tag b.gpkg --from fields-site.gpkg --columns field -o tagged.gpkg"));
    assert!(!run.err.contains("different datums"), "{}", run.err);
    // As a job, and again: the same bytes.
    bench.ok(&words("convert grid.gpkg --to file:site.wkt -o c.gpkg --save-job job.toml"));
    bench.ok(&words("run job.toml --overwrite"));
    let first = std::fs::read(bench.path("c.gpkg")).unwrap();
    bench.ok(&words("run job.toml --overwrite"));
    assert!(std::fs::read(bench.path("c.gpkg")).unwrap() == first, "the job writes other bytes");
}

/// Only a definition is replaced by one: a file of the same name may be data.
#[test]
fn data_are_not_replaced_by_a_definition() {
    let bench = Bench::with_demo();
    let data = bench.read("fields.geojson");
    bench.write("fields.json", &data);
    for line in [
        "low-distortion --like fields.json --height 380 -o fields.json --overwrite".to_string(),
        format!("ground EPSG:2285 --at {AT} --height 380 -o fields.json --overwrite"),
    ] {
        let run = make(&bench, &line);
        assert!(run.code == 1 && run.err.contains("holds no definition"), "{line}: {}", run.err);
        assert_eq!(bench.read("fields.json"), data);
    }
    let line = format!("ground EPSG:2285 --at {AT} --height 380 -o g.json --overwrite");
    assert_eq!(make(&bench, &line).code, 0);
    assert_eq!(make(&bench, &line.replace("380", "390")).code, 0);
}
