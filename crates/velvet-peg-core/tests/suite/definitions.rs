//! Definition texts: there and back for the whole registry, spellings of other hands, errors.

use crate::support::data;
use velvet_peg_core::Geographic;
use velvet_peg_core::crs::Height;
use velvet_peg_core::definition::{self, MatchLevel, Spelling};
use velvet_peg_core::projection::Parameters;
use velvet_peg_core::{
    Converter, Coordinate, Crs, CrsKind, Ellipsoid, LengthUnit, PlanOptions, registry,
};

type Notation = (&'static str, fn(&Crs) -> Option<String>);

/// Every system written and read in every notation says the same again.
#[test]
fn the_whole_registry_survives_every_notation() {
    let notations: [Notation; 4] = [
        ("wkt2", definition::wkt2),
        ("json", definition::json),
        ("wkt1", definition::wkt1),
        ("side file", |crs| definition::wkt1_spelled(crs, Spelling::SideFile)),
    ];
    let mut failures = Vec::new();
    for (notation, write) in notations {
        let (mut survived, mut shared) = (0, 0);
        for row in registry::CrsRow::all() {
            if matches!(row.kind, CrsKind::Engineering | CrsKind::Derived) {
                continue;
            }
            let crs = Crs::from_epsg(row.code).unwrap();
            // Refused, because it contradicts itself: see `systems.rs`.
            if row.code == 3752 {
                continue;
            }
            // Two examples of well logs are compound without a position.
            if row.kind == CrsKind::Compound && crs.datum().is_none() {
                continue;
            }
            let Some(text) = write(&crs) else {
                failures.push(format!("{notation}: EPSG:{} has no text", row.code));
                continue;
            };
            let flat = notation != "wkt2" && notation != "json";
            match definition::parse(&text) {
                // OGC 01-009 has no ellipsoidal heights, and the side files no axes.
                Ok(_) if flat && row.kind == CrsKind::Geographic3D => {}
                Ok(read) => match definition::differences(&read, &crs) {
                    Some(list) if list.is_empty() => survived += 1,
                    // Without codes, two datums of one name cannot be told apart.
                    _ if notation == "side file" && namesakes(&read, &crs) => shared += 1,
                    list => failures.push(format!("{notation}: EPSG:{} {list:?}", row.code)),
                },
                Err(error) => failures.push(format!("{notation}: EPSG:{} {error}", row.code)),
            }
        }
        println!("{notation}: {survived} systems survive, {shared} share a datum's name");
        assert!(shared < 60, "{shared}");
    }
    let shown = &failures[..failures.len().min(30)];
    assert!(failures.is_empty(), "{} failures: {shown:#?}", failures.len());
}

fn namesakes(a: &Crs, b: &Crs) -> bool {
    let names = |crs: &Crs| {
        let (name, code) = match crs.height() {
            Height::GravityRelated(vertical) => {
                (vertical.datum_name.to_string(), vertical.datum_code)
            }
            _ => crs.datum().map_or((String::new(), None), |d| (d.name().to_string(), d.code())),
        };
        let aliases = code.map(registry::datum_aliases).unwrap_or_default();
        let all: Vec<String> = aliases.into_iter().map(String::from).chain([name]).collect();
        all.iter().map(|n| n.to_lowercase().replace(|c: char| !c.is_alphanumeric(), "")).collect()
    };
    let (a, b): (Vec<String>, Vec<String>) = (names(a), names(b));
    a.iter().any(|name| b.contains(name))
}

/// Texts as other programs write them, each with the system that it must be found to be.
#[test]
fn texts_of_other_hands_are_identified() {
    let mut failures = Vec::new();
    for row in data("definitions.csv") {
        let crs = definition::parse(row.text("text"))
            .unwrap_or_else(|error| panic!("{}: {error}", row.text("text")));
        let identity = definition::identify(&crs);
        let codes: Vec<u32> = identity.code.into_iter().chain(identity.also.clone()).collect();
        let found = match identity.level {
            MatchLevel::Exact => "exact",
            MatchLevel::SameNumbers => "same numbers",
            MatchLevel::Near => "near",
            MatchLevel::Unknown => "unknown",
        };
        let differs = identity.differences.first().map_or("", |difference| &difference.what);
        let right = found == row.text("answer")
            && row.optional("code").is_none_or(|code| codes.contains(&(code as u32)))
            && [differs, ""].contains(&row.text("difference"));
        if !right {
            failures.push(format!("{found}: {}: {}", identity.summary(), row.text("text")));
        }
    }
    assert!(failures.is_empty(), "{failures:#?}");
}

#[test]
fn errors_point_at_the_character() {
    let good = definition::wkt2(&Crs::from_epsg(2286).unwrap()).unwrap();
    for (broken, says, at) in [
        ("", "empty", None),
        ("HELLO", "opening bracket", Some(6)),
        ("GEOGCS[\"a\",DATUM[\"b\",SPHEROID[\"c\",6378137]]]", "inverse flattening", Some(22)),
        ("GEOGCS[\"a\" DATUM", "comma or a closing bracket", Some(12)),
        ("GEOGCS[\"a", "no closing quotation mark", Some(8)),
        (
            "PROJCS[\"p\",GEOGCS[\"a\",DATUM[\"b\",SPHEROID[\"c\",6378137,298.3]]],PROJECTION[\"Tumblewick\"]]",
            "not a method",
            Some(63),
        ),
        ("FITTED_CS[\"a\"]", "not a kind", Some(1)),
        ("{\"type\": \"ProjectedCRS\"}", "", None),
        ("{\"type\": ", "not JSON", None),
    ] {
        let error = definition::parse(broken).unwrap_err().to_string();
        assert!(error.contains(says), "{broken}: {error}");
        if let Some(at) = at {
            assert!(error.contains(&format!("(character {at})")), "{broken}: {error}");
            assert!(error.ends_with('^'), "{error}");
        }
    }
    // Cut anywhere, a text is refused and nothing panics.
    for end in good.char_indices().map(|(at, _)| at) {
        assert!(definition::parse(&good[..end]).is_err(), "cut at {end}");
    }
}

#[test]
fn systems_of_ones_own_are_written_read_and_told_near() {
    let base = Crs::from_epsg(6318).unwrap();
    let parameters = Parameters::new()
        .angle(8801, 47.0)
        .angle(8802, -120.0)
        .scale(8805, 1.00004)
        .length(8806, 50_000.0)
        .length(8807, 10_000.0);
    let own = Crs::projected("Tumblewick", &base, 9807, parameters, LengthUnit::FOOT).unwrap();
    for text in [definition::wkt2(&own), definition::wkt1(&own), definition::json(&own)] {
        let read = definition::parse(&text.unwrap()).unwrap();
        assert_eq!(definition::differences(&read, &own), Some(Vec::new()));
        assert_eq!(definition::identify(&read).level, MatchLevel::Unknown);
    }
    // Washington South with a metric false easting typed as feet.
    let text = definition::wkt1(&Crs::from_epsg(2286).unwrap()).unwrap();
    let near = definition::parse(&text.replace("1640416.667", "500000")).unwrap();
    let identity = definition::identify(&near);
    assert_eq!((identity.level, identity.code), (MatchLevel::Near, Some(2286)));
    assert!(identity.summary().contains("Easting at false origin"), "{}", identity.summary());
    assert_eq!(definition::resolve(&text).unwrap().code(), Some(2286));
    assert_eq!(definition::resolve(&text.replace("1640416.667", "500000")).unwrap().code(), None);
}

/// Each word that the standards have for the frame of a vertical system, and no other.
#[test]
fn the_frame_of_a_vertical_system_goes_by_five_words() {
    let text = definition::wkt2(&Crs::from_epsg(5703).unwrap()).unwrap();
    let written = "VERTICALDATUM";
    assert!(text.contains(written), "{text}");
    let abbreviated = ["V", "VERT_", "VERTICAL"].map(|kind| format!("{kind}DATUM"));
    let frames = ["VRF", "VERTICALREFERENCEFRAME"].map(String::from);
    for word in abbreviated.into_iter().chain(frames) {
        let read = definition::resolve(&text.replace(written, &word)).unwrap();
        assert_eq!(read.code(), Some(5703), "{word}");
    }
    assert!(definition::parse(&text.replace(written, "TDATUM")).is_err());
}

#[test]
fn a_definition_that_says_two_things_is_not_taken_for_either() {
    for line in include_str!("../data/contradictions.txt").lines().filter(|l| !l.starts_with('#')) {
        let (wanted, text) = line.split_once(" | ").unwrap();
        match definition::resolve(text) {
            Ok(crs) => {
                let found = crs.code().map_or("none".to_string(), |code| format!("EPSG:{code}"));
                assert_eq!(found, wanted, "{text}");
            }
            Err(error) => {
                let error = error.to_string();
                assert!(error.contains(wanted) && wanted.starts_with("says"), "{text}: {error}");
            }
        }
    }
    // What the registry says of every projected system says one thing.
    for code in [2285, 2286, 3857, 3395, 32610, 26910, 5070, 27700, 28992, 2056] {
        let crs = Crs::from_epsg(code).unwrap();
        for text in [definition::wkt1(&crs), definition::wkt2(&crs), definition::json(&crs)] {
            let Some(text) = text else { continue };
            assert_eq!(definition::resolve(&text).unwrap().code(), Some(code), "{text}");
        }
    }
}

/// What is said of a text that is the registry's system, the same under another name, or no system
/// of the registry.
#[test]
fn an_identity_is_told_in_words() {
    let exact = definition::wkt2(&Crs::from_epsg(2286).unwrap()).unwrap();
    let name = "NAD83 / Washington South (ftUS)";
    let renamed = exact
        .replace(name, "Tumblewick grid")
        .replace(",ID[\"EPSG\",2286]", "")
        .replace("SPCS83 Washington South zone (US survey foot)", "Tumblewick grid");
    let elsewhere =
        renamed.replace("\"Latitude of false origin\",45.3", "\"Latitude of false origin\",12.3");
    let elsewhere = elsewhere
        .replace("\"Longitude of false origin\",-120.5", "\"Longitude of false origin\",7");
    for (text, words) in [
        (&exact, format!("exactly EPSG:2286 {name}")),
        (&renamed, format!("EPSG:2286 {name}: the same numbers under another name")),
        (&elsewhere, "no system of the registry is near".to_string()),
    ] {
        let identity = definition::identify(&definition::parse(text).unwrap());
        assert_eq!(identity.summary(), words, "{text}");
    }
}

/// Axes of an ellipsoid in JSON, in metres or in a unit that they name.
#[test]
fn axes_of_an_ellipsoid_are_read_in_their_unit() {
    let text = definition::json(&Crs::from_epsg(4267).unwrap()).unwrap();
    let mut json: serde_json::Value = serde_json::from_str(&text).unwrap();
    let shape = |json: &mut serde_json::Value, shape: serde_json::Value| {
        let datum = json.get_mut("datum").unwrap();
        datum["ellipsoid"] = shape;
        definition::parse(&json.to_string()).unwrap()
    };
    let foot = serde_json::json!({
        "type": "LinearUnit", "name": "Clarke's foot", "conversion_factor": 0.3047972654,
    });
    let feet = |value: f64| serde_json::json!({ "value": value, "unit": foot });
    // Clarke 1858 (EPSG:7007), which is defined by two axes in Clarke's feet.
    let clarke = shape(
        &mut json,
        serde_json::json!({
            "name": "Clarke 1858", "semi_major_axis": feet(20_926_348.0),
            "semi_minor_axis": feet(20_855_233.0),
        }),
    );
    let ellipsoid = clarke.ellipsoid().unwrap();
    let known = Ellipsoid::from_epsg(7007).unwrap();
    assert!((ellipsoid.semi_major_m() - known.semi_major_m()).abs() < 1e-6, "{ellipsoid:?}");
    assert!((ellipsoid.flattening() / known.flattening() - 1.0).abs() < 1e-9, "{ellipsoid:?}");
    let sphere = shape(&mut json, serde_json::json!({ "name": "ball", "radius": 6_371_000.0 }));
    let ellipsoid = sphere.ellipsoid().unwrap();
    assert_eq!((ellipsoid.semi_major_m(), ellipsoid.flattening()), (6_371_000.0, 0.0));
}
/// Numbers as other writers round them, or give them in another order: still the same system, whose
/// code is found.
#[test]
fn rounded_numbers_are_the_same_system() {
    /// What is done to the text: its name, and the change of a parameter's or unit's number.
    type Change = (&'static str, fn(&str, f64) -> Option<String>);
    let changes: [Change; 6] = [
        ("angles of 8 decimals", |name, value| angle(name).then(|| format!("{value:.8}"))),
        ("scales of 10 decimals", |name, value| {
            name.contains("scale_factor").then(|| format!("{value:.10}"))
        }),
        ("scales of 16 decimals", |name, value| {
            name.contains("scale_factor").then(|| format!("{:.16}", full(value)))
        }),
        ("feet of 7 digits", |name, value| {
            (name == "unit" && (value - 0.3048006).abs() < 1e-7).then(|| "0.3048006".to_string())
        }),
        ("degrees of 10 digits", |name, value| {
            (name == "unit" && (value - 0.017453292).abs() < 1e-8)
                .then(|| "0.01745329252".to_string())
        }),
        ("false origins of 3 decimals", |name, value| {
            name.contains("false_").then(|| format!("{value:.3}"))
        }),
    ];
    let mut failures = Vec::new();
    let mut tried = 0;
    let rows = registry::CrsRow::all().filter(|row| {
        row.kind == CrsKind::Projected
            && !row.deprecated
            && (row.code % if row.name.starts_with("NAD") { 14 } else { 83 } == 0)
    });
    for row in rows {
        let crs = Crs::from_epsg(row.code).unwrap();
        let Some(text) = definition::wkt1_spelled(&crs, Spelling::SideFile) else { continue };
        for (what, change) in &changes {
            let Some(changed) = with_numbers(&text, change) else { continue };
            tried += 1;
            let read =
                definition::parse(&changed).unwrap_or_else(|error| panic!("{changed}: {error}"));
            let identity = definition::identify(&read);
            let codes: Vec<u32> = identity.code.into_iter().chain(identity.also.clone()).collect();
            if identity.level > MatchLevel::SameNumbers || !codes.contains(&row.code) {
                failures.push(format!(
                    "EPSG:{} {what}: {} {codes:?}\n{changed}",
                    row.code,
                    identity.summary()
                ));
            }
        }
    }
    let shown = &failures[..failures.len().min(12)];
    assert!(failures.is_empty(), "{} of {tried}: {}", failures.len(), shown.join("\n"));
    assert!(tried > 400, "{tried}");
}

fn angle(name: &str) -> bool {
    ["parallel", "meridian", "latitude", "longitude", "azimuth"]
        .iter()
        .any(|word| name.contains(word))
}

/// The scale of a fraction such as 1 - 1/15000, of which the registry has some digits.
fn full(value: f64) -> f64 {
    let parts = (1.0 / (1.0 - value)).round();
    let fraction = 1.0 - 1.0 / parts;
    if (fraction - value).abs() < 2e-10 { fraction } else { value }
}

/// The text with some of its numbers written otherwise; none if nothing changes.
fn with_numbers(text: &str, change: &dyn Fn(&str, f64) -> Option<String>) -> Option<String> {
    let mut out = String::new();
    let mut rest = text;
    while let Some(at) = rest.find(['P', 'U']) {
        let (before, after) = rest.split_at(at);
        out += before;
        let keyword = ["PARAMETER[\"", "UNIT[\""].into_iter().find(|word| after.starts_with(word));
        let Some(keyword) = keyword else {
            out += &after[..1];
            rest = &after[1..];
            continue;
        };
        let end = after.find(']').unwrap();
        let (name, number) = after[keyword.len()..end].split_once("\",").unwrap();
        let value: f64 = number.parse().unwrap();
        let word = if keyword.starts_with('U') { "unit".to_string() } else { name.to_lowercase() };
        let new = change(&word, value).unwrap_or_else(|| number.to_string());
        out += &format!("{keyword}{name}\",{new}");
        rest = &after[end..];
    }
    out += rest;
    (out != text).then_some(out)
}

/// Parallels in the other order are the same system; of numbers that differ it is told by how much they
/// matter on the ground.
#[test]
fn what_differs_is_judged_on_the_ground() {
    let written = |code: u32| definition::wkt1(&Crs::from_epsg(code).unwrap()).unwrap();
    let turned = |text: &str, from: &[(&str, &str)]| {
        from.iter().fold(text.to_string(), |text, (old, new)| {
            assert!(text.contains(old), "{old} is not in {text}");
            text.replace(old, new)
        })
    };
    let parallels = turned(
        &written(2286),
        &[
            ("\"standard_parallel_1\",47.3", "\"standard_parallel_x\",47.3"),
            ("\"standard_parallel_2\"", "\"standard_parallel_1\""),
            ("\"standard_parallel_x\"", "\"standard_parallel_2\""),
        ],
    );
    let paris = written(27572);
    for (what, text, code, level) in [
        ("parallels exchanged", parallels, 2286, MatchLevel::SameNumbers),
        ("as written", paris.clone(), 27572, MatchLevel::Exact),
        (
            "a scale off by a hundred-millionth",
            turned(&paris, &[("0.99987742", "0.99987743")]),
            27572,
            MatchLevel::Near,
        ),
        (
            "a false northing off by a metre",
            turned(&paris, &[("2200000", "2200001")]),
            27572,
            MatchLevel::Near,
        ),
    ] {
        let read = definition::parse(&text).unwrap_or_else(|error| panic!("{what}: {error}"));
        let identity = definition::identify(&read);
        assert_eq!(
            (identity.code, identity.level <= level),
            (Some(code), true),
            "{what}: {identity:?}"
        );
        assert_eq!(
            identity.level == MatchLevel::Near,
            level == MatchLevel::Near,
            "{what}: {identity:?}"
        );
        let apart = identity.apart_m.unwrap_or(0.0);
        match what {
            "a false northing off by a metre" => {
                // On the ground: the grid is off by its scale.
                assert!((apart - 1.0).abs() < 5e-3, "{apart}");
                assert!(identity.summary().contains("lie up to 1.00"), "{}", identity.summary());
            }
            // A hundred-millionth of the distance from the parallel of origin.
            "a scale off by a hundred-millionth" => {
                assert!((0.005..0.05).contains(&apart), "{apart}")
            }
            _ => assert!(apart < 1e-6, "{what}: {apart}"),
        }
    }
}

/// A datum of one's own with its shift to WGS 84 in each notation: understood, used, and written again.
#[test]
fn a_datum_of_ones_own_is_joined_to_others_by_its_shift() {
    let geographic = |shift: &str| {
        format!(
            "GEOGCS[\"Tumblewick 1931\",DATUM[\"Tumblewick_1931\",SPHEROID[\"Airy 1830\",6377563.396,\
             299.3249646]{shift}],PRIMEM[\"Greenwich\",0],UNIT[\"degree\",0.0174532925199433]]"
        )
    };
    let bound = |method: &str, values: [f64; 7]| {
        let names = ["X-axis translation", "Y-axis translation", "Z-axis translation"];
        let turns = ["X-axis rotation", "Y-axis rotation", "Z-axis rotation", "Scale difference"];
        let parameters: Vec<String> = names
            .iter()
            .chain(&turns)
            .zip(values)
            .map(|(name, value)| format!("PARAMETER[\"{name}\",{value}]"))
            .collect();
        format!(
            "BOUNDCRS[SOURCECRS[{}],TARGETCRS[{}],ABRIDGEDTRANSFORMATION[\"t\",METHOD[\"{method}\"],{}]]",
            geographic(""),
            definition::wkt2(&Crs::from_epsg(4326).unwrap()).unwrap(),
            parameters.join(",")
        )
    };
    // The numbers of OSGB36 to WGS 84 (6) [EPSG:1314], on a datum that the registry does not have.
    let values = [446.448, -125.157, 542.06, 0.15, 0.247, 0.842, -20.489];
    let list = values.map(|value| value.to_string()).join(",");
    let mut turned = values;
    turned[3..6].iter_mut().for_each(|value| *value = -*value);
    let wgs84 = Crs::from_epsg(4326).unwrap();
    let at = Coordinate::xy(-1.0, 52.0);
    let wanted =
        Converter::new(&Crs::from_epsg(4277).unwrap(), &wgs84).unwrap().convert(at).unwrap();
    let texts = [
        geographic(&format!(",TOWGS84[{list}]")),
        bound("Position Vector transformation (geog2D domain)", values),
        bound("Coordinate Frame rotation (geog2D domain)", turned),
    ];
    for text in texts {
        let own = definition::parse(&text).unwrap_or_else(|error| panic!("{text}: {error}"));
        let notations: [Notation; 3] =
            [("wkt2", definition::wkt2), ("wkt1", definition::wkt1), ("json", definition::json)];
        let read_again =
            notations.map(|(_, write)| definition::parse(&write(&own).unwrap()).unwrap());
        for own in [own].into_iter().chain(read_again) {
            assert_eq!(own.datum().unwrap().shift_to_wgs84().map(|shift| shift[0]), Some(446.448));
            let there = Converter::new(&own, &wgs84).unwrap();
            let found = there.convert(at).unwrap();
            assert!(
                (found.x - wanted.x).abs() < 1e-13 && (found.y - wanted.y).abs() < 1e-13,
                "{found:?}"
            );
            let summary = there.route().summary();
            assert!(summary.contains("as its definition says (accuracy not stated)"), "{summary}");
            let back = Converter::new(&wgs84, &own).unwrap().convert(found).unwrap();
            assert!((back.x - at.x).abs() < 1e-13 && (back.y - at.y).abs() < 1e-13, "{back:?}");
            // Further on, over WGS 84, to a datum of the registry.
            let on = Converter::new(&own, &Crs::from_epsg(4258).unwrap()).unwrap();
            assert_eq!(on.route().operations().count(), 2, "{}", on.route().summary());
        }
    }
    // Three numbers, and a projected system on the datum.
    let plane = format!(
        "PROJCS[\"Tumblewick plane\",{},PROJECTION[\"Transverse_Mercator\"],PARAMETER[\"latitude_of_origin\",\
         49],PARAMETER[\"central_meridian\",-2],PARAMETER[\"scale_factor\",0.9996],PARAMETER[\"false_easting\",\
         400000],PARAMETER[\"false_northing\",-100000],UNIT[\"metre\",1]]",
        geographic(",TOWGS84[375,-111,431]")
    );
    let plane = definition::parse(&plane).unwrap();
    let json = definition::parse(&definition::json(&plane).unwrap()).unwrap();
    for own in [plane, json] {
        let there = Converter::new(&own, &wgs84).unwrap();
        let found = there.convert(Coordinate::xy(400_000.0, 300_000.0)).unwrap();
        let moved = (found.x + 2.0).hypot(found.y - 52.6);
        assert!((1e-4..0.01).contains(&moved), "{found:?}");
    }
    // Nothing is known where nothing is said, or where it is no shift to WGS 84; the registry knows
    // better of its own datums.
    let other = bound("Tumblewick transformation", values);
    for text in [geographic(""), other] {
        let own = definition::parse(&text).unwrap();
        let error = Converter::new(&own, &wgs84).unwrap_err().to_string();
        assert!(error.contains("nothing is known of how it lies"), "{error}");
    }
    for numbers in ["1,2", "1,2,3,4", "1,2,3,4,5,6,7,8", ""] {
        let error = definition::parse(&geographic(&format!(",TOWGS84[{numbers}]"))).unwrap_err();
        let count = numbers.split(',').filter(|number| !number.is_empty()).count();
        assert!(error.to_string().contains(&format!("it has {count} numbers")), "{error}");
    }
    // A way over what definitions say has no operation to name; between WGS 84 and others it has.
    let own = definition::parse(&geographic(&format!(",TOWGS84[{list}]"))).unwrap();
    let named = |to: u32, operation: u32| {
        let options = PlanOptions { operations: vec![operation], ..PlanOptions::default() };
        Converter::plan(&own, &Crs::from_epsg(to).unwrap(), &options)
    };
    let error = named(4326, 1149).unwrap_err().to_string();
    assert!(error.contains("there is no operation to name"), "{error}");
    assert!(named(4258, 1149).unwrap().route().is_named);
    let text = geographic(&format!(",TOWGS84[{list}]")).replace("Tumblewick_1931", "OSGB_1936");
    let known = definition::parse(&text).unwrap();
    assert_eq!(known.datum().unwrap().shift_to_wgs84(), None);
}

/// Two systems of the registry taken together come back as these from every notation, and one that is
/// not of the registry stays as it is written.
#[test]
fn compound_systems_of_two_of_the_registry_are_told_by_their_codes() {
    for reference in [
        "EPSG:4269+EPSG:5702",
        "EPSG:2286+EPSG:5703",
        "EPSG:32610+EPSG:5703",
        "EPSG:4326+EPSG:6357",
        "EPSG:32655+EPSG:5711",
    ] {
        let crs = Crs::parse(reference).unwrap();
        assert_eq!(crs.reference(), reference);
        let texts = [definition::wkt1(&crs), definition::wkt2(&crs), definition::json(&crs)];
        for text in texts.into_iter().flatten() {
            let back = definition::resolve(&text).unwrap();
            assert_eq!(back.reference(), reference, "{text}");
            assert!(back.label().starts_with(reference), "{}", back.label());
        }
    }
    let text = definition::wkt1(&Crs::parse("EPSG:2286+EPSG:5703").unwrap()).unwrap();
    let moved = text.replace("500000", "500001.5").replace("1640416.667", "1640417");
    assert_ne!(moved, text);
    let back = definition::resolve(&moved).unwrap();
    assert!(back.part_codes().is_none() && back.label().ends_with("(a system without a code)"));
}

/// A projected system on GRS 1980, degrees and metres, by a method's word and its parameters
/// (`name=number;…`).
fn by_word(word: &str, parameters: &str) -> String {
    let parameters: String = parameters
        .split(';')
        .map(|part| part.split_once('=').unwrap())
        .map(|(name, value)| format!("PARAMETER[\"{name}\",{value}],"))
        .collect();
    format!(
        "PROJCS[\"x\",GEOGCS[\"GCS_North_American_1983\",DATUM[\"D_North_American_1983\",\
         SPHEROID[\"GRS_1980\",6378137.0,298.257222101]],PRIMEM[\"Greenwich\",0.0],\
         UNIT[\"Degree\",0.0174532925199433]],PROJECTION[\"{word}\"],{parameters}UNIT[\"Meter\",1.0]]"
    )
}

/// Words for methods, with what they leave to be understood; and back from what is written of them.
#[test]
fn words_for_methods_stand_for_their_parameters() {
    for row in data("method-words.csv") {
        let word = row.text("word");
        let text = by_word(word, row.text("parameters"));
        let read = definition::parse(&text).unwrap_or_else(|error| panic!("{word}: {error}"));
        let conversion = read.conversion().unwrap();
        assert_eq!(f64::from(conversion.method_code), row.number("method"), "{word}");
        let mut found = conversion.parameters.iter().count();
        for wanted in row.text("found").split(';') {
            let (code, value) = wanted.split_once('=').unwrap();
            let (code, value): (u32, f64) = (code.parse().unwrap(), value.parse().unwrap());
            let known = conversion.parameters.iter().find(|p| p.code == code);
            let known = known.unwrap_or_else(|| panic!("{word} has no {code}")).value().unwrap();
            assert!((known - value).abs() < 1e-12, "{word} {code}: {known}");
            found -= 1;
        }
        assert_eq!(found, 0, "{word} has more");
        for text in [definition::wkt2(&read), definition::wkt1(&read), definition::json(&read)] {
            let again = definition::parse(&text.unwrap()).unwrap();
            assert_eq!(again.conversion().unwrap().method_code, conversion.method_code, "{word}");
        }
    }
    let oblique =
        by_word("Stereographic", "Central_Meridian=5;Scale_Factor=1;Latitude_Of_Origin=52");
    let error = definition::parse(&oblique).unwrap_err().to_string();
    assert!(error.contains("two formulas go by this name"), "{error}");
}

/// Both points lie on the central line, where the scale is that of the parameters, and the other form
/// says the same; of the two origins one is the centre.
#[test]
fn oblique_mercator_by_two_points_passes_through_them() {
    for (a, b, centre) in [
        ((30.0, -100.0), (50.0, -80.0), 40.0),
        ((-10.0, 140.0), (-42.5, 147.25), -30.0),
        ((60.0, 179.0), (52.0, -175.0), 55.0),
        ((5.0, 100.0), (1.0, 104.0), 3.0),
    ] {
        for name in ["Center", "Natural_Origin"] {
            let word = format!("Hotine_Oblique_Mercator_Two_Point_{name}");
            let ((lat1, lon1), (lat2, lon2)) = (a, b);
            let text = by_word(
                &word,
                &format!(
                    "Latitude_Of_1st_Point={lat1};Longitude_Of_1st_Point={lon1};Latitude_Of_2nd_Point={lat2};\
                     Longitude_Of_2nd_Point={lon2};Scale_Factor=0.9996;Latitude_Of_Center={centre}"
                ),
            );
            let read = definition::parse(&text).unwrap_or_else(|error| panic!("{word}: {error}"));
            let value = |code: u32| {
                let mut all = read.conversion().unwrap().parameters.iter();
                all.find(|p| p.code == code).unwrap().value().unwrap()
            };
            let projection = read.projection().unwrap();
            let (sin, cos) = value(8814).to_radians().sin_cos();
            for (lat, lon) in [a, b] {
                let at = Geographic { lat, lon };
                let (e, n) = projection.forward(at).unwrap();
                assert!((e * cos - n * sin).abs() < 1e-7, "{word}: {e} {n}");
                let scale = projection.factors(at).unwrap().meridian_scale;
                assert!((scale / 0.9996 - 1.0).abs() < 2e-3, "{word}: {scale}");
            }
            let middle = Geographic { lat: value(8811), lon: value(8812) };
            let (e, n) = projection.forward(middle).unwrap();
            assert_eq!(e.hypot(n) < 1e-6, name == "Center", "{word}: {e} {n}");
            // The form by an azimuth is what is written.
            let again = definition::parse(&definition::wkt2(&read).unwrap()).unwrap();
            let there =
                again.projection().unwrap().forward(Geographic { lat: a.0, lon: a.1 }).unwrap();
            let here = projection.forward(Geographic { lat: a.0, lon: a.1 }).unwrap();
            assert!((there.0 - here.0).hypot(there.1 - here.1) < 1e-8);
        }
    }
    for parameters in [
        "Latitude_Of_1st_Point=30;Longitude_Of_1st_Point=-100;Latitude_Of_2nd_Point=50",
        "Latitude_Of_1st_Point=30;Longitude_Of_1st_Point=1;Latitude_Of_2nd_Point=30;\
         Longitude_Of_2nd_Point=1;Latitude_Of_Center=30",
        "Latitude_Of_1st_Point=20;Longitude_Of_1st_Point=5;Latitude_Of_2nd_Point=30;\
         Longitude_Of_2nd_Point=5;Latitude_Of_Center=25",
    ] {
        let text = by_word("Hotine_Oblique_Mercator_Two_Point_Center", parameters);
        let error = definition::parse(&text).unwrap_err().to_string();
        assert!(error.contains("make no line"), "{error}");
    }
}
