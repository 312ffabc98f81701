//! The words of all systems as bytes: each word, each list of words, and the lists of each system.
//!
//! All numbers have seven bits a byte, lowest first, high bit set while more follow. A text is its length and
//! its bytes. Codes of systems are the steps from the one before.

use std::collections::{BTreeMap, BTreeSet};
use velvet_peg_core::crs::name_words;
use velvet_peg_core::registry::{
    CrsRow, DatumRow, ExtentRow, OperationRow, crs_aliases, datum_aliases, method_name,
};

type Words = Vec<String>;

/// The words of one system.
struct System {
    code: u32,
    zone_number: u32,
    /// Its name, that before the stroke and behind it, datum, method, conversion and area.
    lists: [Words; 7],
    aliases: Vec<Words>,
}

/// As they are embedded.
pub fn bytes() -> Vec<u8> {
    let systems: Vec<System> = systems();
    let lists: BTreeSet<&Words> =
        systems.iter().flat_map(|system| system.lists.iter().chain(&system.aliases)).collect();
    let words: BTreeSet<&String> = lists.iter().copied().flatten().collect();
    let words: BTreeMap<&String, usize> = words.into_iter().zip(0..).collect();
    let lists: BTreeMap<&Words, usize> = lists.into_iter().zip(0..).collect();
    assert!(lists.len() <= usize::from(u16::MAX) && words.len() <= usize::from(u16::MAX));
    let mut out = Vec::new();
    number(&mut out, words.len());
    for word in words.keys() {
        number(&mut out, word.len());
        out.extend(word.as_bytes());
    }
    number(&mut out, lists.len());
    for list in lists.keys() {
        number(&mut out, list.len());
        list.iter().for_each(|word| number(&mut out, words[word]));
    }
    number(&mut out, systems.len());
    let mut before = 0;
    for system in &systems {
        number(&mut out, (system.code - before) as usize);
        before = system.code;
        number(&mut out, system.zone_number as usize);
        system.lists.iter().for_each(|list| number(&mut out, lists[list]));
        number(&mut out, system.aliases.len());
        system.aliases.iter().for_each(|list| number(&mut out, lists[list]));
    }
    out
}

fn number(out: &mut Vec<u8>, mut value: usize) {
    while value >= 0x80 {
        out.push((value & 0x7f) as u8 | 0x80);
        value >>= 7;
    }
    out.push(value as u8);
}

fn systems() -> Vec<System> {
    let zones = zone_numbers();
    let system = |row: CrsRow| {
        let conversion = row.conversion.and_then(OperationRow::find);
        let method = conversion.as_ref().and_then(|conversion| method_name(conversion.method?));
        let area = row.extents.first().and_then(|code| ExtentRow::find(*code));
        let (datum, zone) = row.name.split_once(" / ").unwrap_or(("", row.name));
        let datum_code = row.datum.or_else(|| CrsRow::find(row.base?)?.datum);
        System {
            code: row.code,
            zone_number: row.conversion.and_then(|code| zones.get(&code)).copied().unwrap_or(0),
            lists: [
                name_words(row.name),
                name_words(datum),
                name_words(zone),
                datum_code.and_then(DatumRow::find).map_or(Vec::new(), words_of_datum),
                method.map_or(Vec::new(), name_words),
                conversion.map_or(Vec::new(), |conversion| name_words(conversion.name)),
                area.map_or(Vec::new(), |area| name_words(area.name)),
            ],
            aliases: crs_aliases(row.code).into_iter().map(name_words).collect(),
        }
    };
    CrsRow::all().map(system).collect()
}

/// The words of all names of a datum.
fn words_of_datum(row: DatumRow) -> Words {
    let others = datum_aliases(row.code);
    others.iter().chain([&row.name]).flat_map(|name| name_words(name)).collect()
}

/// The numbers of the state-plane zones that conversions are of, by their code.
///
/// The registry gives conversions of zones the code 10000 more than the zone's number, on NAD83
/// 30 more again; those in feet, which have other codes, have the names of the ones in metres.
fn zone_numbers() -> BTreeMap<u32, u32> {
    let zones = || OperationRow::all().filter_map(|row| Some((row.code, zone(row.name)?)));
    let by_name: BTreeMap<(String, bool), u32> = zones()
        .filter(|(code, _)| (10_101..15_300).contains(code))
        .map(|(code, (name, new))| ((name, new), code - 10_000 - if new { 30 } else { 0 }))
        .collect();
    zones().filter_map(|(code, name)| Some((code, *by_name.get(&name)?))).collect()
}

/// The zone that a conversion is named after, and whether on NAD83: `SPCS83 Texas Central zone (US
/// survey foot)`, `Texas CS27 Central zone`, `Arizona Coordinate System East zone`.
fn zone(name: &'static str) -> Option<(String, bool)> {
    let new = name.starts_with("SPCS83 ");
    let of_set = ["SPCS83 ", "SPCS27 ", "CS27 ", "Coordinate System "];
    let set = of_set.iter().find(|set| name.contains(**set))?;
    let zone = name.replacen(set, "", 1);
    Some((zone.split(" (").next()?.trim_end_matches(" zone").to_string(), new))
}
