//! Reference systems, routes between them, and the forms of a converter.

use crate::support::data;
use velvet_peg_core::angle::parse_position;
use velvet_peg_core::crs::find;
use velvet_peg_core::zones::{GridSquare, UtmZone, grid_reference};
use velvet_peg_core::{
    AreaUnit, Bounds, Converter, Coordinate, Crs, CrsKind, Extent, Geographic, LengthUnit,
    PlanOptions, Policy, registry,
};

fn crs(code: u32) -> Crs {
    Crs::from_epsg(code).unwrap()
}

/// Mercator with its origin on the equator, the latitude of whose origin is 41° S: withdrawn, and
/// replaced by a system with a standard parallel.
const CONTRADICTS_ITSELF: u32 = 3752;

#[test]
fn every_row_of_the_registry_resolves() {
    let (mut projected, mut computed) = (0, 0);
    for row in registry::CrsRow::all() {
        let crs = Crs::from_epsg(row.code).unwrap_or_else(|e| panic!("EPSG:{}: {e}", row.code));
        assert_eq!(crs.name(), row.name);
        let on_earth =
            matches!(row.kind, CrsKind::Geographic2D | CrsKind::Geographic3D | CrsKind::Geocentric);
        if on_earth || row.kind == CrsKind::Projected {
            let ellipsoid = crs.ellipsoid().unwrap_or_else(|| panic!("EPSG:{}", row.code));
            assert!((6.3e6..6.5e6).contains(&ellipsoid.semi_major_m()), "EPSG:{}", row.code);
        }
        if on_earth {
            assert!(Converter::new(&crs, &crs).is_ok(), "EPSG:{}", row.code);
        }
        if row.kind == CrsKind::Projected {
            projected += 1;
            let method = crs.conversion().unwrap().method_code;
            match crs.projection() {
                Ok(projection) => {
                    computed += 1;
                    assert_eq!(projection.method_code(), method);
                }
                Err(error) => {
                    assert!(error.is_unsupported(), "EPSG:{}: {error}", row.code);
                    assert_eq!(row.code, CONTRADICTS_ITSELF, "{error}");
                    assert!(row.deprecated && crs.replaced_by().contains(&3994));
                }
            }
        }
    }
    println!("{computed} of {projected} projected systems can be computed");
    assert_eq!(projected, 5766);
    assert_eq!(computed, projected - 1, "all but one of the projected systems can be computed");
}

/// The places where formulas divide by nothing: the origin of every projected system, which the pole is of
/// some, and the poles of all that reach them. Alone and among others.
#[test]
fn origins_and_poles_close() {
    // The origin of the plane is the apex of a cone, or has no zone in front: neither is a place.
    const WITHOUT: [u32; 5] = [9819, 1041, 1042, 1043, 9824];
    let (mut origins, mut poles, mut failures) = (0, 0, Vec::new());
    for row in registry::CrsRow::all().filter(|row| row.kind == CrsKind::Projected) {
        let crs = crs(row.code);
        let (Ok(projection), Some(conversion)) = (crs.projection(), crs.conversion()) else {
            continue;
        };
        let value = |code| {
            let given = conversion.parameters.iter().find(|given| given.code == code);
            given.and_then(|given| given.value())
        };
        // Of a natural origin, a projection centre and a false origin.
        let pairs = [(8806, 8807), (8816, 8817), (8826, 8827)];
        let mut planes: Vec<(f64, f64)> = Vec::new();
        if !WITHOUT.contains(&projection.method_code()) {
            planes.extend(pairs.iter().filter_map(|(e, n)| Some((value(*e)?, value(*n)?))));
        }
        origins += planes.len();
        for lat in [-90.0, 90.0] {
            let reaches = |area: &Bounds| area.south - 0.5 < lat && lat < area.north + 0.5;
            if crs.extent().boxes().iter().any(reaches) {
                let images = [0.0, 77.0].map(|lon| projection.forward(Geographic { lat, lon }));
                poles += images.iter().flatten().count();
                planes.extend(images.into_iter().flatten());
            }
        }
        for (e, n) in planes {
            let closes = projection.inverse(e, n).is_ok_and(|back| {
                let again = projection.forward(back);
                again.is_ok_and(|(x, y)| (x - e).hypot(y - n) < 1e-6)
            });
            if !closes {
                failures.push(format!("EPSG:{} ({}) {e}, {n}", row.code, projection.method_code()));
            }
        }
    }
    assert!(failures.is_empty(), "{} of {origins}, {poles}: {failures:#?}", failures.len());
    assert!(origins > 5000 && poles > 100, "{origins} {poles}");
}

