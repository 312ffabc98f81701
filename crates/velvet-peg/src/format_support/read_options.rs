//! How a file of layers is read, where it leaves a choice.

use velvet_peg_core::{Crs, LengthUnit};

/// How a file of layers is read, where it leaves a choice.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct ReadOptions {
    /// The farthest that a chord may lie from the curve that it stands for, in metres; in units of
    /// the coordinates where nothing says how long these are.
    pub tolerance: f64,
    /// Encoding of the texts of a Shapefile or drawing, by its name; what the file says, or looks
    /// like, if none.
    pub encoding: Option<String>,
    /// Read what inserted blocks of a drawing draw, not only the points where they are.
    pub blocks: bool,
    /// Keep members of GeoJSON features that the standard does not know, as columns.
    pub foreign_members: bool,
}

impl Default for ReadOptions {
    /// A tolerance of a millimetre.
    fn default() -> ReadOptions {
        ReadOptions { tolerance: 0.001, encoding: None, blocks: false, foreign_members: false }
    }
}

/// Metres of a degree of latitude, about (WGS 84, middle of the quadrant).
const DEGREE: f64 = 111_132.0;

impl ReadOptions {
    /// The tolerance in the units of a system's coordinates.
    pub(crate) fn tolerance_in(&self, crs: Option<&Crs>) -> f64 {
        match crs {
            None => self.tolerance,
            Some(crs) => match crs.length_unit() {
                Some(unit) => self.tolerance / unit.metres(),
                None => self.tolerance / DEGREE,
            },
        }
    }

    /// The tolerance in words, of coordinates in a system, if they are in a known one.
    pub(crate) fn tolerance_text(&self, crs: Option<&Crs>) -> String {
        self.in_words(crs.is_some())
    }

    /// The tolerance in words, of coordinates of which the unit is all that is known, if even that.
    pub(crate) fn tolerance_text_of(&self, unit: Option<LengthUnit>) -> String {
        self.in_words(unit.is_some())
    }

    fn in_words(&self, metres: bool) -> String {
        match metres {
            false => format!("{} units", self.tolerance),
            true if self.tolerance < 0.1 => format!("{} mm", self.tolerance * 1000.0),
            true => format!("{} m", self.tolerance),
        }
    }
}
