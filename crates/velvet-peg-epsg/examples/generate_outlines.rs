//! Writes `data/counties.bin` and `data/zones.bin`: the outlines of the counties of the United
//! States, and which county lies in which state-plane zone.
//!
//! ```sh
//! cargo run -p velvet-peg-epsg --example generate_outlines -- COUNTIES.topojson TABLES_DIR
//! ```
//!
//! The outlines are cartographic boundaries of the US Census Bureau (public domain) as a
//! topology; the zones follow from the lists of counties in the areas of use of the EPSG
//! dataset. What the lists spell differently, leave out (independent cities, counties made
//! later) or say by longitude stands below, each with its reason.

mod topology;

use serde_json::Value;
use std::collections::{BTreeMap, HashMap, HashSet};
use std::path::Path;
use std::{env, error::Error, fs};
use topology::{arcs, number, signed, words};

type Result<T> = std::result::Result<T, Box<dyn Error>>;

/// Counties that the lists know by another name: misspelt, or renamed since.
const OTHER_NAMES: &[(&str, &str, &str)] = &[
    ("Florida", "Dade", "Miami-Dade"),
    ("North Dakota", "Mountrial", "Mountrail"),
    ("South Dakota", "Shannon", "Oglala Lakota"),
];

/// A county (or state) in a zone, wholly or within limits in degrees: south, north, west, east.
type Member = (u32, Option<[f64; 4]>);

struct County {
    fips: u32,
    name: String,
    rings: Vec<Vec<Vec<i64>>>,
}

fn main() -> Result<()> {
    let mut arguments = env::args().skip(1);
    let usage = "usage: generate_outlines COUNTIES.topojson TABLES_DIR";
    let topology = arguments.next().ok_or(usage)?;
    let tables = arguments.next().ok_or(usage)?;
    let out = Path::new(env!("CARGO_MANIFEST_DIR")).join("data");
    let topology: Value = serde_json::from_str(&fs::read_to_string(topology)?)?;
    let states = states(&topology);
    let counties = counties(&topology)?;
    let bytes = outlines(&topology, &states, &counties)?;
    println!("counties: {} counties, {} bytes", counties.len(), bytes.len());
    fs::write(out.join("counties.bin"), bytes)?;
    let zones = zones(Path::new(&tables), &states, &counties)?;
    let bytes = zone_table(&zones);
    println!("zones: {} zones, {} bytes", zones.len(), bytes.len());
    fs::write(out.join("zones.bin"), bytes)?;
    Ok(())
}

fn states(topology: &Value) -> BTreeMap<u32, String> {
    let list = topology["objects"]["states"]["geometries"].as_array().cloned().unwrap_or_default();
    list.iter().map(|state| (fips(state), text(&state["properties"]["name"]))).collect()
}

fn fips(feature: &Value) -> u32 {
    feature["id"].as_str().and_then(|id| id.parse().ok()).expect("a FIPS number")
}

fn text(value: &Value) -> String {
    value.as_str().expect("a text").to_string()
}

fn counties(topology: &Value) -> Result<Vec<County>> {
    let list = topology["objects"]["counties"]["geometries"].as_array().ok_or("no counties")?;
    let ring = |ring: &Value| -> Vec<i64> {
        ring.as_array().into_iter().flatten().filter_map(Value::as_i64).collect()
    };
    let polygon = |polygon: &Value| polygon.as_array().into_iter().flatten().map(ring).collect();
    let mut counties: Vec<County> = list
        .iter()
        .map(|county| {
            let arcs = &county["arcs"];
            let rings = match county["type"].as_str() {
                Some("Polygon") => vec![polygon(arcs)],
                _ => arcs.as_array().into_iter().flatten().map(polygon).collect(),
            };
            County { fips: fips(county), name: text(&county["properties"]["name"]), rings }
        })
        .collect();
    counties.sort_by_key(|county| county.fips);
    Ok(counties)
}

