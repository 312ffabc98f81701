//! How often functions gave no value, and why.

use std::collections::BTreeMap;
use std::fmt::{self, Display};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// How often a function gave no value.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Count {
    /// Name of the function.
    pub function: String,
    /// Values that could not be computed. A value that a query asks for in two places may count twice.
    pub times: u64,
    /// Why the first of them could not.
    pub first: String,
}

impl Display for Count {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let times = if self.times == 1 { "once" } else { &format!("{} times", self.times) };
        write!(f, "{} gave NULL {times}; the first time: {}", self.function, self.first)
    }
}

/// Counts by the names of functions.
#[derive(Clone, Debug, Default)]
pub(crate) struct Counts(Arc<Mutex<BTreeMap<String, Count>>>);

impl Counts {
    fn held(&self) -> MutexGuard<'_, BTreeMap<String, Count>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// What was counted since the last time.
    pub(crate) fn take(&self) -> Vec<Count> {
        std::mem::take(&mut *self.held()).into_values().collect()
    }

    /// Adds some, and why the first of them could not be computed.
    pub(crate) fn add(&self, function: &str, times: u64, why: impl FnOnce() -> String) {
        let mut held = self.held();
        match held.get_mut(function) {
            Some(count) => count.times += times,
            None => {
                let count = Count { function: function.to_string(), times, first: why() };
                held.insert(function.to_string(), count);
            }
        }
    }
}
