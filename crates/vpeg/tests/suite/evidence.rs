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
