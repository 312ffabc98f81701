//! Tables with a file beside them that tells their system: each command that reads them needs none
//! to be named, and none is left beside a table that it does not belong to.

use crate::support::{Bench, words};

/// The command that a run proposes.
fn next(out: &str) -> Vec<String> {
    let next = out.lines().find_map(|line| line.strip_prefix("next: vpeg ")).unwrap();
    next.split_whitespace().map(str::to_string).collect()
}

#[test]
fn a_table_with_its_system_beside_it_needs_no_other() {
    let bench = Bench::new();
    bench.write("gates.csv", "gate,lon,lat\n007,-120.0468,47.4226\n008,-120.0467,47.4227\n");
    bench.ok(&["build", "points", "gates.csv", "--crs", "EPSG:4269", "-o", "gates.gpkg"]);
    let to = ["--to", "EPSG:2285", "--keep", "gate"];
    let written = bench.ok(&[
        &["convert", "gates.gpkg", "--metadata", "-o", "feet.csv"][..],
        &to[..],
    ]
    .concat());
    assert!(!written.err.contains("no place for a reference system"), "{}", written.err);
    let look = bench.ok(&["look", "feet.csv"]);
    assert!(
        look.out
            .contains("reference system: EPSG:2285 NAD83 / Washington North (ftUS), by the file"),
        "{}",
        look.out
    );
    let proposed = next(&look.out);
    assert!(!proposed.iter().any(|word| word == "--crs" || word == "REF"), "{proposed:?}");
    let typed: Vec<&str> = proposed.iter().map(String::as_str).collect();
    let built = bench.ok(&typed);
    assert!(!built.err.contains("warning"), "{}", built.err);
    let layer = velvet_peg::Layer::read(bench.path("feet.gpkg")).unwrap();
    assert_eq!(layer.info().crs.as_ref().and_then(velvet_peg::Crs::code), Some(2285));
    assert_eq!(layer.features().next().unwrap().value("gate").unwrap().to_text(), "007");

    // Back to degrees, with nothing named but where to.
    bench.ok(&["convert", "feet.csv", "--to", "EPSG:4269", "-o", "back.csv"]);
    let back = bench.read("back.csv");
    let row = back.lines().nth(1).unwrap();
    let numbers: Vec<f64> = row.split(',').skip(3).map(|cell| cell.parse().unwrap()).collect();
    assert!((numbers[0] + 120.0468).abs() < 1e-8 && (numbers[1] - 47.4226).abs() < 1e-8, "{row}");

    // A new table in the place of the old one has another system.
    let replaced = bench.ok(&["convert", "gates.gpkg", "-o", "feet.csv", "--overwrite"]);
    assert!(
        replaced.err.contains("would not fit the new one: feet.csv-metadata.json"),
        "{}",
        replaced.err
    );
    assert!(!bench.path("feet.csv-metadata.json").exists());
    // So has one that a job, or the conversion of a table, puts there.
    let beside = "feet.csv-metadata.json";
    let job =
        "convert gates.gpkg --to EPSG:2285 --metadata --overwrite -o feet.csv --save-job j.toml";
    bench.ok(&words(job));
    bench.ok(&words("run j.toml --overwrite"));
    assert!(bench.has(beside));
    bench.write(
        "k.toml",
        bench.read("j.toml").replace("metadata = true", "").replace("2285", "2286"),
    );
    let run = bench.ok(&words("run k.toml --overwrite"));
    assert!(!bench.has(beside) && (run.out + &run.err).contains("would not fit the new one"));
    bench.ok(&words(job));
    let table = "convert gates.csv --crs EPSG:4269 --to EPSG:2286 -o feet.csv --overwrite";
    let run = bench.ok(&words(table));
    assert!(!bench.has(beside) && run.err.contains("would not fit the new one"), "{}", run.err);
    let refused = bench.run(&["convert", "gates.gpkg", "--metadata", "-o", "gates.geojson"]);
    assert!(refused.err.contains("is for delimited text"), "{}", refused.err);
    let refused = bench.run(&["convert", "gates.csv", "--to", "EPSG:2285", "-o", "no.csv"]);
    assert!(refused.err.contains("does not say which reference system"), "{}", refused.err);
}

