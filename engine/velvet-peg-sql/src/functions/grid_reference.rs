//! `grid_reference(point)` and `point_of_grid_reference(text)`: references on the grids of UTM and the poles.

use super::arguments::{column, rejects};
use super::function::{Function, What, as_it_is};
use super::of_geometry;
use super::places::carried;
use crate::error::refused;
use crate::geometry::{Points, point_type};
use crate::system::with_system;
use datafusion::arrow::array::{Array, ArrayRef, AsArray, StringArray};
use datafusion::arrow::datatypes::{DataType, Field};
use datafusion::error::Result;
use datafusion::logical_expr::{ScalarFunctionArgs, ScalarUDF};
use std::sync::Arc;
use velvet_peg_core::zones::{grid_reference, parse_grid_reference};
use velvet_peg_core::{Crs, Geographic};

/// The system that grid references are in.
const WGS84: u32 = 4326;

/// The reference of the square of one metre that a point lies in, on WGS 84.
pub(super) fn of_point() -> ScalarUDF {
    of_geometry::text("grid_reference", |args| {
        let places = carried(args, &Crs::from_epsg(WGS84).map_err(refused)?)?;
        let rejects = rejects(args);
        let text = |at: Geographic| match at.lat.is_finite() {
            true => rejects.value(grid_reference(at)),
            false => Ok(None),
        };
        let texts = places.into_iter().map(text).collect::<Result<StringArray>>()?;
        Ok(Arc::new(texts))
    })
}

/// The middle of the square that a reference names, in EPSG:4326.
pub(super) fn point() -> ScalarUDF {
    Function::of(
        "point_of_grid_reference",
        What {
            takes: "a text",
            arguments: |types| (types.len() == 1).then(|| vec![DataType::Utf8]),
            field: |_| {
                let field = Field::new("", point_type(), true);
                Ok(with_system(field, "point", Some(&format!("EPSG:{WGS84}"))))
            },
            resolved: as_it_is,
            compute,
        },
    )
}

fn compute(args: &ScalarFunctionArgs) -> Result<ArrayRef> {
    let texts = column(args, 0)?;
    let texts = texts.as_string::<i32>();
    let rejects = rejects(args);
    let mut points = Points { x: Vec::new(), y: Vec::new() };
    for text in texts {
        let square = match text {
            Some(text) => rejects.value(parse_grid_reference(text))?,
            None => None,
        };
        let middle = square.map(|square| square.middle);
        points.x.push(middle.map_or(f64::NAN, |at| at.lon));
        points.y.push(middle.map_or(f64::NAN, |at| at.lat));
    }
    debug_assert_eq!(points.len(), texts.len());
    Ok(points.into_column())
}
