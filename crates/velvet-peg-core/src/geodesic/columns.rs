//! Many lines at a time.

use super::Geodesic;
use crate::math::blocks::{Replacement, replace};
use crate::math::number::Number;
use crate::position::Geographic;

/// Lines between many pairs of places: a value a pair in each column.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct GeodesicColumns {
    /// Lengths of the shortest lines, metres.
    pub distance_m: Vec<f64>,
    /// Azimuths at the first places, in the direction of travel, degrees clockwise from north.
    pub azimuth_from_deg: Vec<f64>,
    /// Azimuths at the second places, likewise in the direction of travel.
    pub azimuth_to_deg: Vec<f64>,
}

/// Pairs that are solved together.
const BLOCK: usize = 256;

impl Geodesic {
    /// [`Geodesic::inverse`] of many pairs of places, given by the columns of their longitudes and
    /// latitudes in degrees, to the last bit the same. Short lines are solved several at a time.
    /// Pairs beyond the shortest of the columns are left out.
    ///
    /// ```
    /// use velvet_peg_core::{Ellipsoid, Geodesic, Geographic};
    /// let geodesic = Geodesic::new(&Ellipsoid::from_epsg(7019)?); // GRS 1980
    /// let (lon, lat) = ([-120.01, -120.0, -119.99], [47.40, 47.41, 47.40]);
    /// let legs = geodesic.inverse_columns([&lon[..2], &lat[..2]], [&lon[1..], &lat[1..]]);
    /// let first = geodesic.inverse(
    ///     Geographic { lat: 47.40, lon: -120.01 },
    ///     Geographic { lat: 47.41, lon: -120.0 },
    /// );
    /// assert_eq!(legs.distance_m[0], first.distance_m);
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    pub fn inverse_columns(&self, from: [&[f64]; 2], to: [&[f64]; 2]) -> GeodesicColumns {
        let columns = [from[0], from[1], to[0], to[1]];
        let count = columns.iter().map(|column| column.len()).min().unwrap_or(0);
        let mut solved = GeodesicColumns::default();
        for start in (0..count).step_by(BLOCK) {
            let end = (start + BLOCK).min(count);
            let mut block = columns.map(|column| column[start..end].to_vec());
            replace(block.each_mut().map(Vec::as_mut_slice), &Lines(self));
            let [distance, azimuth_from, azimuth_to, _] = block;
            solved.distance_m.extend(distance);
            solved.azimuth_from_deg.extend(azimuth_from);
            solved.azimuth_to_deg.extend(azimuth_to);
        }
        solved
    }
}

/// Longitudes and latitudes of two places to the distance, the two azimuths, and nothing.
struct Lines<'a>(&'a Geodesic);

impl Replacement<4> for Lines<'_> {
    #[inline(always)]
    fn several<N: Number>(&self, places: [N; 4]) -> Option<[N; 4]> {
        let [distance, azimuth_from, azimuth_to] = self.0.near.as_ref()?.solve(places)?;
        Some([distance, azimuth_from, azimuth_to, places[0]])
    }

    fn single(&self, [lon1, lat1, lon2, lat2]: [f64; 4]) -> Option<[f64; 4]> {
        let from = Geographic { lat: lat1, lon: lon1 };
        let line = self.0.inverse(from, Geographic { lat: lat2, lon: lon2 });
        Some([line.distance_m, line.azimuth_from_deg, line.azimuth_to_deg, lon1])
    }
}
