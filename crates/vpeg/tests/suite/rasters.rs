//! Rasters at the command line: looked at, declared, carried, sampled, refused.

use crate::fitted::scan;
use crate::support::{Bench, words};

/// A grid of heights on the district: higher by a metre a column.
fn heights() -> String {
    let mut text =
        "ncols 30\nnrows 20\nxllcorner 281000\nyllcorner 5251000\ncellsize 100\nNODATA_value -1\n"
            .to_string();
    for row in 0..20 {
        let line = (0..30).map(|column| match (column, row) {
            (29, _) => "-1".to_string(),
            _ => format!("{:.1}", 300.5 + f64::from(column)),
        });
        text += &(line.collect::<Vec<_>>().join(" ") + "\n");
    }
    text
}

#[test]
fn a_grid_is_looked_at_declared_carried_and_sampled() {
    let bench = Bench::new();
    bench.write("heights.asc", heights());
    let look = bench.ok(&["look", "heights.asc"]);
    for told in [
        "ASCII grid, 30 × 20 pixels, 1 band",
        "stands for no value  -1",
        "missing: it has to be declared",
        "x 281000.00 to 284000.00, y 5251000.00 to 5253000.00",
        "next: vpeg declare heights.asc --crs REF -o heights-declared.tif",
    ] {
        assert!(look.out.contains(told), "{told}: {}", look.out);
    }
    // Without a system there is no way to another.
    let refused = bench.run(&["convert", "heights.asc", "--to", "EPSG:32610", "-o", "a.tif"]);
    assert_eq!(refused.code, 1);
    assert!(refused.err.contains("does not say which reference system"), "{}", refused.err);

    // Declared where it lies: the grid stays as it is, and a file beside it says the system.
    let before = bench.read("heights.asc");
    let declared = bench.ok(&["declare", "heights.asc", "--crs", "EPSG:32611"]);
    assert!(declared.err.contains("no pixel was moved"), "{}", declared.err);
    assert_eq!(bench.read("heights.asc"), before);
    assert!(bench.read("heights.prj").contains("UTM"));
    assert!(
        declared.err.contains("wrote heights.prj; heights.asc stays as it is"),
        "{}",
        declared.err
    );
    let json = bench.ok(&["look", "heights.asc", "--json"]).json();
    assert_eq!(json["crs"], "EPSG:32611");
    assert_eq!(json["grid"]["pixel_width"], 100.0);
    let again = bench.run(&["declare", "heights.asc", "--crs", "EPSG:32610"]);
    assert!(again.code == 1 && again.err.contains("--overwrite"), "{}", again.err);

    let done = bench.ok(&["convert", "heights.asc", "--to", "state-plane", "-o", "heights.tif"]);
    for told in [
        "600 pixels in",
        "US survey feet; values by bilinear",
        "positions within 0.00",
        "read again and compared",
    ] {
        assert!(done.err.contains(told), "{told}: {}", done.err);
    }
    assert!(bench.ok(&["zone", "heights.tif"]).out.contains("Washington South"));
    let json = bench
        .ok(&["convert", "heights.asc", "--to", "EPSG:4326", "-o", "degrees.tif", "--json"])
        .json();
    assert_eq!(json["resampling"], "bilinear");
    // The .prj is that of the grid: nothing contradicts the file of the same name.
    let look = bench.ok(&["look", "heights.tif"]);
    assert!(!look.err.contains("warning"), "{}", look.err);
    assert!(json["position_error_pixels"].as_f64().unwrap() < 0.05);

    // Points take values, from a raster in their own system and in another.
    bench.write(
        "p.csv",
        "name,x,y\na,281250,5252750\nb,282100,5252000\nc,290000,5252000\nd,283950,5252000\n",
    );
    bench.ok(&[
        "build",
        "points",
        "p.csv",
        "--x",
        "x",
        "--y",
        "y",
        "--crs",
        "EPSG:32611",
        "-o",
        "p.gpkg",
    ]);
    for (number, raster) in ["heights.asc", "heights.tif", "degrees.tif"].into_iter().enumerate() {
        let out = format!("values-{number}.csv");
        let done = bench.ok(&[
            "tag",
            "p.gpkg",
            "--from",
            raster,
            "--columns",
            "band1:ground_m",
            "-o",
            &out,
        ]);
        assert!(
            done.err.contains("2 points with a value, 1 where the raster has none, 1 beyond it"),
            "{}",
            done.err
        );
        assert!(done.err.contains("does not say what they are of"), "{}", done.err);
        let (header, rows) = bench.table(&out);
        let at = header.iter().position(|name| name == "ground_m").unwrap();
        let value = |row: usize| rows[row][at].parse::<f64>();
        // In the middle of a pixel; between the eleventh and the twelfth.
        let slack = if number == 0 { 1e-9 } else { 0.02 };
        assert!((value(0).unwrap() - 302.5).abs() <= slack, "{raster}: {:?}", rows[0]);
        assert!((value(1).unwrap() - 311.0).abs() <= slack, "{raster}: {:?}", rows[1]);
        assert!(value(2).is_err() && value(3).is_err());
    }
    // By the nearest alone it is the pixel's own.
    bench.ok(&[
        "tag",
        "p.gpkg",
        "--from",
        "heights.asc",
        "--resample",
        "nearest",
        "-o",
        "near.csv",
    ]);
    let (header, rows) = bench.table("near.csv");
    let at = header.iter().position(|name| name == "band1").unwrap();
    assert_eq!(rows[1][at], "311.5");
}

