//! Errors, as the engine has them.

use datafusion::error::DataFusionError;

/// What is wrong with a call, or with the values of a row.
pub(crate) fn wrong(what: impl std::fmt::Display) -> DataFusionError {
    DataFusionError::Execution(what.to_string())
}

/// What is wrong with a query, before it runs.
pub(crate) fn refused(what: impl std::fmt::Display) -> DataFusionError {
    DataFusionError::Plan(what.to_string())
}
