//! A geographic position with its parts named, so that latitude and longitude cannot be
//! passed the wrong way round.

/// Latitude and longitude in decimal degrees: north and east positive.
///
/// Write the parts by name:
///
/// ```
/// use velvet_peg_core::Geographic;
/// let weir = Geographic { lat: 47.4123, lon: -120.0042 };
/// assert!(weir.lat > 0.0 && weir.lon < 0.0);
/// ```
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Geographic {
    /// Latitude, degrees, −90 to 90.
    pub lat: f64,
    /// Longitude, degrees, from the prime meridian of the reference system in use.
    pub lon: f64,
}

/// A coordinate in any reference system: `x` is longitude or easting (or geocentric X),
/// `y` is latitude or northing (or Y), `z` is height (or Z), in the units and the sense of
/// that system's axes whatever order the registry lists them in.
#[derive(Clone, Copy, Debug, PartialEq)]
#[allow(missing_docs)]
pub struct Coordinate {
    pub x: f64,
    pub y: f64,
    pub z: f64,
}

impl Coordinate {
    /// A horizontal coordinate; `z` is 0.
    pub fn xy(x: f64, y: f64) -> Coordinate {
        Coordinate { x, y, z: 0.0 }
    }
}