#[test]
fn options_that_do_not_fit_are_refused() {
    let bench = Bench::with_demo();
    bench.write("heights.asc", heights());
    bench.write("heights.prj", bench.ok(&["crs", "show", "EPSG:32611", "--as", "prj"]).out);
    for (arguments, told) in [
        (
            &["convert", "fields.geojson", "--pixel", "2", "-o", "a.gpkg"][..],
            "--pixel is for rasters",
        ),
        (&["convert", "heights.asc", "--pixel", "0", "-o", "a.tif"], "number above 0"),
        (
            &["convert", "heights.asc", "--extent", "5,1,2,9", "-o", "a.tif"],
            "west is less than east",
        ),
        (
            &["convert", "heights.asc", "--resample", "lanczos", "-o", "a.tif"],
            "nearest, bilinear, cubic, average",
        ),
        (&["convert", "heights.asc", "--where", "a > 1", "-o", "a.tif"], "work on features"),
        (
            &["convert", "heights.asc", "-o", "a.gpkg"],
            "GeoTIFF (.tif), PNG (.png) or ASCII grid (.asc)",
        ),
        (&["convert", "heights.asc", "-o", "heights.asc", "--overwrite"], "is what is read"),
        (&["tag", "turnouts.shp", "--from", "heights.asc", "--within", "5"], "are for polygons"),
        (
            &["tag", "turnouts.shp", "--from", "heights.asc", "--columns", "band7"],
            "there is no band 7",
        ),
        (&["tag", "turnouts.shp", "--from", "heights.asc", "--columns", "red"], "names no band"),
        (
            &["tag", "turnouts.shp", "--from", "heights.asc", "--resample", "cubic"],
            "by nearest or bilinear",
        ),
        (&["tag", "fields.geojson", "--from", "heights.asc"], "points are what takes values"),
        (
            &["tag", "turnouts.shp", "--from", "fields.geojson", "--resample", "nearest"],
            "is for values of a raster",
        ),
    ] {
        let run = bench.run(arguments);
        assert!(run.code != 0 && run.err.contains(told), "{arguments:?}: {}", run.err);
        assert!(!bench.has("a.tif") && !bench.has("a.gpkg"));
    }
}

