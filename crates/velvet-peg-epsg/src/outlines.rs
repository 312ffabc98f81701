//! Outlines of the counties of the United States, and the counties of the state-plane zones.
//!
//! Source: cartographic boundaries of the US Census Bureau, 1:10 000 000, public domain; the
//! zones from the areas of use of the EPSG dataset. Written by `examples/generate_outlines.rs`.

use crate::data;
use crate::table::Reader;

/// Shared lines of the outlines, and what they bound.
#[derive(Clone, Debug)]
pub struct Outlines {
    /// Lines between junctions: longitude and latitude, degrees on NAD83.
    pub arcs: Vec<Vec<(f64, f64)>>,
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
    /// Polygons of rings of arcs, the first ring outside; an arc run backwards is given as the
    /// complement (`!number`) of its number.
    pub polygons: Vec<Vec<Vec<i64>>>,
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
    let (head, rest) = data::COUNTIES.split_at(32);
    let number = |at: usize| {
        let mut raw = [0; 8];
        raw.copy_from_slice(&head[at * 8..at * 8 + 8]);
        f64::from_le_bytes(raw)
    };
    let (scale, origin) = ((number(0), number(1)), (number(2), number(3)));
    let mut row = Reader::new(rest);
    let arcs = (0..row.number())
        .map(|_| {
            let (mut x, mut y) = (0, 0);
            (0..row.number())
                .map(|_| {
                    x += row.signed();
                    y += row.signed();
                    (x as f64 * scale.0 + origin.0, y as f64 * scale.1 + origin.1)
                })
                .collect()
        })
        .collect();
    let states = (0..row.number()).map(|_| (row.code(), row.text())).collect();
    let counties = (0..row.number())
        .map(|_| CountyOutline {
            fips: row.code(),
            name: row.text(),
            polygons: (0..row.number())
                .map(|_| {
                    (0..row.number())
                        .map(|_| (0..row.number()).map(|_| row.signed()).collect())
                        .collect()
                })
                .collect(),
        })
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
