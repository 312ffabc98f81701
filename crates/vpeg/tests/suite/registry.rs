//! The registry, zones and guesses from the command line.

use crate::support::Bench;

#[test]
fn finding_narrows_by_kind_unit_and_place() {
    let bench = Bench::new();
    let feet = bench.ok(&["crs", "find", "washington", "south", "feet"]);
    let first: Vec<&str> = feet.out.lines().filter(|line| line.starts_with("EPSG:")).collect();
    assert!(first[0].starts_with("EPSG:6599") && first[1].starts_with("EPSG:2286"), "{}", feet.out);
    assert!(feet.err.contains("NAD83(2011) is the current one"), "{}", feet.err);
    let here =
        bench.ok(&["crs", "find", "utm", "--at", "47.4, -120.01", "--unit", "metre", "--json"]);
    let systems = here.json();
    let names: Vec<&str> = systems["systems"]
        .as_array()
        .unwrap()
        .iter()
        .map(|s| s["name"].as_str().unwrap())
        .collect();
    assert!(names.contains(&"WGS 84 / UTM zone 10N"), "{names:?}");
    assert!(!names.iter().any(|name| name.contains("zone 33N")), "{names:?}");
    let vertical = bench.ok(&["crs", "find", "navd88", "--kind", "vertical"]);
    assert!(vertical.out.contains("EPSG:5703") && !vertical.out.contains("compound"));
}

#[test]
fn ways_between_systems_are_all_listed() {
    let bench = Bench::new();
    let ways = bench.ok(&["crs", "show", "EPSG:4267", "--to", "EPSG:4269", "--at", "47.4, -120.0"]);
    for part in [
        "taken: NAD27 to WGS 84",
        "step:",
        "not usable: NAD27 to NAD83 (1) [EPSG:1241], 0.15 m",
        "conus.las and conus.los",
    ] {
        assert!(ways.out.contains(part), "{part}: {}", ways.out);
    }
    let refused = bench.run(&["crs", "show", "EPSG:7789", "--to", "EPSG:6317"]);
    assert!(refused.code == 1 && refused.err.contains("needs their epoch"), "{}", refused.err);
    let moved = bench.ok(&["crs", "show", "EPSG:7789", "--to", "EPSG:6317", "--epoch", "2026.9"]);
    assert!(moved.out.contains("ITRF2014 to NAD83(2011) (1) [EPSG:8970]"), "{}", moved.out);
    let refused = bench.run(&["crs", "show", "EPSG:4326", "--grids", "nowhere"]);
    assert!(refused.code == 1 && refused.err.contains("folder of grid files"), "{}", refused.err);
}

#[test]
fn definitions_are_printed_and_read_in_every_notation() {
    let bench = Bench::new();
    for (notation, begins) in
        [("wkt2", "PROJCRS["), ("wkt1", "PROJCS["), ("prj", "PROJCS[\"NAD83_"), ("json", "{")]
    {
        let text = bench.ok(&["crs", "show", "EPSG:2286", "--as", notation]).out;
        assert!(text.starts_with(begins), "{text}");
        bench.write("definition.txt", &text);
        let shown = bench.ok(&["crs", "show", "file:definition.txt"]);
        assert!(shown.err.contains("describes EPSG:2286"), "{notation}: {}", shown.err);
    }
    let near =
        bench.ok(&["crs", "show", "EPSG:2286", "--as", "prj"]).out.replace("-120.5", "-120.25");
    bench.write("near.prj", near);
    let shown = bench.ok(&["crs", "show", "file:near.prj"]);
    assert!(
        shown.err.contains("near EPSG:2286") && shown.err.contains("Longitude of false origin"),
        "{}",
        shown.err
    );
}

