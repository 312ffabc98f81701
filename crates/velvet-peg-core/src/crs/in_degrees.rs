//! Positions in degrees from Greenwich, whatever system they are given in.

use crate::crs::Crs;
use crate::position::{Coordinate, Geographic};

impl Crs {
    /// The geographic system of the same datum with axes in degrees, for telling where a
    /// coordinate falls; none for systems with no geographic one under them: geocentric, vertical
    /// and local ones. Longitudes are from the datum's own prime meridian:
    /// [`Crs::from_greenwich`] takes them to Greenwich.
    ///
    /// ```
    /// use velvet_peg_core::Crs;
    /// assert_eq!(Crs::from_epsg(2286)?.in_degrees().and_then(|at| at.code()), Some(4269));
    /// let paris_in_grads = Crs::from_epsg(4807)?;
    /// let degrees = paris_in_grads.in_degrees().expect("it is on the Earth");
    /// assert_eq!(degrees.degrees_per_unit(), Some(1.0));
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    pub fn in_degrees(&self) -> Option<Crs> {
        let mut at = self.clone();
        while !at.is_geographic() {
            at = at.base()?;
        }
        if at.degrees_per_unit() == Some(1.0) {
            return Some(at);
        }
        Crs::geographic(&format!("{}, in degrees", at.name()), at.datum()?.clone()).ok()
    }

    /// A coordinate of this system, which is geographic and in degrees (see
    /// [`Crs::in_degrees`]), as a position with its longitude from Greenwich. Areas of use are
    /// stated so.
    pub fn from_greenwich(&self, at: Coordinate) -> Geographic {
        let meridian = self.datum().map_or(0.0, |datum| datum.prime_meridian().longitude_deg);
        Geographic { lat: at.y, lon: at.x + meridian }
    }
}
