//! What operations are made executable for.

use crate::grid::Grids;
use std::sync::Arc;

/// Circumstances that decide whether a row can be run.
#[derive(Clone, Debug, Default)]
pub(crate) struct Setting {
    /// Epoch of the coordinates, decimal years.
    pub(crate) epoch: Option<f64>,
    /// True if positions have true ellipsoidal heights.
    pub(crate) heights: bool,
    pub(crate) grids: Option<Arc<Grids>>,
}
