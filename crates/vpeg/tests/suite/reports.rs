//! Reports by the tool: what they say, and what people do with them in a browser.

use crate::support::browser::Browser;
use crate::support::{Bench, words};

/// The demo's layers, one of which was declared in the wrong zone.
fn district() -> Bench {
    let bench = Bench::with_demo();
    let gates = "build points headgates.csv --crs EPSG:4326 -o gates.gpkg";
    assert_eq!(bench.run(&words(gates)).code, 3);
    bench.ok(&words("build points old-weirs.csv --x east --y north -o weirs.gpkg"));
    bench
}

const CHECK: &str =
    "check fields.geojson gates.gpkg turnouts.shp --complete remark --report r.html";

/// Words of a command, the code it ends with, what it says, and what the report holds.
struct Case {
    line: &'static str,
    code: i32,
    says: &'static str,
    holds: &'static [&'static str],
}

const CASES: &[Case] = &[
    Case {
        line: CHECK,
        code: 3,
        says: "wrote the report to r.html",
        holds: &[
            "<p class=\"kind\">Quality report</p><h1>fields, headgates, turnouts</h1>",
            "<p class=\"verdict fails\"><span>Does not pass</span></p>",
            "<dt>features</dt><dd>66</dd>",
            // The stray and the flipped gate lead to the map of their layer.
            "<a href=\"#map2-mark1\">1</a>",
            "<g id=\"map2-mark2\" class=\"mark\">",
            // The layer that lies elsewhere leads to the map of all.
            "<td>turnouts lies 446 km from the nearest feature of the other layers",
            "<a href=\"#map0-mark1\">1</a>",
            "<g id=\"map0-mark1\" class=\"mark\">",
            "remark is blank in 36 of 36 features: 1; 2; 3; 4; 5; and 31 more",
            "<title>Histogram: area of 16 polygons, from 8.92 to 14.33 ha, median 12.43 ha</title>",
            "The same without the positions that stand apart",
            "Made by velvet-peg",
        ],
    },
    Case {
        line: "measure fields.geojson --grid EPSG:2285 --by crop --title Fields --report r.html",
        code: 0,
        says: "wrote the report to r.html",
        holds: &[
            "<h1>Fields</h1>",
            "<dt>ellipsoid acUS, sum</dt><dd>473.1313</dd>",
            "<dt>grid</dt><dd>plane, on EPSG:2285",
            "by crop",
            "<h3>By crop</h3>",
            "<td>sample standard deviation</td>",
            "<td>F-16</td>",
            "median 1\u{2009}701 m",
        ],
    },
    Case {
        line: "measure fields.geojson -o figures.gpkg --report r.html",
        code: 0,
        says: "wrote figures.gpkg",
        holds: &["<h1>fields</h1>", "geodesic, on WGS 84"],
    },
    Case {
        line: "measure gates.gpkg --report r.html",
        code: 0,
        says: "",
        holds: &["Points have neither length nor area."],
    },
    Case {
        line: "run tumblewick.toml --report r.html",
        code: 3,
        says: "points → gates: 40 in, 34 out, 2 left out, 4 rejected",
        holds: &[
            "<span>Done, with rejects</span>",
            "<dt>steps</dt><dd>18</dd>",
            "<h2 id=\"step1-head\">Step 1: points → gates</h2>\n<p>40 in, 34 out, 2 left out by the condition, 4 rejected.</p>",
            "22: the longitude is blank",
            "NAD83 to WGS 84 (1) [EPSG:1188], reversed (known to 4 m)",
            "<td>out/gates.csv</td>",
        ],
    },
    Case {
        line: "check table.csv --report r.html",
        code: 3,
        says: "1 layer: 1 fault",
        holds: &["nobody can tell where this is", "<dt>features</dt><dd>3</dd>"],
    },
    Case {
        line: "check weirs.gpkg fields.geojson --report r.html",
        code: 3,
        says: "2 layers: 2 faults",
        holds: &[
            "old_weirs cannot be placed; it would be with them: declared as EPSG:2285",
            "old_weirs has no reference system, and is not on the map with the others.",
        ],
    },
    Case {
        line: "check nothing.geojson --report r.html",
        code: 0,
        says: "passes, with warnings",
        holds: &["There is no map: ", "the layer holds no features"],
    },
    Case {
        line: "check fields.geojson --report nowhere/r.html",
        code: 1,
        says: "nowhere/r.html: there is no folder nowhere; make it first",
        holds: &[],
    },
    Case {
        line: "run tumblewick.toml --map nowhere/r.html",
        code: 1,
        says: "nowhere/r.html: there is no folder nowhere; make it first",
        holds: &[],
    },
    Case {
        line: "convert fields.geojson --to EPSG:2285 -o gates.csv --map nowhere/r.png",
        code: 1,
        says: "is a table: --map draws layers",
        holds: &[],
    },
    Case {
        line: "convert fields.geojson --to EPSG:2285 -o out.gpkg --map nowhere/r.png",
        code: 1,
        says: "nowhere/r.png: there is no folder nowhere; make it first",
        holds: &[],
    },
    Case {
        line: "check fields.geojson --report r.md",
        code: 1,
        says: "r.md: a report is a page: name a file that ends in .html",
        holds: &[],
    },
    Case {
        line: "check fields.geojson --report a.html -o b.html",
        code: 1,
        says: "the report is named twice",
        holds: &[],
    },
    Case {
        line: "run tumblewick.toml --report out/gates.csv",
        code: 1,
        says: "is to be a page",
        holds: &[],
    },
    Case {
        line: "run tumblewick.toml --report r.html --map r.html",
        code: 1,
        says: "is to be written twice",
        holds: &[],
    },
    Case {
        line: "check fields.geojson --report taken.html",
        code: 1,
        says: "taken.html: exists already",
        holds: &[],
    },
];

