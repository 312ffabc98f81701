//! Longitudes and latitudes at the nodes of a grid over a map, between which a page interpolates.

use crate::draw::ground::within;
use crate::draw::view::View;
use serde_json::{Value, json};
use velvet_peg_core::{Bounds, Geographic};

/// Nodes along each side: the fewest that are exact enough are taken.
const NODES: [usize; 4] = [17, 33, 65, 129];
/// Metres that an interpolated position may be off.
const EXACT_M: f64 = 0.005;

/// Positions at the nodes, row by row from the south-west corner.
struct Lookup {
    nodes: usize,
    west: f64,
    south: f64,
    across: f64,
    up: f64,
    places: Vec<Geographic>,
}

impl Lookup {
    /// None where a node has no place on the Earth.
    fn over(view: &View, bounds: &Bounds, nodes: usize) -> Option<Lookup> {
        let ground = view.ground.as_ref()?;
        let steps = (nodes - 1) as f64;
        let across = (bounds.east - bounds.west) / steps;
        let up = (bounds.north - bounds.south) / steps;
        let middle =
            ground.place((bounds.west + bounds.east) / 2.0, (bounds.south + bounds.north) / 2.0)?;
        let mut places = Vec::with_capacity(nodes * nodes);
        for row in 0..nodes {
            for column in 0..nodes {
                let x = bounds.west + across * column as f64;
                let at = ground.place(x, bounds.south + up * row as f64)?;
                places.push(Geographic { lon: within(at.lon, middle.lon), lat: at.lat });
            }
        }
        Some(Lookup { nodes, west: bounds.west, south: bounds.south, across, up, places })
    }

    /// As the page interpolates: a polynomial of third degree through four nodes along each axis
    /// (Lagrange).
    fn at(&self, x: f64, y: f64) -> Geographic {
        let start = |from: f64, step: f64, value: f64| {
            let place = (value - from) / step;
            let first = (place.floor() - 1.0).clamp(0.0, (self.nodes - 4) as f64);
            (first as usize, weights(place - first))
        };
        let (column, across) = start(self.west, self.across, x);
        let (row, up) = start(self.south, self.up, y);
        let mut at = Geographic { lon: 0.0, lat: 0.0 };
        for (j, up) in up.iter().enumerate() {
            for (i, across) in across.iter().enumerate() {
                let node = self.places[(row + j) * self.nodes + column + i];
                at.lon += up * across * node.lon;
                at.lat += up * across * node.lat;
            }
        }
        at
    }

    /// The largest distance of an interpolated position from the exact one, metres; looked for
    /// between the nodes, where it is largest.
    fn error_m(&self, view: &View) -> Option<f64> {
        let ground = view.ground.as_ref()?;
        let mut largest: f64 = 0.0;
        for row in 0..self.nodes - 1 {
            for column in 0..self.nodes - 1 {
                let x = self.west + self.across * (column as f64 + 0.5);
                let y = self.south + self.up * (row as f64 + 0.5);
                let exact = ground.place(x, y)?;
                let near = self.at(x, y);
                let near = Geographic { lon: within(near.lon, 0.0), lat: near.lat };
                largest = largest.max(ground.metres(exact, near));
            }
        }
        Some(largest)
    }
}

/// Weights of four nodes at 0, 1, 2 and 3.
fn weights(t: f64) -> [f64; 4] {
    [
        -(t - 1.0) * (t - 2.0) * (t - 3.0) / 6.0,
        t * (t - 2.0) * (t - 3.0) / 2.0,
        -t * (t - 1.0) * (t - 3.0) / 2.0,
        t * (t - 1.0) * (t - 2.0) / 6.0,
    ]
}

/// The grid for a page, with its error; none where the map is not all on the Earth.
pub(super) fn lookup(view: &View, bounds: &Bounds) -> Option<Value> {
    let mut found = None;
    for nodes in NODES {
        let lookup = Lookup::over(view, bounds, nodes)?;
        let error = lookup.error_m(view)?;
        found = Some((lookup, error));
        if error < EXACT_M {
            break;
        }
    }
    let (lookup, error) = found?;
    // To a hundredth of a millimetre.
    let round = |degrees: f64| (degrees * 1e10).round() / 1e10;
    Some(json!({
        "nodes": lookup.nodes,
        "west": lookup.west,
        "south": lookup.south,
        "across": lookup.across,
        "up": lookup.up,
        "lon": lookup.places.iter().map(|at| round(at.lon)).collect::<Vec<_>>(),
        "lat": lookup.places.iter().map(|at| round(at.lat)).collect::<Vec<_>>(),
        "error": error,
    }))
}
