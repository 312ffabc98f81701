//! A column that an expression computes.

use super::expression::Expression;
use crate::error::Result;
use crate::layer::GeometryColumn;
use crate::layer::column_names::{distinct, place_in};
use arrow_array::{Array, ArrayRef, RecordBatch, RecordBatchOptions};
use arrow_schema::{DataType, Field, Schema};
use std::sync::Arc;
use velvet_peg_core::Crs;

/// One column to compute.
#[derive(Debug)]
pub(super) struct ComputedColumn {
    /// Its place; behind the last for a new one.
    at: usize,
    name: String,
    pub(super) expression: Expression,
    kind: DataType,
}

impl ComputedColumn {
    /// Finds the place and the type of the column among those of an empty batch.
    pub(super) fn plan(
        name: String,
        expression: Expression,
        empty: &RecordBatch,
        crs: Option<&Crs>,
    ) -> Result<ComputedColumn> {
        let values = expression.values(empty, &GeometryColumn::new(), crs)?;
        let kind = match values.data_type() {
            DataType::Null => DataType::Utf8,
            kind => kind.clone(),
        };
        let at = place_in(&empty.schema(), &name).unwrap_or(empty.num_columns());
        Ok(ComputedColumn { at, name, expression, kind })
    }

    pub(super) fn apply(
        &self,
        attributes: &RecordBatch,
        geometry: &GeometryColumn,
        crs: Option<&Crs>,
    ) -> Result<RecordBatch> {
        let rows = attributes.num_rows();
        let values = self.expression.values(attributes, geometry, crs)?;
        let values = arrow_cast::cast(&values, &self.kind)?;
        let mut fields: Vec<Field> =
            attributes.schema().fields().iter().map(|f| f.as_ref().clone()).collect();
        let mut columns: Vec<ArrayRef> = attributes.columns().to_vec();
        if self.at < columns.len() {
            fields[self.at] = Field::new(fields[self.at].name(), self.kind.clone(), true);
            columns[self.at] = values;
        } else {
            let taken: Vec<String> = fields.iter().map(|f| f.name().clone()).collect();
            fields.push(Field::new(distinct(&taken, &self.name), self.kind.clone(), true));
            columns.push(values);
        }
        let options = RecordBatchOptions::new().with_row_count(Some(rows));
        Ok(RecordBatch::try_new_with_options(Arc::new(Schema::new(fields)), columns, &options)?)
    }
}