#[test]
fn reports_say_what_was_found_measured_and_done() {
    for Case { line, code, says, holds } in CASES {
        let bench = district();
        bench.write("table.csv", "id,x,y\n1,600000,5250000\n2,600100,5250000\n3,600100,5250100\n");
        bench.write("nothing.geojson", "{\"type\":\"FeatureCollection\",\"features\":[]}");
        bench.write("taken.html", "taken");
        let run = bench.run(&words(line));
        assert!(run.code == *code && run.err.contains(says), "{line}: {} {}", run.code, run.err);
        assert_eq!(bench.has("r.html"), !holds.is_empty(), "{line}");
        assert_eq!(bench.read("taken.html"), "taken");
        if holds.is_empty() {
            for none in ["a.html", "b.html", "out/gates.csv", "out.gpkg"] {
                assert!(!bench.has(none), "{line}: {none}");
            }
            continue;
        }
        let page = bench.read("r.html");
        for wanted in *holds {
            assert!(page.contains(wanted), "{line}: no {wanted}");
        }
        // Nothing from anywhere, and every link has its place.
        assert!(page.contains("default-src 'none'; script-src 'sha256-"), "{line}");
        for outside in [" src=", "@import", "innerHTML", "style=\"", "http-equiv=\"refresh\""] {
            assert!(!page.contains(outside), "{line}: {outside}");
        }
        for link in page.split("href=\"#").skip(1) {
            let id = link.split('"').next().unwrap();
            assert!(page.contains(&format!("id=\"{id}\"")), "{line}: nothing is {id}");
        }
        // The same again, byte by byte, once it is asked for.
        assert_eq!(bench.run(&words(line)).code, 1, "{line}: replaced unasked");
        bench.run(&words(&format!("{line} --overwrite")));
        assert!(bench.read("r.html") == page, "{line}: two runs differ");
    }
}

#[test]
fn a_check_that_does_not_hold_has_a_report_too() {
    let bench = Bench::with_demo();
    bench.write(
        "job.toml",
        "job = 1\n[sources.fields]\nfile = \"fields.geojson\"\n[[steps]]\ndo = \"convert\"\nfrom = \"fields\"\nto = \"EPSG:2285\"\nas = \"sp\"\n[[checks]]\nof = [\"sp\"]\ncount = 17\n[[outputs]]\nfile = \"sp.gpkg\"\nfrom = [\"sp\"]\n",
    );
    let run = bench.run(&words("run job.toml --report r.html --map s.html"));
    assert_eq!(run.code, 3, "{}", run.err);
    let page = bench.read("r.html");
    for wanted in [
        "<span>A check does not hold: nothing was written</span>",
        "<td>does not hold</td>",
        "16 features, where 17 are expected",
        "Nothing was written, because a check does not hold.",
    ] {
        assert!(page.contains(wanted), "no {wanted}");
    }
    assert!(bench.has("s.html") && !bench.has("sp.gpkg"));
    // Pages are named from where the command was given, and told so.
    std::fs::create_dir(bench.path("year")).unwrap();
    std::fs::rename(bench.path("fields.geojson"), bench.path("year/fields.geojson")).unwrap();
    let job = bench.read("job.toml").replace("count = 17", "count = 16");
    bench.write("year/job.toml", job);
    let run = bench.ok(&words("run year/job.toml --report here.html --map year/steps.html"));
    for (page, told) in [("here.html", "/here.html"), ("year/steps.html", "  year/steps.html")] {
        assert!(bench.has(page) && run.out.contains(told), "{}", run.out);
        assert!(!run.out.contains(&format!("year/{page}")), "{}", run.out);
    }
}

