//! Countries and states: which one a place lies in beyond doubt, and which of them an area of use
//! names in words.
//!
//! Source: countries of Natural Earth at 1:110 000 000 and states of the US Census Bureau (both
//! public domain) as cells of a quarter of a degree whose neighbours are all of the same; the words
//! are those of the EPSG dataset. Written by `examples/generate_regions.rs`.

use crate::data;
use crate::table::Table;

const CELLS: Table = Table::new(data::REGION_CELLS);
const NAMED: Table = Table::new(data::EXTENT_REGIONS);

const CELLS_A_DEGREE: f64 = 4.0;

/// States of the United States follow from here on by their FIPS numbers.
const STATES: u32 = 1000;
const USA: u32 = 840;

/// A country, or a state of the United States.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Region {
    /// Number of the country in ISO 3166-1.
    pub country: u32,
    /// FIPS number of the state, in the United States.
    pub state: Option<u32>,
}

/// The region that a place (degrees, longitude from Greenwich) lies in, some tens of kilometres from
/// any other; none at sea, near a border, and where more than one country claims the land.
///
/// ```
/// use velvet_peg_epsg::{Region, region_at};
/// assert_eq!(region_at(47.5, -119.0), Some(Region { country: 840, state: Some(53) }));
/// assert_eq!(region_at(52.0, -106.0), Some(Region { country: 124, state: None }));
/// assert_eq!(region_at(0.0, -30.0), None);
/// ```
pub fn region_at(lat: f64, lon: f64) -> Option<Region> {
    if !(lat.is_finite() && lon.is_finite()) {
        return None;
    }
    let row = ((lat + 90.0) * CELLS_A_DEGREE).floor();
    let column = (lon + 180.0).rem_euclid(360.0) * CELLS_A_DEGREE;
    if row < 0.0 {
        return None;
    }
    let mut cells = CELLS.find(row as u32)?;
    let mut left = column as u64 + 1;
    loop {
        let (length, id) = (cells.number(), cells.code());
        if left <= length {
            return match id {
                0 => None,
                id if id > STATES => Some(Region { country: USA, state: Some(id - STATES) }),
                id => Some(Region { country: id, state: None }),
            };
        }
        left -= length;
    }
}

/// False if the words of an area of use name countries, or states of the United States, and the
/// region is none of them. True of areas that are not limited by words to countries.
///
/// ```
/// use velvet_peg_epsg::{region_at, words_admit};
/// let seattle = region_at(47.5, -121.5).unwrap();
/// assert!(words_admit(1245, seattle)); // USA
/// assert!(!words_admit(1061, seattle)); // Canada, whose box reaches to 40° N
/// ```
pub fn words_admit(extent: u32, region: Region) -> bool {
    let Some(mut row) = NAMED.find(extent) else { return true };
    let named = row.codes();
    let states = || named.iter().any(|id| *id > STATES);
    named.contains(&region.country)
        && region.state.is_none_or(|state| !states() || named.contains(&(STATES + state)))
}
