//! The options of each command, and the habits that all of them keep.

use crate::support::Bench;

/// A bench with three headgates as a table and as a layer.
fn gates() -> Bench {
    let bench = Bench::new();
    bench.write(
        "gates.csv",
        "name,lat,lon,h\nA,47.40,-120.01,350\nB,47.41,-120.02,351\nC,47.42,-120.03,352\n",
    );
    bench.ok(&[
        "build",
        "points",
        "gates.csv",
        "--crs",
        "EPSG:4326",
        "--layer",
        "gates",
        "-o",
        "gates.gpkg",
    ]);
    bench
}

#[test]
fn every_command_explains_itself() {
    let bench = Bench::new();
    let top = bench.ok(&["--help"]);
    for command in [
        "look", "build", "declare", "convert", "measure", "position", "course", "crs", "draw",
        "demo",
    ] {
        assert!(top.out.contains(command), "{command}");
        let help = bench.ok(&[command, "--help"]);
        assert!(help.out.contains("Usage: vpeg"), "{}", help.out);
        assert!(help.err.is_empty());
    }
    assert!(bench.ok(&["--version"]).out.starts_with("vpeg "));
    assert_eq!(bench.run::<&str>(&[]).code, 2);
}

#[test]
fn columns_go_by_all_their_names() {
    let bench = gates();
    for (x, y) in [("--x", "--y"), ("--lon", "--lat"), ("--e", "--n")] {
        let run = bench.ok(&[
            "build",
            "points",
            "gates.csv",
            x,
            "LON",
            y,
            "lat",
            "--crs",
            "4326",
            "-o",
            "o.gpkg",
            "--overwrite",
        ]);
        assert!(run.err.contains("3 rows in, 3 features out, 0 rejected"), "{}", run.err);
    }
    let clash =
        bench.run(&["build", "points", "gates.csv", "--x", "lat", "--y", "lat", "-o", "p.gpkg"]);
    assert!(clash.code == 1 && clash.err.contains("cannot be both coordinates"), "{}", clash.err);
}

#[test]
fn nothing_is_overwritten_unasked() {
    let bench = gates();
    for arguments in [
        &["build", "points", "gates.csv", "--crs", "4326", "-o", "taken.geojson"][..],
        &["convert", "gates.gpkg", "--to", "32610", "-o", "taken.gpkg"],
        &["convert", "gates.csv", "--crs", "4326", "--to", "32610", "-o", "taken.csv"],
        &["declare", "gates.gpkg", "--crs", "4269", "-o", "taken.gpkg"],
        &["draw", "gates.gpkg", "-o", "taken.png"],
    ] {
        let taken = arguments[arguments.len() - 1];
        bench.write(taken, "mine");
        let run = bench.run(arguments);
        assert_eq!(run.code, 1, "{arguments:?}");
        assert!(
            run.err.contains("exists already") && run.err.contains("--overwrite"),
            "{arguments:?}: {}",
            run.err
        );
        assert_eq!(bench.read(taken), "mine", "{arguments:?}");
        let asked = [arguments, &["--overwrite"]].concat();
        bench.ok(&asked);
        assert_ne!(std::fs::read(bench.path(taken)).unwrap(), b"mine", "{arguments:?}");
    }
    // Rejects are outputs too.
    bench.write("bad.csv", "name,lat,lon\nA,47.4,-120\nB,,\n");
    bench.write("new.gpkg.rejects.csv", "mine");
    let run = bench.run(&["build", "points", "bad.csv", "--crs", "4326", "-o", "new.gpkg"]);
    assert!(
        run.code == 1 && run.err.contains("new.gpkg.rejects.csv: exists already"),
        "{}",
        run.err
    );
    assert!(!bench.has("new.gpkg"));
    let run = bench.run(&[
        "build",
        "points",
        "bad.csv",
        "--crs",
        "4326",
        "-o",
        "new.gpkg",
        "--rejects",
        "other.csv",
    ]);
    assert_eq!(run.code, 3, "{}", run.err);
    assert!(bench.read("other.csv").contains("3,the longitude is blank,B,,"));
    assert_eq!(bench.read("new.gpkg.rejects.csv"), "mine");
    // Rejects of an earlier run do not outlive a run without any; what is no file of rejects does.
    for (earlier, stays) in [("mine", true), ("source_row,reason,name\n3,blank,B\n", false)] {
        bench.write("new.gpkg.rejects.csv", earlier);
        bench.ok(&[
            "build",
            "points",
            "gates.csv",
            "--crs",
            "4326",
            "-o",
            "new.gpkg",
            "--overwrite",
        ]);
        assert_eq!(bench.has("new.gpkg.rejects.csv"), stays, "{earlier}");
    }
}

