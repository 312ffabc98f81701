//! Rows that cannot be computed: they are counted with the first reason, or end the query.

use crate::error::wrong;
use crate::settings::Settings;
use datafusion::config::ConfigOptions;
use datafusion::error::Result;
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

    fn add(&self, function: &str, times: u64, why: impl FnOnce() -> String) {
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

/// The rows of a function that cannot be computed.
#[derive(Clone, Debug)]
pub(crate) struct Rejects {
    /// Whether the first ends the query.
    fail: bool,
    counts: Counts,
    function: String,
}

impl Rejects {
    /// Of a function in a session.
    pub(crate) fn of(config: &ConfigOptions, function: &str) -> Rejects {
        let settings = Settings::of_config(config).cloned().unwrap_or_default();
        Rejects { fail: settings.fail, counts: settings.counts, function: function.to_string() }
    }

    /// Counted nowhere: for what is looked at before a query runs.
    pub(crate) fn unseen() -> Rejects {
        Rejects { fail: false, counts: Counts::default(), function: String::new() }
    }

    /// One that cannot be computed, and why.
    ///
    /// # Errors
    /// The reason, where that ends the query.
    pub(crate) fn add(&self, why: impl Display) -> Result<()> {
        self.add_many(1, || why.to_string())
    }

    /// Some that cannot be computed, and why the first of them cannot.
    ///
    /// # Errors
    /// The reason, where that ends the query.
    pub(crate) fn add_many(&self, times: u64, why: impl FnOnce() -> String) -> Result<()> {
        match (times, self.fail) {
            (0, _) => {}
            (_, true) => return Err(wrong(why())),
            (_, false) => self.counts.add(&self.function, times, why),
        }
        Ok(())
    }

    /// A value, or none where it cannot be computed.
    ///
    /// # Errors
    /// The reason, where that ends the query.
    pub(crate) fn value<T, E: Display>(
        &self,
        found: std::result::Result<T, E>,
    ) -> Result<Option<T>> {
        match found {
            Ok(value) => Ok(Some(value)),
            Err(error) => self.add(error).map(|()| None),
        }
    }
}
