//! The columns of a table of courses, named or found by their headers.

use crate::advice::Advice;
use crate::error::{Error, Result};
use crate::layer::column_names::{list, position};

/// Names of the columns of a table of courses.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct CourseNames {
    /// Direction: a quadrant bearing or an azimuth. On a curve's row that of its chord; blank
    /// for a curve that goes on from the course before it without a bend.
    pub bearing: Option<String>,
    /// Distance; on a curve's row the length of the arc, which is compared.
    pub distance: Option<String>,
    /// Radius of a curve; blank on straight courses.
    pub radius: Option<String>,
    /// Central angle of a curve; blank if its arc length is given.
    pub delta: Option<String>,
    /// Which way a curve turns: left or right.
    pub turn: Option<String>,
}

/// Places of the columns.
pub(super) struct CourseColumns {
    pub(super) bearing: usize,
    pub(super) distance: usize,
    pub(super) radius: Option<usize>,
    pub(super) delta: Option<usize>,
    pub(super) turn: Option<usize>,
}

impl CourseNames {
    /// True if a table has columns of courses.
    pub(crate) fn fit(&self, headers: &[String]) -> bool {
        self.find(headers).is_ok()
    }

    pub(super) fn find(&self, headers: &[String]) -> Result<CourseColumns> {
        let look = |named: &Option<String>, words: &[&str]| -> Result<Option<usize>> {
            if let Some(name) = named {
                return position(headers, name, None).map(Some);
            }
            let plain = |text: &str| text.to_ascii_lowercase().replace([' ', '-'], "_");
            Ok(words.iter().find_map(|word| headers.iter().position(|h| plain(h) == *word)))
        };
        let need = |found: Option<usize>, what: &str| {
            found.ok_or_else(|| {
                Error::usage(format!(
                    "no column looks like the {what} of courses; the columns are {}",
                    list(headers)
                ))
                .advise(Advice::NameCourseColumns)
            })
        };
        let bearing =
            look(&self.bearing, &["bearing", "azimuth", "direction", "brg", "az", "course"])?;
        let distance =
            look(&self.distance, &["distance", "dist", "length", "horizontal_distance", "len"])?;
        Ok(CourseColumns {
            bearing: need(bearing, "bearing")?,
            distance: need(distance, "distance")?,
            radius: look(&self.radius, &["radius", "rad"])?,
            delta: look(&self.delta, &["delta", "central_angle", "delta_angle"])?,
            turn: look(&self.turn, &["turn", "turns", "curve", "hand", "curve_direction"])?,
        })
    }
}

/// The columns that say where parcels begin, by their names: `start_e` and `start_n`, `Begin X` and
/// `Begin Y`, `POB easting` and `POB northing`.
pub(super) fn starts_in(headers: &[String]) -> Option<[usize; 2]> {
    let find = |sides: &[&str]| -> Option<usize> {
        let fits = |header: &String| {
            let lower = header.to_lowercase();
            let words: Vec<&str> = lower
                .split(|c: char| !c.is_alphanumeric())
                .filter(|word| !word.is_empty())
                .collect();
            let begins = ["start", "begin", "beginning", "pob"];
            words.len() >= 2
                && words.iter().any(|word| begins.contains(word))
                && words.iter().any(|word| sides.contains(word))
        };
        let mut found = headers.iter().enumerate().filter(|(_, header)| fits(header));
        match (found.next(), found.next()) {
            (Some((at, _)), None) => Some(at),
            _ => None,
        }
    };
    Some([find(&["e", "east", "easting", "x"])?, find(&["n", "north", "northing", "y"])?])
}
