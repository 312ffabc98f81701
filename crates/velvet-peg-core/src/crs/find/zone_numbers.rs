//! The numbers of state-plane zones, and the unit of a system, from rows of the registry.

use std::collections::BTreeMap;
use std::sync::OnceLock;
use velvet_peg_epsg::{CoordinateSystemRow, CrsRow, OperationRow};

/// True if a system is of the state-plane zone of this number (FIPS, 4601 for Washington North).
pub(super) fn is_of(row: &CrsRow, number: u32) -> bool {
    (101..=9999).contains(&number) && row.conversion.and_then(number_of) == Some(number)
}

/// The registry gives conversions of zones the code 10000 more than the zone's number, on NAD83
/// 30 more again; those in feet, which have other codes, have the names of the ones in metres.
fn number_of(conversion: u32) -> Option<u32> {
    static NUMBERS: OnceLock<BTreeMap<u32, u32>> = OnceLock::new();
    let numbers = NUMBERS.get_or_init(|| {
        let zones = || OperationRow::all().filter_map(|row| Some((row.code, zone(row.name)?)));
        let by_name: BTreeMap<(String, bool), u32> = zones()
            .filter(|(code, _)| (10_101..15_300).contains(code))
            .map(|(code, (name, new))| ((name, new), code - 10_000 - if new { 30 } else { 0 }))
            .collect();
        zones().filter_map(|(code, name)| Some((code, *by_name.get(&name)?))).collect()
    });
    numbers.get(&conversion).copied()
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

/// True if the axes of a system count metres.
pub(super) fn counts_metres(row: &CrsRow) -> bool {
    const METRE: u32 = 9001;
    let system = row.coordinate_system.and_then(CoordinateSystemRow::find);
    system.is_some_and(|system| system.axes.iter().all(|axis| axis.unit == Some(METRE)))
}
