//! Zones of the State Plane Coordinate Systems of 1927 and 1983.
//!
//! Sources: the areas of use of the EPSG dataset, which list the counties of each zone, and
//! the outlines of the counties (US Census Bureau, 1:10 000 000). A few zones are told by
//! longitude (Alaska), by island (Hawaii) or split a county by latitude.

use super::counties::{Atlas, County, arc_number, atlas};
use crate::crs::Crs;
use crate::position::Geographic;
use std::collections::{BTreeMap, BTreeSet, HashSet};
use std::sync::OnceLock;
use velvet_peg_epsg::{
    CountyOutline, CrsKind, CrsRow, ExtentRow, ZoneMember, ZoneRow, operation_name, zones,
};

/// How far a generalised outline of 1:10 000 000 may lie from the true line, metres: 0.2 mm of
/// the map.
pub const OUTLINE_UNCERTAINTY_M: f64 = 2_000.0;

/// Which set of zones.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum ZoneSet {
    /// State Plane Coordinate System of 1927, on NAD27; on the islands of the Pacific the system of
    /// that time on the datum of the island.
    Spcs27,
    /// State Plane Coordinate System of 1983, on NAD83 and its realisations; the Guam Map Grid.
    Spcs83,
}

/// A zone and the systems of the registry that belong to it.
#[derive(Clone, Debug)]
pub struct StatePlaneZone {
    /// Which set it is of.
    pub set: ZoneSet,
    /// Name, such as `Washington North`.
    pub name: String,
    /// EPSG code of its area of use.
    pub area: u32,
    /// EPSG codes of its systems that are not withdrawn: each realisation in each unit.
    pub systems: Vec<u32>,
    members: Vec<ZoneMember>,
}

/// A zone that a place lies in.
#[derive(Clone, Debug)]
pub struct StatePlaneMatch {
    /// The zone.
    pub zone: &'static StatePlaneZone,
    /// The county that decides it.
    pub county: County,
    at: Geographic,
}

impl StatePlaneMatch {
    /// Metres to the nearest line where another zone begins, by the outlines; none if no other
    /// zone borders on this one.
    pub fn edge_m(&self) -> Option<f64> {
        edge(atlas(), self.zone, self.at)
    }
}

impl StatePlaneZone {
    /// FIPS numbers of its counties; with limits in degrees (south, north, west, east) where only
    /// part of one belongs to it.
    pub fn members(&self) -> impl Iterator<Item = (u32, Option<[f64; 4]>)> {
        self.members.iter().map(|member| (member.fips, member.limits))
    }

    /// The zone's systems on a datum, as (metres, feet): the legal foot is the US survey foot
    /// where the registry has one, otherwise the international foot.
    pub fn systems_on(&self, datum: u32) -> (Option<Crs>, Option<Crs>) {
        let mut metres = None;
        let mut feet: Option<Crs> = None;
        for code in &self.systems {
            let Ok(crs) = Crs::from_epsg(*code) else { continue };
            if crs.datum().and_then(|own| own.code()) != Some(datum) {
                continue;
            }
            match crs.length_unit().map(|unit| unit.code()) {
                Some(9001) => metres = metres.or(Some(crs)),
                Some(9003) => feet = Some(crs),
                _ => feet = feet.or(Some(crs)),
            }
        }
        (metres, feet)
    }
}

/// Every state-plane zone.
pub fn state_plane_zones() -> &'static [StatePlaneZone] {
    static ZONES: OnceLock<Vec<StatePlaneZone>> = OnceLock::new();
    ZONES.get_or_init(|| {
        let zones = zones();
        let areas: BTreeSet<u32> = zones.iter().map(|zone| zone.extent).collect();
        let systems = systems_by_area(&areas);
        zones
            .into_iter()
            .filter_map(|row: ZoneRow| {
                let set = if row.set == 27 { ZoneSet::Spcs27 } else { ZoneSet::Spcs83 };
                let codes = systems.get(&(set, row.extent)).cloned().unwrap_or_default();
                let name = name_of(&codes)
                    .or_else(|| ExtentRow::find(row.extent).map(|row| row.name.to_string()))?;
                Some(StatePlaneZone {
                    set,
                    name,
                    area: row.extent,
                    systems: codes,
                    members: row.members,
                })
            })
            .collect()
    })
}