/// Layout: the arcs, states (number, name), counties (number, name, polygons of rings of
/// arcs; an arc run backwards is the complement of its number).
fn outlines(
    topology: &Value,
    states: &BTreeMap<u32, String>,
    counties: &[County],
) -> Result<Vec<u8>> {
    let mut bytes = arcs(topology)?;
    number(&mut bytes, states.len() as u64);
    for (fips, name) in states {
        number(&mut bytes, (*fips).into());
        words(&mut bytes, name);
    }
    number(&mut bytes, counties.len() as u64);
    for county in counties {
        number(&mut bytes, county.fips.into());
        words(&mut bytes, &county.name);
        number(&mut bytes, county.rings.len() as u64);
        for polygon in &county.rings {
            number(&mut bytes, polygon.len() as u64);
            for ring in polygon {
                number(&mut bytes, ring.len() as u64);
                ring.iter().for_each(|arc| signed(&mut bytes, *arc));
            }
        }
    }
    Ok(bytes)
}

struct Zone {
    /// 27 or 83.
    set: u32,
    extent: u32,
    members: Vec<Member>,
}

type Row = HashMap<String, String>;

fn read(tables: &Path, name: &str) -> Result<Vec<Row>> {
    let path = tables.join(format!("{name}.csv"));
    let mut reader =
        csv::Reader::from_path(&path).map_err(|e| format!("{}: {e}", path.display()))?;
    Ok(reader.deserialize().collect::<std::result::Result<_, _>>()?)
}

/// The zones of both systems: areas of use of the systems on NAD27, Old
/// Hawaiian and NAD83 whose conversion says CS27 or SPCS83.
fn zones(tables: &Path, states: &BTreeMap<u32, String>, counties: &[County]) -> Result<Vec<Zone>> {
    let conversions: HashMap<String, String> = read(tables, "coordoperation")?
        .into_iter()
        .map(|row| (row["coord_op_code"].clone(), row["coord_op_name"].clone()))
        .collect();
    let mut extents_of: HashMap<String, Vec<u32>> = HashMap::new();
    for row in read(tables, "usage")? {
        if row["object_table_name"] == "epsg_coordinatereferencesystem" {
            extents_of
                .entry(row["object_code"].clone())
                .or_default()
                .push(row["extent_code"].parse()?);
        }
    }
    let descriptions: HashMap<u32, String> = read(tables, "extent")?
        .into_iter()
        .map(|row| (row["extent_code"].parse().unwrap_or(0), row["extent_description"].clone()))
        .collect();
    let mut found: BTreeMap<(u32, u32), Vec<Member>> = BTreeMap::new();
    for row in read(tables, "coordinatereferencesystem")? {
        let conversion = conversions.get(&row["projection_conv_code"]);
        let set = match conversion {
            Some(name) if name.contains("SPCS83") => 83,
            Some(name) if name.contains("CS27") => 27,
            // The zones of Arizona are named in full.
            Some(name) if name.starts_with("Arizona Coordinate System") => 27,
            _ => continue,
        };
        if row["deprecated"] == "1"
            || !["4267", "4269", "4135"].contains(&row["base_crs_code"].as_str())
        {
            continue;
        }
        for extent in extents_of.get(&row["coord_ref_sys_code"]).into_iter().flatten() {
            let description = descriptions.get(extent).ok_or("an extent without a row")?;
            let members = members(*extent, description, states, counties)?;
            if !members.is_empty() {
                found.insert((set, *extent), members);
            }
        }
    }
    fill(&mut found, states, counties);
    // The islands of the Pacific have systems of their own under other names.
    let of_state = |state: u32| {
        let own = counties.iter().filter(move |county| county.fips / 1000 == state);
        own.map(|county| (county.fips, None)).collect::<Vec<Member>>()
    };
    const GUAM: (u32, u32) = (66, 3255);
    const AMERICAN_SAMOA: (u32, u32) = (60, 3109);
    for (set, (state, extent)) in [(27, GUAM), (83, GUAM), (27, AMERICAN_SAMOA)] {
        found.insert((set, extent), of_state(state));
    }
    Ok(found.into_iter().map(|((set, extent), members)| Zone { set, extent, members }).collect())
}

