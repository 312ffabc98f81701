//! The tabs of a page in a browser: systems side by side, before and after, the steps of a job.

use crate::support::browser::Browser;
use crate::support::{Bench, words};
use velvet_peg::{Converter, Coordinate, Crs};

const RIGHT: &str = "\u{e014}";
const END: &str = "\u{e010}";

fn open_tab(browser: &Browser, at: usize) {
    browser.run(&format!("document.getElementById('tab{at}').click()"));
}

fn selected(browser: &Browser) -> String {
    let script = "return document.querySelector('[role=tab][aria-selected=true]').innerText";
    browser.run(script).as_str().unwrap().to_string()
}

/// The forms of the position at the pointer.
fn forms(browser: &Browser) -> Vec<String> {
    browser.text("pointer").split('·').map(|form| form.trim().to_string()).collect()
}

/// Numbers of a form, such as `712345.678 m, 5250000.000 m (…)`.
fn two(form: &str) -> (f64, f64) {
    let form = form.split('(').next().unwrap();
    let number = |text: &str| -> f64 {
        let kept = |c: &char| c.is_ascii_digit() || matches!(c, '.' | '-');
        text.chars().filter(kept).collect::<String>().parse().unwrap()
    };
    let (first, second) = form.split_once(',').unwrap();
    (number(first), number(second))
}

#[test]
fn systems_side_by_side_show_one_place_in_their_own_coordinates() {
    let Some(browser) = Browser::start() else { return };
    let bench = Bench::with_demo();
    let line = "draw fields.geojson laterals.geojson --beside EPSG:32610 --beside EPSG:2285 --date none -o t.html";
    bench.ok(&words(line));
    let first = bench.read("t.html");
    bench.ok(&words(&format!("{line} --overwrite")));
    assert!(first == bench.read("t.html"), "two runs, the same bytes");
    // Attributes stand in the page once.
    assert_eq!(first.matches("F-07").count(), 1);
    browser.open(&bench.path("t.html"));
    assert_eq!(selected(&browser), "WGS 84");
    // What is told at the pointer of the other systems is what the converter gives.
    let degrees = Crs::from_epsg(4326).unwrap();
    for (x, y) in [(300.0, 200.0), (612.0, 301.0)] {
        browser.pointer("mouse", &[(x, y)], false);
        let told = forms(&browser);
        let place = two(&told[1]);
        for (form, code, unit) in [(&told[3], 32610, 1.0), (&told[4], 2285, 1200.0 / 3937.0)] {
            let to = Crs::from_epsg(code).unwrap();
            let converter = Converter::new(&degrees, &to).unwrap();
            let exact = converter.convert(Coordinate::xy(place.1, place.0)).unwrap();
            let shown = two(form);
            let off = (exact.x - shown.0).hypot(exact.y - shown.1) * unit;
            assert!(off < 0.01, "{form}: {off} m from {}, {}", exact.x, exact.y);
        }
    }
    let told = browser.text("system");
    assert!(told.contains("coordinates in other systems at the pointer"), "{told}");
    // Of another datum it is said how well it is known, of the same one nothing.
    assert!(told.contains("Washington North (ftUS) by a change of datum known to 4 m"), "{told}");
    assert!(!told.contains("UTM zone 10N by a change"), "{told}");
    // The place that is looked at stays when the system changes, and the chosen feature with it.
    browser.run("document.querySelector('tr[data-row=\"6\"] button').click()");
    browser.wheel((500.0, 260.0), -500);
    // A tab that is opened tells the middle.
    open_tab(&browser, 0);
    let before = two(&forms(&browser)[1]);
    for (at, unit) in [(1, " m"), (2, " ftUS")] {
        open_tab(&browser, at);
        assert!(browser.text("card").contains("F-07"), "{}", browser.text("card"));
        let told = forms(&browser);
        assert!(told[0].contains(unit), "{told:?}");
        let after = two(&told[1]);
        let off = (after.0 - before.0).hypot(after.1 - before.1);
        assert!(off < 1e-7, "{at}: {before:?} {after:?}");
    }
    // By keys: the tabs are one stop, and arrows go round.
    browser.run("document.getElementById('tab2').focus()");
    browser.keys(&[RIGHT]);
    assert_eq!(selected(&browser), "WGS 84");
    browser.keys(&[END]);
    assert_eq!(selected(&browser), "NAD83 / Washington North (ftUS)");
    browser.is_for_everybody();
    assert!(browser.said().is_empty(), "{:?}", browser.said());
    let run = bench.run(&words(
        "draw fields.geojson --beside 2285 --beside 2286 --beside 32610 --beside 32611 -o no.html",
    ));
    assert!(run.code == 1 && run.err.contains("4 can be"), "{}", run.err);
    assert!(!bench.has("no.html"));
}

