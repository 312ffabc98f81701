//! The functions, one file for each subject.

mod angle;
mod arguments;
mod between;
mod coordinate;
mod declare;
mod factor;
mod grid_reference;
mod measure;
mod of_point;
mod places;
mod point;
mod transform;
mod zone;

use datafusion::logical_expr::ScalarUDF;
use std::sync::Arc;

/// All functions.
pub fn functions() -> Vec<Arc<ScalarUDF>> {
    let all = [
        ScalarUDF::from(point::Point::new()),
        ScalarUDF::from(coordinate::Part::new(coordinate::Axis::X)),
        ScalarUDF::from(coordinate::Part::new(coordinate::Axis::Y)),
        ScalarUDF::from(declare::Declare::new()),
        ScalarUDF::from(transform::Transform::new()),
        ScalarUDF::from(zone::utm()),
        ScalarUDF::from(zone::state_plane()),
        ScalarUDF::from(grid_reference::of_point()),
        ScalarUDF::from(grid_reference::OfGridReference::new()),
        ScalarUDF::from(angle::Degrees::latitude()),
        ScalarUDF::from(angle::Degrees::longitude()),
        ScalarUDF::from(factor::scale()),
        ScalarUDF::from(factor::convergence()),
        ScalarUDF::from(between::Between::new(between::Which::Distance)),
        ScalarUDF::from(between::Between::new(between::Which::Azimuth)),
        ScalarUDF::from(measure::length()),
        ScalarUDF::from(measure::perimeter()),
        ScalarUDF::from(measure::area()),
    ];
    all.into_iter().map(Arc::new).collect()
}