/// 25 places across every area of use, there and back, through every projected system: in
/// angle to 1e-14 radian of arc, in coordinates to 1 nm and what one last place of the position
/// in degrees, and of the coordinates, stands for (a last place of longitude 175° is 3 nm).
#[test]
fn every_projected_system_closes_in_its_area_of_use() {
    let (mut closed, mut worst, mut failures) = (0, (0.0f64, 0), Vec::new());
    for row in registry::CrsRow::all().filter(|row| row.kind == CrsKind::Projected) {
        let crs = crs(row.code);
        if row.code == CONTRADICTS_ITSELF {
            continue;
        }
        let projection = crs.projection().unwrap_or_else(|e| panic!("EPSG:{}: {e}", row.code));
        let Some(area) = crs.extent().boxes().first() else {
            assert!(row.deprecated, "EPSG:{} has no area", row.code);
            continue;
        };
        let east = if area.east < area.west { area.east + 360.0 } else { area.east };
        let meridian = crs.datum().unwrap().prime_meridian().longitude_deg;
        for (i, j) in (0..25).map(|k| (f64::from(k % 5), f64::from(k / 5))) {
            // Not the very rim, where world maps and poles are singular, nor the limits of zones.
            let share = |k: f64| 0.0137 + 0.971 * k / 4.0;
            let lon = area.west + (east - area.west) * share(i) - meridian;
            let lon = if lon > 180.0 { lon - 360.0 } else { lon };
            let lat = area.south + (area.north - area.south) * share(j);
            let at = Geographic { lat, lon };
            let Ok((e, n)) = projection.forward(at) else {
                // A few withdrawn systems have longitudes on the wrong side of Greenwich.
                assert!(row.deprecated, "EPSG:{} has no image of {at:?}", row.code);
                continue;
            };
            let back = projection
                .inverse(e, n)
                .unwrap_or_else(|error| panic!("EPSG:{}: {at:?} -> {e}, {n}: {error}", row.code));
            let turn = (back.lon - lon + 180.0).rem_euclid(360.0) - 180.0;
            let off = (turn * lat.to_radians().cos()).hypot(back.lat - lat).to_radians();
            let (e2, n2) = projection.forward(back).unwrap();
            let metres = (e2 - e).hypot(n2 - n);
            let scale =
                projection.factors(at).map_or(1.0, |f| f.parallel_scale.max(f.meridian_scale));
            let degree = 111_320.0 * scale;
            let place = |value: f64| f64::EPSILON * value.abs();
            let rounding =
                place(lat.hypot(lon)) * degree + place(e.hypot(n)) + f64::EPSILON * 6.4e6 * scale;
            if off > worst.0 {
                worst = (off, row.code);
            }
            if off > 1e-14 || metres > 1e-9 + rounding {
                failures.push(format!("EPSG:{} {at:?}: {off:e} rad, {metres:e} m", row.code));
            }
            closed += 1;
        }
    }
    println!("{closed} places close, worst {worst:?} rad");
    assert!(
        failures.is_empty(),
        "{} fail: {:#?}",
        failures.len(),
        &failures[..failures.len().min(40)]
    );
    assert!(closed > 5700 * 25, "{closed}");
}

