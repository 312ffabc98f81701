//! What a careless user does, and what the answer must say: one table of cases.

use crate::support::Bench;

struct Case {
    arguments: &'static [&'static str],
    code: i32,
    /// All of these must be in the message.
    says: &'static [&'static str],
}

const CASES: &[Case] = &[
    Case {
        arguments: &[
            "build",
            "points",
            "gates.csv",
            "--x",
            "longitud",
            "--y",
            "lat",
            "--crs",
            "EPSG:4326",
            "-o",
            "o.gpkg",
        ],
        code: 1,
        says: &["no column `longitud`", "`lon`", "did you mean `lon`?"],
    },
    Case {
        arguments: &[
            "build",
            "points",
            "gates.csv",
            "--x",
            "lat",
            "--y",
            "lon",
            "--crs",
            "EPSG:4326",
            "-o",
            "o.gpkg",
        ],
        code: 1,
        says: &["none of the 3 rows", "Swapping the two columns"],
    },
    Case {
        arguments: &["build", "points", "grid.csv", "--crs", "EPSG:4326", "-o", "o.gpkg"],
        code: 1,
        says: &["look like projected coordinates", "vpeg crs find"],
    },
    Case {
        arguments: &["build", "points", "gates.csv", "--crs", "EPSG:32610", "-o", "o.gpkg"],
        code: 0,
        says: &["these look like degrees, such as those of EPSG:4326", "vpeg crs find"],
    },
    Case {
        arguments: &["build", "points", "gates.csv", "-o", "o.gpkg"],
        code: 0,
        says: &["no reference system was given", "vpeg declare o.gpkg"],
    },
    Case {
        arguments: &["build", "points", "gates.csv", "--crs", "EPSG:4326", "-o", "there.gpkg"],
        code: 1,
        says: &["there.gpkg: exists already", "--overwrite"],
    },
    Case {
        arguments: &["build", "points", "gates.csv", "--crs", "EPSG:4326", "-o", "o.xyz"],
        code: 1,
        says: &["o.xyz", "use .gpkg, .shp, .geojson"],
    },
    Case {
        arguments: &["build", "points", "none.csv", "--crs", "EPSG:4326", "-o", "o.gpkg"],
        code: 1,
        says: &["none.csv"],
    },
    Case {
        arguments: &["build", "points", "header.csv", "--crs", "EPSG:4326", "-o", "o.gpkg"],
        code: 1,
        says: &["has a header but no rows"],
    },
    Case {
        arguments: &["build", "points", "blank.csv", "--crs", "EPSG:4326", "-o", "o.gpkg"],
        code: 1,
        says: &["is empty", "header row"],
    },
    Case {
        arguments: &["build", "points", "one.csv", "--crs", "EPSG:4326", "-o", "o.gpkg"],
        code: 0,
        says: &["1 row in, 1 feature out, 0 rejected"],
    },
    Case {
        arguments: &["build", "points", "gates.csv", "--crs", "EPSG:99999", "-o", "o.gpkg"],
        code: 1,
        says: &["EPSG:99999 is not a reference system", "vpeg crs find"],
    },
    Case {
        arguments: &["build", "points", "gates.csv", "--crs", "washington south", "-o", "o.gpkg"],
        code: 1,
        says: &["matches", "choose one by its code", "EPSG:2286"],
    },
    Case {
        arguments: &["build", "points", "binary.csv", "--crs", "EPSG:4326", "-o", "o.gpkg"],
        code: 1,
        says: &["is a zip archive by its first bytes", "call it .zip, or .xlsx"],
    },
    Case {
        arguments: &["convert", "gates.csv", "--to", "EPSG:2286", "-o", "o.csv"],
        code: 1,
        says: &["does not say which reference system", "--crs"],
    },
    Case {
        arguments: &[
            "convert",
            "gates.csv",
            "--crs",
            "EPSG:4326",
            "--to",
            "EPSG:2286",
            "-o",
            "o.gpkg",
        ],
        code: 1,
        says: &["make features of it", "vpeg build points gates.csv"],
    },
    Case {
        arguments: &["convert", "undeclared.gpkg", "--to", "EPSG:2286", "-o", "o.gpkg"],
        code: 1,
        says: &["has no reference system", "vpeg declare"],
    },
    Case {
        arguments: &["measure", "undeclared.gpkg"],
        code: 1,
        says: &["has no reference system", "vpeg declare"],
    },
    Case {
        arguments: &["measure", "gates.csv"],
        code: 1,
        says: &["is a table, not a layer", "vpeg build points"],
    },
    Case {
        arguments: &["convert", "laterals.geojson", "--to", "utm", "-o", "o.gpkg"],
        code: 1,
        says: &["straddles UTM zones", "EPSG:32610", "EPSG:32611"],
    },
    Case {
        arguments: &["convert", "laterals.geojson", "--to", "EPSG:5703", "-o", "o.gpkg"],
        code: 1,
        says: &["NAVD88 height", "no horizontal position"],
    },
    Case {
        arguments: &["convert", "laterals.geojson", "--to", "EPSG:4269", "-o", "o.gpkg"],
        code: 0,
        says: &["known to 4 m", "shifts nothing"],
    },
    Case {
        arguments: &[
            "convert",
            "laterals.geojson",
            "--to",
            "EPSG:4269",
            "--strict",
            "-o",
            "o.gpkg",
        ],
        code: 3,
        says: &["shifts nothing"],
    },
    Case {
        arguments: &["look", "projected.geojson"],
        code: 0,
        says: &["look projected", "vpeg declare projected.geojson"],
    },
    Case { arguments: &["look", "broken.geojson"], code: 1, says: &["broken.geojson", "line 1"] },
    Case {
        arguments: &["draw", "laterals.geojson", "-o", "map.pdf"],
        code: 1,
        says: &["map.pdf", ".svg or .png"],
    },
    Case {
        arguments: &["draw", "laterals.geojson", "--label", "nobody", "-o", "map.svg"],
        code: 1,
        says: &["no layer has a column `nobody`"],
    },
    Case {
        arguments: &["build", "points", "fields.geojson", "--crs", "EPSG:4326", "-o", "o.gpkg"],
        code: 1,
        says: &["holds features already", "vpeg convert"],
    },
    Case {
        arguments: &["build", "points", "gates.csv", "--crs", "EPSG:4326", "-o", "no/such/o.gpkg"],
        code: 1,
        says: &["there is no folder no/such", "make it first"],
    },
    Case {
        arguments: &["convert", "fields.geojson", "--to", "EPSG:32610", "-o", "wgs.geojson"],
        code: 0,
        says: &["cannot keep EPSG:32610", "Write a .gpkg to keep it"],
    },
    Case {
        arguments: &["position", "120.0 W, 47.4 N, 12"],
        code: 1,
        says: &["cannot be read as an angle"],
    },
    Case {
        arguments: &["position", "47 61 00 N 120 W"],
        code: 1,
        says: &["minutes must be under 60"],
    },
    Case {
        arguments: &["position", "120.5, 47.4"],
        code: 1,
        says: &["latitude beyond 90°", "swapped?"],
    },
    Case { arguments: &["course", "47.4, -120"], code: 1, says: &["a course is two places"] },
    Case {
        arguments: &["crs", "find", "gondwanaland"],
        code: 1,
        says: &["no reference system matches all of", "fewer words"],
    },
    Case {
        arguments: &["crs", "guess", "comma.csv", "--near", "47.4, -120"],
        code: 1,
        says: &["comma.csv, row 2: no row has coordinates", "`725000,5`", "--decimal-comma"],
    },
    Case {
        arguments: &["crs", "guess", "header.csv", "--near", "47.4, -120"],
        code: 1,
        says: &["header.csv: has no rows to guess from"],
    },
    Case {
        arguments: &["crs", "find", "washington", "--kind", "flat"],
        code: 2,
        says: &["the kinds are projected, geographic"],
    },
    Case {
        arguments: &["crs", "find", "washington", "--unit", "parsec"],
        code: 2,
        says: &["`parsec` is no unit of length known here: use m, km, ftUS"],
    },
    Case {
        arguments: &["crs", "find", "washington", "--unit", "ft"],
        code: 2,
        says: &["write ftUS (US survey) or ft-intl (international)"],
    },
    Case { arguments: &["help", "positon"], code: 2, says: &["similar", "'position'"] },
    Case { arguments: &["help", "crs", "gess"], code: 2, says: &["similar", "'guess'"] },
    Case {
        arguments: &["build", "points", "degrees.csv", "--crs", "EPSG:4269", "-o", "o.gpkg"],
        code: 1,
        says: &["`-120,01` cannot be read as an angle", "say --decimal-comma"],
    },
    Case {
        arguments: &["position", "Douglas county, Washington"],
        code: 1,
        says: &["is no place: write a latitude and a longitude", "`vpeg zone` takes counties"],
    },
    // Where no way is found, that may be because of the columns.
    Case {
        arguments: &[
            "convert",
            "utm.csv",
            "--x",
            "N",
            "--y",
            "E",
            "--crs",
            "EPSG:32610",
            "--to",
            "EPSG:4269",
            "-o",
            "o.csv",
        ],
        code: 1,
        says: &["utm.csv: no operation is known", "are the columns the wrong way round?"],
    },
    Case {
        arguments: &[
            "build",
            "points",
            "utm.csv",
            "--x",
            "N",
            "--y",
            "E",
            "--crs",
            "EPSG:32610",
            "--to",
            "EPSG:4269",
            "-o",
            "o.gpkg",
        ],
        code: 1,
        says: &["utm.csv: no operation is known", "are the columns the wrong way round?"],
    },
    Case {
        arguments: &["look", "header.csv"],
        code: 0,
        says: &["longitude", "latitude", "--lon lon --lat lat"],
    },
    Case {
        arguments: &[
            "convert",
            "stray.csv",
            "--crs",
            "EPSG:4269",
            "--to",
            "EPSG:2285",
            "-o",
            "o.csv",
        ],
        code: 0,
        says: &["1 row would join the others with the sign turned", "row 5 (120.02, 47.42)"],
    },
    Case {
        arguments: &["build", "points", "huge.csv", "--crs", "EPSG:3035", "-o", "o.gpkg"],
        code: 3,
        says: &["row 3: 1e300, -2e17 is out of range for EPSG:3035"],
    },
    Case {
        arguments: &[
            "convert",
            "huge.csv",
            "--crs",
            "EPSG:3035",
            "--to",
            "EPSG:4326",
            "-o",
            "o.csv",
        ],
        code: 3,
        says: &["row 3: 1e300, -2e17 is out of range for EPSG:3035"],
    },
    Case { arguments: &["conjure"], code: 2, says: &["conjure"] },
    Case { arguments: &["build", "points", "gates.csv"], code: 2, says: &["--output"] },
];

