//! Ways between systems, planned once and used for every batch.

use crate::error::{refused, wrong};
use crate::system;
use datafusion::error::Result;
use std::collections::HashMap;
use std::sync::{Arc, LazyLock, Mutex, PoisonError};
use velvet_peg_core::{Converter, Coordinate};

/// Plans by the two references as they were given.
type Plans = HashMap<(String, String), Arc<Converter>>;

static PLANS: LazyLock<Mutex<Plans>> = LazyLock::new(Mutex::default);

/// The way from one system to another.
///
/// # Errors
/// If one of them is none, or there is no way.
pub(crate) fn plan(from: &str, to: &str) -> Result<Arc<Converter>> {
    let key = (from.to_string(), to.to_string());
    let held = || PLANS.lock().unwrap_or_else(PoisonError::into_inner);
    if let Some(plan) = held().get(&key) {
        return Ok(plan.clone());
    }
    let plan = Converter::new(&system::named(from)?, &system::named(to)?).map_err(refused)?;
    let plan = Arc::new(plan);
    held().insert(key, plan.clone());
    Ok(plan)
}

/// Carries coordinates in place; those that cannot be become NaN.
///
/// # Errors
/// With `fail`, of the first that cannot be.
pub(crate) fn carry(way: &Converter, x: &mut [f64], y: &mut [f64], fail: bool) -> Result<()> {
    let before = fail.then(|| (x.to_vec(), y.to_vec()));
    let failed = way.convert_columns(x, y, None);
    let Some((from_x, from_y)) = before.filter(|_| failed > 0) else { return Ok(()) };
    let lost = |at: &usize| from_x[*at].is_finite() && !x[*at].is_finite();
    match (0..x.len()).find(lost) {
        Some(at) => way.convert(Coordinate::xy(from_x[at], from_y[at])).map(drop).map_err(wrong),
        None => Ok(()),
    }
}