#[test]
fn zones_of_places_counties_and_layers() {
    let bench = Bench::with_demo();
    // As it is typed without quotation marks, too.
    assert!(bench.ok(&["zone", "47.4,", "-120.01"]).out.contains("UTM zone 10N"));
    let place = bench.ok(&["zone", "47.4, -120.01"]);
    assert!(
        place.out.contains("UTM zone 10N") && place.out.contains("Washington North"),
        "{}",
        place.out
    );
    assert!(place.err.contains("0.8 km from UTM zone 11N"), "{}", place.err);
    let near = bench.ok(&["zone", "47.495, -119.5"]);
    assert!(near.err.contains("nearer than the outlines"), "{}", near.err);
    assert!(near.out.contains("nearest edge"), "{}", near.out);
    let county = bench.ok(&["zone", "Grant county, Washington"]);
    assert!(!county.out.contains("nearest edge"), "{}", county.out);
    assert!(county.out.contains("Washington North") && county.out.contains("Washington South"));
    let misspelt = bench.run(&["zone", "Duglas county, Washington"]);
    assert_eq!(misspelt.code, 1);
    assert!(misspelt.err.contains("no county of the United States"), "{}", misspelt.err);
    let layer = bench.ok(&["zone", "fields.geojson", "--json"]).json();
    let zones = layer["zones"].as_array().unwrap();
    let count = |name: &str| {
        zones.iter().find(|z| z["name"] == name).map(|z| z["features"].as_u64().unwrap())
    };
    assert_eq!((count("UTM zone 10N"), count("UTM zone 11N")), (Some(8), Some(8)));
    let straddles = bench.run(&["convert", "fields.geojson", "--to", "utm", "-o", "x.gpkg"]);
    assert!(
        straddles.code == 1 && straddles.err.contains("8 features in UTM zone 10N"),
        "{}",
        straddles.err
    );
    bench.write("two.csv", "name,lon,lat\nA,-120.5,47.4\nB,-119.5,47.4\nC,-119.4,47.4\n");
    bench.ok(&["build", "points", "two.csv", "--crs", "4326", "-o", "two.gpkg"]);
    let one = bench.run(&["convert", "two.gpkg", "--to", "utm", "-o", "x.gpkg"]);
    assert!(one.err.contains("2 features in UTM zone 11N"), "{}", one.err);
    assert!(one.err.contains("1 feature in UTM zone 10N"), "{}", one.err);
    let square = bench.ok(&["zone", "10TGT1234567890"]);
    assert!(square.err.contains("square of 1 m"), "{}", square.err);
    assert!(bench.run(&["zone", "nowhere"]).code == 1);
}

#[test]
fn systems_are_guessed_from_what_is_known() {
    let bench = Bench::with_demo();
    let code = |arguments: &[&str]| {
        let answer = bench.ok(&[arguments, &["--json"]].concat()).json();
        let first = &answer["guesses"][0];
        (first["crs"].as_str().unwrap().to_string(), first["reading"].as_str().unwrap().to_string())
    };
    let weirs = ["crs", "guess", "old-weirs.csv", "--e", "east", "--n", "north"];
    let written = ("EPSG:2285".to_string(), "as written".to_string());
    assert_eq!(code(&[&weirs[..], &["--near", "47.4, -120.0"]].concat()), written);
    assert_eq!(code(&[&weirs[..], &["--zone", "Washington"]].concat()), written);
    assert_eq!(code(&[&weirs[..], &["--like", "fields.geojson"]].concat()), written);
    let swapped =
        ["crs", "guess", "old-weirs.csv", "--e", "north", "--n", "east", "--near", "47.4, -120.0"];
    assert_eq!(code(&swapped), (written.0.clone(), "x and y swapped".to_string()));
    // Columns of the same table say where each row is.
    bench.ok(&[
        "convert",
        "old-weirs.csv",
        "--e",
        "east",
        "--n",
        "north",
        "--crs",
        "EPSG:2285",
        "--to",
        "EPSG:4269",
        "-o",
        "both.csv",
    ]);
    let known = ["crs", "guess", "both.csv", "--e", "east", "--n", "north", "--known", "lon,lat"];
    let answer = bench.ok(&known);
    assert!(
        answer.out.contains("EPSG:2285") && answer.out.contains("Cannot be told apart"),
        "{}",
        answer.out
    );
    assert!(bench.run(&["crs", "guess", "old-weirs.csv"]).code == 2, "an expectation is needed");
}

#[test]
fn positions_are_read_and_written_in_every_form() {
    let bench = Bench::new();
    let sheet = bench.ok(&[
        "position",
        "47°24'30\"N 120°00'15\"W",
        "--height",
        "350",
        "--west-positive",
        "--full-circle",
        "--plain",
    ]);
    for part in [
        "combined factor",
        "elevation factor",
        "120.004166667",
        "239.995833333",
        "47 24 30.00000",
        "there and back",
        "EPSG:2285",
        "Douglas county",
    ] {
        assert!(sheet.out.contains(part), "{part}: {}", sheet.out);
    }
    let square = bench.ok(&["position", "10T GT 26141 54862"]);
    assert!(square.out.contains("10T GT 26141 54862"), "{}", square.out);
    let trap = bench.ok(&["position", "34S 262000 6243000"]);
    assert!(trap.err.contains("southern hemisphere") && trap.out.contains("34S"), "{}", trap.err);
    let polar = bench.ok(&["position", "86, 10"]);
    assert!(polar.out.contains("UPS North"), "{}", polar.out);
}