#[test]
fn every_mistake_gets_an_answer_that_says_what_to_do() {
    let bench = Bench::with_demo();
    bench.write("gates.csv", "name,lat,lon\nA,47.40,-120.01\nB,47.41,-120.02\nC,47.42,-119.99\n");
    bench.write("grid.csv", "name,easting,northing\nA,1840000.5,150000.25\nB,1840100,150050\n");
    bench.write("header.csv", "name,lat,lon\n");
    bench.write("comma.csv", "id;easting;northing\n1;725000,5;5254000,25\n2;725100,5;5254100,5\n");
    bench.write(
        "stray.csv",
        "lat,lon\n47.40,-120.01\n47.41,-120.02\n47.42,-119.99\n47.42,120.02\n47.41,-120.01\n",
    );
    bench.write("degrees.csv", "lon;lat\n-120,01;47,40\n-120,02;47,41\n");
    bench.write("utm.csv", "N,E\n5256001.22,722001.14\n5256050.92,722110.45\n5256110,722233\n");
    bench.write("huge.csv", "x,y\n4321000,3210000\n1e300,-2e17\n4321500,3210500\n");
    bench.write("blank.csv", "");
    bench.write("one.csv", "name,lat,lon\nA,47.40,-120.01\n");
    bench.write("binary.csv", b"PK\x03\x04\0\0\0\0 not a table");
    bench.write("there.gpkg", "mine");
    bench.write("broken.geojson", "{\"type\":\"FeatureCollection\",\"features\":[{]}");
    bench.write(
        "projected.geojson",
        r#"{"type":"FeatureCollection","features":[{"type":"Feature","properties":{},"geometry":{"type":"Point","coordinates":[1840000.5,150000.25]}}]}"#,
    );
    bench.ok(&["build", "points", "gates.csv", "-o", "undeclared.gpkg"]);
    for case in CASES {
        for left in ["o.gpkg", "o.csv", "map.svg"] {
            let _ = std::fs::remove_file(bench.path(left));
        }
        let run = bench.run(case.arguments);
        let told = format!("{}{}", run.out, run.err);
        assert_eq!(run.code, case.code, "{:?}: {told}", case.arguments);
        for text in case.says {
            assert!(told.contains(text), "{:?} lacks `{text}`: {told}", case.arguments);
        }
        assert!(!told.contains("panicked"), "{told}");
        if case.code == 1 {
            for output in ["o.gpkg", "o.csv", "map.svg"] {
                assert!(!bench.has(output), "{:?} left {output}", case.arguments);
            }
        }
    }
    assert_eq!(bench.read("there.gpkg"), "mine");
    let parts = std::fs::read_dir(bench.path(".")).unwrap();
    let left: Vec<_> = parts
        .map(|e| e.unwrap().file_name())
        .filter(|n| n.to_string_lossy().ends_with(".part"))
        .collect();
    assert!(left.is_empty(), "{left:?}");
}