#[test]
fn frames_are_asked_for_by_size_extent_and_another_raster() {
    let bench = Bench::new();
    bench.write("heights.asc", heights());
    bench.ok(&["declare", "heights.asc", "--crs", "EPSG:32611"]);
    let grid = |arguments: &[&str]| {
        let all = [&["convert", "heights.asc"], arguments, &["--json", "--overwrite"]].concat();
        bench.ok(&all).json()["grid"].clone()
    };
    let cut =
        grid(&["--to", "EPSG:32611", "--extent", "281250,5251250,282250,5252250", "-o", "cut.tif"]);
    assert_eq!((cut["columns"].as_u64(), cut["rows"].as_u64()), (Some(11), Some(11)));
    assert_eq!(cut["extent"]["x_min"], 281_200.0);
    let fine = grid(&["--to", "EPSG:32610", "--pixel", "50", "-o", "fine.tif"]);
    assert_eq!(
        (fine["pixel_width"].as_f64(), fine["pixel_height"].as_f64()),
        (Some(50.0), Some(50.0))
    );
    let like = grid(&["--to", "EPSG:32610", "--align", "fine.tif", "-o", "like.tif"]);
    assert_eq!(like["pixel_width"], 50.0);
    let (one, other) = (like["origin"][0].as_f64().unwrap(), fine["origin"][0].as_f64().unwrap());
    assert_eq!((one - other) % 50.0, 0.0);
    // Larger pixels lose detail, which is said.
    let run = bench.ok(&[
        "convert",
        "heights.asc",
        "--to",
        "EPSG:32610",
        "--pixel",
        "250",
        "-o",
        "coarse.tif",
    ]);
    assert!(
        run.err.contains("times as large as those of the source: detail is lost"),
        "{}",
        run.err
    );
    assert!(run.err.contains("values by average"), "{}", run.err);
}

#[test]
fn rasters_are_found_as_layers_are() {
    let bench = Bench::with_demo();
    // The demo's heights lie where its fields do, and a system may be like theirs.
    let check = bench.ok(&["check", "heights.asc", "fields.geojson"]);
    assert!(check.out.contains("ASCII grid") && check.out.contains("GeoJSON"), "{}", check.out);
    assert!(!check.out.contains("lies elsewhere"), "{}", check.out);
    // An outline is nobody's digits: nothing is said of their number.
    assert!(!check.out.contains("precision"), "{}", check.out);
    bench.ok(&["convert", "fields.geojson", "--to", "like:heights.asc", "-o", "like.gpkg"]);
    assert_eq!(bench.ok(&["look", "like.gpkg", "--json"]).json()["layers"][0]["crs"], "EPSG:26711");
    // In the wrong zone they lie elsewhere, and what brings them home is named.
    bench.ok(&["declare", "heights.asc", "--crs", "EPSG:26710", "-o", "astray.tif"]);
    let check = bench.run(&["check", "astray.tif", "fields.geojson", "laterals.geojson"]);
    assert_eq!(check.code, 3, "{}{}", check.out, check.err);
    assert!(
        check.out.contains("EPSG:26711") || check.out.contains("UTM zone 11N"),
        "{}",
        check.out
    );
    let guess = bench.ok(&["crs", "guess", "heights.asc", "--like", "fields.geojson"]);
    assert!(guess.out.contains("UTM zone 11N"), "{}", guess.out);
    // A job of the trade: heights of the ground at gates.
    // Some rows of the table are rejected.
    let built =
        bench.run(&["build", "points", "headgates.csv", "--crs", "EPSG:4326", "-o", "gates.gpkg"]);
    assert_eq!(built.code, 3, "{}", built.err);
    let tagged = bench.ok(&[
        "tag",
        "gates.gpkg",
        "--from",
        "heights.asc",
        "--columns",
        "band1:ground_m",
        "-o",
        "g.csv",
    ]);
    assert!(tagged.err.contains("NAD27"), "{}", tagged.err);
    let (header, rows) = bench.table("g.csv");
    let at = header.iter().position(|name| name == "ground_m").unwrap();
    let heights: Vec<f64> = rows.iter().filter_map(|row| row[at].parse().ok()).collect();
    assert!(
        heights.len() > 30 && heights.iter().all(|h| (330.0..440.0).contains(h)),
        "{heights:?}"
    );
}