#[test]
fn quiet_leaves_out_remarks_and_keeps_warnings() {
    let bench = gates();
    let loud = bench.ok(&["convert", "gates.gpkg", "--to", "4269", "-o", "a.gpkg"]);
    assert!(
        loud.err.contains("note: from EPSG:4326") && loud.err.contains("warning:"),
        "{}",
        loud.err
    );
    let quiet = bench.ok(&["convert", "gates.gpkg", "--to", "4269", "-o", "b.gpkg", "--quiet"]);
    assert!(!quiet.err.contains("note:") && quiet.err.contains("warning:"), "{}", quiet.err);
    assert!(quiet.out.is_empty() && loud.out.is_empty(), "answers alone go to standard output");
    assert!(!loud.err.contains('\u{1b}'), "no colour where NO_COLOR is set");
}

#[test]
fn strict_turns_warnings_into_a_status() {
    let bench = gates();
    assert_eq!(
        bench.run(&["convert", "gates.gpkg", "--to", "4269", "-o", "a.gpkg", "--strict"]).code,
        3
    );
    assert_eq!(
        bench.run(&["convert", "gates.gpkg", "--to", "32610", "-o", "b.gpkg", "--strict"]).code,
        0
    );
    assert!(bench.has("a.gpkg"), "done all the same");
}

#[test]
fn outcomes_are_json_when_asked_for() {
    let bench = gates();
    bench.write("bad.csv", "name,lat,lon\nA,47.4,-120\nB,,\n");
    let run =
        bench.run(&["build", "points", "bad.csv", "--crs", "4326", "-o", "bad.gpkg", "--json"]);
    assert_eq!(run.code, 3);
    let json = run.json();
    assert_eq!(
        (&json["rows_in"], &json["out"], &json["rejected"]),
        (&2.into(), &1.into(), &1.into())
    );
    assert_eq!(json["rejects_file"], "bad.gpkg.rejects.csv");
    let json =
        bench.ok(&["convert", "gates.gpkg", "--to", "32610", "-o", "utm.gpkg", "--json"]).json();
    assert_eq!((&json["out"], &json["output"]), (&3.into(), &"utm.gpkg".into()));
    // Standard output belongs to the data then.
    let run =
        bench.ok(&["convert", "gates.csv", "--crs", "4326", "--to", "32610", "-o", "-", "--json"]);
    assert!(run.out.starts_with("name,lat,lon,h,easting,northing\nA,"), "{}", run.out);
}

#[test]
fn packed_angles_are_read_when_asked_for() {
    let bench = Bench::new();
    bench.write("packed.csv", "gate,lat,lon\n1,472430.0,-1200015.0\n2,476030,-1200015\n");
    let plain = bench.run(&["build", "points", "packed.csv", "--crs", "4326", "-o", "plain.csv"]);
    assert!(plain.code == 1 && plain.err.contains("packed DDDMMSS"), "{}", plain.err);
    let run = bench.run(&[
        "build",
        "points",
        "packed.csv",
        "--packed",
        "--crs",
        "4326",
        "--decimals",
        "6",
        "-o",
        "out.csv",
    ]);
    assert_eq!(run.code, 3, "{}", run.err);
    let (header, rows) = bench.table("out.csv");
    assert_eq!(header, ["gate", "lat", "lon", "lon_2", "lat_2"]);
    assert_eq!(rows[0][3..], ["-120.004167", "47.408333"]);
    assert!(bench.read("out.csv.rejects.csv").contains("minutes must be under 60"));
}

