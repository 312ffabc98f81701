//! Coordinates that cannot be what they are said to be are told on every path: building, looking,
//! declaring, converting, checking; and such as are right are not.

use crate::support::{Bench, words};

const DEGREES: &str = "gate,lon,lat\nG-1,-120.05,47.42\nG-2,-120.06,47.43\nG-3,-120.07,47.44\n";
const SWAPPED: &str = "gate,lon,lat\nG-1,47.42,-80.05\nG-2,47.43,-80.06\nG-3,47.44,-80.07\n";
const STATION: &str = "gate,lon,lat\nG-1,166.67,-77.85\nG-2,166.68,-77.86\nG-3,166.69,-77.87\n";
const FEET: &str =
    "gate,e,n\nG-1,1832900.4,155850.1\nG-2,1832910.4,155860.1\nG-3,1832920.4,155870.1\n";
const ORIGIN: &str = "gate,e,n\nG-1,500100,100\nG-2,500110,110\nG-3,500120,120\n";

/// What is told of the place of points in every command that reads them.
fn told(bench: &Bench, table: &str, options: &str, crs: &str) -> Vec<(&'static str, String)> {
    bench.write("t.csv", table);
    let built = bench
        .ok(&words(&format!("build points t.csv {options} --crs {crs} -o t.gpkg --overwrite")));
    // Without a system of its own: declared anew.
    bench.ok(&words(&format!("build points t.csv {options} -o bare.gpkg --overwrite")));
    let declared =
        bench.ok(&words(&format!("declare bare.gpkg --crs {crs} -o d.gpkg --overwrite")));
    let converted = bench.run(&words("convert t.gpkg --to EPSG:4326 -o c.gpkg --overwrite"));
    vec![
        ("build", built.err),
        ("declare", declared.err),
        ("convert", converted.err),
        ("look", bench.ok(&words("look t.gpkg")).err),
        ("check", {
            let run = bench.run(&words("check t.gpkg"));
            run.out + &run.err
        }),
    ]
}

#[test]
fn every_command_tells_coordinates_that_are_something_else() {
    let bench = Bench::new();
    for (table, options, crs, what) in [
        (DEGREES, "", "EPSG:3857", "these look like degrees"),
        (DEGREES, "", "EPSG:2285", "these look like degrees"),
        (
            DEGREES,
            "--lon lat --lat lon",
            "EPSG:32610",
            "these look like degrees, with the latitude as x",
        ),
        (SWAPPED, "", "EPSG:4326", "in Antarctica; with x and y swapped"),
        (SWAPPED, "", "EPSG:4269", "with x and y swapped it would be inside"),
        (FEET, "", "EPSG:32610", "outside the area where EPSG:32610"),
        // What is right is not told.
        (DEGREES, "", "EPSG:4326", ""),
        (STATION, "", "EPSG:4326", ""),
        (FEET, "", "EPSG:2285", ""),
        (ORIGIN, "", "EPSG:32631", ""),
    ] {
        for (command, text) in told(&bench, table, options, crs) {
            let place =
                ["look like degrees", "Antarctica", "would be inside", "outside the area where"];
            match what {
                "" => assert!(
                    !place.iter().any(|word| text.contains(word)),
                    "{command} {crs}: {text}"
                ),
                what => {
                    assert!(
                        text.contains(what),
                        "{command} {crs} {options}: no `{what}` in {text}"
                    );
                    assert_eq!(
                        text.matches(what).count(),
                        1,
                        "{command} {crs}: told twice: {text}"
                    );
                }
            }
        }
    }
}

#[test]
fn a_layer_with_one_stray_feature_is_not_taken_for_one_elsewhere() {
    let bench = Bench::new();
    for (stray, crs) in [
        ("G-4,120.05,47.4", "EPSG:4269"),
        ("G-4,-120.05,74.4", "EPSG:4269"),
        ("G-4,47.42,-80.05", "EPSG:4326"),
    ] {
        bench.write("t.csv", format!("{DEGREES}{stray}\n"));
        bench.ok(&words(&format!("build points t.csv --crs {crs} -o t.gpkg --overwrite")));
        for to in ["EPSG:2285", "EPSG:26910"] {
            let line = format!("convert t.gpkg --to {to} -o feet.gpkg --overwrite");
            bench.run(&words(&line));
            for layer in ["t.gpkg", "feet.gpkg"] {
                let look = bench.run(&words(&format!("look {layer}")));
                assert!(!look.err.contains("middle of the data"), "{stray} {to}: {}", look.err);
            }
        }
    }
}