#[test]
fn operations_say_what_they_lack() {
    let rows: Vec<_> = registry::OperationRow::all().collect();
    assert_eq!(rows.len(), 6371);
    let transformations =
        rows.iter().filter(|row| row.kind == registry::OperationKind::Transformation);
    let (mut runs, mut lacks) = (0, 0);
    for row in transformations {
        match velvet_peg_core::Operation::from_epsg(row.code) {
            Ok(_) => runs += 1,
            Err(error) => {
                assert!(error.is_unsupported() && error.to_string().contains("needs"), "{error}");
                lacks += 1;
            }
        }
    }
    println!("{runs} transformations run, {lacks} lack something");
    assert!(runs > 1400, "{runs}");
}

#[test]
fn nad83_to_wgs84_never_pretends_identity() {
    let converter = Converter::new(&crs(4269), &crs(4326)).unwrap();
    let route = converter.route();
    assert_eq!(route.accuracy_m(), Some(4.0));
    assert!(route.is_unknown_shift());
    assert!(route.summary().contains("known to 4 m"), "{}", route.summary());
    assert_eq!(route.operations().count(), 1);
}

#[test]
fn routes_follow_area_accuracy_and_hubs() {
    let washington = Bounds { south: 47.3, west: -120.1, north: 47.5, east: -119.9 };
    let options = PlanOptions { area: Some(washington), ..PlanOptions::default() };
    let plan = |from, to| Converter::plan(&crs(from), &crs(to), &options).unwrap();

    let through_hub = plan(4267, 4269);
    let route = through_hub.route();
    assert_eq!(route.operations().count(), 2, "{}", route.summary());
    assert!(route.covers_area);
    assert!(
        route.unavailable.iter().any(|row| row.code == 1241 && row.needs.contains("conus.las"))
    );
    assert!(route.accuracy_m().unwrap() > 1.0);

    assert!(plan(4269, 2286).route().operations().next().is_none());
    let member = plan(9057, 4326);
    assert_eq!(member.route().accuracy_m(), Some(2.0), "an ensemble is known to its accuracy");

    let refused = PlanOptions { policy: Policy::RequireUnique, ..options };
    let error = Converter::plan(&crs(4267), &crs(4326), &refused).unwrap_err();
    assert!(error.is_ambiguous(), "{error}");
    let vertical = Converter::new(&crs(5703), &crs(4326)).unwrap_err();
    assert!(vertical.is_unsupported(), "{vertical}");
}

#[test]
fn the_three_forms_of_converting_differ_in_what_they_do_with_failure() {
    let converter = Converter::new(&crs(4326), &crs(32610)).unwrap();
    let good = Coordinate::xy(-120.0, 47.4);
    let bad = Coordinate::xy(-120.0, 97.4);
    assert!(converter.convert(bad).unwrap_err().is_out_of_domain());

    let mut slice = [good, bad];
    assert!(converter.convert_slice(&mut slice).is_err());
    assert_eq!(slice, [good, bad], "left as it was");
    let mut slice = [good];
    converter.convert_slice(&mut slice).unwrap();
    assert_eq!(slice[0], converter.convert(good).unwrap());

    let (mut x, mut y) = ([good.x, bad.x, f64::NAN], [good.y, bad.y, 1.0]);
    assert_eq!(converter.convert_columns(&mut x, &mut y, None), 1);
    assert!(x[1].is_nan() && y[1].is_nan() && x[2].is_nan());
    assert_eq!((x[0], y[0]), (slice[0].x, slice[0].y));
}

#[test]
fn heights_take_part_where_the_system_has_them() {
    let to_geocentric = Converter::new(&crs(4979), &crs(4978)).unwrap();
    let at = Coordinate { x: -120.0, y: 47.4, z: 350.0 };
    let back = Converter::new(&crs(4978), &crs(4979))
        .unwrap()
        .convert(to_geocentric.convert(at).unwrap())
        .unwrap();
    assert!((back.z - 350.0).abs() < 2e-9 && (back.y - 47.4).abs() < 1e-13);
    // A 2D system's third number is carried as it is.
    let carried = Converter::new(&crs(4326), &crs(32610)).unwrap().convert(at).unwrap();
    assert_eq!(carried.z, 350.0);
}

