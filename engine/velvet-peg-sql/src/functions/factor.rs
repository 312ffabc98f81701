//! `scale_factor(point)`, `convergence(point)`: what the grid of a point's system does there.

use super::arguments::system_at;
use super::of_geometry;
use super::places::in_degrees;
use crate::error::{refused, wrong};
use crate::failures::Failures;
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
    let fail = Failures::end_the_query(&args.config_options);
    let of = |at: Geographic| match projection.factors(at) {
        _ if !there(&at) => Ok(None),
        Err(error) if fail => Err(wrong(error)),
        factors => Ok(factors.ok().map(&figure)),
    };
    Ok(Arc::new(places.into_iter().map(of).collect::<Result<Float64Array>>()?))
}