#[test]
fn a_position_that_is_something_else_is_told() {
    let bench = Bench::new();
    for (place, crs, what) in [
        ("-120.05 47.42", "EPSG:26910", "these look like degrees"),
        ("47.42 -120.05", "EPSG:3857", "these look like degrees, with the latitude as x"),
        ("500000 5250000", "EPSG:2285", "outside the area where EPSG:2285"),
        ("1832900 155850", "EPSG:2285", ""),
        ("47.42 -120.05", "EPSG:4326", ""),
    ] {
        let run = bench.run(&["position", place, "--crs", crs]);
        let told = ["look like degrees", "outside the area where", "Antarctica"];
        match what {
            "" => assert!(!told.iter().any(|word| run.err.contains(word)), "{place}: {}", run.err),
            what => assert!(run.err.contains(what), "{place}: {} {}", run.out, run.err),
        }
    }
}

#[test]
fn names_that_contradict_the_columns_and_zones_that_are_others_are_told_when_building() {
    let bench = Bench::new();
    bench.write("t.csv", "gate,lat,lon,Y,X\nG-1,47.42,20.05,1,2\n");
    for (options, wrong) in [
        ("--lon lat --lat lon", true),
        ("--lon lon --lat lat", false),
        // Surveyors' x is the northing in places: these names say nothing.
        ("--x Y --y X", false),
    ] {
        let line = format!("build points t.csv {options} --crs EPSG:4326 -o t.gpkg --overwrite");
        let run = bench.ok(&words(&line));
        assert_eq!(
            run.err.contains("their names say the opposite"),
            wrong,
            "{options}: {}",
            run.err
        );
    }
    bench.write("d.csv", DEGREES);
    for (to, wrong) in
        [("EPSG:26918", true), ("EPSG:26910", false), ("EPSG:2286", true), ("EPSG:2285", false)]
    {
        let line = format!("build points d.csv --crs EPSG:4269 --to {to} -o z.gpkg --overwrite");
        let built = bench.ok(&words(&line)).err;
        bench.ok(&words("build points d.csv --crs EPSG:4269 -o p.gpkg --overwrite"));
        let converted =
            bench.ok(&words(&format!("convert p.gpkg --to {to} -o q.gpkg --overwrite"))).err;
        for text in [built, converted] {
            let told = text.contains("outside the area where") || text.contains("which EPSG:");
            assert_eq!(told, wrong, "{to}: {text}");
        }
    }
}

/// Rows round a place, with one more.
fn with_one(rows: u32, step: f64, one: &str) -> String {
    let row = |n: u32| {
        let off = step * f64::from(n);
        format!("G-{n},{},{}\n", -120.05 + off, 47.42 + off / 3.0)
    };
    format!("gate,lon,lat\n{}{one}\n", (0..rows).map(row).collect::<String>())
}

#[test]
fn rows_that_stand_apart_are_told_in_tables_of_any_size_and_others_are_not() {
    let bench = Bench::new();
    for (rows, step, one, what) in [
        // Two and the one that is odd.
        (2, 0.001, "X,120.05,47.42", "the sign turned"),
        (2, 0.001, "X,47.42,-80.05", "far from all others"),
        (2, 0.001, "X,47.42,-120.05", "swapped"),
        (2, 0.001, "X,-126.05,47.42", "far from all others"),
        (6, 0.001, "X,-120.05,37.42", "far from all others"),
        (30, 0.001, "X,-120.05,47.92", "far from all others"),
        // Stations of a country.
        (2, 0.1, "X,-122.3,45.5", ""),
        (2, 3.0, "X,-110.3,35.5", ""),
        (7, 0.5, "X,-118.0,46.0", ""),
        (30, 0.01, "X,-120.3,47.0", ""),
        // Three together, 40 km away: a second place.
        (30, 0.001, "X,-120.55,47.42\nY,-120.551,47.421\nZ,-120.552,47.42", ""),
        // As far as another state: together or not.
        (30, 0.001, "X,-110.55,47.42\nY,-110.551,47.421\nZ,-110.552,47.42", "3 rows lie far"),
    ] {
        bench.write("t.csv", with_one(rows, step, one));
        let look = bench.ok(&words("look t.csv"));
        let look = look.err + &look.out;
        let built =
            bench.run(&words("build points t.csv --crs EPSG:4326 -o t.gpkg --overwrite")).err;
        for (command, text) in [("look", look), ("build", built)] {
            let told = text.contains("warning");
            match what {
                "" => assert!(!told, "{command} {one}: {text}"),
                what => assert!(text.contains(what), "{command} {one}: no `{what}` in {text}"),
            }
        }
    }
}

#[test]
fn distances_are_told_where_the_unit_is_known() {
    let bench = Bench::new();
    bench.write("t.csv", "g,e,n\na,1834765,149303\nb,1834999,149503\nc,183476,149800\n");
    // Nobody knows what the numbers count.
    let look = bench.ok(&words("look t.csv")).err;
    let bare = bench.ok(&words("build points t.csv -o bare.gpkg")).err;
    for text in [look, bare] {
        assert!(text.contains("row 4 (183476, 149800)") && !text.contains(" km "), "{text}");
    }
    // 1 651 323 US survey feet.
    let feet = bench.ok(&words("build points t.csv --crs EPSG:2285 -o feet.gpkg")).err;
    assert!(feet.contains("some 503 km from the middle of the data"), "{feet}");
    // Grads from Paris: 40 of them are 36 degrees.
    bench.write("g.csv", "g,lon,lat\na,0.5,52.0\nb,0.501,52.001\nc,0.5,12.0\n");
    let grads = bench.ok(&words("build points g.csv --crs EPSG:4807 -o g.gpkg")).err;
    assert!(grads.contains("some 4003 km from the middle of the data"), "{grads}");
}

