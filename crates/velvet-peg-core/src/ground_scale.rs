//! How long a unit of the coordinates of a system is on the ground.

use crate::{Converter, Coordinate, Crs, Geodesic, Geographic};

/// Metres on the ellipsoid in one unit of x and of y near a place in a system: by geodesics to places a
/// little to the east and a little to the north (a thousandth of a degree, or a hundred units). None for a system
/// that has no places on an ellipsoid, or not there.
///
/// ```
/// use velvet_peg_core::{Crs, metres_per_unit};
/// let degrees = Crs::from_epsg(4326)?;
/// let (x, y) = metres_per_unit(&degrees, (-120.0, 47.4)).unwrap();
/// assert_eq!((x.round(), y.round()), (75_487.0, 111_179.0));
/// # Ok::<(), velvet_peg_core::Error>(())
/// ```
pub fn metres_per_unit(crs: &Crs, at: (f64, f64)) -> Option<(f64, f64)> {
    let home = crs.in_degrees()?;
    let geodesic = Geodesic::new(home.ellipsoid()?);
    let to_degrees = Converter::new(crs, &home).ok()?;
    let place = |at: (f64, f64)| -> Option<Geographic> {
        let at = to_degrees.convert(Coordinate::xy(at.0, at.1)).ok()?;
        Some(Geographic { lat: at.y, lon: at.x })
    };
    let step = if crs.is_geographic() { 1e-3 } else { 100.0 };
    let from = place(at)?;
    let along = |to: (f64, f64)| -> Option<f64> {
        Some(geodesic.inverse(from, place(to)?).distance_m / step)
    };
    let (x, y) = (along((at.0 + step, at.1))?, along((at.0, at.1 + step))?);
    (x > 0.0 && y > 0.0).then_some((x, y))
}
