//! Rounding to decimals.

/// A value rounded to so many decimals, half away from zero in decimals.
pub(crate) fn rounded(value: f64, decimals: Option<usize>) -> f64 {
    match decimals {
        Some(decimals) => format!("{value:.decimals$}").parse().unwrap_or(value),
        None => value,
    }
}
