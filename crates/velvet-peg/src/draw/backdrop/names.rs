//! Names of the counties, states or countries in view, and of those that data lies in.

use super::atlas;
use crate::draw::lettering::width;
use crate::draw::view::View;
use std::collections::BTreeMap;
use velvet_peg_core::Geographic;
use velvet_peg_core::zones::{County, county_at};

/// Pixels between the places that are looked up in a frame.
const STEP: f64 = 16.0;

/// What is named.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Level {
    Counties,
    States,
    Countries,
}

/// A name and where its middle stands, pixels.
#[derive(Clone, Debug)]
pub(in crate::draw) struct Name {
    pub(in crate::draw) text: String,
    pub(in crate::draw) at: (f64, f64),
    pub(in crate::draw) size: f64,
}

/// Names of what is large enough in the frame to hold its name.
pub(super) fn in_view(view: &View, level: Level) -> Vec<Name> {
    // Larger than the names of counties where what is named is larger.
    let size = match level {
        Level::Counties => 11.0,
        Level::States => 13.0,
        Level::Countries => 12.0,
    };
    named(view, size, |at| name_at(at, level))
}

/// Names of regions by what is at places all over the frame.
pub(in crate::draw) fn named(
    view: &View,
    size: f64,
    name_at: impl Fn(Geographic) -> Option<String>,
) -> Vec<Name> {
    let [left, top, right, bottom] = view.frame;
    let (columns, rows) = (((right - left) / STEP) as usize, ((bottom - top) / STEP) as usize);
    let pixel = |column: usize, row: usize| {
        (left + (column as f64 + 0.5) * STEP, top + (row as f64 + 0.5) * STEP)
    };
    let mut found: BTreeMap<String, Vec<(usize, usize)>> = BTreeMap::new();
    let mut names: Vec<Vec<Option<String>>> = Vec::new();
    for row in 0..rows {
        let line: Vec<Option<String>> =
            (0..columns).map(|column| name_at(view.place_at(pixel(column, row))?)).collect();
        for (column, name) in line.iter().enumerate() {
            if let Some(name) = name {
                found.entry(name.clone()).or_default().push((column, row));
            }
        }
        names.push(line);
    }
    let mut placed = Vec::new();
    for (text, cells) in found {
        let mean = |part: fn(&(usize, usize)) -> usize| {
            cells.iter().map(|cell| part(cell) as f64).sum::<f64>() / cells.len() as f64
        };
        let (middle_x, middle_y) = (mean(|cell| cell.0), mean(|cell| cell.1));
        // The row nearest to the middle in which the name has room.
        let run_at = |row: usize| {
            let line = &names[row];
            let mut best: Option<(usize, usize)> = None;
            let mut from = None;
            for column in 0..=columns {
                let inside = line.get(column).is_some_and(|name| name.as_ref() == Some(&text));
                match (inside, from) {
                    (true, None) => from = Some(column),
                    (false, Some(start)) => {
                        if best.is_none_or(|(a, b)| column - start > b - a) {
                            best = Some((start, column));
                        }
                        from = None;
                    }
                    _ => {}
                }
            }
            best
        };
        let wide = width(&text, size) + 8.0;
        let mut by_nearness: Vec<usize> = (0..rows).collect();
        by_nearness.sort_by_key(|row| ((*row as f64 - middle_y).abs() * 100.0) as u64);
        let room = by_nearness.into_iter().find_map(|row| {
            let (from, to) = run_at(row)?;
            let (start, end) = (left + from as f64 * STEP, left + to as f64 * STEP);
            let centre = (left + (middle_x + 0.5) * STEP)
                .clamp(start + wide / 2.0, (end - wide / 2.0).max(start + wide / 2.0));
            (end - start >= wide).then_some((centre, pixel(0, row).1 + size * 0.35))
        });
        if let Some(at) = room {
            placed.push(Name { text, at, size });
        }
    }
    placed
}

