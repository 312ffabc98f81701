//! Zones: which grid a place lies in, and how near its edge; grid references in those grids.

mod counties;
mod grid_reference;
mod state_plane;
mod utm;

pub(crate) use counties::state_centre;
pub use counties::{County, county_at, county_named};
pub use grid_reference::{GridSquare, grid_reference, grid_reference_to, parse_grid_reference};
pub use state_plane::{
    OUTLINE_UNCERTAINTY_M, StatePlaneMatch, StatePlaneZone, ZoneSet, state_plane_zones,
    state_plane_zones_at, state_plane_zones_of_county,
};
pub use utm::{PolarGrid, UtmText, UtmZone, utm_text};
