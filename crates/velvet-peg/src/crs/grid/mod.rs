//! Grid files that the user has got from their publishers: shifts between datums, models of the geoid.

mod files;
mod folder;

pub use files::{GridContent, GridInventory, GridUse, grids_between, grids_in};
pub use folder::{GridFolder, use_grid_folder};
pub use velvet_peg_core::grid::*;
