//! Writes `data/land.bin` and `data/countries.bin`: land and countries of the Earth.
//!
//! ```sh
//! cargo run -p velvet-peg-epsg --example generate_world -- LAND.topojson COUNTRIES.topojson
//! ```
//!
//! Both are topologies of Natural Earth (public domain): land at 1:50 000 000, countries at
//! 1:110 000 000. Steps of their grids are kept as they are.

mod topology;

use serde_json::Value;
use std::path::Path;
use std::{env, error::Error, fs};
use topology::{arcs, number, signed, words};

type Result<T> = std::result::Result<T, Box<dyn Error>>;

fn main() -> Result<()> {
    let mut arguments = env::args().skip(1);
    let usage = "usage: generate_world LAND.topojson COUNTRIES.topojson";
    let mut topology = || -> Result<Value> {
        Ok(serde_json::from_str(&fs::read_to_string(arguments.next().ok_or(usage)?)?)?)
    };
    let (land, countries) = (topology()?, topology()?);
    let out = Path::new(env!("CARGO_MANIFEST_DIR")).join("data");

    let mut bytes = arcs(&land)?;
    let parts = land["objects"]["land"]["geometries"].as_array().ok_or("no land")?;
    let whole: Vec<&Value> = parts.iter().flat_map(polygons_of).collect();
    polygons(&mut bytes, &whole);
    println!("land: {} polygons, {} bytes", whole.len(), bytes.len());
    fs::write(out.join("land.bin"), bytes)?;

    let mut bytes = arcs(&countries)?;
    let list = countries["objects"]["countries"]["geometries"].as_array().ok_or("no countries")?;
    let mut list: Vec<(&str, &Value)> = list
        .iter()
        .map(|country| (country["properties"]["name"].as_str().unwrap_or_default(), country))
        .collect();
    list.sort_by_key(|(name, _)| *name);
    number(&mut bytes, list.len() as u64);
    for (name, country) in &list {
        words(&mut bytes, name);
        polygons(&mut bytes, &polygons_of(country));
    }
    println!("countries: {}, {} bytes", list.len(), bytes.len());
    fs::write(out.join("countries.bin"), bytes)?;
    Ok(())
}

fn polygons_of(geometry: &Value) -> Vec<&Value> {
    match geometry["type"].as_str() {
        Some("Polygon") => vec![&geometry["arcs"]],
        _ => geometry["arcs"].as_array().into_iter().flatten().collect(),
    }
}

/// Layout: count of polygons, of rings in each, of arcs in each; an arc run backwards is the
/// complement of its number.
fn polygons(bytes: &mut Vec<u8>, polygons: &[&Value]) {
    number(bytes, polygons.len() as u64);
    for polygon in polygons {
        let rings = polygon.as_array().map_or(&[][..], Vec::as_slice);
        number(bytes, rings.len() as u64);
        for ring in rings {
            let arcs = ring.as_array().map_or(&[][..], Vec::as_slice);
            number(bytes, arcs.len() as u64);
            arcs.iter().filter_map(Value::as_i64).for_each(|arc| signed(bytes, arc));
        }
    }
}
