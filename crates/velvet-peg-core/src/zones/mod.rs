//! Zones: which grid a place lies in, and how near its edge; grid references in those grids.

#[cfg(feature = "zones")]
mod counties;
mod grid_reference;
#[cfg(feature = "zones")]
mod state_plane;
mod utm;
#[cfg(feature = "zones")]
mod zone_lines;

#[cfg(feature = "zones")]
pub(crate) use counties::state_centre;
#[cfg(feature = "zones")]
pub use counties::{County, county_at, county_named, utm_zones_of_county};
pub use grid_reference::{GridSquare, grid_reference, grid_reference_to, parse_grid_reference};
#[cfg(feature = "zones")]
pub use state_plane::{
    OUTLINE_UNCERTAINTY_M, StatePlaneMatch, StatePlaneZone, ZoneSet, state_plane_zones,
    state_plane_zones_at, state_plane_zones_of_county,
};
pub use utm::{PolarGrid, UtmText, UtmZone, utm_text};
#[cfg(feature = "zones")]
pub use zone_lines::{ZoneLine, state_plane_lines, utm_lines};
