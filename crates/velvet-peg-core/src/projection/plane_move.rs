//! What is done with a plane so that another follows from it.

use super::kernel::Factors;
use super::plane_affine::PlaneAffine;
use super::plane_similarity::PlaneSimilarity;

/// What is done with a plane so that another follows from it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum PlaneMove {
    /// It is turned, scaled and shifted.
    Similarity(PlaneSimilarity),
    /// It is stretched and skewed, too.
    Affine(PlaneAffine),
}

/// What the number of a parameter is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum PlaneNumber {
    /// A length, in the unit of both planes.
    Length,
    /// A ratio.
    Ratio,
    /// Degrees.
    Degrees,
}

impl PlaneMove {
    /// EPSG codes of the methods.
    pub(crate) const SIMILARITY: u32 = 9621;
    pub(crate) const AFFINE: u32 = 9624;

    /// EPSG code of the method.
    pub fn method_code(&self) -> u32 {
        match self {
            PlaneMove::Similarity(_) => PlaneMove::SIMILARITY,
            PlaneMove::Affine(_) => PlaneMove::AFFINE,
        }
    }

    /// EPSG codes of the parameters, in the order of the registry, with their numbers.
    pub(crate) fn parameters(&self) -> Vec<(u32, f64, PlaneNumber)> {
        use PlaneNumber::{Degrees, Length, Ratio};
        match self {
            PlaneMove::Similarity(turn) => vec![
                (8621, turn.origin.0, Length),
                (8622, turn.origin.1, Length),
                (1061, turn.scale, Ratio),
                (8614, turn.rotation_deg, Degrees),
            ],
            PlaneMove::Affine(affine) => vec![
                (8623, affine.origin.0, Length),
                (8624, affine.first.0, Ratio),
                (8625, affine.second.0, Ratio),
                (8639, affine.origin.1, Length),
                (8640, affine.first.1, Ratio),
                (8641, affine.second.1, Ratio),
            ],
        }
    }

    /// The similarity, if it is one.
    pub fn similarity(&self) -> Option<PlaneSimilarity> {
        match self {
            PlaneMove::Similarity(turn) => Some(*turn),
            PlaneMove::Affine(_) => None,
        }
    }

    /// The same with lengths in metres, of one in units of so many metres.
    pub(crate) fn in_metres(self, unit_m: f64) -> PlaneMove {
        match self {
            PlaneMove::Similarity(turn) => PlaneMove::Similarity(turn.in_metres(unit_m)),
            PlaneMove::Affine(affine) => PlaneMove::Affine(PlaneAffine {
                origin: (affine.origin.0 * unit_m, affine.origin.1 * unit_m),
                ..affine
            }),
        }
    }

    /// A place of the old plane in the new one.
    pub fn apply(&self, at: (f64, f64)) -> (f64, f64) {
        match self {
            PlaneMove::Similarity(turn) => turn.apply(at),
            PlaneMove::Affine(affine) => affine.apply(at),
        }
    }

    /// A place of the new plane in the old one.
    pub fn apply_inverse(&self, at: (f64, f64)) -> (f64, f64) {
        match self {
            PlaneMove::Similarity(turn) => turn.apply_inverse(at),
            PlaneMove::Affine(affine) => affine.apply_inverse(at),
        }
    }

    pub(crate) fn factors(&self, old: Factors) -> Factors {
        match self {
            PlaneMove::Similarity(turn) => turn.factors(old),
            PlaneMove::Affine(affine) => affine.factors(old),
        }
    }
}

impl From<PlaneSimilarity> for PlaneMove {
    fn from(turn: PlaneSimilarity) -> PlaneMove {
        PlaneMove::Similarity(turn)
    }
}

impl From<PlaneAffine> for PlaneMove {
    fn from(affine: PlaneAffine) -> PlaneMove {
        PlaneMove::Affine(affine)
    }
}
