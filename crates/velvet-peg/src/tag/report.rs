//! What became of the points that were tagged.

use crate::notice::Notice;

/// What became of the points.
#[derive(Clone, Debug, Default)]
pub struct TagReport {
    /// Points within one polygon.
    pub inside: u64,
    /// Points on a boundary (of those in one or several).
    pub on_boundary: u64,
    /// Points in several polygons.
    pub several: u64,
    /// Points that took the nearest polygon.
    pub nearest: u64,
    /// Points in none.
    pub none: u64,
    /// The first points in several: their number and label, and the labels of the polygons.
    pub first_several: Vec<String>,
    /// The first points in none, with the distance to the nearest.
    pub first_none: Vec<String>,
    /// Polygons that no point fell in.
    pub empty: u64,
    /// Polygons.
    pub polygons: u64,
}

impl TagReport {
    pub(super) fn notices(&self, within_m: Option<f64>) -> Vec<Notice> {
        let mut notices = Vec::new();
        let listed = |count: u64, first: &[String]| match count as usize - first.len() {
            0 => first.join("; "),
            more => format!("{}; and {more} more", first.join("; ")),
        };
        if self.several > 0 {
            notices.push(Notice::warning(format!(
                "{} in several polygons; each took the first in the layer: {}",
                points(self.several),
                listed(self.several, &self.first_several)
            )));
        }
        if self.none > 0 {
            let far = within_m.map_or(String::new(), |m| format!(" within {m} m"));
            notices.push(Notice::warning(
                format!(
                    "{} in no polygon, and none{far}: {}",
                    points(self.none),
                    listed(self.none, &self.first_none)
                )
                .replace(", and none:", ":"),
            ));
        }
        if self.on_boundary > 0 {
            notices.push(Notice::note(format!(
                "{} on a boundary, which counts as in",
                points(self.on_boundary)
            )));
        }
        if self.empty > 0 {
            notices.push(Notice::note(format!(
                "{} of the {} polygons hold no point",
                self.empty, self.polygons
            )));
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
