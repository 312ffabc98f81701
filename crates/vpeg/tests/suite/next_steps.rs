//! What the tool proposes to type next can be pasted into a shell as it is: every proposal of the
//! demo, and of files with odd names, columns, sheets and layers. What only the user can know stands
//! in capitals and is filled in here.

use crate::support::Bench;
use std::process::Command;

/// The commands that an answer proposes.
fn proposals(answer: &str) -> Vec<String> {
    let lines = answer
        .lines()
        .filter_map(|line| line.strip_prefix("next: ").or_else(|| line.strip_prefix("or:   ")));
    lines.map(String::from).collect()
}

/// Runs a line in a shell that knows the tool; what is wrong with it, if something is.
fn fails(bench: &Bench, line: &str) -> Option<String> {
    let tool = std::path::Path::new(env!("CARGO_BIN_EXE_vpeg")).parent().unwrap();
    let path = format!("{}:{}", tool.display(), std::env::var("PATH").unwrap());
    let run = Command::new("sh")
        .args(["-c", line])
        .current_dir(bench.path(""))
        .env("PATH", path)
        .env("NO_COLOR", "1")
        .output()
        .unwrap();
    let text = String::from_utf8_lossy(&run.stderr).into_owned();
    let done = matches!(run.status.code(), Some(0 | 3));
    (!done).then(|| format!("{line}\n  {:?} {text}\n", run.status.code()))
}

/// Fills in what only the user knows.
fn filled(line: &str, system: &str) -> String {
    line.replace("REF", system)
        .replace("EASTING,NORTHING", "1832900,155850")
        .replace("FEATURES", "keyed.geojson")
        .replace("KEY", "field")
        .replace("--x COLUMN --y COLUMN", "--x 2 --y 3")
}

#[test]
fn every_proposal_of_the_demo_runs_as_it_is_printed() {
    let bench = Bench::new();
    let story = bench.ok(&["demo", "district"]).out;
    let told = proposals(&story);
    assert!(told.len() > 1, "{story}");
    let failed: String = told
        .iter()
        .filter_map(|line| {
            let out = line.rsplit_once("-o ").map(|(_, out)| out.to_string());
            for out in out.iter().flat_map(|out| [out.clone(), format!("{out}.rejects.csv")]) {
                drop(std::fs::remove_file(bench.path(&out)));
            }
            fails(&bench, line)
        })
        .collect();
    assert!(failed.is_empty(), "{failed}");
    // The commands of the story themselves, their outputs not being there yet.
    let again = Bench::new();
    velvet_peg::demo::lay_out(&again.path("district"), false).unwrap();
    let typed = story.lines().filter_map(|line| line.strip_prefix("$ "));
    let failed: String = typed.filter_map(|line| fails(&again, line)).collect();
    assert!(failed.is_empty(), "{failed}");
}

#[test]
fn proposals_for_odd_files_run_as_they_are_printed() {
    let bench = Bench::with_demo();
    bench.write("keyed.geojson", bench.read("fields.geojson"));
    let rows = "G-1,-120.05,47.42\nG-2,-120.06,47.43\nG-3,-120.07,47.44\n";
    bench.write("day 1's.csv", format!("gate,my lon,the lat\n{rows}"));
    bench.write("-dash.csv", format!("gate,lon,lat\n{rows}"));
    bench.write("bare.csv", rows);
    bench.write("comma.csv", "gate;east;north\n1;1834765,5;149303,25\n2;1834999,5;149503,75\n");
    bench.write("south.csv", "gate,lat,lon\n1,-33.9,151.2\n2,-33.8,151.1\n");
    bench.write("odd.csv", "gate,$lon,-lat\n1,-120.05,47.42\n2,-120.06,47.43\n");
    bench.write("points.txt", "1,155850.1,1832900.4,350.2,gate\n2,155860.2,1832910.5,351.3,weir\n3,155870.3,1832920.6,352.4,gate\n");
    bench.write(
        "wide.txt",
        "gate east      north\nG-1  1834765.4 149303.3\nG-2  1834999.4 149503.3\n",
    );
    bench.write("skip.csv", format!("made up\n# remark\ngate|lon|lat\n{}", rows.replace(',', "|")));
    bench.write("shapes.csv", "id,wkt\n1,POINT (1834765.4 149303.3)\n");
    for line in [
        "build points bare.csv --no-header --x 2 --y 3 --crs EPSG:4326 --output-layer 'two words' -o 'odd layers.gpkg'",
        "convert fields.geojson --output-layer \"it's\" --append -o 'odd layers.gpkg'",
        "build points comma.csv --decimal-comma -o bare.gpkg",
        "fields register.xlsx --sheet Shares -o rows.gpkg",
    ] {
        assert_eq!(fails(&bench, &format!("vpeg {line}")), None);
    }
    let mut failed = String::new();
    let mut ran = 0;
    for (look, system) in [
        ("headgates.csv", ""),
        ("lateral-vertices.csv", "EPSG:2285"),
        ("beats.csv", "EPSG:2285"),
        ("deed.csv", "EPSG:2285"),
        ("old-weirs.csv", "EPSG:2285"),
        ("fields.geojson", ""),
        ("turnouts.shp", ""),
        ("'day 1'\\''s.csv'", ""),
        ("./-dash.csv", ""),
        ("bare.csv", ""),
        ("bare.csv --no-header", ""),
        ("bare.csv --names gate,lon,lat", ""),
        ("bare.csv --encoding windows-1252", ""),
        ("comma.csv", "EPSG:2285"),
        ("south.csv", ""),
        ("odd.csv", ""),
        ("points.txt", "EPSG:2285"),
        ("wide.txt", "EPSG:2285"),
        ("wide.txt --widths 5,10,10", "EPSG:2285"),
        ("skip.csv --skip-lines 1 --comment '#' --delimiter '|'", ""),
        ("shapes.csv", "EPSG:2285"),
        ("register.xlsx", ""),
        ("register.xlsx --sheet Shares", ""),
        ("'odd layers.gpkg'", ""),
        ("bare.gpkg", "EPSG:2285"),
        ("rows.gpkg", ""),
    ] {
        let tool = env!("CARGO_BIN_EXE_vpeg");
        let looked = Command::new("sh")
            .args(["-c", &format!("{tool} look {look}")])
            .current_dir(bench.path(""))
            .output()
            .unwrap();
        let answer = String::from_utf8_lossy(&looked.stdout).into_owned();
        let told = proposals(&answer);
        if told.is_empty() {
            failed += &format!("look {look}: proposes nothing\n{answer}");
        }
        for line in told {
            // A sheet without coordinates is no fault of the proposal.
            if line.contains("--x COLUMN") {
                continue;
            }
            let line = filled(&line, system);
            // What was built of the other rows before is in nobody's way.
            failed.extend(fails(
                &bench,
                &format!("{line}{}", if line.contains(" -o ") { " --overwrite" } else { "" }),
            ));
            ran += 1;
        }
    }
    assert!(failed.is_empty(), "{failed}");
    assert!(ran > 24, "{ran}");
}