#[test]
fn heights_are_carried_and_said_to_be() {
    let bench = gates();
    bench.ok(&["build", "points", "gates.csv", "--z", "h", "--crs", "4326", "-o", "high.gpkg"]);
    let run = bench.ok(&["convert", "high.gpkg", "--to", "32610", "-o", "high-utm.csv"]);
    assert!(run.err.contains("heights were carried as they are"), "{}", run.err);
    let (header, rows) = bench.table("high-utm.csv");
    assert_eq!(header[4..], ["easting", "northing", "z"]);
    assert_eq!(rows[1][6], "351");
    // Geocentric and back with the height.
    bench.ok(&[
        "convert",
        "gates.csv",
        "--z",
        "h",
        "--crs",
        "4979",
        "--to",
        "4978",
        "-o",
        "xyz.csv",
    ]);
    bench.ok(&[
        "convert", "xyz.csv", "--x", "x", "--y", "y", "--z", "z", "--crs", "4978", "--to", "4979",
        "-o", "back.csv",
    ]);
    let (header, rows) = bench.table("back.csv");
    assert_eq!(header[7..], ["lon_2", "lat_2", "height"]);
    let height: f64 = rows[0][9].parse().unwrap();
    assert!((height - 350.0).abs() < 1e-3, "{height}");
}

#[test]
fn several_files_go_to_a_folder() {
    let bench = gates();
    bench.ok(&["build", "points", "gates.csv", "--crs", "4326", "-o", "more.gpkg"]);
    let run = bench.run(&["convert", "gates.gpkg", "more.gpkg", "--to", "32610", "-o", "one.shp"]);
    assert!(
        run.code == 1 && run.err.contains("need a GeoPackage (.gpkg) or a folder"),
        "{}",
        run.err
    );
    std::fs::create_dir(bench.path("out")).unwrap();
    bench.ok(&["convert", "gates.gpkg", "more.gpkg", "--to", "32610", "-o", "out"]);
    assert!(bench.has("out/gates.gpkg") && bench.has("out/more.gpkg"));
}

#[test]
fn systems_can_be_like_another_file_or_overridden() {
    let bench = gates();
    bench.ok(&["convert", "gates.gpkg", "--to", "EPSG:2285", "-o", "grid.gpkg"]);
    bench.ok(&["convert", "gates.gpkg", "--to", "like:grid.gpkg", "-o", "alike.gpkg"]);
    let json = bench.ok(&["look", "alike.gpkg", "--json"]).json();
    assert_eq!(json["layers"][0]["crs"], "EPSG:2285");
    let run = bench.ok(&[
        "convert",
        "grid.gpkg",
        "--crs",
        "EPSG:2927",
        "--to",
        "EPSG:4152",
        "-o",
        "taken.gpkg",
    ]);
    assert!(
        run.err.contains("the file says EPSG:2285") && run.err.contains("taken as EPSG:2927"),
        "{}",
        run.err
    );
    let run = bench.run(&["convert", "gates.gpkg", "--to", "file:grid.prj", "-o", "x.gpkg"]);
    assert!(run.code == 1 && run.err.contains("grid.prj: cannot be read"), "{}", run.err);
    let text = bench.ok(&["crs", "show", "EPSG:2285", "--as", "prj"]).out;
    bench.write("grid.prj", &text);
    let run = bench.ok(&["convert", "gates.gpkg", "--to", "file:grid.prj", "-o", "prj.gpkg"]);
    assert!(run.err.contains("EPSG:2285 NAD83 / Washington North (ftUS)"), "{}", run.err);
    bench.write("broken.prj", text.replace("SPHEROID", "SPHERE"));
    let run = bench.run(&["convert", "gates.gpkg", "--to", "file:broken.prj", "-o", "x.gpkg"]);
    assert!(
        run.code == 1 && run.err.contains("no ELLIPSOID") && run.err.contains('^'),
        "{}",
        run.err
    );
    // A zone of one's own survives the GeoPackage.
    bench.write("own.prj", text.replace("Central_Meridian\",-120.8", "Central_Meridian\",-120.1"));
    let run = bench.ok(&["convert", "gates.gpkg", "--to", "file:own.prj", "-o", "own.gpkg"]);
    assert!(run.err.contains("a system without a code"), "{}", run.err);
    let look = bench.ok(&["look", "own.gpkg"]);
    assert!((look.out + &look.err).contains("a system without a code"));
    let run = bench.ok(&["convert", "gates.gpkg", "--to", "state-plane", "-o", "sp.gpkg"]);
    assert!(
        run.err.contains("Washington South") || run.err.contains("Washington North"),
        "{}",
        run.err
    );
    let utm = bench.ok(&["convert", "gates.gpkg", "--to", "utm", "-o", "utm.gpkg"]);
    assert!(utm.err.contains("EPSG:32610"), "{}", utm.err);
}

