//! Zones of places, counties and states; grid references both ways; UTM texts.

use crate::support::data;
use proptest::prelude::*;
use std::collections::{BTreeSet, HashSet};
use velvet_peg_core::zones::{
    County, OUTLINE_UNCERTAINTY_M, PolarGrid, UtmZone, ZoneSet, county_at, county_named,
    grid_reference_to, parse_grid_reference, state_plane_zones, state_plane_zones_at,
    state_plane_zones_of_county, utm_text, utm_zones_of_county,
};
use velvet_peg_core::{Geographic, registry};

#[test]
fn places_in_known_counties_are_in_their_zones() {
    for row in data("zones.csv") {
        let (lon, lat) = (row.number("lon"), row.number("lat"));
        let name = row.text("place");
        let county =
            county_at(Geographic { lat, lon }).unwrap_or_else(|| panic!("{name}: no county"));
        assert_eq!((county.name, county.state), (row.text("county"), row.text("state")), "{name}");
        for (set, column) in [(ZoneSet::Spcs83, "spcs83"), (ZoneSet::Spcs27, "spcs27")] {
            let hits = state_plane_zones_at(set, Geographic { lat, lon });
            let names: Vec<&str> = hits.iter().map(|hit| hit.zone.name.as_str()).collect();
            if !row.text(column).is_empty() {
                assert!(names.contains(&row.text(column)), "{name}: {names:?}");
                assert_eq!(names.len(), 1, "{name}: {names:?}");
                assert!(!hits[0].zone.systems.is_empty(), "{name}");
            }
        }
    }
}

/// A place is in the county whose outline holds it, wherever the county lies: the first of all that do,
/// looked for one by one.
#[test]
fn the_county_of_a_place_is_the_one_whose_outline_holds_it() {
    let outlines = registry::outlines();
    let vertices = |county: &registry::CountyOutline| -> Vec<Vec<(f64, f64)>> {
        let arcs = county.polygons.iter().flatten().flatten();
        arcs.map(|arc| outlines.arcs[(if *arc < 0 { !*arc } else { *arc }) as usize].clone())
            .collect()
    };
    let lines: Vec<_> = outlines.counties.iter().map(vertices).collect();
    let holds = |county: usize, at: Geographic| {
        let crossings = lines[county].iter().flat_map(|line| line.windows(2)).filter(|pair| {
            let ((x1, y1), (x2, y2)) = (pair[0], pair[1]);
            (y1 > at.lat) != (y2 > at.lat) && at.lon < (x2 - x1) * (at.lat - y1) / (y2 - y1) + x1
        });
        crossings.count() % 2 == 1
    };
    let mut found = 0;
    // Between two vertices that lie far from one another in the list: inside, or just outside.
    for (number, lines) in lines.iter().enumerate().step_by(7) {
        let all: Vec<(f64, f64)> = lines.iter().flatten().copied().collect();
        let ((x1, y1), (x2, y2)) = (all[0], all[all.len() / 2]);
        let at = Geographic { lon: (x1 + x2) / 2.0, lat: (y1 + y2) / 2.0 };
        let wanted = (0..outlines.counties.len()).find(|county| holds(*county, at));
        let county = county_at(at);
        assert_eq!(
            county.as_ref().map(|county| county.fips),
            wanted.map(|county| outlines.counties[county].fips),
            "{at:?}"
        );
        found += usize::from(wanted == Some(number));
    }
    assert!(found > 300, "{found}");
}

/// Every county of every state that has zones is in one, wholly or in parts without a gap.
#[test]
fn every_state_is_covered_without_a_gap() {
    let outlines = registry::outlines();
    for (set, without) in [
        // The islands of the Pacific have grids of their own.
        (
            ZoneSet::Spcs83,
            vec!["American Samoa", "Guam", "Commonwealth of the Northern Mariana Islands"],
        ),
        (
            ZoneSet::Spcs27,
            vec![
                "Guam",
                "Commonwealth of the Northern Mariana Islands",
                "American Samoa",
                "Puerto Rico",
                "United States Virgin Islands",
                "Michigan",
            ],
        ),
    ] {
        let mut uncovered = BTreeSet::new();
        for county in &outlines.counties {
            let state =
                outlines.states.iter().find(|(fips, _)| *fips == county.fips / 1000).unwrap().1;
            if state_plane_zones_of_county(set, county.fips).is_empty() && !without.contains(&state)
            {
                uncovered.insert(format!("{}, {state}", county.name));
            }
        }
        assert!(uncovered.is_empty(), "{set:?}: {uncovered:?}");
        // Places strewn over the country: whatever is in a county of such a state has a zone.
        let mut seen = HashSet::new();
        for (i, j) in (0..80).flat_map(|i| (0..40).map(move |j| (i, j))) {
            let (lon, lat) = (-178.0 + f64::from(i) * 1.41, 18.0 + f64::from(j) * 1.33);
            let Some(county) = county_at(Geographic { lat, lon }) else { continue };
            if without.contains(&county.state) {
                continue;
            }
            let hits = state_plane_zones_at(set, Geographic { lat, lon });
            assert!(!hits.is_empty(), "{set:?}: {}, {} at {lon}, {lat}", county.name, county.state);
            let several = hits.len() > 1 && county.state != "Kentucky";
            assert!(!several, "{set:?}: {} zones at {lon}, {lat}", hits.len());
            seen.insert(county.state);
        }
        assert!(seen.len() > 40, "{}", seen.len());
    }
}

