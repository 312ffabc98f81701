//! Land and countries of the Earth, as a backdrop of maps.
//!
//! Source: Natural Earth, public domain: land at 1:50 000 000, countries at 1:110 000 000, on
//! WGS 84. Written by `examples/generate_world.rs`. The lines of countries are drawn as the source
//! has them and say nothing of what is claimed where.

use crate::data;
use crate::topology::{Arc, Polygons, arcs, polygons};

/// Land at 1:50 000 000.
#[derive(Clone, Debug)]
pub struct Land {
    /// Coast lines.
    pub arcs: Vec<Arc>,
    /// Continents and islands.
    pub polygons: Polygons,
}

/// Countries at 1:110 000 000.
#[derive(Clone, Debug)]
pub struct Countries {
    /// Borders and coast lines.
    pub arcs: Vec<Arc>,
    /// In the order of their names.
    pub countries: Vec<CountryOutline>,
}

/// A country with its outline.
#[derive(Clone, Debug)]
pub struct CountryOutline {
    /// Name in English, as the source has it.
    pub name: &'static str,
    /// Its parts.
    pub polygons: Polygons,
}

/// Decodes the land.
pub fn land() -> Land {
    let (arcs, mut row) = arcs(data::LAND);
    Land { arcs, polygons: polygons(&mut row) }
}

/// Decodes the countries.
pub fn countries() -> Countries {
    let (arcs, mut row) = arcs(data::COUNTRIES);
    let countries = (0..row.number())
        .map(|_| CountryOutline { name: row.text(), polygons: polygons(&mut row) })
        .collect();
    Countries { arcs, countries }
}
