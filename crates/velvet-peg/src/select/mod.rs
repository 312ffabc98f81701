//! Choosing features and shaping their attributes on the way: a condition, computed columns,
//! and the columns to keep, as SQL expressions evaluated batch by batch on Arrow columns.
//!
//! Conditions follow SQL's logic of three values: a comparison with nothing is neither true
//! nor false, and only what is true is kept. Division of whole numbers gives a number; a
//! division by zero gives nothing.

mod computed_column;
mod coordinates;
#[cfg(feature = "expressions")]
mod expression;
#[cfg(not(feature = "expressions"))]
#[path = "no_expression.rs"]
mod expression;
mod planned;
mod rounding;
mod selection;
mod shape;

pub use coordinates::PlaceColumns;
#[cfg(feature = "expressions")]
pub use expression::{FUNCTIONS, FunctionHelp};
pub(crate) use planned::Planned;
pub use selection::Selection;
pub use shape::NumberText;
