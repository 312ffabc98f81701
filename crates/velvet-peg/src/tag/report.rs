//! What became of the points that were tagged.

use crate::examples::Examples;
use crate::notice::{Notice, NoticeKind};

/// What became of the points.
#[derive(Clone, Debug, Default)]
pub struct TagReport {
    /// Points within one polygon.
    pub inside: u64,
    /// Points on a boundary (of those in one or several).
    pub on_boundary: u64,
    /// Points in several polygons: of the first their number and label, and the labels of the
    /// polygons.
    pub several: Examples,
    /// Points that took the nearest polygon.
    pub nearest: u64,
    /// Points in none, the first of them with the distance to the nearest.
    pub none: Examples,
    /// Polygons that no point fell in.
    pub empty: u64,
    /// Polygons.
    pub polygons: u64,
}

impl TagReport {
    pub(super) fn notices(&self, within_m: Option<f64>) -> Vec<Notice> {
        let mut notices = Vec::new();
        if self.several.count > 0 {
            notices.push(
                Notice::warning(
                    NoticeKind::Containment,
                    format!(
                        "{} in several polygons; each took the first in the layer: {}",
                        points(self.several.count),
                        self.several.listed()
                    ),
                )
                .count(self.several.count),
            );
        }
        if self.none.count > 0 {
            let far = within_m.map_or(String::new(), |m| format!(" within {m} m"));
            notices.push(
                Notice::warning(
                    NoticeKind::Containment,
                    format!(
                        "{} in no polygon, and none{far}: {}",
                        points(self.none.count),
                        self.none.listed()
                    )
                    .replace(", and none:", ":"),
                )
                .count(self.none.count),
            );
        }
        if self.on_boundary > 0 {
            notices.push(
                Notice::note(
                    NoticeKind::Containment,
                    format!("{} on a boundary, which counts as in", points(self.on_boundary)),
                )
                .count(self.on_boundary),
            );
        }
        if self.empty > 0 {
            notices.push(
                Notice::note(
                    NoticeKind::Containment,
                    format!(
                        "{} of the {} polygons {} no point",
                        self.empty,
                        self.polygons,
                        if self.empty == 1 { "holds" } else { "hold" }
                    ),
                )
                .count(self.empty),
            );
        }
        notices
    }
}

fn points(count: u64) -> String {
    match count {
        1 => "1 point lies".to_string(),
        count => format!("{count} points lie"),
    }
}

/// A distance for people.
pub(super) fn metres(distance: f64) -> String {
    match distance {
        d if d < 10.0 => format!("{d:.3} m"),
        d if d < 10_000.0 => format!("{d:.1} m"),
        d => format!("{:.1} km", d / 1000.0),
    }
}
