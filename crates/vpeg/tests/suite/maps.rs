//! Maps by the tool: what its options draw, and what they say when they cannot.

use crate::support::{Bench, words};

/// Words of a command after `draw`, the code it ends with, what it says, and what is on the map.
struct Case {
    line: &'static str,
    code: i32,
    says: &'static str,
    shows: &'static [&'static str],
}

const CASES: &[Case] = &[
    Case {
        line: "fields.geojson --color crop --label field",
        code: 0,
        says: "drew 1 layer",
        shows: &["by crop", "alfalfa (2)", "F-01", "Douglas county, Washington", "id=\"legend\""],
    },
    Case {
        line: "fields.geojson --color right_acres --classes 25,30",
        code: 0,
        says: "",
        shows: &["below 25", "25 to below 30", "30 and more"],
    },
    Case {
        line: "fields.geojson --crs utm",
        code: 1,
        says: "the data straddles UTM zones",
        shows: &[],
    },
    Case {
        line: "west.gpkg --crs utm --grid both",
        code: 0,
        says: "carried from EPSG:4326",
        shows: &["EPSG:32610 WGS 84 / UTM zone 10N, in metres", "easting, m", "stroke-dasharray"],
    },
    Case {
        line: "fields.geojson --crs state-plane --context laterals.geojson --date none",
        code: 0,
        says: "carried from EPSG:4326",
        shows: &["Washington North (ftUS)", "ftUS", "9 lines", "#808080"],
    },
    Case {
        line: "turnouts.gpkg --before turnouts.shp",
        code: 0,
        says: "14 features moved by 453 km on average",
        shows: &["before: turnouts", "mean 453 km", "id=\"moves\""],
    },
    Case {
        line: "fields.geojson --beside EPSG:32610 --beside EPSG:2286 --area-of field=F-07 --ellipses",
        code: 0,
        says: "",
        shows: &[
            "id=\"layers2\"",
            "F-07: 12.645 ha on the ellipsoid",
            "a circle of",
            "scale factor",
        ],
    },
    Case {
        line: "fields.geojson --zones state-plane --dark --no-backdrop --color-of fields=#c81e3c",
        code: 0,
        says: "",
        shows: &["Washington North", "#c81e3c", "#16191d"],
    },
    Case {
        line: "laterals.geojson --width-of laterals=5.5 --title-of laterals=Ditches",
        code: 0,
        says: "",
        shows: &["stroke-width=\"5.5\"", ">Ditches<"],
    },
    Case { line: "fields.geojson --size 1280x800", code: 1, says: "--pixels 1280x800", shows: &[] },
    Case { line: "fields.geojson --size crop", code: 1, says: "no numbers", shows: &[] },
    Case {
        line: "fields.geojson --color nothing",
        code: 1,
        says: "no layer has a column `nothing` to colour by: there is crop",
        shows: &[],
    },
    Case { line: "fields.geojson --classes 1,2", code: 2, says: "--color", shows: &[] },
    Case {
        line: "fields.geojson --color crop --classes many",
        code: 2,
        says: "quantiles:5",
        shows: &[],
    },
    Case {
        line: "fields.geojson --color-of fields=red",
        code: 2,
        says: "`red` is no colour",
        shows: &[],
    },
    Case { line: "fields.geojson --width-of fields=0", code: 2, says: "0.1 to 50", shows: &[] },
    Case { line: "fields.geojson --area-of F-07", code: 2, says: "COLUMN=VALUE", shows: &[] },
    Case {
        line: "turnouts.gpkg --before fields.geojson",
        code: 1,
        says: "fields is of polygons and turnouts of points",
        shows: &[],
    },
    Case {
        line: "fields.geojson --crs EPSG:4978",
        code: 1,
        says: "has no plane to draw on",
        shows: &[],
    },
    Case {
        line: "fields.geojson --beside 2285 --beside 2286 --beside 32610 --beside 3857",
        code: 1,
        says: "do not fit side by side",
        shows: &[],
    },
];

