//! Position sheets: any notation in, any system out.

use crate::support::Bench;

#[test]
fn grid_positions_are_read_in_either_order_with_letters() {
    let bench = Bench::new();
    let figures = |text: &str| -> (f64, f64) {
        let sheet = bench.ok(&["position", text, "--crs", "EPSG:2285", "--json"]).json();
        (sheet["latitude"].as_f64().unwrap(), sheet["longitude"].as_f64().unwrap())
    };
    let right = figures("1832900.45, 155850.12");
    for text in [
        "1832900.45 155850.12",
        "N 155850.12 E 1832900.45",
        "155850.12N 1832900.45E",
        "E=1832900.45; N=155850.12",
        "northing: 155850.12, easting: 1832900.45",
        "1832900.45 ftUS E, 155850.12 ftUS N",
        "y 155850.12 x 1832900.45 z 350",
        "1832900.45ft 155850.12ft",
    ] {
        assert_eq!(figures(text), right, "{text}");
    }
    for (text, why) in [
        ("N 155850.12 N 1832900.45", "write its easting and northing"),
        ("1832900.45", "write its easting and northing"),
        ("1832900.45 m, 155850.12 m", "given in metres, and EPSG:2285"),
        ("here and there", "is no unit of length"),
        ("1832900.45 / 155850.12", "write its easting and northing"),
    ] {
        let run = bench.run(&["position", text, "--crs", "EPSG:2285"]);
        assert!(run.code == 1 && run.err.contains(why), "{text}: {}", run.err);
    }
    let swapped = bench.ok(&["position", "155850.12 1832900.45", "--crs", "EPSG:2285"]);
    assert!(swapped.err.contains("is the northing first?"), "{}", swapped.err);
}

#[test]
fn positions_are_given_in_the_systems_that_are_asked_for() {
    let bench = Bench::new();
    let asked = |to: &[&str]| {
        let mut line = vec!["position", "47.424588198 -120.055755915", "--crs", "EPSG:4269"];
        line.extend(to.iter().flat_map(|to| ["--to", to]));
        bench.ok(&line)
    };
    let one = asked(&["utm", "nad83 washington north ftus", "EPSG:4978", "EPSG:4267"]);
    for part in [
        "As asked: EPSG:26910 NAD83 / UTM zone 10N",
        "722050.2868 m, 5256551.8481 m",
        "1832900.4500 ftUS, 155850.1200 ftUS",
        "X, Y, Z at ellipsoidal height 0 m  -2165165.3378 m",
        "NAD83 to WGS 84 (1) [EPSG:1188], then",
    ] {
        assert!(one.out.contains(part), "{part}: {}", one.out);
    }
    assert!(!one.out.contains("State plane"), "{}", one.out);
    // There and back is one way, also where several operations would serve.
    for system in ["EPSG:26710", "EPSG:32048", "EPSG:4267", "EPSG:26910", "EPSG:2926", "EPSG:3857"]
    {
        let sheet = asked(&[system]).out;
        let closes = sheet.split("closes within ").skip(1);
        for figure in closes.map(|text| text.split(' ').next().unwrap()) {
            assert!(figure.parse::<f64>().unwrap() <= 10.0, "{system}: {figure} nm");
        }
    }
    let wrong = asked(&["EPSG:2286"]);
    assert!(wrong.err.contains("not in Washington South"), "{}", wrong.err);
    let plain = bench.ok(&["position", "47.5 -120.25", "--notation", "seconds,plain"]).out;
    assert!(
        plain.contains("47°30′00.00000″N") && plain.contains("47 30 00.00000  -120 15 00.00000")
    );
    assert!(!plain.contains("decimal degrees"), "{plain}");

    // Names, values and units apart.
    let json = bench.ok(&["position", "47.5 -120.25", "--to", "EPSG:2285", "--json"]).json();
    let sections = json["sections"].as_array().unwrap();
    let grid = sections.iter().find(|one| one["name"].as_str().unwrap().contains("EPSG:2285"));
    let figures = grid.unwrap()["lines"][0]["figures"].as_array().unwrap().clone();
    let figure = |at: usize| {
        let one = &figures[at];
        (one["name"].clone(), one["value"].as_f64().unwrap().round(), one["unit"].clone())
    };
    assert_eq!(figure(0), ("easting".into(), 1_784_609.0, "ftUS".into()));
    let text = grid.unwrap()["lines"][0]["text"].as_str().unwrap();
    assert!(text.starts_with("1784609.2703 ftUS, "), "{text}");
    assert_eq!(figure(1).2, "ftUS");
}
