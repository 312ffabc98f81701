//! The EPSG Geodetic Parameter Dataset, embedded.
//!
//! **What it is for.** Finding the facts of a code (a reference system, an operation, a
//! datum, a unit, an area of use) without a network, a file or a start-up cost: a row is
//! decoded when it is asked for, and nothing else is.
//!
//! **What it does not do.** It computes nothing: units are not applied, parents are not
//! resolved, names are not searched. The `velvet-peg-core` crate does that.
//!
//! **Source and terms.** The dataset is owned by the International Association of Oil & Gas
//! Producers (IOGP) and used under its terms, which travel with this crate as
//! [`TERMS`]. Parameter values are kept digit for digit. The tables were written by
//! `examples/generate.rs` from the dataset's CSV tables; do not edit them by hand.
//!
//! ```
//! use velvet_peg_epsg::CrsRow;
//! let row = CrsRow::find(2286).unwrap();
//! assert_eq!(row.name, "NAD83 / Washington South (ftUS)");
//! assert!(CrsRow::find(1).is_none());
//! ```

mod data;
mod decimal;
mod links;
#[cfg(feature = "outlines")]
mod outlines;
mod regions;
mod rows;
mod table;
#[cfg(any(feature = "outlines", feature = "world"))]
mod topology;
#[cfg(feature = "world")]
mod world;

pub use decimal::Decimal;
pub use links::{DatumLink, Ensemble, ensembles, links_of_datum};
#[cfg(feature = "outlines")]
pub use outlines::{CountyOutline, Outlines, ZoneMember, ZoneRow, outlines, zones};
pub use regions::{Region, region_at, words_admit};
pub use rows::*;
#[cfg(any(feature = "outlines", feature = "world"))]
pub use topology::{Arc, Polygons};
#[cfg(feature = "world")]
pub use world::{Countries, CountryOutline, Land, countries, land};

/// Version of the dataset that the tables were generated from.
pub const VERSION: &str = include_str!("../data/VERSION");

/// Who owns the dataset.
pub const OWNER: &str = "International Association of Oil & Gas Producers (IOGP)";

/// The dataset's terms of use.
pub const TERMS: &str = include_str!("../data/TERMS-OF-USE.md");

/// Bytes of the registry's embedded tables together.
pub fn embedded_bytes() -> usize {
    data::ALL.iter().map(|table| table.len()).sum()
}