#[test]
fn tracts_some_kilometres_apart_are_no_strays_and_a_torn_one_is() {
    let bench = Bench::new();
    let square = |name: &str, x: f64, y: f64, far: f64| {
        let corner = |n: usize, dx: f64, dy: f64| format!("{name},{n},{},{}\n", x + dx, y + dy);
        [(0.0, 0.0), (300.0, 0.0), (300.0, 300.0 + far), (150.0, 320.0), (0.0, 300.0)]
            .iter()
            .enumerate()
            .map(|(n, (dx, dy))| corner(n, *dx, *dy))
            .collect::<String>()
    };
    let two = square("A", 1_832_900.0, 155_850.0, 0.0) + &square("B", 1_857_650.0, 150_480.0, 0.0);
    let torn = two.clone() + &square("C", 1_833_300.0, 155_850.0, 900_000.0);
    for (table, what) in [(two, ""), (torn, "1 vertex lies far from all others: feature 3")] {
        bench.write("c.csv", format!("tract,no,easting,northing\n{table}"));
        bench.ok(&words(
            "build polygons c.csv --by tract --order no --crs EPSG:2285 -o c.gpkg --overwrite",
        ));
        let check = bench.run(&words("check c.gpkg")).out;
        match what {
            "" => assert!(check.contains("nothing wrong was found"), "{check}"),
            what => assert!(check.contains(what), "{check}"),
        }
    }
}

#[test]
fn columns_of_longitude_and_latitude_that_say_another_place_are_told_on_every_path() {
    let bench = Bench::new();
    bench.write(
        "own.csv",
        "gate,latitude,longitude,easting,northing\na,47.42,-120.04,270700.1,5256400.2\n\
         b,47°25'48\"N,120°01'48\"W,271500.1,5257400.2\nc,47.425,-120.02,272200.1,5256900.2\n",
    );
    let what = "the columns `longitude` and `latitude` say other places";
    for (crs, wrong) in [("EPSG:32610", true), ("EPSG:32611", false)] {
        let build = format!(
            "build points own.csv --e easting --n northing --crs {crs} -o own.gpkg --overwrite"
        );
        let built = bench.ok(&words(&build)).err;
        let mut told = vec![("build", built)];
        let declare = format!("declare own.gpkg --crs {crs} -o d.gpkg --overwrite");
        for (name, line) in [
            ("look", "look own.gpkg"),
            ("declare", declare.as_str()),
            ("convert", "convert own.gpkg --to EPSG:4326 -o c.gpkg --overwrite"),
            ("format", "convert own.gpkg -o c.fgb --overwrite"),
            ("check", "check own.gpkg"),
            ("draw", "draw own.gpkg -o o.svg --overwrite"),
        ] {
            let run = bench.run(&words(line));
            told.push((name, run.out + &run.err));
        }
        for (name, text) in told {
            assert_eq!(text.contains(what), wrong, "{name} {crs}: {text}");
        }
    }
}

#[test]
fn rows_that_a_condition_leaves_out_have_no_say_in_warnings() {
    let bench = Bench::with_demo();
    let strays = "gate NOT IN ('G-005', 'G-032')";
    let build = |condition: Option<&str>| {
        let mut line = words(
            "build points headgates.csv --lon longitude --lat latitude --crs EPSG:4326 --to EPSG:2285 -o g.gpkg --overwrite",
        );
        line.extend(condition.iter().flat_map(|sql| ["--where", sql]));
        bench.run(&line).err
    };
    let outside = "lies outside the area that the operation is meant for";
    assert!(build(None).contains(outside));
    assert!(!build(Some(strays)).contains(outside), "{}", build(Some(strays)));
    bench.run(&words(
        "build points headgates.csv --lon longitude --lat latitude --crs EPSG:4326 -o h.gpkg",
    ));
    let mut line = words("convert h.gpkg --to EPSG:2285 -o c.gpkg --overwrite");
    assert!(bench.ok(&line).err.contains(outside));
    line.extend(["--where", strays]);
    assert!(!bench.ok(&line).err.contains(outside));
}

#[test]
fn grids_of_equal_area_are_told_by_their_lengths() {
    let bench = Bench::with_demo();
    bench.ok(&words("convert fields.geojson --to EPSG:6933 -o f.gpkg"));
    let told = bench.ok(&words("measure f.gpkg")).err;
    assert!(told.contains("the worst length on it is") && !told.contains("0.000 %"), "{told}");
}
