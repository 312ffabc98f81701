//! Inputs: where one lies (a path, standard input, an address), and what format it is of.

mod content;
mod locate;
mod packed;
mod recognise;

pub(crate) use locate::{Located, locate};
pub use recognise::format_of;
pub(crate) use recognise::recognise_standard_input;
