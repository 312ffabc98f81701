//! Rounding to decimals.

use crate::format_support::as_written;

/// A value rounded to so many decimals, as it would be written with them.
pub(crate) fn rounded(value: f64, decimals: Option<usize>) -> f64 {
    match decimals {
        Some(decimals) => as_written(value, decimals),
        None => value,
    }
}
