//! Outlines of the counties of the United States, and the counties of the state-plane zones.
//!
//! Source: cartographic boundaries of the US Census Bureau, 1:10 000 000, public domain; the
//! zones from the areas of use of the EPSG dataset. Written by `examples/generate_outlines.rs`.

use crate::data;
use crate::table::Reader;
use crate::topology::{Arc, Polygons, arcs, polygons};

/// Shared lines of the outlines, and what they bound.
#[derive(Clone, Debug)]
pub struct Outlines {
    /// Lines between junctions, on NAD83.
    pub arcs: Vec<Arc>,
    /// States by FIPS number.
    pub states: Vec<(u32, &'static str)>,
    /// Counties in rising order of FIPS number.
    pub counties: Vec<CountyOutline>,
}

/// A county (parish, borough, census area, municipio) with its outline.
#[derive(Clone, Debug)]
pub struct CountyOutline {
    /// FIPS number; the thousands are the state's.
    pub fips: u32,
    /// Name without "county".
    pub name: &'static str,
    /// Its parts.
    pub polygons: Polygons,
}

/// A state-plane zone: an area of use and the counties in it.
#[derive(Clone, Debug)]
pub struct ZoneRow {
    /// 27 for the zones of NAD27, 83 for those of NAD83.
    pub set: u32,
    /// EPSG code of the area of use.
    pub extent: u32,
    /// Counties, wholly or within limits.
    pub members: Vec<ZoneMember>,
}

/// A county in a zone.
#[derive(Clone, Copy, Debug)]
pub struct ZoneMember {
    /// FIPS number.
    pub fips: u32,
    /// Limits in degrees where only part of it belongs: south, north, west, east.
    pub limits: Option<[f64; 4]>,
}

/// Decodes all outlines.
pub fn outlines() -> Outlines {
    let (arcs, mut row) = arcs(data::COUNTIES);
    let states = (0..row.number()).map(|_| (row.code(), row.text())).collect();
    let counties = (0..row.number())
        .map(|_| CountyOutline { fips: row.code(), name: row.text(), polygons: polygons(&mut row) })
        .collect();
    Outlines { arcs, states, counties }
}

/// Every state-plane zone.
pub fn zones() -> Vec<ZoneRow> {
    let mut row = Reader::new(data::ZONES);
    (0..row.number())
        .map(|_| ZoneRow {
            set: row.code(),
            extent: row.code(),
            members: (0..row.number())
                .map(|_| ZoneMember {
                    fips: row.code(),
                    limits: (row.byte() == 1)
                        .then(|| std::array::from_fn(|_| row.signed() as f64 / 1e6)),
                })
                .collect(),
        })
        .collect()
}
