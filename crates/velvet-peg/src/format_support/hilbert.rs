//! Places in the order of a curve that fills the plane, on which neighbours are near each other.

use velvet_peg_core::Bounds;

/// Cells along each side.
const CELLS: f64 = 65_535.0;

/// How far along Hilbert's curve (Hilbert 1891, by the quadrants of each of 16 levels) the middle of a
/// box lies in the square that an extent is stretched to.
pub(crate) fn along(extent: &Bounds, middle: (f64, f64)) -> u32 {
    let cell = |value: f64, low: f64, high: f64| {
        let share = (value - low) / (high - low).max(f64::MIN_POSITIVE);
        (share * CELLS) as u32
    };
    let mut x = cell(middle.0, extent.west, extent.east);
    let mut y = cell(middle.1, extent.south, extent.north);
    let mut along = 0;
    for level in (0..16).rev() {
        let (right, upper) = (x >> level & 1, y >> level & 1);
        along = along << 2 | ((3 * right) ^ upper);
        if upper == 0 {
            if right == 1 {
                (x, y) = (!x, !y);
            }
            (x, y) = (y, x);
        }
    }
    along
}
