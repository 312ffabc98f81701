//! Shared lines of outlines, and polygons that are made of them.

use crate::table::Reader;

/// A line between junctions: longitude and latitude, degrees.
pub type Arc = Vec<(f64, f64)>;

/// Polygons of rings of arcs, the first ring outside; an arc run backwards is given as the
/// complement (`!number`) of its number.
pub type Polygons = Vec<Vec<Vec<i64>>>;

/// Decodes the arcs at the head of a table; the reader stands behind them.
///
/// Layout: scale and origin (4 doubles, little endian), then the count of arcs, each a count of
/// points as steps of the grid.
pub(crate) fn arcs(bytes: &'static [u8]) -> (Vec<Arc>, Reader) {
    let (head, rest) = bytes.split_at(32);
    let number = |at: usize| {
        let mut raw = [0; 8];
        raw.copy_from_slice(&head[at * 8..at * 8 + 8]);
        f64::from_le_bytes(raw)
    };
    let (scale, origin) = ((number(0), number(1)), (number(2), number(3)));
    let mut row = Reader::new(rest);
    let arcs = (0..row.number())
        .map(|_| {
            let (mut x, mut y) = (0, 0);
            (0..row.number())
                .map(|_| {
                    x += row.signed();
                    y += row.signed();
                    (x as f64 * scale.0 + origin.0, y as f64 * scale.1 + origin.1)
                })
                .collect()
        })
        .collect();
    (arcs, row)
}

pub(crate) fn polygons(row: &mut Reader) -> Polygons {
    (0..row.number())
        .map(|_| {
            (0..row.number()).map(|_| (0..row.number()).map(|_| row.signed()).collect()).collect()
        })
        .collect()
}
