//! Points as positions: latitude and longitude in degrees.

use super::arguments::{column, rejects, system_at, way};
use crate::geometry::Points;
use crate::system;
use datafusion::error::Result;
use datafusion::logical_expr::ScalarFunctionArgs;
use velvet_peg_core::{Coordinate, Crs, Geographic};

/// Points in the degrees of their own datum, longitudes from its own meridian; NaN where there is none.
///
/// # Errors
/// If the system has no positions.
pub(super) fn in_degrees(args: &ScalarFunctionArgs) -> Result<(Crs, Vec<Geographic>)> {
    let crs = system::named(&system_at(args, 0, 1)?)?;
    let degrees = system::in_degrees(&crs)?;
    let places = carried(args, &degrees)?;
    Ok((degrees, places))
}

/// The same, with longitudes from Greenwich.
///
/// # Errors
/// As [`in_degrees`].
pub(super) fn positions(args: &ScalarFunctionArgs) -> Result<Vec<Geographic>> {
    let (degrees, places) = in_degrees(args)?;
    let from_greenwich = |at: Geographic| degrees.from_greenwich(Coordinate::xy(at.lon, at.lat));
    Ok(places.into_iter().map(from_greenwich).collect())
}

/// Points in the degrees of a system.
///
/// # Errors
/// If there is no way to it; of the first point that cannot be carried, where that ends the query.
pub(super) fn carried(args: &ScalarFunctionArgs, degrees: &Crs) -> Result<Vec<Geographic>> {
    let way = way(args, &system_at(args, 0, 1)?, &system::text_of(degrees)?, None)?;
    let rejects = rejects(args);
    let column = column(args, 0)?;
    let mut points = Points::of(&column, &rejects)?;
    points.carry(&way, &column, &rejects)?;
    Ok(points.x.into_iter().zip(points.y).map(|(lon, lat)| Geographic { lat, lon }).collect())
}