/// Each mistake is refused with what is wrong and what to do, and leaves nothing behind.
#[test]
fn mistakes_with_systems_and_places_are_explained() {
    let bench = Bench::with_demo();
    std::fs::write(bench.path("cut.prj"), "PROJCS[\"a\",GEOGCS[\"b\"").unwrap();
    let convert = |extra: &[&'static str]| -> Vec<&'static str> {
        [&["convert", "fields.geojson", "-o", "out.gpkg"], extra].concat()
    };
    let cases: [(Vec<&str>, i32, &str); 12] = [
        (vec!["crs", "show", "file:cut.prj"], 1, "no closing bracket (character 22)"),
        (vec!["crs", "show", "file:none.prj"], 1, "none.prj: cannot be read"),
        (vec!["crs", "show", "EPSG:99999"], 1, "search with `vpeg crs find`"),
        (vec!["crs", "guess", "old-weirs.csv", "--e", "east", "--n", "north"], 2, "--near"),
        (vec!["crs", "guess", "old-weirs.csv", "--zone", "Atlantis"], 1, "not a state"),
        (vec!["zone", "headgates.csv"], 1, "vpeg build points"),
        (vec!["position", "47°64'N 120°W"], 1, "minutes must be under 60"),
        (vec!["position", "47.4"], 1, "47.4"),
        (convert(&["--to", "utm"]), 1, "straddles UTM zones (8 features in UTM zone 10N"),
        (convert(&["--to", "EPSG:6319", "--epoch", "20269"]), 2, "such as 2026.9"),
        (convert(&["--to", "EPSG:27700"]), 1, "no operation is known"),
        (convert(&["--to", "EPSG:5703"]), 1, "EPSG:5703"),
    ];
    for (command, code, says) in cases {
        let run = bench.run(&command);
        assert_eq!(run.code, code, "{command:?}: {}{}", run.out, run.err);
        assert!(run.err.contains(says), "{command:?}: {}", run.err);
        assert!(!bench.path("out.gpkg").exists(), "{command:?}");
    }
}

/// A grid of one's own is shown in its own unit, a local system with its unit and nothing that it has
/// not; declaring one says nothing of converting, and converting it is refused.
#[test]
fn systems_without_a_code_are_told_by_their_own_figures() {
    let bench = Bench::new();
    let grid = "PROJCS[\"Tumblewick plane\",GEOGCS[\"GCS_North_American_1983\",\
                DATUM[\"D_North_American_1983\",SPHEROID[\"GRS_1980\",6378137.0,298.257222101]],\
                PRIMEM[\"Greenwich\",0.0],UNIT[\"Degree\",0.0174532925199433]],\
                PROJECTION[\"Transverse_Mercator\"],PARAMETER[\"False_Easting\",50000.0],\
                PARAMETER[\"False_Northing\",10000.0],PARAMETER[\"Central_Meridian\",-120.0],\
                PARAMETER[\"Scale_Factor\",1.00004],PARAMETER[\"Latitude_Of_Origin\",47.0],\
                UNIT[\"Foot_US\",0.3048006096012192]]";
    bench.write("plane.prj", grid);
    bench.write("site.prj", "LOCAL_CS[\"Site grid\",UNIT[\"metre\",1]]");
    bench.write("pegs.csv", "id,x,y\n1,500010,5250010\n2,500020,5250030\n");
    let line = |text: &str, label: &str| -> String {
        let found = text.lines().find_map(|line| line.trim().strip_prefix(label));
        found.unwrap_or_else(|| panic!("{label}: {text}")).trim().to_string()
    };
    let plane = bench.ok(&["crs", "show", "file:plane.prj"]).out;
    for (label, value) in [
        ("unit", "US survey foot"),
        ("false easting", "50000 US survey foot"),
        ("false northing", "10000 US survey foot"),
        ("scale factor at natural origin", "1.00004"),
        ("latitude of natural origin", "47°00′00.00000″ = 47°"),
    ] {
        assert_eq!(line(&plane, label), value, "{plane}");
    }
    let site = bench.ok(&["crs", "show", "file:site.prj"]).out;
    assert_eq!(line(&site, "kind"), "engineering");
    assert_eq!(line(&site, "unit"), "metre");
    assert!(!site.contains("datum") && !site.contains("projection"), "{site}");

    bench.ok(&["build", "points", "pegs.csv", "--crs", "EPSG:32610", "-o", "pegs.gpkg"]);
    let declared =
        bench.ok(&["declare", "pegs.gpkg", "--crs", "file:site.prj", "-o", "site.gpkg"]).err;
    assert!(declared.contains("was declared as EPSG:32610"), "{declared}");
    assert!(!declared.contains("vpeg convert"), "{declared}");
    let look = bench.ok(&["look", "site.gpkg"]).out;
    assert!(look.contains("Site grid (a system without a code) (metres)"), "{look}");
    let convert = bench.run(&["convert", "site.gpkg", "--to", "EPSG:2285", "-o", "out.gpkg"]);
    assert_eq!(convert.code, 1, "{}", convert.err);
    assert!(convert.err.contains("Site grid") && !bench.has("out.gpkg"), "{}", convert.err);
    // Between systems of the earth there is a way.
    let declared =
        bench.ok(&["declare", "pegs.gpkg", "--crs", "EPSG:32611", "-o", "eleven.gpkg"]).err;
    assert!(declared.contains("use `vpeg convert`"), "{declared}");
}
