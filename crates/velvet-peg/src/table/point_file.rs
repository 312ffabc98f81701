//! Point files of surveys, which have no header: the point, two coordinates, the elevation and a
//! description (PNEZD, PENZD), or the same without the point (NEZD, XYZD).

use crate::format_support::first_row::is_figure;
use csv::StringRecord;

/// What the columns of a point file hold, in their order, the northing first.
pub(crate) fn names(rows: &[StringRecord]) -> Option<Vec<&'static str>> {
    let width = rows.first()?.len();
    if rows.iter().any(|row| row.len() != width) {
        return None;
    }
    let figures = |at: usize| {
        let mut cells = rows.iter().map(|row| row[at].trim()).filter(|cell| !cell.is_empty());
        cells.clone().next().is_some() && cells.all(is_figure)
    };
    let with_point = |at: usize| rows.iter().any(|row| row[at].contains('.'));
    let description = ["description"];
    let plane = ["northing", "easting", "elevation"];
    let kinds: Vec<bool> = (0..width).map(figures).collect();
    let named = |front: &[&'static str]| -> Option<Vec<&'static str>> {
        let fits = kinds[front.len()..front.len() + 3].iter().all(|figure| *figure);
        // Coordinates have digits behind the point, numbers of points have none.
        let exact = with_point(front.len()) && with_point(front.len() + 1);
        let rest = width - front.len() - 3;
        (fits && exact && rest <= 1).then(|| [front, &plane, &description[..rest]].concat())
    };
    match width {
        3 => named(&[]),
        4 if !with_point(0) || !kinds[0] => named(&["point"]),
        4 => named(&[]),
        5 => named(&["point"]),
        _ => None,
    }
}
