//! Coordinates as the columns of a structure (GeoArrow, "separated" coordinates).

use crate::error::wrong;
use datafusion::arrow::array::{Array, AsArray, StructArray};
use datafusion::arrow::datatypes::{DataType, Field, Fields, Float64Type};
use datafusion::error::Result;

/// The type of a column of points.
pub(crate) fn point_type() -> DataType {
    DataType::Struct(fields())
}

/// The columns.
pub(super) fn fields() -> Fields {
    let coordinate = |name: &str| Field::new(name, DataType::Float64, false);
    Fields::from(vec![coordinate("x"), coordinate("y")])
}

/// The coordinates of points; NaN for one that is NULL.
///
/// # Errors
/// If there is no `x` or `y` of doubles.
pub(super) fn coordinates(column: &StructArray) -> Result<(Vec<f64>, Vec<f64>)> {
    let part = |name: &str| -> Result<Vec<f64>> {
        let values = column
            .column_by_name(name)
            .and_then(|values| values.as_primitive_opt::<Float64Type>())
            .ok_or_else(|| wrong(format!("the points have no column `{name}` of doubles")))?;
        if column.null_count() == 0 && values.null_count() == 0 {
            return Ok(values.values().to_vec());
        }
        let at = |row: usize| match column.is_null(row) || values.is_null(row) {
            true => f64::NAN,
            false => values.value(row),
        };
        Ok((0..column.len()).map(at).collect())
    };
    Ok((part("x")?, part("y")?))
}