#[test]
fn zones_have_systems_in_metres_and_the_legal_foot() {
    let zone = |name: &str| {
        state_plane_zones()
            .iter()
            .find(|zone| zone.name == name && zone.set == ZoneSet::Spcs83)
            .unwrap()
    };
    for (name, metres, feet, unit) in [
        ("Washington South", 32149, 2286, "US survey foot"),
        ("Oregon North", 32126, 2269, "international foot"),
        ("Utah Central", 32143, 3566, "US survey foot"),
    ] {
        let (m, ft) = zone(name).systems_on(6269);
        assert_eq!(m.unwrap().code(), Some(metres), "{name}");
        let ft = ft.unwrap();
        assert_eq!((ft.code(), ft.unit_name()), (Some(feet), unit), "{name}");
    }
    // NAD83(2011) has the same zones.
    assert_eq!(zone("Washington South").systems_on(1116).1.unwrap().code(), Some(6599));
}

#[test]
fn edges_are_measured_and_uncertainty_is_told() {
    let hit = |lon, lat| state_plane_zones_at(ZoneSet::Spcs83, Geographic { lat, lon }).remove(0);
    // Grant county's split at 47°30′: a kilometre south of it, and far from it.
    let near = hit(-119.5, 47.491);
    assert!((near.edge_m().unwrap() - 1000.0).abs() < 20.0);
    let far = hit(-120.5, 46.6);
    assert!(far.edge_m().unwrap() > 10.0 * OUTLINE_UNCERTAINTY_M, "{:?}", far.edge_m());
    // One zone for the whole state has edges to its neighbours' zones.
    assert!(hit(-109.0, 47.0).edge_m().unwrap() > 100_000.0);
    for (lat, lon, metres, beyond) in [
        (47.4, -120.01, 754.7, "UTM zone 11N"),
        (60.0, 3.1, 5_580.0, "UTM zone 31N"),
        (83.99, 1.0, 1_117.0, "the polar grid"),
    ] {
        let (found, name) = UtmZone::edge(Geographic { lat, lon }).unwrap();
        assert!((found - metres).abs() < 5.0, "{lat}, {lon}: {found}");
        assert_eq!(name, beyond);
    }
    // Limits in the open sea divide nothing: Hyder is nearer to the one east of the panhandle than
    // to 141° W, where the next zone begins; Lihue is 0.5467° east of the line between two islands.
    for (lon, lat, line) in [(-130.02, 55.917, -141.0), (-159.37, 21.98, -159.9167)] {
        let degree = 111_320.0 * f64::to_radians(lat).cos();
        let metres = hit(lon, lat).edge_m().unwrap();
        assert!((metres - (lon - line) * degree).abs() < 0.01 * metres, "{lon}: {metres}");
    }
}

/// The islands of the Pacific, and counties of which some zones hold no part.
#[test]
fn zones_of_counties_are_those_that_hold_some_of_them() {
    let names = |set, text: &str| -> Vec<String> {
        let fips = county_named(text)[0].fips;
        let zones = state_plane_zones_of_county(set, fips);
        zones.iter().map(|zone| format!("{} {:?}", zone.name, zone.systems)).collect()
    };
    assert_eq!(names(ZoneSet::Spcs83, "Guam"), ["Guam Map Grid [4414, 6637]"]);
    assert_eq!(names(ZoneSet::Spcs27, "Guam"), ["Guam SPCS [3993]"]);
    assert_eq!(names(ZoneSet::Spcs27, "Eastern, AS"), ["American Samoa Lambert [3102]"]);
    let kodiak = names(ZoneSet::Spcs83, "Kodiak Island, AK");
    assert_eq!(kodiak.len(), 3, "{kodiak:?}");
    assert!(["zone 4", "zone 5", "zone 6"].iter().zip(&kodiak).all(|(a, b)| b.contains(a)));
    for (lat, lon, name) in [(13.45, 144.78, "Guam Map Grid"), (47.4, -119.5, "Washington South")] {
        let found = state_plane_zones_at(ZoneSet::Spcs83, Geographic { lat, lon });
        assert_eq!(found[0].zone.name, name);
    }
}

