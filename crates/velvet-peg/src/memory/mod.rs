//! Memory: how much is free, and whether work that has to hold much together may begin.

mod large_features;
mod limit;
mod reckoning;

pub(crate) use large_features::{Work, afford};
pub use limit::limit_memory;
pub(crate) use reckoning::{Held, Reckoning, Share};