#[test]
fn options_draw_what_they_say() {
    let bench = Bench::with_demo();
    bench.ok(&["declare", "turnouts.shp", "--crs", "EPSG:32611", "-o", "turnouts.gpkg"]);
    bench.write("west.csv", "name,lon,lat\nA,-120.3,47.4\nB,-120.2,47.5\n");
    bench.ok(&["build", "points", "west.csv", "--crs", "EPSG:4326", "-o", "west.gpkg"]);
    for case in CASES {
        let mut line = vec!["draw"];
        line.extend(words(case.line));
        line.extend(["-o", "map.svg", "--overwrite"]);
        let run = bench.run(&line);
        assert_eq!(run.code, case.code, "{}: {}", case.line, run.err);
        assert!(run.err.contains(case.says), "{}: {}", case.line, run.err);
        for text in case.shows {
            assert!(bench.read("map.svg").contains(text), "{}: no `{text}`", case.line);
        }
    }
}

#[test]
fn a_map_has_todays_date_or_the_one_that_is_given() {
    let bench = Bench::with_demo();
    let drawn = |more: &[&str]| {
        let line = [&["draw", "fields.geojson", "-o", "map.svg", "--overwrite"], more].concat();
        bench.ok(&line);
        bench.read("map.svg")
    };
    let dated = |svg: &str| svg.split(" · ").last().unwrap().split('<').next().unwrap().to_string();
    let today = dated(&drawn(&[]));
    assert!(today.starts_with("20") && today.len() == 10, "{today}");
    assert_eq!(dated(&drawn(&["--date", "spring 2026"])), "spring 2026");
    assert!(!drawn(&["--date", "none"]).contains(&today));
}

#[test]
fn maps_of_jobs_look_as_the_job_says() {
    let bench = Bench::with_demo();
    bench.write(
        "maps.toml",
        "job = 1\nsources.fields.file = \"fields.geojson\"\n\
         sources.laterals.file = \"laterals.geojson\"\n\
         [[steps]]\ndo = \"convert\"\nfrom = \"fields\"\nas = \"plane\"\nto = \"EPSG:2285\"\n\
         [[outputs]]\nfile = \"one.svg\"\nfrom = [\"plane\"]\nlabel = \"field\"\n\
         [outputs.map]\ncrs = \"EPSG:32610\"\ncontext = [\"laterals\"]\ncolor = \"right_acres\"\n\
         classes = \"equal:3\"\ngrid = \"both\"\nzones = \"utm\"\ndark = true\npixels = [900, 700]\n\
         titles = { plane = \"Fields of 2026\" }\nwidths = { plane = 3.5 }\n\
         [[outputs]]\nfile = \"two.png\"\nfrom = [\"fields\"]\n\
         map = { before = \"fields\", beside = [\"EPSG:32610\"], no-backdrop = true }\n\
         [[outputs]]\nfile = \"three.html\"\nfrom = [\"fields\"]\n\
         map = { color = \"crop\", beside = [\"EPSG:2285\"], link = [\"ditch\"], link-base = \"sheets\", tolerance = 7, without-strays = true }\n\
         [[outputs]]\nfile = \"four.html\"\nfrom = [\"fields\"]\ntitle = \"Fields\"\nmap = {}\n\
         [[outputs]]\nfile = \"five.html\"\nfrom = [\"fields\"]\n",
    );
    bench.ok(&["run", "maps.toml"]);
    let svg = bench.read("one.svg");
    for text in [
        "width=\"900\" height=\"700\"",
        "Fields of 2026",
        "by right_acres: equal steps",
        "EPSG:32610",
        "stroke-width=\"3.5\"",
        "#16191d",
        "9 lines",
        ">10N<",
    ] {
        assert!(svg.contains(text), "no `{text}`");
    }
    // With `map` a page to look around in, without it the report.
    for (page, texts) in [
        (
            "three.html",
            &[
                "\"by\":\"crop\"",
                "\"tab\":\"NAD83 / Washington North (ftUS)\"",
                "\"link\":[\"ditch\"]",
                "\"linkBase\":\"sheets\"",
                "\"tolerance\":7.0",
            ][..],
        ),
        ("four.html", &["<h1 id=\"title\">", "<title>Fields</title>"]),
        ("five.html", &["<p class=\"kind\">Quality report</p>"]),
    ] {
        let page = bench.read(page);
        texts.iter().for_each(|text| assert!(page.contains(text), "no `{text}`"));
    }
    let first = (svg, std::fs::read(bench.path("two.png")).unwrap());
    bench.ok(&["run", "maps.toml", "--overwrite"]);
    let second = (bench.read("one.svg"), std::fs::read(bench.path("two.png")).unwrap());
    assert!(first == second, "a second run makes the same bytes");
}