/// The systems of each set and area of use among these, by the names of their conversions.
fn systems_by_area(areas: &BTreeSet<u32>) -> BTreeMap<(ZoneSet, u32), Vec<u32>> {
    let mut found: BTreeMap<(ZoneSet, u32), Vec<u32>> = BTreeMap::new();
    for row in CrsRow::current(CrsKind::Projected) {
        let mut extents = row.extents.iter().filter(|extent| areas.contains(extent)).peekable();
        if extents.peek().is_none() {
            continue;
        }
        let Some(conversion) = row.conversion.and_then(operation_name) else { continue };
        let set = match conversion {
            name if name.contains("SPCS83") => ZoneSet::Spcs83,
            name if name.contains("CS27") => ZoneSet::Spcs27,
            name if name.starts_with("Arizona Coordinate System") => ZoneSet::Spcs27,
            // The islands of the Pacific have systems of their own.
            "Guam Map Grid" => ZoneSet::Spcs83,
            "Guam SPCS" | "American Samoa Lambert" => ZoneSet::Spcs27,
            _ => continue,
        };
        for extent in extents {
            found.entry((set, *extent)).or_default().push(row.code);
        }
    }
    found
}

/// `NAD83 / Washington North (ftUS)` without datum and unit.
fn name_of(codes: &[u32]) -> Option<String> {
    let shortest = codes.iter().filter_map(|code| CrsRow::find(*code)).map(|row| row.name);
    let name = shortest.min_by_key(|name| name.len())?;
    let zone = name.split(" / ").nth(1)?;
    Some(zone.split(" (").next().unwrap_or(zone).to_string())
}

/// The zones that a position lies in (on NAD83 or NAD27, which differ by less than the
/// outlines are known): usually one of each set; more where a state has a zone of the whole
/// beside its parts, none outside.
///
/// ```
/// use velvet_peg_core::Geographic;
/// use velvet_peg_core::zones::{state_plane_zones_at, ZoneSet};
/// let place = Geographic { lat: 47.4, lon: -119.5 };
/// let hits = state_plane_zones_at(ZoneSet::Spcs83, place); // Grant county is split
/// assert_eq!(hits[0].zone.name, "Washington South");
/// assert!(hits[0].edge_m().unwrap() < 12_000.0);
/// ```
pub fn state_plane_zones_at(set: ZoneSet, at: Geographic) -> Vec<StatePlaneMatch> {
    let atlas = atlas();
    let Some(county) = atlas.find(at) else { return Vec::new() };
    let county = atlas.county(county);
    state_plane_zones()
        .iter()
        .filter(|zone| zone.set == set)
        .filter(|zone| {
            zone.members.iter().any(|member| {
                member.fips == county.fips && member.limits.is_none_or(|limits| within(&limits, at))
            })
        })
        .map(|zone| StatePlaneMatch { zone, county: county.clone(), at })
        .collect()
}

/// The zones that a county lies in, wholly or in part.
pub fn state_plane_zones_of_county(set: ZoneSet, fips: u32) -> Vec<&'static StatePlaneZone> {
    state_plane_zones()
        .iter()
        .filter(|zone| {
            zone.set == set
                && zone.members.iter().any(|member| {
                    member.fips == fips
                        && member.limits.is_none_or(|limits| reaches_into(fips, &limits))
                })
        })
        .collect()
}