#[test]
fn features_out_of_range_are_rejected_with_their_geometry() {
    let bench = Bench::new();
    bench.write(
        "far.geojson",
        r#"{"type":"FeatureCollection","features":[
        {"type":"Feature","properties":{"name":"near"},"geometry":{"type":"LineString","coordinates":[[-120,47],[-120.1,47.1]]}},
        {"type":"Feature","properties":{"name":"far"},"geometry":{"type":"LineString","coordinates":[[-120,47],[60,-1]]}}]}"#,
    );
    let run = bench.run(&["convert", "far.geojson", "--to", "32610", "-o", "utm.gpkg"]);
    assert_eq!(run.code, 3, "{}", run.err);
    let (header, rows) = bench.table("utm.gpkg.rejects.csv");
    assert_eq!(header, ["source_row", "reason", "layer", "geometry", "original", "name"]);
    assert_eq!(rows[0][0], "2");
    assert_eq!(rows[0][2..], ["far", "LINESTRING (-120 47, 60 -1)", "", "far"]);
    assert_eq!(bench.ok(&["look", "utm.gpkg", "--json"]).json()["layers"][0]["features"], 1);
}

#[test]
fn measures_can_be_taken_on_another_grid_and_on_the_ground() {
    let bench = Bench::with_demo();
    let json = bench
        .ok(&["measure", "fields.geojson", "--grid", "EPSG:2285", "--height", "350", "--json"])
        .json();
    assert_eq!((&json["grid"], &json["ellipsoid"]), (&"EPSG:2285".into(), &"WGS 84".into()));
    let first = &json["features"][0];
    let area = |kind: &str| first[format!("area_{kind}_m2")].as_f64().unwrap();
    assert!(area("grid") > area("ellipsoid") && area("ground") > area("grid"));
    let acres = first["area_ellipsoid_acres_us_survey"].as_f64().unwrap();
    assert!((acres * 4_046.872_609_874 / area("ellipsoid") - 1.0).abs() < 1e-12);
    let run = bench.run(&["measure", "fields.geojson", "--grid", "EPSG:4269"]);
    assert!(run.code == 1 && run.err.contains("has no plane figures"), "{}", run.err);
    // Points have no figures to miss.
    bench.ok(&["build", "points", "old-weirs.csv", "--crs", "EPSG:2285", "-o", "w.gpkg"]);
    bench.ok(&["convert", "w.gpkg", "--to", "EPSG:4269", "-o", "weirs.gpkg"]);
    for (file, told) in [("weirs.gpkg", false), ("fields.geojson", true)] {
        let run = bench.ok(&["measure", file]);
        assert_eq!(run.err.contains("there are no plane figures"), told, "{file}: {}", run.err);
    }
    // UTM distorts enough here to be told.
    let run = bench.ok(&["measure", "fields.geojson", "--grid", "EPSG:32610", "--limit", "2"]);
    assert!(
        run.err.contains("distorts") && run.err.contains("larger than on the ellipsoid"),
        "{}",
        run.err
    );
    assert!(run.err.contains("2 of 16 features listed"), "{}", run.err);
    assert!(run.out.contains("sum") && run.out.contains("F-02") && !run.out.contains("F-03"));
}

#[test]
fn courses_name_their_columns_and_reject_what_they_cannot_use() {
    let bench = Bench::new();
    bench.write("pairs.csv", "a,b,c,d,az,s\n1840000,150000,1841000,150000,90,100\nx,1,2,3,4,5\n1840000,150000,1841000,151000,N,100\n");
    let run = bench.run(&[
        "course",
        "pairs.csv",
        "--from",
        "a,b",
        "--to",
        "c,d",
        "--crs",
        "EPSG:2285",
        "-o",
        "out.csv",
    ]);
    assert_eq!(run.code, 3, "{}", run.err);
    assert!(run.err.contains("geodesics on GRS 1980"), "{}", run.err);
    let (_, rows) = bench.table("out.csv");
    let distance: f64 = rows[0][6].parse().unwrap();
    assert!((distance - 304.8).abs() < 0.02, "{distance}");
    let run = bench.run(&[
        "course",
        "pairs.csv",
        "--start",
        "a,b",
        "--azimuth",
        "az",
        "--distance",
        "s",
        "--crs",
        "EPSG:2285",
        "-o",
        "ends.csv",
    ]);
    assert_eq!(run.code, 3, "{}", run.err);
    let (header, rows) = bench.table("ends.csv");
    assert_eq!(header[6..], ["easting_end", "northing_end", "azimuth_to"]);
    assert_eq!(rows.len(), 1);
    for (arguments, says) in [
        (
            &["course", "pairs.csv", "--from", "a", "--to", "c,d", "-o", "x.csv"][..],
            "name two columns with a comma",
        ),
        (&["course", "pairs.csv", "--from", "a,q", "--to", "c,d", "-o", "x.csv"], "no column `q`"),
        (&["course", "pairs.csv", "--from", "a,b", "--to", "c,d"], "need an output"),
        (
            &["course", "47.4 -120", "--azimuth", "90", "--distance", "far"],
            "not a number of metres",
        ),
    ] {
        let run = bench.run(arguments);
        assert!(run.code == 1 && run.err.contains(says), "{arguments:?}: {}", run.err);
    }
    assert_eq!(bench.run(&["course", "pairs.csv", "--from", "a,b", "-o", "x.csv"]).code, 2);
}

