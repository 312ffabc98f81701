//! Where layers lie, and which of them lie away from the others.

use velvet_peg_core::guess::Surroundings;
use velvet_peg_core::{Ellipsoid, Geodesic, Geographic};

/// Where a layer lies.
pub(crate) struct Spot {
    /// Which of the layers it is.
    pub(super) layer: usize,
    centre: Geographic,
    /// West, south, east, north.
    pub(super) bounds: [f64; 4],
    /// From the middle to where nine of ten positions lie within.
    reach_m: f64,
    /// Positions that do not stray.
    pub(super) places: Vec<Geographic>,
}

/// Of a layer with these places; none if it has none.
fn spot(layer: usize, places: &[Geographic], geodesic: &Geodesic) -> Option<Spot> {
    if places.is_empty() {
        return None;
    }
    let centre = middle_of(places);
    let mut far: Vec<f64> =
        places.iter().map(|place| geodesic.inverse(centre, *place).distance_m).collect();
    far.sort_by(f64::total_cmp);
    let reach_m = far[(far.len() - 1) * 9 / 10];
    // Strays do not make a layer overlap.
    let near: Vec<&Geographic> = places
        .iter()
        .filter(|place| geodesic.inverse(centre, **place).distance_m <= 3.0 * reach_m + 1.0)
        .collect();
    let limit = |value: fn(&Geographic) -> f64, better: fn(f64, f64) -> f64| {
        near.iter().map(|place| value(place)).reduce(better).unwrap_or(f64::NAN)
    };
    let bounds = [
        limit(|p| p.lon, f64::min),
        limit(|p| p.lat, f64::min),
        limit(|p| p.lon, f64::max),
        limit(|p| p.lat, f64::max),
    ];
    let places = near.into_iter().copied().collect();
    Some(Spot { layer, centre, bounds, reach_m, places })
}

/// The median of both coordinates.
pub(super) fn middle_of(places: &[Geographic]) -> Geographic {
    let median = |value: fn(&Geographic) -> f64| {
        let mut values: Vec<f64> = places.iter().map(value).collect();
        values.sort_by(f64::total_cmp);
        values[values.len() / 2]
    };
    Geographic { lat: median(|p| p.lat), lon: median(|p| p.lon) }
}

pub(super) fn touching(a: [f64; 4], b: [f64; 4]) -> bool {
    a[0] <= b[2] && b[0] <= a[2] && a[1] <= b[3] && b[1] <= a[3]
}

/// The largest group of spots that are near each other, directly or through others; of equal
/// ones the first.
fn largest_group(spots: &[Spot], near: &dyn Fn(&Spot, &Spot) -> bool) -> Vec<usize> {
    let mut best: Vec<usize> = Vec::new();
    let mut left: Vec<usize> = (0..spots.len()).collect();
    while let Some(first) = left.first().copied() {
        let mut group = vec![first];
        left.remove(0);
        let mut at = 0;
        while at < group.len() {
            let member = group[at];
            left.retain(|other| {
                let joins = near(&spots[member], &spots[*other]);
                if joins {
                    group.push(*other);
                }
                !joins
            });
            at += 1;
        }
        if group.len() > best.len() {
            best = group;
        }
    }
    best
}

/// Vertices of a layer that are looked at for the nearest to others.
const LOOKED_AT: usize = 100;

/// From the nearest of some places to the nearest of others, metres.
pub(super) fn nearest_m(places: &[Geographic], others: &Surroundings) -> f64 {
    let step = places.len().div_ceil(LOOKED_AT).max(1);
    places.iter().step_by(step).map(|at| others.nearest_m(*at)).fold(f64::INFINITY, f64::min)
}

/// How layers lie to each other.
pub(crate) struct Placement {
    /// Those that have a place.
    pub(super) spots: Vec<Spot>,
    /// Which of the spots are the largest group of layers near each other.
    home: Vec<usize>,
    /// Around the places of that group.
    pub(super) others: Surroundings,
    /// From its middle to the farthest of it, metres.
    pub(super) reach_m: f64,
}

impl Placement {
    /// Of layers with these places; none if no layer has a place.
    pub(crate) fn of(layers: &[Vec<Geographic>]) -> Option<Placement> {
        let geodesic = Geodesic::new(&Ellipsoid::from_epsg(7030).ok()?);
        let spots: Vec<Spot> = layers
            .iter()
            .enumerate()
            .filter_map(|(at, places)| spot(at, places, &geodesic))
            .collect();
        let near = |a: &Spot, b: &Spot| {
            let distance = geodesic.inverse(a.centre, b.centre).distance_m;
            // Layers of one district lie within their own sizes of each other.
            touching(a.bounds, b.bounds) || distance <= 3.0 * (a.reach_m.max(b.reach_m) + 100.0)
        };
        let home = largest_group(&spots, &near);
        let group = || home.iter().map(|at| &spots[*at]);
        let others =
            Surroundings::new(group().flat_map(|spot| spot.places.iter().copied())).ok()?;
        let middle = others.middle();
        let reach_m = group()
            .map(|spot| geodesic.inverse(middle, spot.centre).distance_m + spot.reach_m)
            .fold(0.0, f64::max);
        Some(Placement { spots, home, others, reach_m })
    }

    /// The layers of the largest group.
    pub(super) fn at_home(&self) -> impl Iterator<Item = usize> {
        self.home.iter().map(|at| self.spots[*at].layer)
    }

    /// The layers that lie away from it, each with the distance from the nearest of its places to the
    /// nearest of the group's, metres.
    pub(crate) fn away(&self) -> Vec<(usize, f64)> {
        let lost = (0..self.spots.len()).filter(|at| !self.home.contains(at));
        lost.map(|at| {
            let spot = &self.spots[at];
            (spot.layer, nearest_m(&spot.places, &self.others))
        })
        .collect()
    }
}

/// A distance as it is told.
pub(crate) fn kilometres(metres: f64) -> String {
    match metres {
        m if m < 1000.0 => format!("{m:.0} m"),
        m if m < 100_000.0 => format!("{:.1} km", m / 1000.0),
        m => format!("{:.0} km", m / 1000.0),
    }
}
