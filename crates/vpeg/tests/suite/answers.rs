//! Figures whose meaning does not depend on the system that a layer happens to be in, at places
//! where it is easy to go wrong: the poles, pseudo-Mercator, the boundary of a polygon.

use crate::support::{Bench, words};

/// A polygon of one ring along a parallel, its vertices a step of degrees apart.
fn cap(latitude: f64, step: usize) -> String {
    let ring: Vec<String> = (-180..=180)
        .step_by(step)
        .map(|longitude| {
            format!("[{},{latitude}]", if longitude == 180 { -180 } else { longitude })
        })
        .collect();
    format!(
        r#"{{"type":"FeatureCollection","features":[{{"type":"Feature","properties":{{"id":1}},
        "geometry":{{"type":"Polygon","coordinates":[[{}]]}}}}]}}"#,
        ring.join(",")
    )
}

#[test]
fn rings_about_a_pole_are_measured_and_are_no_fault() {
    let bench = Bench::new();
    for latitude in [89.0, 89.999, -89.0] {
        bench.write("cap.geojson", cap(latitude, 5));
        let run = bench.ok(&words("measure cap.geojson --json"));
        assert!(!run.err.contains("cross"), "{latitude}: {}", run.err);
        let area = run.json()["features"][0]["area_ellipsoid_m2"].as_f64().unwrap();
        // 72 triangles about the pole, whose sides are meridians; near the pole the ellipsoid is a
        // sphere of its polar radius of curvature, a² / b.
        let radius = 6_378_137.0_f64.powi(2) / 6_356_752.314_245;
        let side = radius * (90.0 - latitude.abs()).to_radians();
        let flat = 36.0 * side * side * 5.0_f64.to_radians().sin();
        assert!((area / flat - 1.0).abs() < 3e-4, "{latitude}: {area} m², not about {flat} m²");
        let check = bench.ok(&words("check cap.geojson --json")).out;
        assert!(!check.contains("self-crossing"), "{latitude}: {check}");
    }
}

#[test]
fn courses_over_a_pole_go_straight_over_it() {
    let bench = Bench::new();
    for (from, to, metres, azimuth) in [
        // 0.4° of meridian at the pole, of 111 694 m a degree.
        ("89.9, 0", "89.7, 179.9999999", 44_677.6, 0.0),
        ("-89.9, 10", "-89.9, -170", 22_338.8, 180.0),
        ("89.99999, 45", "89.99999, -135", 2.2339, 0.0),
    ] {
        let run = bench.ok(&["course", "--json", "--", from, to]);
        let answer = run.json();
        let distance = answer["distance_m"].as_f64().unwrap();
        assert!((distance / metres - 1.0).abs() < 1e-5, "{from} to {to}: {answer}");
        let found = answer["azimuth_from"].as_f64().unwrap();
        let off = (found - azimuth + 180.0).rem_euclid(360.0) - 180.0;
        assert!(off.abs() < 1e-5, "{from} to {to}: {answer}");
    }
}

#[test]
fn distances_to_polygons_are_the_same_in_every_system() {
    let bench = Bench::with_demo();
    bench.write(
        "p.csv",
        "name,lon,lat\nnear,-120.06,47.41\nfar,-120.2,47.45\ninside,-120.0,47.415\n",
    );
    bench.ok(&words("build points p.csv --lon lon --lat lat --crs EPSG:4326 -o p.gpkg"));
    bench.ok(&words(
        "build polygons beats.csv --by beat --order corner --crs EPSG:2285 -o grid.gpkg",
    ));
    let mut tables = Vec::new();
    for (name, system) in [
        ("degrees", "EPSG:4326"),
        ("web", "EPSG:3857"),
        ("zone", "EPSG:32610"),
        ("own", "EPSG:2285"),
    ] {
        let polygons = format!("{name}.gpkg");
        bench.ok(&["convert", "grid.gpkg", "--to", system, "-o", &polygons]);
        let out = format!("{name}.csv");
        let line = "tag p.gpkg --columns beat --within 30000 --distance-column metres -o";
        let mut words = words(line);
        words.extend([&out, "--from", &polygons]);
        bench.ok(&words);
        let (header, rows) = bench.table(&out);
        let at = |name: &str| header.iter().position(|head| head == name).unwrap();
        let read = |row: &Vec<String>| {
            let metres: f64 = row[at("metres")].parse().unwrap_or(0.0);
            (row[at("name")].clone(), row[at("beat")].clone(), metres)
        };
        tables.push((name, rows.iter().map(read).collect::<Vec<_>>()));
    }
    let (_, first) = &tables[0];
    assert!(first[0].2 > 100.0 && first[1].2 > 10_000.0 && first[2].2 == 0.0, "{first:?}");
    for (name, table) in &tables[1..] {
        for (one, other) in first.iter().zip(table) {
            assert_eq!((&one.0, &one.1), (&other.0, &other.1), "{name}");
            // The edges are straight in each system: centimetres in kilometres.
            assert!((one.2 - other.2).abs() < 1e-3 + 1e-4 * one.2, "{name}: {one:?} {other:?}");
        }
    }
}