#[test]
fn folders_go_with_their_rasters_and_nothing_is_passed_over_in_silence() {
    let bench = Bench::with_demo();
    bench.write("scan.png", scan());
    bench.ok(&["convert", "heights.asc", "-o", "sheet.tif"]);
    std::fs::create_dir(bench.path("out")).unwrap();
    let done = bench.ok(&["convert", ".", "--to", "EPSG:32610", "-o", "out"]);
    assert!(
        done.err.contains("passed over, because nothing says where their pixels lie: 1 file"),
        "{}",
        done.err
    );
    for name in ["heights.asc", "heights.prj", "sheet.tif", "fields.geojson", "turnouts.shp"] {
        assert!(bench.has(&format!("out/{name}")), "{name}: {}", done.err);
    }
    assert!(!bench.has("out/scan.png"));
    let system = bench.ok(&["look", "out/sheet.tif", "--json"]).json()["crs"].clone();
    assert_eq!(system, "EPSG:32610");
    // A database of layers has no place for them, which is said.
    let done = bench.ok(&["convert", ".", "--to", "EPSG:32611", "-o", "all.gpkg"]);
    assert!(done.err.contains("passed over, because rasters go to a folder"), "{}", done.err);
    bench.write("text.tif", "name,x,y\nA,1,2\n");
    let convert = ["convert", "text.tif", "--to", "utm", "-o", "text-utm.tif"];
    for arguments in [&["look", "text.tif"][..], &convert, &["draw", "text.tif", "-o", "t.png"]] {
        let run = bench.run(arguments);
        assert_eq!(run.code, 1, "{arguments:?}");
        let told = "text.tif: is called a raster (GeoTIFF), and is none";
        assert!(run.err.contains(told), "{arguments:?}: {}", run.err);
    }
    let done =
        bench.ok(&["convert", "heights.asc", "--to", "EPSG:4269+EPSG:5703", "-o", "raised.tif"]);
    assert!(done.err.contains("heights keep their datum and their unit"), "{}", done.err);
    // Other commands say what it is.
    for arguments in [
        &["measure", "heights.asc"][..],
        &["build", "points", "heights.asc", "-o", "a.gpkg"],
        &["fields", "sheet.tif", "-o", "a.csv"],
        &[
            "join",
            "scan.png",
            "register.xlsx",
            "--sheet",
            "Shares",
            "--on",
            "field",
            "-o",
            "a.gpkg",
        ],
    ] {
        let run = bench.run(arguments);
        assert!(run.code == 1 && run.err.contains("is a raster ("), "{arguments:?}: {}", run.err);
    }
}

#[test]
fn options_for_layers_are_refused_not_passed_over() {
    let bench = Bench::with_demo();
    for arguments in [
        &["convert", "heights.asc", "--to", "EPSG:32611", "--append", "-o", "a.tif"][..],
        &["convert", "heights.asc", "--layer", "heights", "-o", "a.tif"],
        &["convert", "heights.asc", "--rejects", "r.csv", "-o", "a.tif"],
        &["declare", "heights.asc", "--crs", "EPSG:26711", "--encoding", "utf-8", "-o", "a.tif"],
    ] {
        let run = bench.run(arguments);
        assert!(run.code == 1 || run.code == 2, "{arguments:?}: {}", run.code);
        assert!(run.err.contains("is for layers, and heights.asc is a raster"), "{}", run.err);
        assert!(!bench.has("a.tif"));
    }
    let run = bench.run(&["look", "heights.asc", "--map"]);
    assert!(run.err.contains("heights.asc: is a raster, which characters do not"), "{}", run.err);
    assert!(run.out.is_empty(), "{}", run.out);
}