#[test]
fn references_are_codes_urns_or_words() {
    for (text, code) in [
        ("EPSG:2286", 2286),
        ("epsg:2286", 2286),
        ("2286", 2286),
        ("EPSG 2286", 2286),
        ("urn:ogc:def:crs:EPSG::2286", 2286),
        ("urn:ogc:def:crs:EPSG:9.9.1:2286", 2286),
        ("http://www.opengis.net/def/crs/EPSG/0/2286", 2286),
        ("OGC:CRS84", 4326),
        ("urn:ogc:def:crs:OGC:1.3:CRS84", 4326),
        ("wgs 84", 4326),
        ("NAD83(2011)", 6318),
        ("nad83 washington south ftus", 2286),
        ("nad83(2011) washington south us survey feet", 6599),
        ("wgs 84 utm zone 10n", 32610),
    ] {
        assert_eq!(
            Crs::parse(text).unwrap_or_else(|e| panic!("{text}: {e}")).code(),
            Some(code),
            "{text}"
        );
    }
    assert!(Crs::parse("washington").unwrap_err().is_ambiguous());
    assert!(Crs::parse("EPSG:1").unwrap_err().is_unknown());
    assert!(Crs::parse("EPSG:south").unwrap_err().is_malformed());
    assert!(Crs::parse("").unwrap_err().is_malformed());
    assert!(Crs::parse("nowhere at all").unwrap_err().is_unknown());
}

#[test]
fn current_systems_are_found_first() {
    let codes: Vec<u32> = find("washington south feet").iter().map(|found| found.code).collect();
    assert_eq!(codes[..2], [6599, 2286], "the current realisation, then NAD83 itself");
    assert_eq!(find("nad83 washington south feet")[0].code, 2286);
    assert_eq!(find("wgs 84")[0].code, 4326);
    let utm = find("nad27 utm 10");
    assert_eq!(utm[0].code, 26710);
    let first_withdrawn = utm.iter().position(|found| found.deprecated).unwrap_or(utm.len());
    assert!(utm[first_withdrawn..].iter().all(|found| found.deprecated));
    assert!(find("").is_empty());
}

#[test]
fn utm_zones_have_their_exceptions() {
    for (lat, lon, zone) in [
        (47.4, -120.01, "10N"),
        (47.4, -119.99, "11N"),
        (60.0, 4.0, "32N"),
        (60.0, 2.9, "31N"),
        (55.9, 4.0, "31N"),
        (73.0, 8.0, "31N"),
        (73.0, 10.0, "33N"),
        (73.0, 22.0, "35N"),
        (73.0, 34.0, "37N"),
        (73.0, 43.0, "38N"),
        (-33.9, 18.4, "34S"),
        (0.0, 180.0, "1N"),
        (0.0, -180.0, "1N"),
        (0.0, 179.999, "60N"),
    ] {
        assert_eq!(UtmZone::of(Geographic { lat, lon }).unwrap().name(), zone, "{lat}, {lon}");
    }
    assert!(UtmZone::of(Geographic { lat: 85.0, lon: 0.0 }).is_none());
    assert!(grid_reference(Geographic { lat: -85.0, lon: 0.0 }).unwrap().starts_with("B A"));
    // The square letters start at A in zone 1, with rows offset in even zones.
    assert!(
        grid_reference(Geographic { lat: 0.01, lon: -177.0 }).unwrap().starts_with("1N EA 00000")
    );
    assert!(
        grid_reference(Geographic { lat: 0.01, lon: -171.0 }).unwrap().starts_with("2N NF 00000")
    );
}