#[test]
fn reports_are_read_sorted_and_followed_in_a_browser() {
    let Some(browser) = Browser::start() else { return };
    let bench = district();
    bench.run(&words(CHECK));
    browser.load(&bench.path("r.html"));
    // The weightiest comes first; a press sorts, another turns it round, and blanks stay last.
    let column = |table: &str, at: usize| -> Vec<String> {
        let cells = browser.run(&format!(
            "return [...document.querySelectorAll('table[aria-label=\"{table}\"] tbody tr')].map((row) => row.cells[{at}].innerText)"
        ));
        cells.as_array().unwrap().iter().map(|cell| cell.as_str().unwrap().to_string()).collect()
    };
    let press = |table: &str, at: usize| {
        browser.run(&format!(
            "document.querySelectorAll('table[aria-label=\"{table}\"] th button')[{at}].click()"
        ));
    };
    let levels = column("What was found", 0);
    assert!(levels[0] == "fault" && levels.last().unwrap() == "note", "{levels:?}");
    press("Layers", 1);
    assert_eq!(column("Layers", 1), ["14", "16", "36"]);
    press("Layers", 1);
    assert_eq!(column("Layers", 0), ["headgates", "fields", "turnouts"]);
    press("What was found", 4);
    let links = column("What was found", 4);
    assert!(!links[0].is_empty() && links.last().unwrap().is_empty(), "{links:?}");
    let sense = "return document.querySelector('table[aria-label=\"Layers\"] th:nth-child(2)').getAttribute('aria-sort')";
    assert_eq!(browser.run(sense), "descending");
    // A link to a place brings its mark into sight, on the map of its layer.
    browser.run("document.querySelector('a[href=\"#map2-mark1\"]').click()");
    let seen = browser.run(
        "const box = document.querySelector('.mark:target').getBoundingClientRect(); return box.top > 0 && box.bottom < innerHeight",
    );
    assert_eq!(seen, true);
    browser.is_for_everybody();
    let asked = "return performance.getEntriesByType('resource').length";
    assert_eq!(browser.run(asked), 0, "the page asks for nothing");
    assert!(browser.said().is_empty(), "{:?}", browser.said());
    // Texts of the data stay texts.
    let feature = |text: &str, at: f64| {
        serde_json::json!({ "type": "Feature", "properties": { "<b>n</b>": text },
            "geometry": { "type": "LineString", "coordinates": [[-120.0, 47.0], [-120.0, 47.0 + at]] } })
    };
    let texts =
        ["</script><script>window.broken=1</script>", "<img src=x onerror=window.broken=1>"];
    let features: Vec<_> = texts.iter().zip([0.1, 0.2]).map(|(t, at)| feature(t, at)).collect();
    let all = serde_json::json!({ "type": "FeatureCollection", "features": features });
    bench.write("<i>bad.geojson", all.to_string());
    bench.ok(&["measure", "<i>bad.geojson", "--by", "<b>n</b>", "--report", "bad.html"]);
    browser.load(&bench.path("bad.html"));
    let strange = "return document.querySelectorAll('img, iframe, main b, main i, object').length";
    assert_eq!(browser.run(strange), 0);
    assert_eq!(browser.run("return window.broken ?? null"), serde_json::Value::Null);
    assert!(browser.run("return document.body.innerText").as_str().unwrap().contains(texts[1]));
    assert!(browser.said().is_empty(), "{:?}", browser.said());
}