/// Rasters are drawn under layers, by `draw` and by `--map`, from what is read and from what is written.
#[test]
fn rasters_are_drawn() {
    let bench = Bench::with_demo();
    let drawn = bench.ok(&[
        "draw",
        "fields.geojson",
        "district-1951.tif",
        "--context",
        "heights.asc",
        "--title-of",
        "district-1951=The sheet of 1951",
        "--date",
        "none",
        "-o",
        "map.svg",
        "--json",
    ]);
    assert!(drawn.err.contains("drew 1 layer and 2 rasters to map.svg"), "{}", drawn.err);
    let json = drawn.json();
    assert_eq!(json["layers"], serde_json::json!(["fields"]));
    assert_eq!(json["rasters"], serde_json::json!(["district-1951", "heights"]));
    let svg = bench.read("map.svg");
    assert!(svg.contains("The sheet of 1951") && svg.matches("<image").count() == 2);
    // The raster alone, in the zone that it lies in.
    bench.ok(&["draw", "heights.asc", "--crs", "utm", "-o", "heights.svg"]);
    assert!(bench.read("heights.svg").contains("NAD27 / UTM zone 10N"));
    for (arguments, map) in [
        (&["look", "heights.asc", "--map"][..], "a.svg"),
        (&["check", "heights.asc", "fields.geojson", "--map"], "b.svg"),
        (&["convert", "heights.asc", "--to", "EPSG:32611", "-o", "u.tif", "--map"], "c.svg"),
        (&["declare", "district-1951.tif", "--crs", "EPSG:26711", "-o", "d.tif", "--map"], "d.svg"),
        (&["declare", "u.tif", "--crs", "EPSG:32611", "--overwrite", "--map"], "e.svg"),
    ] {
        let run = bench.run(&[arguments, &[map]].concat());
        assert!(run.code == 0 || run.code == 4, "{arguments:?}: {} {}", run.code, run.err);
        assert!(bench.read(map).contains("<image"), "{arguments:?}");
    }
    // Declared where it lies, only the file beside it is written; the map is of the raster.
    std::fs::remove_file(bench.path("heights.prj")).unwrap();
    bench.ok(&["declare", "heights.asc", "--crs", "EPSG:26711", "--map", "f.svg"]);
    assert!(bench.read("f.svg").contains("<image"));
    // What has no place is told by its name, and no picture is left.
    std::fs::remove_file(bench.path("heights.prj")).unwrap();
    let run = bench.run(&["draw", "fields.geojson", "heights.asc", "-o", "g.svg"]);
    assert!(run.code == 1 && run.err.contains("heights"), "{}", run.err);
    assert!(!bench.has("g.svg"));
}

#[test]
fn logs_have_every_file_of_a_raster() {
    let bench = Bench::with_demo();
    bench.ok(&["convert", "heights.asc", "-o", "sheet.tif"]);
    std::fs::create_dir(bench.path("out")).unwrap();
    let listed = |log: &str, list: &str| -> Vec<String> {
        let log: serde_json::Value = serde_json::from_str(&bench.read(log)).unwrap();
        let files = log[list].as_array().unwrap().iter();
        files.map(|file| file["path"].as_str().unwrap().to_string()).collect()
    };
    bench.write("scan.png", scan());
    bench.write("scan.pgw", "2\n0\n0\n-2\n281001\n5252999\n");
    bench.ok(&[
        "--log",
        "one.log",
        "convert",
        "scan.png",
        "--crs",
        "EPSG:32611",
        "--to",
        "EPSG:32610",
        "-o",
        "moved.png",
    ]);
    let written = listed("one.log.json", "outputs");
    for name in ["moved.png", "moved.pgw", "moved.prj"] {
        assert_eq!(
            written.iter().filter(|path| path.ends_with(name)).count(),
            1,
            "{name}: {written:?}"
        );
    }
    for name in ["one.log", "one.log.json", "scan.png"] {
        std::fs::remove_file(bench.path(name)).unwrap();
    }
    bench.ok(&["--log", "all.log", "convert", ".", "--to", "EPSG:32611", "-o", "out"]);
    let read = listed("all.log.json", "inputs");
    for name in ["heights.asc", "sheet.tif", "fields.geojson"] {
        assert!(read.iter().any(|path| path.ends_with(name)), "{name}: {read:?}");
    }
}

#[test]
fn a_raster_in_a_system_where_it_cannot_lie_is_told() {
    let bench = Bench::with_demo();
    bench.ok(&["convert", "heights.asc", "-o", "sheet.tif"]);
    let declared = bench.ok(&["declare", "sheet.tif", "--crs", "EPSG:4326", "-o", "wrong.tif"]);
    assert!(declared.err.contains("is it the right system?"), "{}", declared.err);
    for arguments in
        [&["zone", "wrong.tif"][..], &["convert", "wrong.tif", "--to", "utm", "-o", "a.tif"]]
    {
        let run = bench.run(arguments);
        assert!(run.code == 1 && run.err.contains("wrong.tif"), "{arguments:?}: {}", run.err);
        assert!(run.err.contains("a latitude beyond 90°"), "{arguments:?}: {}", run.err);
    }
    let tagged = bench.ok(&["tag", "turnouts.shp", "--from", "wrong.tif"]);
    assert!(tagged.err.contains("is it the right system?"), "{}", tagged.err);
}

