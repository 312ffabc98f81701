//! The embedded tables, as written by `examples/generate.rs`.

pub(crate) const CRS: &[u8] = include_bytes!("../data/crs.bin");
pub(crate) const CRS_ALIASES: &[u8] = include_bytes!("../data/crs_aliases.bin");
pub(crate) const DATUM_ALIASES: &[u8] = include_bytes!("../data/datum_aliases.bin");
pub(crate) const OPERATIONS: &[u8] = include_bytes!("../data/operations.bin");
pub(crate) const DATUMS: &[u8] = include_bytes!("../data/datums.bin");
pub(crate) const DATUM_OPERATIONS: &[u8] = include_bytes!("../data/datum_operations.bin");
pub(crate) const ELLIPSOIDS: &[u8] = include_bytes!("../data/ellipsoids.bin");
pub(crate) const PRIME_MERIDIANS: &[u8] = include_bytes!("../data/prime_meridians.bin");
pub(crate) const UNITS: &[u8] = include_bytes!("../data/units.bin");
pub(crate) const COORDINATE_SYSTEMS: &[u8] = include_bytes!("../data/coordinate_systems.bin");
pub(crate) const EXTENTS: &[u8] = include_bytes!("../data/extents.bin");
pub(crate) const METHODS: &[u8] = include_bytes!("../data/methods.bin");
pub(crate) const PARAMETERS: &[u8] = include_bytes!("../data/parameters.bin");

/// As written by `examples/generate_regions.rs`.
pub(crate) const REGION_CELLS: &[u8] = include_bytes!("../data/region_cells.bin");
pub(crate) const EXTENT_REGIONS: &[u8] = include_bytes!("../data/extent_regions.bin");

#[cfg(feature = "outlines")]
pub(crate) const COUNTIES: &[u8] = include_bytes!("../data/counties.bin");
#[cfg(feature = "outlines")]
pub(crate) const ZONES: &[u8] = include_bytes!("../data/zones.bin");
#[cfg(feature = "world")]
pub(crate) const LAND: &[u8] = include_bytes!("../data/land.bin");
#[cfg(feature = "world")]
pub(crate) const COUNTRIES: &[u8] = include_bytes!("../data/countries.bin");

/// The tables of the registry.
pub(crate) const ALL: [&[u8]; 15] = [
    CRS,
    CRS_ALIASES,
    DATUM_ALIASES,
    OPERATIONS,
    DATUMS,
    DATUM_OPERATIONS,
    ELLIPSOIDS,
    PRIME_MERIDIANS,
    UNITS,
    COORDINATE_SYSTEMS,
    EXTENTS,
    METHODS,
    PARAMETERS,
    REGION_CELLS,
    EXTENT_REGIONS,
];