#[test]
fn folders_and_archives_do_not_take_what_tells_of_a_table_for_data() {
    let bench = Bench::new();
    bench.write("a.csv", "gate,lon,lat\n007,-120.0468,47.4226\n");
    bench.ok(&["build", "points", "a.csv", "--crs", "EPSG:4269", "-o", "a.gpkg"]);
    std::fs::create_dir(bench.path("days")).unwrap();
    for day in ["days/1.csv", "days/2.csv"] {
        bench.ok(&["convert", "a.gpkg", "--metadata", "--keep", "gate", "-o", day]);
    }
    let built = bench.ok(&["build", "points", "days", "-o", "days.gpkg"]);
    // Several tables are no layer of the name of the first.
    let look = bench.ok(&["look", "days.gpkg", "--json"]).json();
    assert_eq!(look["layers"][0]["name"], "days");
    assert!(built.err.contains("2 rows in, 2 features out"), "{}", built.err);
    bench.ok(&["declare", "a.gpkg", "--crs", "EPSG:4269", "-o", "days/gates.gpkg"]);
    let converted = bench.ok(&["convert", "days", "--to", "EPSG:2285", "-o", "all.gpkg"]);
    assert!(
        converted.err.contains("passed over, because tables have no features yet: 2 files"),
        "{}",
        converted.err
    );
    bench.ok(&["convert", "a.gpkg", "--metadata", "--keep", "gate", "-o", "a.csv.zip"]);
    let built = bench.ok(&["build", "points", "a.csv.zip", "-o", "unpacked.gpkg"]);
    assert!(built.err.contains("1 row in, 1 feature out"), "{}", built.err);
    let layer = velvet_peg::Layer::read(bench.path("unpacked.gpkg")).unwrap();
    assert_eq!(layer.info().crs.as_ref().and_then(velvet_peg::Crs::code), Some(4269));
}

/// A datum that the registry does not have keeps its shift to WGS 84 through every format.
#[test]
fn a_shift_of_ones_own_goes_along_with_the_data() {
    let bench = Bench::with_demo();
    bench.write(
        "plane.prj",
        "PROJCS[\"Tumblewick plane\",GEOGCS[\"Tumblewick 1931\",DATUM[\"Tumblewick_1931\",SPHEROID[\"Airy 1830\",\
         6377563.396,299.3249646],TOWGS84[375,-111,431]],PRIMEM[\"Greenwich\",0],UNIT[\"degree\",\
         0.0174532925199433]],PROJECTION[\"Transverse_Mercator\"],PARAMETER[\"latitude_of_origin\",47],\
         PARAMETER[\"central_meridian\",-120],PARAMETER[\"scale_factor\",0.9996],\
         PARAMETER[\"false_easting\",400000],PARAMETER[\"false_northing\",-100000],UNIT[\"metre\",1]]",
    );
    let corner = |bench: &Bench, name: &str| -> (f64, f64) {
        let text: serde_json::Value = serde_json::from_str(&bench.read(name)).unwrap();
        let at = &text["features"][0]["geometry"]["coordinates"][0][0];
        (at[0].as_f64().unwrap(), at[1].as_f64().unwrap())
    };
    let before = corner(&bench, "fields.geojson");
    for extension in ["gpkg", "shp", "parquet"] {
        let own = format!("own.{extension}");
        let run = bench.ok(&["convert", "fields.geojson", "--to", "file:plane.prj", "-o", &own]);
        assert!(run.err.contains("as its definition says, reversed"), "{}", run.err);
        assert!(run.err.contains("known to an accuracy that is not stated only"), "{}", run.err);
        let back = format!("back-{extension}.geojson");
        bench.ok(&["convert", &own, "--to", "EPSG:4326", "-o", &back]);
        let after = corner(&bench, &back);
        let off = (after.0 - before.0).abs().max((after.1 - before.1).abs());
        assert!(off < 1e-9, "{extension}: {before:?} {after:?}");
    }
}