fn name_at(at: Geographic, level: Level) -> Option<String> {
    let county = || county_at(at);
    match level {
        Level::Counties => county().map(|county| county.name.to_string()),
        Level::States => county().map(|county| county.state.to_string()),
        Level::Countries => country_at(at).map(str::to_string),
    }
}

#[cfg(feature = "backdrop")]
fn country_at(at: Geographic) -> Option<&'static str> {
    atlas::borders().country_at(at)
}

#[cfg(not(feature = "backdrop"))]
fn country_at(_: Geographic) -> Option<&'static str> {
    None
}

#[cfg(feature = "backdrop")]
fn is_at_sea(at: Geographic) -> bool {
    atlas::is_at_sea(at)
}

#[cfg(not(feature = "backdrop"))]
fn is_at_sea(_: Geographic) -> bool {
    false
}

/// In words, where places lie; none if no outline says so.
pub(in crate::draw) fn whereabouts(places: &[Geographic]) -> Option<String> {
    let mut counties: BTreeMap<u32, (County, usize)> = BTreeMap::new();
    let mut countries: BTreeMap<&'static str, usize> = BTreeMap::new();
    let mut at_sea = false;
    for at in places {
        if let Some(county) = county_at(*at) {
            counties.entry(county.fips).or_insert((county, 0)).1 += 1;
        } else if let Some(country) = country_at(*at) {
            *countries.entry(country).or_default() += 1;
        } else {
            at_sea = at_sea || is_at_sea(*at);
        }
    }
    let mut parts: Vec<(usize, String)> = Vec::new();
    let mut states: BTreeMap<&'static str, Vec<&(County, usize)>> = BTreeMap::new();
    for county in counties.values() {
        states.entry(county.0.state).or_default().push(county);
    }
    let crowded = states.len() > 2;
    for (state, mut counties) in states {
        let all = counties.iter().map(|(_, count)| count).sum();
        counties.sort_by(|a, b| b.1.cmp(&a.1).then_with(|| a.0.name.cmp(b.0.name)));
        let text = match crowded {
            true => state.to_string(),
            false => in_state(state, &counties),
        };
        parts.push((all, text));
    }
    parts.extend(countries.into_iter().map(|(country, count)| (count, country.to_string())));
    parts.sort_by(|a, b| b.0.cmp(&a.0).then_with(|| a.1.cmp(&b.1)));
    let mut texts: Vec<String> = parts.into_iter().map(|(_, text)| text).collect();
    if texts.is_empty() {
        return at_sea.then(|| "at sea".to_string());
    }
    if texts.len() > 4 {
        let more = texts.len() - 3;
        texts.truncate(3);
        texts.push(format!("{more} more"));
    }
    let comma = if texts.iter().any(|text| text.contains(',')) { "; " } else { ", " };
    let sea = if at_sea { "; partly at sea" } else { "" };
    Some(format!("{}{sea}", listed(&texts, comma)))
}

fn in_state(state: &str, counties: &[&(County, usize)]) -> String {
    // Boroughs, census areas and cities stand without a noun.
    let plain = counties.iter().all(|(county, _)| county.is_county());
    let names: Vec<String> = counties.iter().map(|(county, _)| county.name.to_string()).collect();
    let shown = &names[..names.len().min(3)];
    match (names.len(), plain) {
        (1, true) => format!("{} county, {state}", names[0]),
        (1, false) if names[0] == state => state.to_string(),
        (1, false) => format!("{}, {state}", names[0]),
        (2 | 3, true) => format!("{} counties, {state}", listed(shown, ", ")),
        (2 | 3, false) => format!("{}, {state}", listed(shown, ", ")),
        (many, plain) => {
            let noun = match (plain, many) {
                (false, _) => "",
                (true, 4) => " county",
                (true, _) => " counties",
            };
            format!("{} and {} more{noun}, {state}", shown.join(", "), many - 3)
        }
    }
}

fn listed(texts: &[String], comma: &str) -> String {
    match texts {
        [] => String::new(),
        [one] => one.clone(),
        [first @ .., last] => format!("{} and {last}", first.join(comma)),
    }
}
