//! `bounds(geometry)`: its west, south, east and north side, in the unit of its system, as GeoParquet names them.

use super::arguments::{column, rejects};
use super::function::{Function, What, as_it_is};
use crate::geometry::Shapes;
use datafusion::arrow::array::{ArrayRef, Float64Array, StructArray};
use datafusion::arrow::buffer::NullBuffer;
use datafusion::arrow::datatypes::{DataType, Field, Fields};
use datafusion::error::Result;
use datafusion::logical_expr::{Expr, ScalarFunctionArgs, ScalarUDF};
use std::sync::Arc;

/// The names of the sides.
pub(crate) const BOUNDS: [&str; 4] = ["xmin", "ymin", "xmax", "ymax"];

pub(super) fn bounds() -> ScalarUDF {
    Function::of(
        "bounds",
        What {
            takes: "a geometry",
            arguments: |types| (types.len() == 1).then(|| types.to_vec()),
            field: |_| Ok(Field::new("", bounds_type(), true)),
            resolved: as_it_is,
            compute,
        },
    )
}

/// The call for a geometry.
pub(crate) fn bounds_of(geometry: Expr) -> Expr {
    bounds().call(vec![geometry])
}

/// The type of the sides.
pub(crate) fn bounds_type() -> DataType {
    DataType::Struct(fields())
}

fn fields() -> Fields {
    BOUNDS.iter().map(|side| Field::new(*side, DataType::Float64, false)).collect()
}

fn compute(args: &ScalarFunctionArgs) -> Result<ArrayRef> {
    let rejects = rejects(args);
    let shapes = Shapes::of(&column(args, 0)?, &rejects)?;
    let low = vec![f64::INFINITY; shapes.len()];
    let high = vec![f64::NEG_INFINITY; shapes.len()];
    let (mut west, mut south, mut east, mut north) = (low.clone(), low, high.clone(), high);
    for run in &shapes.runs {
        for at in run.vertices.clone() {
            west[run.row] = west[run.row].min(shapes.x[at]);
            south[run.row] = south[run.row].min(shapes.y[at]);
            east[run.row] = east[run.row].max(shapes.x[at]);
            north[run.row] = north[run.row].max(shapes.y[at]);
        }
    }
    let there: Vec<bool> =
        west.iter().zip(&south).map(|(x, y)| x.is_finite() && y.is_finite()).collect();
    let columns =
        [west, south, east, north].map(|side| Arc::new(Float64Array::from(side)) as ArrayRef);
    Ok(Arc::new(StructArray::new(fields(), columns.to_vec(), Some(NullBuffer::from(there)))))
}
