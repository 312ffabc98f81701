//! Rows that cannot be computed: they are counted with the first reason, or end the query.

use crate::counts::Counts;
use crate::error::wrong;
use crate::settings::Settings;
use datafusion::config::ConfigOptions;
use datafusion::error::Result;
use std::fmt::Display;

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
