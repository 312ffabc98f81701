//! Points as the columns of their coordinates (GeoArrow, "separated" coordinates).

use super::separated::{coordinates, fields};
use super::shapes::{Kind, Shapes};
use crate::error::wrong;
use crate::plans::why;
use crate::rejects::Rejects;
use datafusion::arrow::array::{Array, ArrayRef, AsArray, Float64Array, StructArray};
use datafusion::arrow::buffer::NullBuffer;
use datafusion::arrow::datatypes::DataType;
use datafusion::error::Result;
use std::sync::Arc;
use velvet_peg_core::Converter;

/// Points; the coordinates of one that is NULL are NaN.
#[derive(Clone, Debug)]
pub(crate) struct Points {
    pub(crate) x: Vec<f64>,
    pub(crate) y: Vec<f64>,
}

impl Points {
    /// Points as columns or as well-known binary; a geometry that is not one point counts as none.
    ///
    /// # Errors
    /// If the column is none of points; of the first geometry that is not one point, where that ends the
    /// query.
    pub(crate) fn of(column: &ArrayRef, rejects: &Rejects) -> Result<Points> {
        match column.data_type() {
            DataType::Struct(_) => {}
            DataType::Binary | DataType::LargeBinary | DataType::BinaryView => {
                return Points::of_shapes(&Shapes::of(column, rejects)?, rejects);
            }
            DataType::Null => {
                let none = vec![f64::NAN; column.len()];
                return Ok(Points { x: none.clone(), y: none });
            }
            other => return Err(wrong(format!("{other} is no column of points"))),
        }
        let (x, y) = coordinates(column.as_struct())?;
        Ok(Points { x, y })
    }

    /// Carries points to another system in place; those that cannot be become NaN. `column` has them as they were.
    ///
    /// # Errors
    /// Of the first that cannot be, where that ends the query.
    pub(crate) fn carry(
        &mut self,
        way: &Converter,
        column: &ArrayRef,
        rejects: &Rejects,
    ) -> Result<()> {
        if way.convert_columns(&mut self.x, &mut self.y, None) == 0 {
            return Ok(());
        }
        let before = Points::of(column, &Rejects::unseen())?;
        let mut lost = (0..self.len()).filter(|row| before.is_there(*row) && !self.is_there(*row));
        let Some(first) = lost.next() else { return Ok(()) };
        let at = (before.x[first], before.y[first]);
        rejects.add_many(1 + lost.count() as u64, || why(way, at))
    }

    fn of_shapes(shapes: &Shapes, rejects: &Rejects) -> Result<Points> {
        let none = vec![f64::NAN; shapes.len()];
        let mut points = Points { x: none.clone(), y: none };
        let mut vertices = vec![0_u32; shapes.len()];
        for run in &shapes.runs {
            let at = run.vertices.start;
            // What is no point is counted twice, as several are.
            vertices[run.row] += match run.kind {
                Kind::Point => run.vertices.len() as u32,
                Kind::Line | Kind::Outer | Kind::Hole => 2,
            };
            if vertices[run.row] == 1 && at < run.vertices.end {
                (points.x[run.row], points.y[run.row]) = (shapes.x[at], shapes.y[at]);
            }
        }
        for (row, _) in vertices.iter().enumerate().filter(|(_, count)| **count > 1) {
            rejects.add("a geometry is not one point")?;
            (points.x[row], points.y[row]) = (f64::NAN, f64::NAN);
        }
        Ok(points)
    }

    pub(crate) fn len(&self) -> usize {
        self.x.len()
    }

    /// Whether there is a point in this row.
    pub(crate) fn is_there(&self, row: usize) -> bool {
        self.x[row].is_finite() && self.y[row].is_finite()
    }

    /// The column; a point of which a coordinate is no number is NULL.
    pub(crate) fn into_column(self) -> ArrayRef {
        let all = self.x.iter().chain(&self.y).all(|number| number.is_finite());
        let nulls = (!all).then(|| {
            NullBuffer::from((0..self.len()).map(|row| self.is_there(row)).collect::<Vec<bool>>())
        });
        let columns: Vec<ArrayRef> =
            vec![Arc::new(Float64Array::from(self.x)), Arc::new(Float64Array::from(self.y))];
        Arc::new(StructArray::new(fields(), columns, nulls))
    }
}