#[test]
fn the_registry_tells_of_withdrawn_and_uncomputed_systems() {
    let bench = Bench::new();
    let sheet = bench.ok(&["crs", "show", "EPSG:3857"]);
    assert!(sheet.out.contains("not conformal"), "{}", sheet.out);
    let ensemble = bench.ok(&["crs", "show", "wgs 84"]);
    assert!(ensemble.out.contains("its realisations agree to 2 m"), "{}", ensemble.out);
    let withdrawn = bench
        .ok(&["crs", "find", "anguilla", "british", "--deprecated", "--limit", "3", "--json"])
        .json();
    assert!(withdrawn["matches"].as_u64().unwrap() >= 1);
    let compound = bench.ok(&["crs", "show", "5498"]);
    assert!(compound.out.contains("NAVD88 height"), "{}", compound.out);
    let paris = bench.ok(&["crs", "show", "4807"]);
    assert!(paris.out.contains("Paris, 2.33722917° from Greenwich"), "{}", paris.out);
    let route = bench.ok(&["crs", "show", "4267", "--to", "4269", "--json"]).json();
    assert_eq!(route["route"]["operations"].as_array().unwrap().len(), 2);
    assert!(route["route"]["unavailable"][0]["accuracy_m"].as_f64().unwrap() < 1.0);
    let more = bench.ok(&["crs", "find", "utm", "--limit", "2"]);
    assert!(more.err.contains("more: add words"), "{}", more.err);
}

#[test]
fn maps_suit_what_they_show() {
    let bench = gates();
    bench.write("one.csv", "name,lat,lon\nA,47.40,-120.01\n");
    bench.ok(&["build", "points", "one.csv", "--crs", "4326", "-o", "one.gpkg"]);
    bench.ok(&["draw", "one.gpkg", "-o", "one.svg"]);
    assert!(bench.read("one.svg").contains("1 point<"), "a single point is a map");
    bench.ok(&["build", "points", "one.csv", "-o", "bare.gpkg"]);
    let run = bench.ok(&["draw", "bare.gpkg", "-o", "bare.svg"]);
    assert!(run.err.contains("no reference system: drawn by their bare numbers"), "{}", run.err);
    assert!(!bench.read("bare.svg").contains(" km</text>"), "no scale without a system");
    let run = bench.run(&["draw", "gates.gpkg", "bare.gpkg", "-o", "both.svg"]);
    assert!(run.code == 1 && run.err.contains("has no reference system"), "{}", run.err);
    let run = bench.run(&["draw", "gates.gpkg", "-o", "big.png", "--pixels", "99999x9"]);
    assert!(run.code == 2 && run.err.contains("WIDTHxHEIGHT"), "{}", run.err);
    bench.ok(&["draw", "gates.gpkg", "--crs", "EPSG:2285", "--label", "name", "-o", "feet.svg"]);
    let svg = bench.read("feet.svg");
    for text in [
        "easting, ftUS",
        "ftUS</text>",
        "convergence</text>",
        ">A</text>",
        ">C</text>",
        "in US survey feet",
    ] {
        assert!(svg.contains(text), "{text}");
    }
}