/// UTM zones of counties: split by a meridian, whole, across the antimeridian, and south of the equator.
#[test]
fn utm_zones_of_counties_are_those_that_hold_some_of_them() {
    for (county, expected) in [
        ("Douglas county, Washington", "11N 10N"),
        ("Grant county, Washington", "11N"),
        // From Attu (172.4° E) to Unalaska (166.4° W).
        ("Aleutians West", "1N 2N 3N 59N 60N"),
        ("Eastern, AS", "2S"),
        ("Guam", "55N"),
    ] {
        let zones = utm_zones_of_county(county_named(county)[0].fips);
        let mut names: Vec<String> = zones.iter().map(|(zone, _)| zone.name()).collect();
        assert!(zones.windows(2).all(|pair| pair[0].1 >= pair[1].1), "{county}: {zones:?}");
        let all: f64 = zones.iter().map(|(_, share)| share).sum();
        assert!((0.98..1.0 + 1e-9).contains(&all), "{county}: {all}");
        if names.len() > 2 {
            names.sort();
        }
        assert_eq!(names.join(" "), expected, "{county}: {zones:?}");
    }
}

/// On the line itself the other zone is no metres away.
#[test]
fn the_edge_of_a_zone_is_no_distance_from_itself() {
    for (lat, lon) in [(47.0, -120.0), (-10.0, 30.0), (60.0, 3.0), (75.0, 21.0), (10.0, 180.0)] {
        let (metres, beyond) = UtmZone::edge(Geographic { lat, lon }).unwrap();
        assert!(metres < 1e-3, "{lat}, {lon}: {metres} m to {beyond}");
    }
    let (metres, beyond) = UtmZone::edge(Geographic { lat: 47.0, lon: -120.0 }).unwrap();
    assert_eq!((metres, beyond.as_str()), (0.0, "UTM zone 10N"));
}

#[test]
fn counties_are_found_by_name() {
    let names = |text: &str| -> Vec<String> {
        county_named(text).iter().map(|c| format!("{}, {}", c.name, c.state)).collect()
    };
    assert_eq!(names("Douglas county, Washington"), ["Douglas, Washington"]);
    assert_eq!(names("orleans parish, louisiana"), ["Orleans, Louisiana"]);
    for (text, name, fips) in [
        ("Douglas, WA", "Douglas", 53017),
        ("douglas wa", "Douglas", 53017),
        ("St. Louis county, MO", "St. Louis", 29189),
        ("saint louis city, missouri", "St. Louis", 29510),
        ("City of St Louis, MO", "St. Louis", 29510),
        ("Ste Genevieve MO", "Ste. Genevieve", 29186),
        ("dona ana county, nm", "Doña Ana", 35013),
        ("Prince Georges county MD", "Prince George's", 24033),
        ("richmond city, va", "Richmond", 51760),
        ("Richmond County, Virginia", "Richmond", 51159),
        ("James City county, VA", "James City", 51095),
        ("carson city", "Carson City", 32510),
        ("Baltimore city, MD", "Baltimore", 24510),
        ("virginia beach city, va", "Virginia Beach", 51810),
        ("Kodiak Island Borough", "Kodiak Island", 2150),
        ("Juneau City and Borough, AK", "Juneau", 2110),
        ("nome census area", "Nome", 2180),
        ("orleans parish", "Orleans", 22071),
        ("miami dade", "Miami-Dade", 12086),
        ("Mayaguez municipio, PR", "Mayagüez", 72097),
        ("guam", "Guam", 66010),
        ("king county washington", "King", 53033),
        ("district of columbia", "District of Columbia", 11001),
        ("New York, NY", "New York", 36061),
        ("Jo Daviess county, north carolina", "", 0),
    ] {
        let found = county_named(text);
        let first = found.first().map_or(("", 0), |county| (county.name, county.fips));
        assert_eq!(first, (name, fips), "{text}: {found:?}");
        assert!(found.len() <= 1, "{text}: {found:?}");
    }
    let labels = |text: &str| county_named(text).iter().map(County::label).collect::<Vec<_>>();
    assert_eq!(labels("richmond, va"), ["Richmond, Virginia", "Richmond city, Virginia"]);
    assert_eq!(labels("carson city"), ["Carson City, Nevada"]);
    for (text, described) in [
        ("douglas wa", "Douglas county, Washington"),
        ("orleans parish", "Orleans, Louisiana"),
        ("kodiak island borough", "Kodiak Island, Alaska"),
        ("baltimore city, md", "Baltimore city, Maryland"),
        ("baltimore county, md", "Baltimore county, Maryland"),
        // Numbers above 500 are counties in other states.
        ("terrell county, texas", "Terrell county, Texas"),
        ("Webb, TX", "Webb county, Texas"),
    ] {
        assert_eq!(county_named(text)[0].described(), described);
    }
    // Without a word for its kind, a name that is a county's and a city's is both.
    assert_eq!(names("Richmond, VA").len(), 2);
    assert!(names("Tumblewick").is_empty());
    let zones =
        state_plane_zones_of_county(ZoneSet::Spcs83, county_named("Grant, Washington")[0].fips);
    assert_eq!(zones.len(), 2, "Grant county is split");
}