/// A raster that lies in two zones has a share in each; the one that most of it lies in is taken, and said.
#[test]
fn zones_are_told_by_what_share_of_a_raster_lies_in_them() {
    let bench = Bench::new();
    // A quarter of it lies west of 120°.
    bench.write("grid.asc", "ncols 8\nnrows 2\nxllcorner -120.02\nyllcorner 47\ncellsize 0.01\n1 2 3 4 5 6 7 8\n1 2 3 4 5 6 7 8\n");
    bench.ok(&["declare", "grid.asc", "--crs", "EPSG:4326"]);
    let zone = bench.ok(&["zone", "grid.asc"]).out;
    let row = |name: &str| zone.lines().find(|line| line.contains(name)).unwrap().to_string();
    assert!(zone.lines().next().unwrap().ends_with("share"), "{zone}");
    assert!(
        row("UTM zone 10N").ends_with("25 %") && row("UTM zone 11N").ends_with("75 %"),
        "{zone}"
    );
    let json = bench.ok(&["zone", "grid.asc", "--json"]).json();
    assert_eq!(json["zones"][1]["share"], 0.75);
    assert_eq!(json["zones"][1]["features"], serde_json::Value::Null);
    bench.write("job.toml", "job = 1\nsources.g.file = \"grid.asc\"\n[[steps]]\ndo = \"convert\"\nfrom = \"g\"\nto = \"utm\"\nas = \"u\"\n[[outputs]]\nfile = \"j.tif\"\nfrom = [\"u\"]\n");
    let told =
        "25 % in UTM zone 10N, 75 % in UTM zone 11N): the one that most of it lies in is taken";
    let convert = bench.ok(&["convert", "grid.asc", "--to", "utm", "-o", "c.tif"]);
    let draw = bench.ok(&["draw", "grid.asc", "--crs", "utm", "-o", "d.svg"]);
    bench.ok(&["run", "job.toml"]);
    for said in [convert.err, draw.err, bench.read("job.log")] {
        assert!(said.contains(told), "{said}");
    }
    for file in ["c.tif", "j.tif"] {
        assert_eq!(bench.ok(&["look", file, "--json"]).json()["crs"], "EPSG:32611");
    }
    assert!(bench.read("d.svg").contains("EPSG:32611"));
}

/// Pixels whose middles are the poles reach beyond them: the raster is drawn and checked all the same, on a
/// map of a part of it without a word of what is not there.
#[test]
fn rasters_of_the_whole_earth_are_drawn() {
    let bench = Bench::with_demo();
    let row = (0..37).map(|column| column.to_string()).collect::<Vec<_>>().join(" ") + "\n";
    let head = "ncols 37\nnrows 19\nxllcenter -180\nyllcenter -90\ncellsize 10\n";
    bench.write("world.asc", head.to_string() + &row.repeat(19));
    bench.ok(&["declare", "world.asc", "--crs", "EPSG:4326"]);
    for (crs, more) in [("EPSG:4326", ""), ("EPSG:3857", ""), ("EPSG:32611", "laterals.geojson")] {
        let files: &[&str] = match more {
            "" => &["draw", "world.asc"],
            more => &["draw", more, "--context", "world.asc"],
        };
        let end = ["--crs", crs, "--overwrite", "-o", "world.svg"];
        let run = bench.ok(&[files, &end].concat());
        assert!(!run.err.contains("warning"), "{crs}: {}", run.err);
        assert!(bench.read("world.svg").contains("<image"), "{crs}");
    }
    bench.ok(&["zone", "world.asc"]);
    let check = bench.run(&["check", "world.asc", "fields.geojson"]);
    assert!(check.code == 0 || check.code == 3, "{}", check.err);
}

/// A file that ends before its pixels do is a fault of its sheet; other files are checked all the same.
#[test]
fn pixels_that_cannot_be_read_are_a_fault() {
    let bench = Bench::with_demo();
    let whole = std::fs::read(bench.path("district-1951.tif")).unwrap();
    bench.write("cut.tif", &whole[..9000]);
    let good = bench.run(&["check", "district-1951.tif"]);
    assert!(
        good.code == 0 && good.out.contains("all of its 700 × 400 pixels can be read"),
        "{}",
        good.out
    );
    let run = bench.run(&["check", "cut.tif", "fields.geojson"]);
    assert_eq!(run.code, 3, "{}", run.err);
    assert!(run.out.contains("fault: not all of its 700 × 400 pixels can be read"), "{}", run.out);
    assert!(run.out.contains("the file ends before its content does"), "{}", run.out);
    assert!(run.out.contains("right_acres"), "the other is checked: {}", run.out);
}

