//! Coordinates in another system at the nodes of a grid over a map, between which a page
//! interpolates.

use crate::draw::ground::{Ground, within};
use crate::draw::view::View;
use serde_json::{Value, json};
use velvet_peg_core::{Bounds, Converter, Coordinate, Crs, Geographic, PlanOptions};

/// Nodes along each side: the fewest that are exact enough are taken.
const NODES: [usize; 4] = [17, 33, 65, 129];
/// Metres that an interpolated position may be off.
const EXACT_M: f64 = 0.005;

/// What stands at the nodes.
trait Target {
    /// First and second coordinate of a place of the map; none where there is none.
    fn at(&self, x: f64, y: f64) -> Option<(f64, f64)>;
    /// The same, as near as may be to another: both sides of 180° are one place.
    fn near(&self, at: (f64, f64), other: (f64, f64)) -> (f64, f64);
    /// Metres between two places.
    fn metres(&self, a: (f64, f64), b: (f64, f64)) -> f64;
    /// Decimals that tell a hundredth of a millimetre.
    fn decimals(&self) -> i32;
}

/// Longitude and latitude.
struct Degrees<'a>(&'a Ground);

impl Target for Degrees<'_> {
    fn at(&self, x: f64, y: f64) -> Option<(f64, f64)> {
        self.0.place(x, y).map(|at| (at.lon, at.lat))
    }

    fn near(&self, at: (f64, f64), other: (f64, f64)) -> (f64, f64) {
        (within(at.0, other.0), at.1)
    }

    fn metres(&self, a: (f64, f64), b: (f64, f64)) -> f64 {
        let place = |(lon, lat): (f64, f64)| Geographic { lon: within(lon, 0.0), lat };
        self.0.metres(place(a), place(b))
    }

    fn decimals(&self) -> i32 {
        10
    }
}

/// Coordinates of another system.
struct Other<'a> {
    view: &'a View,
    to: &'a Crs,
    converter: Converter,
    /// Metres in its unit; none of degrees.
    unit: Option<f64>,
    /// Degrees in its unit.
    degrees: f64,
}

impl<'a> Other<'a> {
    fn of(view: &'a View, bounds: &Bounds, to: &'a Crs) -> Option<Other<'a>> {
        let from = view.crs.as_ref()?;
        let area = crate::reproject::area_of(from, bounds);
        let options = PlanOptions { area, ..PlanOptions::default() };
        let converter = Converter::plan(from, to, &options).ok()?;
        let unit = to.length_unit().filter(|_| to.is_projected()).map(|unit| unit.metres());
        Some(Other { view, to, converter, unit, degrees: to.degrees_per_unit().unwrap_or(1.0) })
    }
}

impl Target for Other<'_> {
    fn at(&self, x: f64, y: f64) -> Option<(f64, f64)> {
        let at = self.converter.convert(Coordinate::xy(self.view.rolled(x), y)).ok()?;
        (at.x.is_finite() && at.y.is_finite()).then_some((at.x, at.y))
    }

    fn near(&self, at: (f64, f64), other: (f64, f64)) -> (f64, f64) {
        match self.to.is_geographic() {
            true => (within(at.0 * self.degrees, other.0 * self.degrees) / self.degrees, at.1),
            false => at,
        }
    }

    fn metres(&self, a: (f64, f64), b: (f64, f64)) -> f64 {
        // A degree of latitude is at most this long.
        let unit = self.unit.unwrap_or(111_700.0 * self.degrees);
        (a.0 - b.0).hypot(a.1 - b.1) * unit
    }

    fn decimals(&self) -> i32 {
        if self.unit.is_some() { 5 } else { 10 }
    }
}

/// Coordinates at the nodes, row by row from the south-west corner.
struct Lookup<'a> {
    nodes: usize,
    west: f64,
    south: f64,
    across: f64,
    up: f64,
    target: &'a dyn Target,
    places: Vec<(f64, f64)>,
}

