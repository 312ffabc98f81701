//! What the rows of a table are, if not points: vertices of lines or polygons, or the courses of
//! deeds.

use csv::StringRecord;
use std::collections::HashSet;

/// Names of columns that put vertices in order.
const ORDER: [&str; 15] = [
    "vertex",
    "point",
    "corner",
    "seq",
    "sequence",
    "order",
    "no",
    "nr",
    "pt",
    "idx",
    "index",
    "vertex_no",
    "point_no",
    "point_id",
    "ord",
];

/// The column that tells features apart and the one that orders their vertices, if the first
/// rows of a table look like vertices: a numbering, and a column with few different values.
pub(crate) fn vertices(
    headers: &[String],
    head: &[StringRecord],
    coordinates: (usize, usize),
) -> Option<(usize, usize)> {
    let plain = |text: &String| text.trim().to_ascii_lowercase().replace([' ', '-'], "_");
    let order = headers.iter().position(|name| ORDER.contains(&plain(name).as_str()))?;
    let values = |at: usize| {
        head.iter().filter_map(move |row| row.get(at)).filter(|cell| !cell.trim().is_empty())
    };
    let different = |at: usize| values(at).collect::<HashSet<_>>().len();
    // A numbering begins again with every feature.
    if head.len() < 4 || different(order) == head.len() {
        return None;
    }
    let group = (0..headers.len()).find(|at| {
        let taken = [order, coordinates.0, coordinates.1].contains(at);
        !taken && values(*at).count() == head.len() && different(*at) * 3 <= head.len()
    })?;
    Some((group, order))
}