#[test]
fn grid_references_are_those_of_the_standard() {
    // Corners and squares of the zones and the polar grids.
    for (lat, lon, digits, text) in [
        (0.0, 0.0, 5, "31N AA 66021 00000"),
        (90.0, 0.0, 5, "Z AH 00000 00000"),
        (-90.0, 0.0, 5, "B AN 00000 00000"),
        (84.0, -90.0, 0, "Y RH"),
        (-80.5, 180.0, 0, "B AB"),
        (40.0, -77.0, 0, "18T UK"),
        (60.5, 5.0, 0, "32V KN"),
        (83.9, 20.0, 0, "33X WP"),
    ] {
        let found = grid_reference_to(Geographic { lat, lon }, digits);
        match found {
            Ok(found) => assert_eq!(found, text, "{lat}, {lon}"),
            Err(error) => panic!("{lat}, {lon}: {error}"),
        }
    }
    for bad in [
        "",
        "10T",
        "61N AA",
        "10I AA",
        "10T GT 123 4567",
        "10T ZZ",
        "10T GT 12345678901 2",
        "W AA",
        "10T Ü",
        "Z ZZ",
    ] {
        assert!(parse_grid_reference(bad).is_err(), "{bad}");
    }
    assert!(grid_reference_to(Geographic { lat: 0.0, lon: 0.0 }, 6).is_err());
    assert_eq!(PolarGrid::of(Geographic { lat: -85.0, lon: 0.0 }).unwrap().name(), "UPS South");
}

#[test]
fn the_letter_s_is_told_apart() {
    for (text, zone, remark) in [
        ("10T 705000 5254000", "10N", false),
        ("10 N 705000 5254000", "10N", false),
        ("zone 34 south 262000 6243000", "34S", false),
        ("34S 262000 6243000", "34S", true),
        ("11S 400000 3800000", "11N", true),
        ("34H 262000E 6243000N", "34S", false),
    ] {
        let found = utm_text(text).unwrap_or_else(|e| panic!("{text}: {e}"));
        assert_eq!((found.zone.name().as_str(), found.remark.is_some()), (zone, remark), "{text}");
    }
    for bad in
        ["10T", "10T 705000", "0T 705000 5254000", "10I 705000 5254000", "10T 5254000 705000", "x"]
    {
        assert!(utm_text(bad).is_err(), "{bad}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::default() })]

    /// At every precision a reference names a square that holds the place, and the square's
    /// middle has the same reference.
    #[test]
    fn grid_references_there_and_back(lat in -89.9..89.9f64, lon in -180.0..180.0f64, digits in 0usize..6) {
        let at = Geographic { lat, lon };
        let text = grid_reference_to(at, digits).unwrap();
        let square = parse_grid_reference(&text).unwrap();
        prop_assert_eq!(square.side_m, 10f64.powi(5 - digits as i32));
        if digits == 5 {
            let off = (square.middle.lat - lat).abs().to_radians() * 6.4e6;
            let turn = (square.middle.lon - lon + 180.0).rem_euclid(360.0) - 180.0;
            let across = turn.abs().to_radians() * 6.4e6 * lat.to_radians().cos();
            prop_assert!(off.hypot(across) < 1.5, "{} {:?}", text, square.middle);
            prop_assert_eq!(grid_reference_to(square.middle, 5).unwrap(), text);
        }
    }
}
