//! Files of grids of shifts and heights, in all layouts.

use super::bench::parts;
use velvet_peg_core::grid::ShiftGrid;

/// Methods whose files differ in their layout.
const METHODS: [u32; 18] = [
    9615, 9613, 1074, 1075, 1134, 9665, 1060, 1048, 9662, 1047, 1117, 1025, 1085, 1073, 1087, 1030,
    9658, 1123,
];

/// The first byte tells the method, the rest are its files.
pub fn grid_file(data: &[u8]) {
    let Some((first, data)) = data.split_first() else { return };
    let method = METHODS[usize::from(*first) % METHODS.len()];
    let [a, b, c] = parts(data);
    let files: &[&[u8]] = match method {
        9613 | 1074 => &[a, b],
        1075 => &[a, b, c],
        _ => &[data],
    };
    if let Ok(grid) = ShiftGrid::parse(method, files) {
        assert!(grid.nodes() > 0 || grid.boxes().is_empty());
        for bounds in grid.boxes() {
            assert!(bounds.west <= bounds.east && bounds.south <= bounds.north, "{bounds:?}");
        }
    }
}