/// What is read from a text is read the same by `FromStr`, and shown by `Display` as it is named.
#[test]
fn texts_are_read_and_shown_by_the_usual_traits() {
    let washington: Crs = "nad83 washington south ftus".parse().unwrap();
    assert_eq!(washington, Crs::from_epsg(2286).unwrap());
    assert_eq!(washington.to_string(), "EPSG:2286 NAD83 / Washington South (ftUS)");
    assert!("EPSG:0".parse::<Crs>().unwrap_err().is_unknown());
    for (text, shown) in
        [("m", "m"), ("ftUS", "ftUS"), ("US survey chain", "chUS"), ("ft-intl", "ft-intl")]
    {
        assert_eq!(text.parse::<LengthUnit>().unwrap().to_string(), shown);
    }
    // A foot that may be one of two is none.
    assert!("ft".parse::<LengthUnit>().is_err() && "acre".parse::<AreaUnit>().is_err());
    for (text, metres) in [("m2", 1.0), ("ha", 1e4), ("ac-intl", 4046.8564224)] {
        let unit: AreaUnit = text.parse().unwrap();
        assert!((unit.square_metres() - metres).abs() < 1e-9, "{text}");
        assert_eq!(unit.to_string().parse::<AreaUnit>().unwrap(), unit);
    }
    let text = "47°24'43.2\"N 120°00'15.1\"W";
    let place: Geographic = text.parse().unwrap();
    assert_eq!(place, parse_position(text).unwrap());
    assert!(
        (place.lat - 47.412).abs() < 1e-13 && (place.lon + 120.0 + 15.1 / 3600.0).abs() < 1e-13
    );
    assert!("47.412".parse::<Geographic>().is_err());
    let square: GridSquare = "10T GT 12345 67890".parse().unwrap();
    assert_eq!((square.side_m, square.easting_m), (1.0, 712_345.0));
    assert_eq!(UtmZone::new(11, true).unwrap().to_string(), "11N");
}

/// Words as people type them bring up what is meant first.
#[test]
fn words_bring_up_what_is_meant() {
    let mut missed = Vec::new();
    let mut asked = 0;
    for line in include_str!("../data/words.csv").lines() {
        if line.starts_with('#') || line.starts_with("query,") {
            continue;
        }
        let (query, codes) = line.rsplit_once(',').unwrap();
        let codes: Vec<u32> = codes.split('|').map(|code| code.parse().unwrap()).collect();
        let found = velvet_peg_core::crs::search(query).matches;
        let first: Vec<String> =
            found.iter().take(3).map(|one| format!("{} {}", one.code, one.name)).collect();
        asked += 1;
        if !found.first().is_some_and(|one| codes.contains(&one.code)) {
            missed.push(format!("{query}: {codes:?}, not {}", first.join("; ")));
        }
    }
    assert!(asked > 80 && missed.is_empty(), "{} of {asked}:\n{}", missed.len(), missed.join("\n"));
}

/// What the words of areas say of places that their boxes hold.
#[test]
fn words_of_areas_leave_out_what_their_boxes_hold() {
    let mut wrong = Vec::new();
    for row in data("areas-in-words.csv") {
        let extent = Extent::of_codes(&[row.number("code") as u32]);
        let (lat, lon) = (row.number("lat"), row.number("lon"));
        let point = Bounds { south: lat, west: lon, north: lat, east: lon };
        let excluded = if extent.excludes(&point) { "yes" } else { "no" };
        if excluded != row.text("excluded") {
            wrong.push(format!("{} {lat} {lon}: {excluded}; {}", extent.name(), row.text("why")));
        }
        // What reaches to where a region is in doubt is not left out: a box to the middle of the ocean.
        let wide = Bounds { south: lat - 0.5, west: lon - 0.5, north: lat + 0.5, east: -160.0 };
        assert!(!extent.excludes(&wide), "{}", extent.name());
    }
    assert!(wrong.is_empty(), "\n{}", wrong.join("\n"));
    // An area of several rows leaves out what all of them leave out.
    let (canada, both, kansas) =
        (Extent::of_codes(&[1061]), Extent::of_codes(&[1061, 1245]), (39.0, -98.0));
    let point = Bounds { south: kansas.0, west: kansas.1, north: kansas.0, east: kansas.1 };
    assert!(canada.excludes(&point) && !both.excludes(&point));
    // Areas that definitions state have no words.
    assert!(!Crs::from_epsg(4326).unwrap().extent().excludes(&point));
}