/// The counties of one area of use.
fn members(
    extent: u32,
    description: &str,
    states: &BTreeMap<u32, String>,
    counties: &[County],
) -> Result<Vec<Member>> {
    let description = description.replace('\n', " ");
    let within = |south: f64, north: f64, west: f64, east: f64| Some([south, north, west, east]);
    let whole = |names: &[&str], limits: Option<[f64; 4]>| -> Vec<Member> {
        let wanted: HashSet<u32> = states
            .iter()
            .filter(|(_, name)| names.contains(&name.as_str()))
            .map(|(fips, _)| *fips)
            .collect();
        counties
            .iter()
            .filter(|county| wanted.contains(&(county.fips / 1000)))
            .map(|county| (county.fips, limits))
            .collect()
    };
    let one = |fips: u32, limits: Option<[f64; 4]>| vec![(fips, limits)];
    // Areas told by longitude or by island.
    let alaska = |limits| Ok(whole(&["Alaska"], limits));
    match extent {
        2156 => return alaska(within(-90.0, 90.0, -141.0, -120.0)),
        2158 => return alaska(within(-90.0, 90.0, -144.0, -141.0)),
        2159 => return alaska(within(-90.0, 90.0, -148.0, -144.0)),
        2160 => return alaska(within(-90.0, 90.0, -152.0, -148.0)),
        2161 => return alaska(within(-90.0, 90.0, -156.0, -152.0)),
        2162 => return alaska(within(-90.0, 90.0, -160.0, -156.0)),
        2163 => return alaska(within(-90.0, 90.0, -164.0, -160.0)),
        2164 => return alaska(within(54.5, 90.0, -168.0, -164.0)),
        2165 => return alaska(within(54.5, 90.0, -180.0, -168.0)),
        // The Aleutians lie on both sides of 180°.
        2157 => {
            let mut all = whole(&["Alaska"], within(-90.0, 54.5, -180.0, -164.0));
            all.extend(whole(&["Alaska"], within(-90.0, 54.5, 170.0, 180.0)));
            return Ok(all);
        }
        1546 => return Ok(one(15001, None)),
        1547 => return Ok(vec![(15009, None), (15005, None)]),
        1548 => return Ok(one(15003, None)),
        // Kauai county holds both islands, on either side of 159°55′W.
        1549 => return Ok(one(15007, within(-90.0, 90.0, -159.9167, -150.0))),
        1550 => return Ok(one(15007, within(-90.0, 90.0, -180.0, -159.9167))),
        2251 => return Ok(whole(&["Puerto Rico", "United States Virgin Islands"], None)),
        1386 => return Ok(whole(&["Kentucky"], None)),
        _ => {}
    }
    let Some(state) = states
        .iter()
        .filter(|(_, name)| description.starts_with(&format!("United States (USA) - {name}")))
        .max_by_key(|(_, name)| name.len())
    else {
        return Ok(Vec::new());
    };
    let mut list = None;
    for word in ["counties of", "counties", "parishes of", "parishes", "county of"] {
        if let Some((_, rest)) = description.split_once(word) {
            list = Some(rest.trim_start_matches(':').to_string());
            break;
        }
    }
    let list = match list {
        Some(list) => list,
        // `California - Los Angeles county.`
        None => match description.split_once(" county").map(|(head, _)| head) {
            Some(head) => head.rsplit(" - ").next().unwrap_or("").to_string(),
            None => return Ok(whole(&[state.1], None)),
        },
    };
    let list = list.split("Gulf of").next().unwrap_or("").replace("Ste.", "Ste");
    let mut members = Vec::new();
    for part in
        list.split([';', '.']).map(str::trim).filter(|part| !part.is_empty() && *part != "Also")
    {
        let (name, limits) = match part.split_once(" north of approximately 47°30'N") {
            Some((name, _)) => (name, within(47.5, 90.0, -180.0, 180.0)),
            None => match part.split_once(" south of approximately 47°30'N") {
                Some((name, _)) => (name, within(-90.0, 47.5, -180.0, 180.0)),
                None => (part, None),
            },
        };
        if name.starts_with("District of Columbia") {
            members.extend(whole(&["District of Columbia"], None));
            continue;
        }
        let name = OTHER_NAMES
            .iter()
            .find(|(of, old, _)| of == state.1 && *old == name)
            .map_or(name, |(_, _, new)| *new);
        let known: Vec<Member> = counties
            .iter()
            .filter(|county| county.fips / 1000 == *state.0 && folded(&county.name) == folded(name))
            .map(|county| (county.fips, limits))
            .collect();
        if known.is_empty() {
            println!("extent {extent}: `{part}` is no county of {} today", state.1);
        }
        members.extend(known);
    }
    Ok(members)
}