#[test]
fn what_has_no_place_is_to_be_checked_not_measured() {
    let bench = Bench::new();
    let collection =
        |features: &str| format!(r#"{{"type":"FeatureCollection","features":[{features}]}}"#);
    let feature = |geometry: &str| {
        format!(r#"{{"type":"Feature","properties":{{"weir":"W-1"}},"geometry":{geometry}}}"#)
    };
    let bad = feature(r#"{"type":"Point","coordinates":["x",47.4]}"#);
    let good = feature(r#"{"type":"Point","coordinates":[-120.1,47.4]}"#);
    for (features, next, found) in [
        (String::new(), "vpeg check weirs.geojson", "the layer holds no features"),
        (feature("null"), "vpeg check weirs.geojson", "1 missing"),
        (bad.clone(), "vpeg check weirs.geojson", "1 record cannot be read: "),
        (format!("{bad},{bad}"), "vpeg check weirs.geojson", "2 records cannot be read: "),
        (good, "vpeg convert weirs.geojson", "all inside"),
    ] {
        bench.write("weirs.geojson", collection(&features));
        let told = proposals(&bench.ok(&["look", "weirs.geojson"]).out);
        assert!(told[0].starts_with(next), "{features}: {told:?}");
        let check = bench.run(&["check", "weirs.geojson"]);
        assert!(check.out.contains(found), "{features}: {}", check.out);
    }
    bench.write("weirs.geojson", collection(&bad));
    let measured = bench.run(&["measure", "weirs.geojson"]);
    assert!(
        measured.err.contains("1 record cannot be read and takes no part: record 1: "),
        "{}",
        measured.err
    );
}

#[test]
fn guesses_propose_what_they_were_asked_with() {
    let bench = Bench::with_demo();
    bench.write("w.csv", "a;1834765,5;149303,25\nb;1834999,5;149503,75\nc;1835099,5;149603,75\n");
    let asked = "crs guess w.csv --no-header --x 2 --y 3 --decimal-comma --near 47.4,-120.0";
    let run = bench.ok(&crate::support::words(asked));
    let told = proposals(&run.out);
    assert_eq!(
        told,
        [
            "vpeg build points w.csv --x 2 --y 3 --decimal-comma --no-header --crs EPSG:2285 -o w.gpkg"
        ]
    );
    assert_eq!(fails(&bench, &told[0]), None);

    // What is the wrong way round is proposed the right way, and what has to be corrected is said.
    let table = "old-weirs.csv --e north --n east --like fields.geojson --limit 1";
    let swapped = bench.ok(&crate::support::words(&format!("crs guess {table}")));
    let told = proposals(&swapped.out);
    assert_eq!(
        told,
        ["vpeg build points old-weirs.csv --x east --y north --crs EPSG:2285 -o old-weirs.gpkg"]
    );
    bench.write("lost.csv", "g,lon,lat\n1,120.05,47.42\n2,120.06,47.43\n3,120.07,47.44\n");
    let lost = bench.ok(&crate::support::words("crs guess lost.csv --like fields.geojson"));
    assert!(proposals(&lost.out).is_empty(), "{}", lost.out);
    assert!(
        lost.out.contains("longitude with its sign turned): correct them first"),
        "{}",
        lost.out
    );

    // Nothing is proposed where nothing is near.
    let far = bench
        .run(&crate::support::words("crs guess old-weirs.csv --e east --n north --near 51.4,0.0"));
    assert_eq!(far.code, 1);
    assert!(far.err.contains("within 100 km of 51.4,0.0: is the place right"), "{}", far.err);
    assert!(proposals(&far.out).is_empty(), "{}", far.out);
    // Among other features: inside, with the distance from the nearest.
    let like = bench.ok(&crate::support::words(
        "crs guess old-weirs.csv --e east --n north --like fields.geojson",
    ));
    assert!(like.out.contains("inside; 1"), "{}", like.out);
    assert!(like.out.contains("from the nearest feature of fields.geojson"), "{}", like.out);
}