#[test]
fn maps_say_what_their_layers_are_and_which_signs_they_lack() {
    let bench = Bench::with_demo();
    for (title, out, code, says) in [
        ("fields=Fields of 2026", "m.svg", 0, ""),
        ("fields=Fields − south", "m.png", 0, ""),
        ("fields=Поля и γη", "m.png", 0, ""),
        ("fields=畑", "m.png", 0, "others (畑), which are missing in the PNG"),
        ("fields=畑", "m.svg", 0, ""),
        (
            "ditches=Ditches",
            "m.svg",
            1,
            "there is no layer `ditches` to draw otherwise: there is fields",
        ),
        ("fields", "m.svg", 2, "--title-of"),
    ] {
        let run =
            bench.run(&["draw", "fields.geojson", "--title-of", title, "-o", out, "--overwrite"]);
        assert_eq!(run.code, code, "{title}: {}", run.err);
        assert!(run.err.contains(says), "{title}: {}", run.err);
        assert_eq!(
            run.err.contains("warning"),
            code == 0 && !says.is_empty(),
            "{title}: {}",
            run.err
        );
        if code == 0 && out == "m.svg" {
            let wanted = title.split_once('=').unwrap().1;
            assert!(bench.read(out).contains(wanted), "{title} is not in the legend");
        }
    }
}

#[test]
fn adjusted_courses_stand_beside_those_of_the_deed_with_their_units() {
    let bench = Bench::with_demo();
    let line = "build courses deed.csv --by tract --crs EPSG:2285 --overwrite -o t.gpkg";
    let plain = bench.ok(&words(line));
    assert!(plain.out.contains("length (ftUS)  radius (ftUS)"), "{}", plain.out);
    assert!(!plain.out.contains("adjusted"), "{}", plain.out);
    let mut adjusted = words(line);
    adjusted.push("--adjust");
    let run = bench.ok(&adjusted);
    for head in ["deed bearing", "deed length (ftUS)", "adjusted bearing", "adjusted length (ftUS)"]
    {
        assert!(run.out.contains(head), "{head} is not in\n{}", run.out);
    }
    // The first course of the deed, as it is written and as it closes.
    let row = run.out.lines().find(|line| line.trim_start().starts_with("2  ")).unwrap();
    assert!(row.contains("N 12°30′00″ E") && row.contains("N 12°29′52″ E"), "{row}");
    assert!(row.contains("310.000") && row.contains("310.010"), "{row}");
    // Numbers end below each other, with a word in front of one or without.
    let ends: Vec<usize> = run
        .out
        .lines()
        .filter(|line| line.contains("310.010") || line.contains("chord 186.088"))
        .map(|line| {
            let at = line.find("310.010").or_else(|| line.find("186.088")).unwrap();
            line[..at].chars().count()
        })
        .collect();
    assert!(ends.len() == 2 && ends[0] == ends[1], "{}", run.out);
    // Two parcels that begin at one place would lie on each other.
    let stacked =
        "build courses deed.csv --by tract --start 1832900,155850 --crs EPSG:2285 -o s.gpkg";
    let run = bench.run(&words(stacked));
    assert_eq!(run.code, 1, "{}", run.err);
    assert!(!bench.has("s.gpkg"));
}

/// Signs that take two places of a terminal are counted as two: what stands right of them lines up.
#[test]
fn columns_line_up_whatever_the_script() {
    let bench = Bench::new();
    bench.write("wide.csv", "門,e,n\n一二三,600000,5250000\nab,600000,5250001\n");
    let look = bench.ok(&["look", "wide.csv"]).out;
    let places = |text: &str| -> usize {
        text.chars().map(|c| if ('\u{3000}'..'\u{a000}').contains(&c) { 2 } else { 1 }).sum()
    };
    let ends: Vec<usize> = look
        .lines()
        .filter(|line| line.contains("100%"))
        .map(|line| places(&line[..line.find("100%").unwrap()]))
        .collect();
    assert!(ends.len() == 3 && ends.iter().all(|end| *end == ends[0]), "{ends:?}\n{look}");
}