impl<'a> Lookup<'a> {
    /// None where a node has no place.
    fn over(target: &'a dyn Target, bounds: &Bounds, nodes: usize) -> Option<Lookup<'a>> {
        let steps = (nodes - 1) as f64;
        let across = (bounds.east - bounds.west) / steps;
        let up = (bounds.north - bounds.south) / steps;
        let middle =
            target.at((bounds.west + bounds.east) / 2.0, (bounds.south + bounds.north) / 2.0)?;
        let mut places = Vec::with_capacity(nodes * nodes);
        for row in 0..nodes {
            for column in 0..nodes {
                let x = bounds.west + across * column as f64;
                let at = target.at(x, bounds.south + up * row as f64)?;
                places.push(target.near(at, middle));
            }
        }
        let (west, south) = (bounds.west, bounds.south);
        Some(Lookup { nodes, west, south, across, up, target, places })
    }

    /// As the page interpolates: a polynomial of third degree through four nodes along each axis
    /// (Lagrange).
    fn at(&self, x: f64, y: f64) -> (f64, f64) {
        let start = |from: f64, step: f64, value: f64| {
            let place = (value - from) / step;
            let first = (place.floor() - 1.0).clamp(0.0, (self.nodes - 4) as f64);
            (first as usize, weights(place - first))
        };
        let (column, across) = start(self.west, self.across, x);
        let (row, up) = start(self.south, self.up, y);
        let mut at = (0.0, 0.0);
        for (j, up) in up.iter().enumerate() {
            for (i, across) in across.iter().enumerate() {
                let node = self.places[(row + j) * self.nodes + column + i];
                at.0 += up * across * node.0;
                at.1 += up * across * node.1;
            }
        }
        at
    }

    /// The largest distance of an interpolated position from the exact one, metres; looked for
    /// between the nodes, where it is largest.
    fn error_m(&self) -> Option<f64> {
        let mut largest: f64 = 0.0;
        for row in 0..self.nodes - 1 {
            for column in 0..self.nodes - 1 {
                let x = self.west + self.across * (column as f64 + 0.5);
                let y = self.south + self.up * (row as f64 + 0.5);
                let near = self.at(x, y);
                let exact = self.target.near(self.target.at(x, y)?, near);
                largest = largest.max(self.target.metres(exact, near));
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

/// The grid for a page, with its error; none where not all of it has a place.
fn grid(target: &dyn Target, bounds: &Bounds) -> Option<Value> {
    let mut found = None;
    for nodes in NODES {
        let lookup = Lookup::over(target, bounds, nodes)?;
        let error = lookup.error_m()?;
        found = Some((lookup, error));
        if error < EXACT_M {
            break;
        }
    }
    let (lookup, error) = found?;
    let power = 10f64.powi(target.decimals());
    let short = |value: f64| (value * power).round() / power;
    Some(json!({
        "nodes": lookup.nodes,
        "west": lookup.west,
        "south": lookup.south,
        "across": lookup.across,
        "up": lookup.up,
        "first": lookup.places.iter().map(|at| short(at.0)).collect::<Vec<_>>(),
        "second": lookup.places.iter().map(|at| short(at.1)).collect::<Vec<_>>(),
        "error": error,
    }))
}

/// Longitudes and latitudes over some bounds of a map.
pub(super) fn degrees(view: &View, bounds: &Bounds) -> Option<Value> {
    grid(&Degrees(view.ground.as_ref()?), bounds)
}

/// Coordinates of another system over some bounds of a map, with its name.
pub(super) fn other(view: &View, bounds: &Bounds, to: &Crs) -> Option<Value> {
    let other = Other::of(view, bounds, to)?;
    let mut grid = grid(&other, bounds)?;
    grid["name"] = json!(to.name());
    grid["unit"] = json!(match to.is_geographic() {
        true => "°",
        false => to.length_unit().map_or("", |unit| unit.symbol()),
    });
    grid["degrees"] = json!(to.is_geographic());
    grid["known"] = json!(other.converter.route().accuracy_m());
    Some(grid)
}
