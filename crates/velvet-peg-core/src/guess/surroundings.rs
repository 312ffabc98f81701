//! Features known by some of their vertices, and how far from them a place lies.

use crate::ellipsoid::Ellipsoid;
use crate::error::{Error, Result};
use crate::extent::Bounds;
use crate::geodesic::Geodesic;
use crate::position::Geographic;

/// Vertices that take part.
const VERTICES: usize = 400;

/// Features that others should lie among, known by some of their vertices.
///
/// ```
/// use velvet_peg_core::Geographic;
/// use velvet_peg_core::guess::Surroundings;
/// let corners = [(47.0, -120.0), (47.0, -119.0), (48.0, -119.0), (48.0, -120.0)];
/// let place = |(lat, lon)| Geographic { lat, lon };
/// let fields = Surroundings::new(corners.map(place))?;
/// assert!(fields.contains(place((47.1, -119.2))));
/// assert_eq!(fields.nearest_m(place((46.0, -120.0))).round(), 111_161.0);
/// # Ok::<(), velvet_peg_core::Error>(())
/// ```
#[derive(Clone, Debug)]
pub struct Surroundings {
    /// Vertices, with their directions from the middle of the Earth.
    vertices: Vec<(Geographic, [f64; 3])>,
    bounds: Bounds,
    middle: Geographic,
    geodesic: Geodesic,
}

impl Surroundings {
    /// Of vertices; at most 400 of them, evenly chosen, take part in distances.
    ///
    /// # Errors
    /// If there are none with finite coordinates.
    pub fn new(vertices: impl IntoIterator<Item = Geographic>) -> Result<Surroundings> {
        let usable = |place: &Geographic| place.lat.is_finite() && place.lon.is_finite();
        let all: Vec<Geographic> = vertices.into_iter().filter(usable).collect();
        let middle =
            middle(&all).ok_or_else(|| Error::malformed("there are no features to be among"))?;
        let mut bounds =
            Bounds { south: middle.lat, west: middle.lon, north: middle.lat, east: middle.lon };
        for place in &all {
            bounds.south = bounds.south.min(place.lat);
            bounds.north = bounds.north.max(place.lat);
            bounds.west = bounds.west.min(place.lon);
            bounds.east = bounds.east.max(place.lon);
        }
        let step = all.len().div_ceil(VERTICES);
        let chosen = all.into_iter().step_by(step).map(|place| (place, direction(place)));
        let geodesic = Geodesic::new(&Ellipsoid::from_epsg(7030)?);
        Ok(Surroundings { vertices: chosen.collect(), bounds, middle, geodesic })
    }

    /// The median of their latitudes and longitudes.
    pub fn middle(&self) -> Geographic {
        self.middle
    }

    /// Whether a place lies in the box around them.
    pub fn contains(&self, place: Geographic) -> bool {
        let Bounds { south, west, north, east } = self.bounds;
        (south..=north).contains(&place.lat) && (west..=east).contains(&place.lon)
    }

    /// Metres from a place to the nearest vertex, on the ellipsoid of WGS 84.
    pub fn nearest_m(&self, place: Geographic) -> f64 {
        let here = direction(place);
        let towards =
            |there: &[f64; 3]| -> f64 { here.iter().zip(there).map(|(a, b)| a * b).sum() };
        self.vertices
            .iter()
            .max_by(|a, b| towards(&a.1).total_cmp(&towards(&b.1)))
            .map_or(f64::INFINITY, |(nearest, _)| self.geodesic.inverse(place, *nearest).distance_m)
    }
}

/// The median of both coordinates.
fn middle(places: &[Geographic]) -> Option<Geographic> {
    let median = |value: fn(&Geographic) -> f64| {
        let mut values: Vec<f64> = places.iter().map(value).collect();
        values.sort_by(f64::total_cmp);
        values.get(values.len() / 2).copied()
    };
    Some(Geographic { lat: median(|p| p.lat)?, lon: median(|p| p.lon)? })
}

fn direction(place: Geographic) -> [f64; 3] {
    let (sin_lat, cos_lat) = place.lat.to_radians().sin_cos();
    let (sin_lon, cos_lon) = place.lon.to_radians().sin_cos();
    [cos_lat * cos_lon, cos_lat * sin_lon, sin_lat]
}
