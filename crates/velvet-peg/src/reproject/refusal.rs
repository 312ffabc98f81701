//! Why a place cannot be carried to another reference system.

use crate::format_support::pair_text;
use velvet_peg_core::{Converter, Coordinate};

/// Why a place cannot be carried: it lies outside a grid of the way, or has no place in the target.
pub(crate) fn not_carried(converter: &Converter, at: Coordinate) -> String {
    let target = converter.target().label();
    let grid = converter.grid_left(at).map_or(String::new(), |grid| format!(": {grid}"));
    format!("{} cannot be carried to {target}{grid}", pair_text(at.x, at.y))
}