/// What is packed has with it what says where it lies.
#[test]
fn rasters_are_packed_with_what_lies_beside_them() {
    let bench = Bench::with_demo();
    bench.write("scan.png", scan());
    bench.write("scan.pgw", "1\n0\n0\n-1\n270000\n5255000\n");
    bench.write("scan.prj", bench.read("heights.prj"));
    bench.ok(&["pack", "heights.asc", "scan.png", "district-1951.tif", "-o", "all.zip"]);
    // Names stand in the archive as they are.
    let packed = std::fs::read(bench.path("all.zip")).unwrap();
    let names =
        ["heights.asc", "heights.prj", "scan.png", "scan.pgw", "scan.prj", "district-1951.tif"];
    for name in names {
        let holds = packed.windows(name.len()).any(|bytes| bytes == name.as_bytes());
        assert!(holds, "{name} is not packed");
    }
}

/// A TIFF of tags alone: numbers are 32 bits wide, lists stand behind.
fn bare_tiff(tags: &[(u16, Vec<u32>)]) -> Vec<u8> {
    let mut bytes = b"II*\0\x08\0\0\0".to_vec();
    bytes.extend((tags.len() as u16).to_le_bytes());
    let mut behind = Vec::new();
    let lists = 8 + 2 + 12 * tags.len() + 4;
    for (tag, values) in tags {
        bytes.extend(tag.to_le_bytes());
        bytes.extend(4_u16.to_le_bytes());
        bytes.extend((values.len() as u32).to_le_bytes());
        match values[..] {
            [one] => bytes.extend(one.to_le_bytes()),
            _ => {
                bytes.extend(((lists + behind.len()) as u32).to_le_bytes());
                behind.extend(values.iter().flat_map(|value| value.to_le_bytes()));
            }
        }
    }
    bytes.extend([0; 4]);
    bytes.extend(behind);
    bytes
}

/// Parts that a file leaves out take no memory and no time: a header of some bytes may state any number.
#[test]
fn what_a_raster_leaves_out_is_not_made() {
    let bench = Bench::new();
    let with = |name: &str, size: u32, parts: &[(u16, Vec<u32>)]| {
        let mut tags: Vec<(u16, Vec<u32>)> =
            [(256, size), (257, size), (258, 8), (259, 1), (262, 1), (277, 1)]
                .map(|(tag, value)| (tag, vec![value]))
                .to_vec();
        tags.extend_from_slice(parts);
        tags.sort_by_key(|(tag, _)| *tag);
        bench.write(&format!("{name}.tif"), bare_tiff(&tags));
        bench.write(&format!("{name}.tfw"), "1\n0\n0\n-1\n500000\n5200000\n");
    };
    // One strip of 2.5 GB, which is in the file with no byte.
    with("strip", 50_000, &[(273, vec![0]), (278, vec![50_000]), (279, vec![0])]);
    bench.ok(&words("look strip.tif"));
    let run = bench.run(&words("check strip.tif"));
    let told = "not all of its 50000 × 50000 pixels can be read";
    assert!(run.code == 3 && run.out.contains(told), "{}{}", run.out, run.err);
    let run = bench.run(&words("convert strip.tif -o out.tif"));
    assert!(run.code == 1 && run.err.contains("too large to be held in memory"), "{}", run.err);
    assert!(!bench.has("out.tif"));
    // 4,096 tiles of 16,384 × 16,384 pixels, none of which is in the file: a terabyte.
    let none = vec![0; 4096];
    let tiles = [(322, vec![16_384]), (323, vec![16_384]), (324, none.clone()), (325, none)];
    with("tiles", 64 * 16_384, &tiles);
    let run = bench.run(&words("check tiles.tif"));
    let told = "all of its 1048576 × 1048576 pixels can be read";
    assert!(run.out.contains(told), "{}{}", run.out, run.err);
}
