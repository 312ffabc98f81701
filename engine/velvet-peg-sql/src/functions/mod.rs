//! The functions, one file for each subject.

mod angle;
mod arguments;
mod between;
mod bounds;
mod coordinate;
mod declare;
mod factor;
mod function;
mod grid_reference;
mod measure;
mod of_geometry;
mod places;
mod point;
mod relation;
mod routes;
mod transform;
mod zone;

pub(crate) use bounds::{BOUNDS, bounds_of, bounds_type};
pub(crate) use routes::{ROUTES, Routes};

use datafusion::logical_expr::ScalarUDF;
use std::sync::Arc;

/// All functions.
pub fn functions() -> Vec<Arc<ScalarUDF>> {
    let all = [
        angle::latitude(),
        angle::longitude(),
        between::azimuth(),
        between::distance(),
        bounds::bounds(),
        coordinate::x(),
        coordinate::y(),
        declare::declare(),
        factor::convergence(),
        factor::scale(),
        grid_reference::of_point(),
        grid_reference::point(),
        measure::area(),
        measure::length(),
        measure::perimeter(),
        point::point(),
        relation::contains(),
        relation::falls_in(),
        relation::intersects(),
        relation::within(),
        transform::transform(),
        zone::state_plane(),
        zone::utm(),
    ];
    all.into_iter().map(Arc::new).collect()
}
