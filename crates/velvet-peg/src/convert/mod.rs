//! Carrying layers and tables into another reference system.

mod carried;
mod in_memory;
mod layer;
mod layers;
mod table;

pub use crate::reproject::{Way, route_notices};
pub use in_memory::Converted;
pub use layer::ConvertLayer;
pub(crate) use layer::coordinates_in_expressions;
pub use layers::{ConvertLayers, ConvertedLayers};
pub use table::ConvertTable;

use crate::output::rejects_path;
use std::path::{Path, PathBuf};

/// Path beside an output for its rejects, for callers that announce it.
///
/// ```
/// use std::path::Path;
/// assert_eq!(velvet_peg::convert::rejects_beside(Path::new("a/gates.gpkg")), Path::new("a/gates.gpkg.rejects.csv"));
/// ```
pub fn rejects_beside(out: &Path) -> PathBuf {
    rejects_path(out)
}
