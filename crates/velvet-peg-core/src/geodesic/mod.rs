//! Geodesics: the shortest lines on the ellipsoid, and areas that they bound.
//!
//! Sources: Bessel (1825) for the auxiliary sphere; Karney (2013), "Algorithms for
//! geodesics", J. Geodesy 87, 43-55, for the solution of the inverse problem that always
//! converges and for the area. The integrals along the line are evaluated by their Fourier
//! coefficients, found for each line by a discrete cosine transform of the integrand
//! (see `integrals`), so that strongly flattened ellipsoids lose nothing.

mod area;
mod columns;
mod direct;
mod integrals;
mod inverse;
mod near;

pub use columns::GeodesicColumns;

use crate::ellipsoid::Ellipsoid;
use crate::position::Geographic;
use integrals::Nodes;
use near::Near;

/// What lies between two places: the answer of the inverse problem.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct GeodesicInverse {
    /// Length of the shortest line, metres.
    pub distance_m: f64,
    /// Azimuth at the first place, in the direction of travel, degrees clockwise from
    /// north, −180 to 180.
    pub azimuth_from_deg: f64,
    /// Azimuth at the second place, likewise in the direction of travel. The azimuth back
    /// to the first place is 180° from it.
    pub azimuth_to_deg: f64,
}

impl GeodesicInverse {
    /// Azimuth at the second place back to the first, 0 to 360°.
    pub fn azimuth_back_deg(&self) -> f64 {
        full_circle(self.azimuth_to_deg + 180.0)
    }
}

/// An azimuth brought to 0 … 360°.
pub fn full_circle(azimuth_deg: f64) -> f64 {
    let rest = azimuth_deg.rem_euclid(360.0);
    if rest >= 360.0 { 0.0 } else { rest }
}

/// A polygon's figures on the ellipsoid, its sides being geodesics.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct EllipsoidalArea {
    /// Signed area, square metres: positive counter-clockwise, of the smaller of the two
    /// regions.
    pub area_m2: f64,
    /// Length of the closed boundary, metres.
    pub perimeter_m: f64,
}

/// Solves geodesic problems on one ellipsoid.
#[derive(Clone, Debug)]
pub struct Geodesic {
    ellipsoid: Ellipsoid,
    f: f64,
    /// Second eccentricity squared.
    ep2: f64,
    nodes: Nodes,
    near: Option<Near>,
}

impl Geodesic {
    /// Prepares an ellipsoid; cheap enough to do once a file, not once a line.
    ///
    /// ```
    /// use velvet_peg_core::{Ellipsoid, Geodesic, Geographic};
    /// let geodesic = Geodesic::new(&Ellipsoid::from_epsg(7019)?); // GRS 1980
    /// let weir = Geographic { lat: 47.40, lon: -120.01 };
    /// let gate = Geographic { lat: 47.41, lon: -119.99 };
    /// let course = geodesic.inverse(weir, gate);
    /// let (end, _) = geodesic.direct(weir, course.azimuth_from_deg, course.distance_m);
    /// assert!((end.lat - gate.lat).abs() < 1e-13);
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    pub fn new(ellipsoid: &Ellipsoid) -> Geodesic {
        let e2 = ellipsoid.eccentricity_squared();
        let ep2 = e2 / (1.0 - e2);
        let f = ellipsoid.flattening();
        let nodes = Nodes::new(ep2, f);
        Geodesic { ellipsoid: *ellipsoid, f, ep2, nodes, near: Near::new(ellipsoid) }
    }

    /// The ellipsoid that lines are measured on.
    pub fn ellipsoid(&self) -> &Ellipsoid {
        &self.ellipsoid
    }

    /// Distance and azimuths of the shortest line between two places. Never fails, nearly
    /// antipodal places included. Positions that are not finite give figures that are not.
    pub fn inverse(&self, from: Geographic, to: Geographic) -> GeodesicInverse {
        let places = [from.lon, from.lat, to.lon, to.lat];
        if let Some([distance_m, azimuth_from_deg, azimuth_to_deg]) =
            self.near.as_ref().and_then(|near| near.solve(places))
        {
            return GeodesicInverse { distance_m, azimuth_from_deg, azimuth_to_deg };
        }
        let line = self.solve(from, to);
        GeodesicInverse {
            distance_m: line.distance_m,
            azimuth_from_deg: line.azimuth_from_deg,
            azimuth_to_deg: line.azimuth_to_deg,
        }
    }
}
