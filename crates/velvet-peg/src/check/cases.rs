//! Cases that are counted, of which the first are told, with where on the map they are.

use crate::examples::Examples;
use serde::Serialize;

/// Where something was found.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Place {
    /// Number of the feature in its layer, from 1.
    pub feature: u64,
    /// First coordinate, in the layer's own unit.
    pub x: f64,
    /// Second coordinate, in the layer's own unit.
    pub y: f64,
}

/// Cases that have a place.
#[derive(Debug, Default)]
pub(super) struct Cases {
    examples: Examples,
    places: Vec<Place>,
}

impl Cases {
    /// Counts a case of a feature; its words are asked for only if it is among the first, which are
    /// those whose places are kept.
    pub(super) fn add(
        &mut self,
        feature: u64,
        at: Option<(f64, f64)>,
        case: impl FnOnce() -> String,
    ) {
        let told = self.examples.first.len();
        self.examples.add(case);
        if self.examples.first.len() > told
            && let Some((x, y)) = at.filter(|(x, y)| x.is_finite() && y.is_finite())
        {
            self.places.push(Place { feature, x, y });
        }
    }

    pub(super) fn count(&self) -> u64 {
        self.examples.count
    }

    pub(super) fn listed(&self) -> String {
        self.examples.listed()
    }

    pub(super) fn places(&self) -> Vec<Place> {
        self.places.clone()
    }
}
