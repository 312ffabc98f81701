//! Where coordinates should be, and how far from it they land.

use super::surroundings::Surroundings;
use crate::error::{Error, Result};
use crate::geodesic::Geodesic;
use crate::position::Geographic;
use crate::zones::county_at;

/// What is known of where coordinates should be.
#[derive(Clone, Debug)]
pub enum Expected {
    /// Near a place: the typical distance from it is what counts.
    Near(Geographic),
    /// Among other features: the typical distance from the nearest of them is what counts.
    Among(Box<Surroundings>),
    /// In a state of the United States, by name.
    State(String),
    /// At known positions, one for each coordinate in the same order.
    Known(Vec<Geographic>),
}

impl Expected {
    /// Metres beyond which a guess is no answer: a place is named by people, features lie together,
    /// and positions that are known are those of the same points on another datum at most.
    pub fn limit_m(&self) -> f64 {
        match self {
            Expected::Near(_) | Expected::Among(_) => 100_000.0,
            Expected::State(_) => 0.0,
            Expected::Known(_) => 2_000.0,
        }
    }
}

/// Distances from what is expected.
pub(super) struct Target<'a> {
    expected: &'a Expected,
    geodesic: &'a Geodesic,
    /// The place that areas of use have to reach.
    pub(super) centre: Geographic,
}

impl<'a> Target<'a> {
    pub(super) fn new(
        expected: &'a Expected,
        sample: &[usize],
        geodesic: &'a Geodesic,
    ) -> Result<Target<'a>> {
        let centre = match expected {
            Expected::Near(place) => *place,
            Expected::Among(features) => features.middle(),
            Expected::Known(places) => {
                let usable = |place: &&Geographic| place.lat.is_finite() && place.lon.is_finite();
                let known = sample.iter().filter_map(|at| places.get(*at)).filter(usable);
                let known: Vec<Geographic> = known.copied().collect();
                known
                    .get(known.len() / 2)
                    .copied()
                    .ok_or_else(|| Error::malformed("none of the known positions can be used"))?
            }
            Expected::State(name) => crate::zones::state_centre(name).ok_or_else(|| {
                Error::malformed(format!("`{name}` is not a state of the United States"))
            })?,
        };
        Ok(Target { expected, geodesic, centre })
    }

    /// Metres from where the coordinate of that number should be.
    pub(super) fn miss(&self, at: usize, place: Option<Geographic>) -> f64 {
        let Some(place) = place else { return f64::INFINITY };
        let from = |target: Geographic| self.geodesic.inverse(place, target).distance_m;
        match self.expected {
            Expected::Near(target) => from(*target),
            Expected::Known(targets) => targets.get(at).map_or(f64::INFINITY, |place| from(*place)),
            Expected::Among(features) => features.nearest_m(place),
            Expected::State(state) => match county_at(place) {
                Some(county) if county.state.eq_ignore_ascii_case(state) => 0.0,
                _ => from(self.centre),
            },
        }
    }

    /// True if it is plain that a place is farther than so many metres from where it should be.
    pub(super) fn is_beyond(&self, at: usize, place: Option<Geographic>, metres: f64) -> bool {
        let Some(place) = place else { return true };
        match self.expected {
            Expected::Near(target) => least_m(place, *target) > metres,
            Expected::Known(targets) => {
                targets.get(at).is_none_or(|target| least_m(place, *target) > metres)
            }
            Expected::Among(_) | Expected::State(_) => false,
        }
    }

    /// Whether most of the places lie inside what is expected: the box around the other features,
    /// or the state. None where there is no inside.
    pub(super) fn holds(&self, places: &[Option<Geographic>]) -> Option<bool> {
        let inside = |place: &Geographic| match self.expected {
            Expected::Among(features) => Some(features.contains(*place)),
            Expected::State(_) => Some(self.miss(0, Some(*place)) == 0.0),
            Expected::Near(_) | Expected::Known(_) => None,
        };
        let held: Option<Vec<bool>> = places.iter().flatten().map(inside).collect();
        held.map(|held| held.iter().filter(|inside| **inside).count() * 2 > places.len())
    }
}

/// Metres that two places are apart at least: the angle between their plumb lines, at the smallest radius of
/// curvature of WGS 84 (b²/a, in the meridian at the equator).
fn least_m(a: Geographic, b: Geographic) -> f64 {
    const RADIUS_M: f64 = 6_335_439.0;
    let square = |degrees: f64| (degrees.to_radians() / 2.0).sin().powi(2);
    let cos = a.lat.to_radians().cos() * b.lat.to_radians().cos();
    let half = square(a.lat - b.lat) + cos * square(a.lon - b.lon);
    2.0 * RADIUS_M * half.clamp(0.0, 1.0).sqrt().asin()
}
