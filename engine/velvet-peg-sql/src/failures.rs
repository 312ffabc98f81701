//! What becomes of rows that cannot be computed.

use crate::error::refused;
use datafusion::config::{ConfigEntry, ConfigExtension, ConfigOptions, ExtensionOptions};
use datafusion::error::Result;
use std::any::Any;

/// The setting `velvet_peg.fail` of a session.
#[derive(Clone, Debug, Default)]
pub struct Failures {
    /// True if a row that cannot be computed ends the query; otherwise its value is NULL.
    pub fail: bool,
}

const FAIL: &str = "fail";

impl Failures {
    /// Whether the first row that cannot be computed ends the query.
    pub(crate) fn end_the_query(config: &ConfigOptions) -> bool {
        config.extensions.get::<Failures>().is_some_and(|failures| failures.fail)
    }
}

impl ConfigExtension for Failures {
    const PREFIX: &'static str = "velvet_peg";
}

impl ExtensionOptions for Failures {
    fn as_any(&self) -> &dyn Any {
        self
    }

    fn as_any_mut(&mut self) -> &mut dyn Any {
        self
    }

    fn cloned(&self) -> Box<dyn ExtensionOptions> {
        Box::new(self.clone())
    }

    fn set(&mut self, key: &str, value: &str) -> Result<()> {
        if key != FAIL {
            return Err(refused(format!("there is no setting {}.{key}", Self::PREFIX)));
        }
        self.fail = value
            .parse()
            .map_err(|_| refused(format!("{}.{FAIL} is true or false", Self::PREFIX)))?;
        Ok(())
    }

    /// With their whole keys, by which they go to the executors of a cluster.
    fn entries(&self) -> Vec<ConfigEntry> {
        vec![ConfigEntry {
            key: format!("{}.{FAIL}", Self::PREFIX),
            value: Some(self.fail.to_string()),
            description: "whether a row that cannot be computed ends the query",
        }]
    }
}