#[test]
fn large_layers_are_drawn_from_files_and_records_that_cannot_be_read_are_told() {
    let bench = Bench::new();
    let mut rows = String::from("no,lon,lat\n");
    for at in 0..60_000 {
        let (lon, lat) = (-120.0 + f64::from(at % 300) * 1e-3, 47.0 + f64::from(at / 300) * 1e-3);
        rows.push_str(&format!("{at},{lon:.4},{lat:.4}\n"));
    }
    bench.write("many.csv", &rows);
    bench.ok(&["build", "points", "many.csv", "--crs", "4326", "-o", "many.fgb"]);
    bench.ok(&["draw", "many.fgb", "-o", "many.svg"]);
    let svg = bench.read("many.svg");
    assert!(svg.contains("60\u{2009}000 points") && svg.contains("too many to be told apart"));
    let line = |lon: &str| {
        format!(
            "{{\"type\":\"Feature\",\"properties\":{{}},\"geometry\":{{\"type\":\"Point\",\"coordinates\":[{lon},47]}}}}\n"
        )
    };
    let text = [line("-120"), line("\"x\""), line("-120.1")].concat();
    bench.write("some.geojsonl", &text);
    let run = bench.ok(&["draw", "some.geojsonl", "-o", "some.svg"]);
    assert!(run.err.contains("1 feature cannot be read: not drawn"), "{}", run.err);
    assert!(bench.read("some.svg").contains(">2 points<"));
}

/// Words of a command, the code it ends with, what it says, and the picture that it draws with a
/// text on it.
type Along = (&'static str, i32, &'static str, Option<(&'static str, &'static str)>);

const ALONG: &[Along] = &[
    (
        "build points gates.csv --crs 4326 -o gates.gpkg --map gates.svg",
        0,
        "drew it to gates.svg",
        Some(("gates.svg", ">3 points<")),
    ),
    ("build points gates.csv --crs 4326 -o again.gpkg --map gates.svg", 1, "exists already", None),
    (
        "build points gates.csv --crs 4326 -o own.gpkg --map own.gpkg",
        2,
        "`own.gpkg` is not the name of a map",
        None,
    ),
    (
        "check fields.geojson --report own.html --map ./own.html --overwrite",
        1,
        "is another file of the command",
        None,
    ),
    ("look fields.geojson --log own.html --map own.html", 1, "is named as the log, too", None),
    (
        "measure fields.geojson --report own.html --map own.html",
        1,
        "is another file of the command",
        None,
    ),
    ("build points gates.csv --crs 4326 -o - --map g.svg", 1, "name one with -o", None),
    ("build points gates.csv --crs 4326 -o g.csv --map g.svg", 1, "is a table: --map draws", None),
    (
        "convert gates.gpkg --to EPSG:2285 -o feet.gpkg --map feet.svg",
        0,
        "drew it",
        Some(("feet.svg", "ftUS")),
    ),
    (
        "declare turnouts.shp --crs EPSG:32611 -o turned.gpkg --map turned.svg",
        0,
        "moved by 453 km on average",
        Some(("turned.svg", "before: turnouts")),
    ),
    (
        "join fields.geojson register.xlsx --sheet Shares --on field -o j.gpkg --map j.svg",
        0,
        "drew it",
        Some(("j.svg", ">16 polygons<")),
    ),
    (
        "tag gates.gpkg --from fields.geojson --columns field -o t.gpkg --map t.png",
        0,
        "drew it",
        None,
    ),
    (
        "check fields.geojson gates.csv --crs 4326 --map c.svg",
        0,
        "gates.csv is a table, which the map leaves out",
        Some(("c.svg", ">16 polygons<")),
    ),
    ("measure fields.geojson --map m.svg", 0, "drew it", Some(("m.svg", ">16 polygons<"))),
    // A file to read is not taken for the map, and not offered to be replaced.
    ("look --map fields.geojson", 2, "Then write it before --map", None),
    ("check --map fields.geojson laterals.geojson", 2, "`fields.geojson` is not the name", None),
    ("convert --map fields.geojson --to 32610 -o m.gpkg", 2, "ends in .svg, .png or .html", None),
    ("draw laterals.geojson --overwrite -o fields.geojson", 1, "a map is written as .svg", None),
    ("draw laterals.geojson -o fields.geojson", 1, "a map is written as .svg", None),
    ("look fields.geojson --map l.svg", 0, "drew it to l.svg", Some(("l.svg", "Douglas county"))),
    ("look fields.geojson --map --json", 1, "both go to standard output", None),
    ("look register.xlsx --sheet Shares --map", 1, "no layer to draw a map of", None),
];