/// Whether some of a county's outline lies within limits.
fn reaches_into(fips: u32, limits: &[f64; 4]) -> bool {
    let atlas = atlas();
    let county = atlas.outlines.counties.iter().find(|county| county.fips == fips);
    let arcs = county.into_iter().flat_map(arcs_of);
    let mut vertices = arcs.flat_map(|arc| &atlas.outlines.arcs[arc]);
    vertices.any(|(lon, lat)| within(limits, Geographic { lat: *lat, lon: *lon }))
}

fn within([south, north, west, east]: &[f64; 4], at: Geographic) -> bool {
    (*south..*north).contains(&at.lat) && (*west..*east).contains(&at.lon)
}

/// Metres to the nearest line where another zone of the set begins.
fn edge(atlas: &Atlas, zone: &StatePlaneZone, at: Geographic) -> Option<f64> {
    let Geographic { lon, lat } = at;
    let members: HashSet<u32> = zone.members.iter().map(|member| member.fips).collect();
    let cos = lat.to_radians().cos();
    // Degrees to metres round the place: a percent or two at hundreds of kilometres.
    let local = |(x, y): (f64, f64)| ((x - lon) * cos * 111_320.0, (y - lat) * 110_950.0);
    let mut nearest = f64::INFINITY;
    // How many counties of the zone each arc bounds; arcs bound two at most.
    let mut inside = vec![0_u8; atlas.outlines.arcs.len()];
    let of_zone = |county: &&CountyOutline| members.contains(&county.fips);
    for county in atlas.outlines.counties.iter().filter(of_zone) {
        arcs_of(county).for_each(|arc| inside[arc] = inside[arc].saturating_add(1));
    }
    for (arc, (inside, all)) in inside.into_iter().zip(bounded(atlas)).enumerate() {
        // Coasts and frontiers have no zone on their other side.
        if inside == 0 || inside == *all {
            continue;
        }
        for pair in atlas.outlines.arcs[arc].windows(2) {
            nearest = nearest.min(to_segment(local(pair[0]), local(pair[1])));
        }
    }
    // Parallels and meridians that cut counties.
    let here = atlas.find(at).map(|county| atlas.outlines.counties[county].fips);
    for member in zone.members.iter().filter(|member| Some(member.fips) == here) {
        let Some([south, north, west, east]) = member.limits else { continue };
        for (limit, metres) in [(south, (lat - south).abs()), (north, (lat - north).abs())] {
            if limit.abs() < 90.0 {
                nearest = nearest.min(metres * 111_000.0);
            }
        }
        for (limit, metres) in [(west, (lon - west).abs()), (east, (lon - east).abs())] {
            // Limits in the open sea and at 180° divide nothing.
            if limit.abs() < 170.0 && limit > -170.0 && limit != -150.0 && limit != -120.0 {
                nearest = nearest.min(metres * cos * 111_320.0);
            }
        }
    }
    nearest.is_finite().then_some(nearest)
}

/// How many counties each arc bounds.
fn bounded(atlas: &Atlas) -> &'static [u8] {
    static BOUNDED: OnceLock<Vec<u8>> = OnceLock::new();
    BOUNDED.get_or_init(|| {
        let mut found = vec![0_u8; atlas.outlines.arcs.len()];
        for arc in atlas.outlines.counties.iter().flat_map(arcs_of) {
            found[arc] = found[arc].saturating_add(1);
        }
        found
    })
}

/// The arcs that bound a county.
fn arcs_of(county: &CountyOutline) -> impl Iterator<Item = usize> + '_ {
    county.polygons.iter().flatten().flatten().map(|arc| arc_number(*arc))
}

/// Distance of the origin from a segment.
fn to_segment((x1, y1): (f64, f64), (x2, y2): (f64, f64)) -> f64 {
    let (dx, dy) = (x2 - x1, y2 - y1);
    let square = dx * dx + dy * dy;
    let along = if square == 0.0 { 0.0 } else { (-(x1 * dx + y1 * dy) / square).clamp(0.0, 1.0) };
    (x1 + along * dx).hypot(y1 + along * dy)
}