#[test]
fn before_and_after_are_told_and_looked_at_apart() {
    let Some(browser) = Browser::start() else { return };
    let bench = Bench::with_demo();
    bench.ok(&words("declare turnouts.shp --crs EPSG:32611 -o after.gpkg"));
    bench.ok(&words("draw after.gpkg --before turnouts.shp -o b.html"));
    browser.open(&bench.path("b.html"));
    assert_eq!(browser.text("moved-list"), "mean 453 km\nlargest 453 km");
    // Red arrows run from the one to the other.
    let red = "const c = document.getElementById('map'); const d = c.getContext('2d').getImageData(0, 0, c.width, c.height).data; let n = 0; for (let i = 0; i < d.length; i += 4) if (d[i] > 170 && d[i + 1] < 60 && d[i + 2] < 90) n += 1; return n";
    let pixels = |browser: &Browser| {
        std::thread::sleep(std::time::Duration::from_millis(150));
        browser.run(red).as_u64().unwrap()
    };
    let both = pixels(&browser);
    open_tab(&browser, 1);
    assert_eq!(selected(&browser), "Before");
    assert_eq!(browser.text("layers"), "before: turnouts\n14 points");
    assert_eq!(browser.run("return document.querySelectorAll('tbody tr').length"), 14);
    browser.run("document.querySelector('tbody button').click()");
    assert!(browser.text("card").contains("O-01"), "{}", browser.text("card"));
    browser.run("document.querySelector('#card button').click()");
    let one = pixels(&browser);
    assert!(both > 1000 && one < both / 10, "{both} {one}");
    open_tab(&browser, 2);
    assert_eq!(browser.text("layers"), "turnouts\n14 points");
    assert_eq!(browser.text("moved-list"), "");
    // But that pixels were read again.
    let said = browser.said();
    assert!(said.iter().all(|line| line.contains("willReadFrequently")), "{said:?}");
}

#[test]
fn the_steps_of_a_job_are_tabs_with_their_counts() {
    let Some(browser) = Browser::start() else { return };
    let bench = Bench::with_demo();
    // A table among the layers, which has no map.
    let job = bench.read("tumblewick.toml");
    let table =
        "[[steps]]\ndo = \"fields\"\nfrom = \"headgates\"\nkeep = [\"gate\"]\nas = \"names\"\n\n";
    let at = job.find("[[steps]]").unwrap();
    bench.write("job.toml", format!("{}{table}{}", &job[..at], &job[at..]));
    let source = job.split("[sources.").nth(1).unwrap().split(']').next().unwrap();
    let job = bench
        .read("job.toml")
        .replace("from = \"headgates\"\nkeep", &format!("from = \"{source}\"\nkeep"));
    bench.write("job.toml", job);
    let run = bench.run(&words("run job.toml --map s.html"));
    assert!(run.code == 3 && run.out.contains("s.html"), "{}{}", run.out, run.err);
    browser.open(&bench.path("s.html"));
    let tabs = "return document.querySelectorAll('[role=tab]').length";
    assert_eq!(browser.run(tabs), 19);
    assert_eq!(selected(&browser), "names");
    assert_eq!(browser.text("layers"), "");
    assert_eq!(browser.text("counted"), "40 features");
    browser.run("document.querySelector('tbody button').click()");
    assert!(browser.text("card").contains("G-001"), "{}", browser.text("card"));
    open_tab(&browser, 1);
    assert_eq!(selected(&browser), "gates");
    let facts = browser.text("facts");
    for wanted in ["in\n40", "out\n34", "left out\n2", "rejected\n4", "22: the longitude is blank"]
    {
        assert!(facts.contains(wanted), "no {wanted:?} in {facts}");
    }
    assert_eq!(browser.text("counted"), "34 features");
    let is_shares = "tab => tab.innerText === 'fields-shares'";
    browser.run(&format!("[...document.querySelectorAll('[role=tab]')].find({is_shares}).click()"));
    assert!(browser.text("layers").contains("16 polygons"), "{}", browser.text("layers"));
    assert!(browser.text("pointer").contains("ftUS"), "{}", browser.text("pointer"));
    let title = "Tumblewick Irrigation District: fields, gates and ditches, 2026";
    assert_eq!(browser.text("title"), title);
    browser.is_for_everybody();
    assert!(browser.said().is_empty(), "{:?}", browser.said());
}
