//! Geocentric translations by grid, EPSG method 1087: the translations are interpolated at the place on
//! the newer of the two datums, so that from the older one the place is found by rounds.

use super::State;
use crate::crs::Side;
use crate::geocentric;
use crate::grid::ShiftGrid;
use crate::math::degrees::wrap;

/// Rounds until a place no longer moves: translations change by parts in a hundred thousand.
const ROUNDS: usize = 12;

/// None outside the grid.
pub(super) fn run(
    grid: &ShiftGrid,
    reversed: bool,
    state: State,
    (from, to): (&Side, &Side),
    heights: bool,
) -> Option<State> {
    // Defined for places without a height: they are taken on the ellipsoid, and what height results is
    // dropped.
    let at = if heights { state } else { State { h: 0.0, ..state } };
    let moved = match (reversed, heights) {
        (false, _) => forward(grid, at, from, to)?,
        (true, true) => translated(grid, at, at, -1.0, (from, to))?,
        (true, false) => {
            // The place whose image this is, so that there and back closes.
            let mut found = translated(grid, at, at, -1.0, (from, to))?;
            for _ in 0..ROUNDS {
                let image = forward(grid, State { h: 0.0, ..found }, to, from)?;
                let off = (wrap(state.lon - image.lon), state.lat - image.lat);
                found = State { lon: found.lon + off.0, lat: found.lat + off.1, ..found };
                if off.0.abs() + off.1.abs() < 1e-13 {
                    break;
                }
            }
            found
        }
    };
    Some(if heights { moved } else { State { h: state.h, ..moved } })
}

/// From the older datum to the newer one.
fn forward(grid: &ShiftGrid, state: State, from: &Side, to: &Side) -> Option<State> {
    let mut found = state;
    for _ in 0..ROUNDS {
        let next = translated(grid, state, found, 1.0, (from, to))?;
        let change = wrap(next.lon - found.lon).abs() + (next.lat - found.lat).abs();
        found = next;
        if change < 1e-13 {
            break;
        }
    }
    Some(found)
}

/// A state translated by what the grid holds at another, times a sign.
fn translated(
    grid: &ShiftGrid,
    state: State,
    at: State,
    sign: f64,
    (from, to): (&Side, &Side),
) -> Option<State> {
    let by = grid.values(at.position()).filter(|by| by.iter().all(|metres| metres.is_finite()))?;
    let place = State { lon: state.lon + from.prime_meridian_deg, ..state };
    let p = geocentric::from_geographic(&from.ellipsoid, place.position(), state.h);
    let moved = std::array::from_fn(|axis| p[axis] + sign * by[axis]);
    let (at, h) = geocentric::to_geographic(&to.ellipsoid, moved);
    Some(State { lon: wrap(at.lon - to.prime_meridian_deg), lat: at.lat, h })
}