/// Tables as they come: no header, lines in front, comments, decimal commas, grouped thousands.
#[test]
fn tables_are_read_as_they_come() {
    let bench = Bench::new();
    let plain = "705000.5,5254000.25";
    for (name, text, options) in [
        ("header.csv", "e,n\n705000.5,5254000.25\n", &["--e", "e", "--n", "n"][..]),
        ("none.csv", "A1,705000.5,5254000.25\n", &["--no-header", "--e", "2", "--n", "3"]),
        ("named.csv", "A1,705000.5,5254000.25\n", &["--no-header", "--names", "id,east,north"]),
        (
            "front.csv",
            "Tumblewick\nexport of 3 May\ne;n\n705000.5;5254000.25\n",
            &["--skip-lines", "2"],
        ),
        ("notes.csv", "# made up\ne,n\n# a note\n705000.5,5254000.25\n", &["--comment", "#"]),
        ("comma.csv", "e;n\n705000,5;5254000,25\n", &["--decimal-comma"]),
        ("points.csv", "e;n\n705.000,5;5.254.000,25\n", &["--decimal-comma", "--thousands", "."]),
        ("blanks.csv", "e;n\n705 000.5;5 254\u{a0}000.25\n", &["--thousands", " "]),
    ] {
        bench.write(name, text);
        let arguments = [
            &[
                "convert",
                name,
                "--crs",
                "EPSG:32610",
                "--to",
                "EPSG:32610",
                "--decimals",
                "3",
                "--overwrite",
                "-o",
                "out.csv",
            ],
            options,
        ]
        .concat();
        bench.ok(&arguments);
        let (header, rows) = bench.table("out.csv");
        let (e, n) = (&rows[0][header.len() - 2], &rows[0][header.len() - 1]);
        assert_eq!(rows.len(), 1, "{name}");
        assert_eq!(format!("{e},{n}"), "705000.500,5254000.250", "{name} for {plain}");
    }
    // A comma without a word about it is refused with advice, and rows keep their numbers.
    bench.write(
        "bad.csv",
        "front\n# note\ne;n\n1;2\n# note\n705000,5;5254000,25\n705000.5;5254000.25\n",
    );
    let run = bench.run(&[
        "build",
        "points",
        "bad.csv",
        "--skip-lines",
        "1",
        "--comment",
        "#",
        "--crs",
        "EPSG:32610",
        "-o",
        "bad.gpkg",
    ]);
    assert!(
        run.code == 3 && run.err.contains("--decimal-comma") && run.err.contains("row 6"),
        "{}",
        run.err
    );
    let wrong = bench.run(&["look", "bad.csv", "--names", "a,b,c", "--skip-lines", "2"]);
    assert!(
        wrong.code == 1 && wrong.err.contains("3 names were given for its 2 columns"),
        "{}",
        wrong.err
    );
}

/// Heights through the command line: converted with their datum kept, blank where there are none,
/// and a word about what GeoJSON takes them for.
#[test]
fn heights_are_carried_with_what_is_known_of_them() {
    let bench = Bench::new();
    bench.write("z.csv", "id,lon,lat,h\n1,-120,47.4,100\n2,-120.1,47.5,\n");
    let columns = ["--lon", "lon", "--lat", "lat", "--z", "h"];
    let convert = |from: &str, to: &str, more: &[&str]| {
        let arguments = [
            &["convert", "z.csv", "--crs", from, "--to", to, "--overwrite", "-o", "out.csv"],
            &columns[..],
            more,
        ]
        .concat();
        let run = bench.run(&arguments);
        (run.code, run.err)
    };
    assert_eq!(convert("EPSG:4269+EPSG:5703", "EPSG:2286+EPSG:6360", &[]).0, 0);
    let (header, rows) = bench.table("out.csv");
    assert_eq!(header.last().unwrap(), "height");
    assert_eq!((rows[0][6].as_str(), rows[1][6].as_str()), ("328.0833", ""));
    let (code, words) = convert("EPSG:6318+EPSG:5703", "EPSG:6319", &[]);
    assert!(code == 1 && words.contains("takes a model"), "{words}");
    let (code, words) = convert("EPSG:7912", "EPSG:6319", &[]);
    assert!(code == 1 && words.contains("needs their epoch"), "{words}");
    let (code, words) = convert("EPSG:7912", "EPSG:6319", &["--epoch", "2026.9"]);
    assert!(
        code == 0
            && words.contains("ITRF2014 to NAD83(2011)")
            && words.contains("exact by definition"),
        "{words}"
    );
    bench.ok(&[
        &["build", "points", "z.csv", "--crs", "EPSG:4269+EPSG:5703", "-o", "z.gpkg"],
        &columns[..],
    ]
    .concat());
    let run = bench.ok(&["convert", "z.gpkg", "--to", "EPSG:4326", "-o", "z.geojson"]);
    assert!(run.err.contains("metres above the WGS 84 ellipsoid"), "{}", run.err);
}
