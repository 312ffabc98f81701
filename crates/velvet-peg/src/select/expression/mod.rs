//! SQL expressions on the columns and geometries of a batch.

mod context;
mod evaluate;
mod functions;
mod geometry;
mod help;
mod parse;
mod values;

pub use help::{FUNCTIONS, FunctionHelp};

use crate::error::{Error, Result};
use crate::layer::GeometryColumn;
use arrow_array::cast::AsArray;
use arrow_array::{Array, ArrayRef, BooleanArray, RecordBatch};
use arrow_schema::DataType;
use context::Context;
use evaluate::evaluate;
use sqlparser::ast::Expr;
use velvet_peg_core::Crs;

/// An expression that could be read.
#[derive(Clone, Debug)]
pub(super) struct Expression(Expr);

impl Expression {
    /// A condition.
    pub(super) fn condition(text: &str) -> Result<Expression> {
        parse::condition(text).map(Expression)
    }

    /// Names of columns and the expressions that compute them.
    pub(super) fn assignments(text: &str) -> Result<Vec<(String, Expression)>> {
        let found = parse::assignments(text)?;
        Ok(found.into_iter().map(|(name, expression)| (name, Expression(expression))).collect())
    }

    /// Every name of a column in it.
    pub(super) fn names(&self) -> Vec<String> {
        let mut names = Vec::new();
        context::names(&self.0, &mut names);
        names
    }

    /// True if it calls a function of one of these names; a name that ends in `_` stands for all
    /// that begin with it.
    pub(super) fn calls(&self, names: &[&str]) -> bool {
        context::calls(&self.0, names)
    }

    /// Its value for every feature.
    pub(super) fn values(
        &self,
        attributes: &RecordBatch,
        geometry: &GeometryColumn,
        crs: Option<&Crs>,
    ) -> Result<ArrayRef> {
        let context = Context::new(attributes, geometry, crs);
        evaluate(&self.0, &context)?.into_array(attributes.num_rows())
    }

    /// For which features it is true.
    ///
    /// # Errors
    /// If it is no condition.
    pub(super) fn mask(
        &self,
        attributes: &RecordBatch,
        geometry: &GeometryColumn,
        crs: Option<&Crs>,
    ) -> Result<BooleanArray> {
        let values = self.values(attributes, geometry, crs)?;
        match values.data_type() {
            DataType::Boolean => Ok(values.as_boolean().clone()),
            DataType::Null => Ok(BooleanArray::new_null(values.len())),
            other => Err(Error::usage(format!(
                "the condition `{}` gives {}, not true or false",
                self.0,
                context::type_text(other)
            ))),
        }
    }
}
