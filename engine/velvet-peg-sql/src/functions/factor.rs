//! `scale_factor(point)`, `convergence(point)`: what the grid of a point's system does there.

use super::arguments::{rejects, system_at};
use super::of_geometry;
use super::places::in_degrees;
use crate::error::refused;
use crate::system;
use datafusion::arrow::array::{ArrayRef, Float64Array};
use datafusion::error::Result;
use datafusion::logical_expr::{ScalarFunctionArgs, ScalarUDF};
use std::sync::Arc;
use velvet_peg_core::Geographic;
use velvet_peg_core::projection::Factors;

/// Length on the grid by length on the ellipsoid; the mean of both directions, √(h·k), where they differ.
pub(super) fn scale() -> ScalarUDF {
    of_geometry::number("scale_factor", |args| {
        of_grid(args, |factors| (factors.meridian_scale * factors.parallel_scale).sqrt())
    })
}

/// Azimuth of grid north, degrees clockwise from true north.
pub(super) fn convergence() -> ScalarUDF {
    of_geometry::number("convergence", |args| of_grid(args, |factors| factors.convergence_deg))
}

fn of_grid(args: &ScalarFunctionArgs, figure: impl Fn(Factors) -> f64) -> Result<ArrayRef> {
    let grid = system::named(&system_at(args, 0, 1)?)?;
    let projection = grid.projection().map_err(refused)?;
    let (_, places) = in_degrees(args)?;
    let there = |at: &Geographic| at.lat.is_finite() && at.lon.is_finite();
    let rejects = rejects(args);
    let of = |at: Geographic| match there(&at) {
        true => Ok(rejects.value(projection.factors(at))?.map(&figure)),
        false => Ok(None),
    };
    Ok(Arc::new(places.into_iter().map(of).collect::<Result<Float64Array>>()?))
}