#[test]
fn commands_draw_what_they_read_and_write() {
    let bench = Bench::with_demo();
    bench.write("gates.csv", "name,lon,lat\nA,-120.01,47.41\nB,-120.0,47.42\nC,-119.99,47.4\n");
    for (line, code, says, picture) in ALONG {
        let run = bench.run(&words(line));
        assert_eq!(run.code, *code, "{line}: {}", run.err);
        assert!(run.err.contains(says), "{line}: {}", run.err);
        if let Some((file, text)) = picture {
            assert!(bench.read(file).contains(text), "{line}: no `{text}`");
        }
    }
    // What cannot be drawn is refused before anything is written.
    for file in ["again.gpkg", "own.gpkg", "own.html", "g.csv"] {
        assert!(!bench.has(file), "{file}");
    }
    assert_eq!(&std::fs::read(bench.path("t.png")).unwrap()[1..4], b"PNG");
    let run = bench.ok(&["look", "fields.geojson", "--map"]);
    assert!(run.out.contains("▒ fields (16 polygons)") && run.out.contains("┌──"), "{}", run.out);
    let run = bench.ok(&["convert", "gates.gpkg", "--to", "2285", "--map", "-o", "f2.gpkg"]);
    assert!(run.out.contains("● gates (3 points)"), "{}", run.out);
}

#[test]
fn lines_lose_what_is_not_seen_and_no_more() {
    let bench = Bench::new();
    // One that goes to and fro 3,000 times across the picture, and a straight one of 100,000 vertices.
    let turns = (0..3_000).map(|at| (-120.0 + 0.6 * at as f64 / 3e3, 47.0 + 0.2 * (at % 2) as f64));
    let straight = (0..100_000).map(|at| (-120.0 + 0.6 * at as f64 / 1e5, 46.9));
    let line = |places: Vec<(f64, f64)>| {
        let places = places.iter().map(|(x, y)| format!("[{x:.7},{y:.7}]")).collect::<Vec<_>>();
        let line = format!(r#"{{"type":"LineString","coordinates":[{}]}}"#, places.join(","));
        format!(r#"{{"type":"Feature","properties":{{}},"geometry":{line}}}"#)
    };
    for (name, places, vertices) in [
        ("turns", turns.collect(), 3_000..=3_000),
        ("straight", straight.collect::<Vec<_>>(), 2..=40),
    ] {
        let features = line(places);
        bench.write(
            "ditch.geojson",
            format!(r#"{{"type":"FeatureCollection","features":[{features}]}}"#),
        );
        bench.ok(&["draw", "ditch.geojson", "-o", "o.svg", "--overwrite", "--no-backdrop"]);
        let svg = bench.read("o.svg");
        let paths = svg.split("<path d=\"").skip(1).filter_map(|path| path.split('"').next());
        let longest = paths.map(|path| path.matches(['M', 'L']).count()).max().unwrap();
        assert!(vertices.contains(&longest), "{name}: {longest}");
    }
}
