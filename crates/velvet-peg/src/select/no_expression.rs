//! What stands for expressions in a build without the feature `expressions`: every one of them is
//! refused.

use crate::error::{Error, Result};
use crate::layer::GeometryColumn;
use arrow_array::{ArrayRef, BooleanArray, RecordBatch};
use velvet_peg_core::Crs;

/// There are none.
#[derive(Clone, Debug)]
pub(super) enum Expression {}

impl Expression {
    pub(super) fn condition(text: &str) -> Result<Expression> {
        Err(not_built(text))
    }

    pub(super) fn assignments(text: &str) -> Result<Vec<(String, Expression)>> {
        Err(not_built(text))
    }

    pub(super) fn names(&self) -> Vec<String> {
        match *self {}
    }

    pub(super) fn calls(&self, _: &[&str]) -> bool {
        match *self {}
    }

    pub(super) fn values(
        &self,
        _: &RecordBatch,
        _: &GeometryColumn,
        _: Option<&Crs>,
    ) -> Result<ArrayRef> {
        match *self {}
    }

    pub(super) fn mask(
        &self,
        _: &RecordBatch,
        _: &GeometryColumn,
        _: Option<&Crs>,
    ) -> Result<BooleanArray> {
        match *self {}
    }
}

fn not_built(text: &str) -> Error {
    Error::usage(format!(
        "`{text}` is an expression, and this build of the library has none: build it with the \
         feature `expressions`"
    ))
}