/// Counties that no list names (cities apart from counties, counties made later) go with the
/// zone that most of their outline borders on.
fn fill(
    found: &mut BTreeMap<(u32, u32), Vec<Member>>,
    states: &BTreeMap<u32, String>,
    counties: &[County],
) {
    let mut touching: HashMap<u64, Vec<u32>> = HashMap::new();
    let arc = |number: i64| if number < 0 { !number as u64 } else { number as u64 };
    for county in counties {
        for number in county.rings.iter().flatten().flatten() {
            touching.entry(arc(*number)).or_default().push(county.fips);
        }
    }
    for set in [27, 83] {
        // Until nothing more is gained: some border on others that were left out.
        loop {
            let zone_of: HashMap<u32, u32> = found
                .iter()
                .filter(|((of, extent), _)| *of == set && *extent != 1386)
                .flat_map(|((_, extent), members)| {
                    members
                        .iter()
                        .filter(|(_, limits)| limits.is_none())
                        .map(|(fips, _)| (*fips, *extent))
                })
                .collect();
            let with_zones: HashSet<u32> = zone_of.keys().map(|fips| fips / 1000).collect();
            let limited: HashSet<u32> = found
                .iter()
                .filter(|((of, _), _)| *of == set)
                .flat_map(|(_, members)| members.iter().map(|(fips, _)| *fips))
                .collect();
            let mut gained = Vec::new();
            for county in counties {
                let state = county.fips / 1000;
                if limited.contains(&county.fips) || !with_zones.contains(&state) {
                    continue;
                }
                let mut votes: BTreeMap<u32, usize> = BTreeMap::new();
                for number in county.rings.iter().flatten().flatten() {
                    for other in &touching[&arc(*number)] {
                        if let Some(zone) = zone_of.get(other).filter(|_| other / 1000 == state) {
                            *votes.entry(*zone).or_default() += 1;
                        }
                    }
                }
                if let Some((zone, _)) = votes.iter().max_by_key(|(_, count)| **count) {
                    gained.push((*zone, county.fips));
                    println!("{set}: {}, {} goes with its neighbours", county.name, states[&state]);
                }
            }
            if gained.is_empty() {
                break;
            }
            for (zone, fips) in gained {
                found.entry((set, zone)).or_default().push((fips, None));
            }
        }
    }
}

fn folded(name: &str) -> String {
    name.to_lowercase()
        .chars()
        .map(|c| match c {
            'á' => 'a',
            'é' => 'e',
            'í' => 'i',
            'ó' => 'o',
            'ú' | 'ü' => 'u',
            'ñ' => 'n',
            c => c,
        })
        .filter(|c| c.is_ascii_alphanumeric())
        .collect()
}

/// Layout: count, then for each zone 27 or 83, the code of its area of use, and its members:
/// county, and 1 with four limits in millionths of a degree, or 0.
fn zone_table(zones: &[Zone]) -> Vec<u8> {
    let mut bytes = Vec::new();
    number(&mut bytes, zones.len() as u64);
    for zone in zones {
        number(&mut bytes, zone.set.into());
        number(&mut bytes, zone.extent.into());
        number(&mut bytes, zone.members.len() as u64);
        for (fips, limits) in &zone.members {
            number(&mut bytes, (*fips).into());
            bytes.push(u8::from(limits.is_some()));
            for limit in limits.iter().flatten() {
                signed(&mut bytes, (limit * 1e6).round() as i64);
            }
        }
    }
    bytes
}
