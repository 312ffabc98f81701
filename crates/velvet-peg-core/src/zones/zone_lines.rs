//! Lines between zones, for drawing them.

use super::counties::{Atlas, arc_number, atlas};
use super::state_plane::{StatePlaneZone, ZoneSet, state_plane_zones};
use std::collections::{BTreeMap, BTreeSet};

/// A zone by its place in the list, and limits where only part of a county belongs to it.
type Membership = (usize, Option<[f64; 4]>);

/// A line: longitudes and latitudes, degrees.
pub type ZoneLine = Vec<(f64, f64)>;

/// Lines between the state plane zones of a set, and round all of them; by the outlines of
/// counties ([`super::OUTLINE_UNCERTAINTY_M`]), on NAD83.
///
/// ```
/// use velvet_peg_core::zones::{ZoneSet, state_plane_lines};
/// let lines = state_plane_lines(ZoneSet::Spcs83);
/// // Grant county, Washington, is divided at 47°30′N.
/// let cut = |line: &Vec<(f64, f64)>| {
///     line.iter().all(|(lon, lat)| (-120.1..-118.9).contains(lon) && (lat - 47.5).abs() < 1e-9)
/// };
/// assert!(lines.iter().any(cut));
/// ```
pub fn state_plane_lines(set: ZoneSet) -> Vec<ZoneLine> {
    let atlas = atlas();
    let zones: Vec<&StatePlaneZone> =
        state_plane_zones().iter().filter(|zone| zone.set == set).collect();
    let mut members: BTreeMap<u32, Vec<Membership>> = BTreeMap::new();
    for (at, zone) in zones.iter().enumerate() {
        for (fips, limits) in zone.members() {
            members.entry(fips).or_default().push((at, limits));
        }
    }
    // The zones of a county at one of its places.
    let zones_at = |fips: u32, (lon, lat): (f64, f64)| -> BTreeSet<usize> {
        let own = members.get(&fips).map_or(&[][..], Vec::as_slice).iter();
        own.filter(|(_, limits)| {
            limits.is_none_or(|[south, north, west, east]| {
                (south..north).contains(&lat) && (west..east).contains(&lon)
            })
        })
        .map(|(zone, _)| *zone)
        .collect()
    };
    let mut sides: BTreeMap<usize, Vec<u32>> = BTreeMap::new();
    for county in &atlas.outlines.counties {
        for arc in county.polygons.iter().flatten().flatten() {
            sides.entry(arc_number(*arc)).or_default().push(county.fips);
        }
    }
    let mut lines = Vec::new();
    for (arc, counties) in &sides {
        let mut line: ZoneLine = Vec::new();
        for pair in atlas.outlines.arcs[*arc].windows(2) {
            let middle = ((pair[0].0 + pair[1].0) / 2.0, (pair[0].1 + pair[1].1) / 2.0);
            let mut on: Vec<BTreeSet<usize>> =
                counties.iter().map(|fips| zones_at(*fips, middle)).collect();
            if on.len() == 1 {
                on.push(BTreeSet::new());
            }
            if on.windows(2).any(|pair| pair[0] != pair[1]) {
                if line.is_empty() {
                    line.push(pair[0]);
                }
                line.push(pair[1]);
            } else if !line.is_empty() {
                lines.push(std::mem::take(&mut line));
            }
        }
        if !line.is_empty() {
            lines.push(line);
        }
    }
    let mut cuts: BTreeSet<(u32, bool, i64)> = BTreeSet::new();
    for (fips, own) in &members {
        for [south, north, west, east] in own.iter().filter_map(|(_, limits)| *limits) {
            let limits = [(true, south), (true, north), (false, west), (false, east)];
            cuts.extend(limits.map(|(along, limit)| (*fips, along, (limit * 1e6).round() as i64)));
        }
    }
    for (fips, along, limit) in cuts {
        lines.extend(cut_through(atlas, fips, along, limit as f64 / 1e6));
    }
    lines
}

/// Where a parallel (`along`) or a meridian runs through a county.
fn cut_through(atlas: &Atlas, fips: u32, along: bool, limit: f64) -> Vec<ZoneLine> {
    let turned = |(lon, lat): (f64, f64)| if along { (lon, lat) } else { (lat, lon) };
    let mut crossings = Vec::new();
    let county = atlas.outlines.counties.iter().find(|county| county.fips == fips);
    for arc in county.into_iter().flat_map(|county| county.polygons.iter().flatten().flatten()) {
        for pair in atlas.outlines.arcs[arc_number(*arc)].windows(2) {
            let ((x1, y1), (x2, y2)) = (turned(pair[0]), turned(pair[1]));
            if (y1 > limit) != (y2 > limit) {
                crossings.push(x1 + (x2 - x1) * (limit - y1) / (y2 - y1));
            }
        }
    }
    crossings.sort_by(f64::total_cmp);
    let pairs = crossings.chunks_exact(2);
    pairs.map(|pair| vec![turned((pair[0], limit)), turned((pair[1], limit))]).collect()
}

/// Lines between the UTM zones, from 80°S to 84°N, with the wider ones of Norway and Svalbard.
///
/// ```
/// use velvet_peg_core::zones::utm_lines;
/// let at = |lon: f64, lat: f64| {
///     utm_lines().iter().any(|line| {
///         line.windows(2).any(|pair| {
///             pair[0].0 == lon && pair[1].0 == lon && pair[0].1 <= lat && lat <= pair[1].1
///         })
///     })
/// };
/// assert!(at(-120.0, 47.0) && at(6.0, 50.0));
/// assert!(at(3.0, 60.0) && !at(6.0, 60.0)); // the west of Norway is in 32
/// ```
pub fn utm_lines() -> Vec<ZoneLine> {
    const BELOW: f64 = 56.0;
    const ABOVE: f64 = 64.0;
    const SVALBARD: f64 = 72.0;
    let mut lines: Vec<ZoneLine> = Vec::new();
    let mut meridian =
        |lon: f64, south: f64, north: f64| lines.push(vec![(lon, south), (lon, north)]);
    for zone in -30..30 {
        let lon = f64::from(zone) * 6.0;
        let svalbard = (6.0..=36.0).contains(&lon);
        match lon == 6.0 {
            true => {
                meridian(lon, -80.0, BELOW);
                meridian(3.0, BELOW, ABOVE);
                meridian(lon, ABOVE, SVALBARD);
            }
            false => meridian(lon, -80.0, if svalbard { SVALBARD } else { 84.0 }),
        }
    }
    for lon in [9.0, 21.0, 33.0] {
        meridian(lon, SVALBARD, 84.0);
    }
    let parallels = [
        (3.0, 6.0, BELOW),
        (3.0, 6.0, ABOVE),
        (6.0, 12.0, SVALBARD),
        (18.0, 24.0, SVALBARD),
        (30.0, 36.0, SVALBARD),
        (-180.0, 180.0, -80.0),
        (-180.0, 180.0, 84.0),
    ];
    lines.extend(parallels.map(|(west, east, lat)| vec![(west, lat), (east, lat)]));
    lines
}
