//! Settings of a session: `SET velvet_peg.fail = true`, `SET velvet_peg.area = '47.3,-120.1,47.5,-119.9'`.

use crate::counts::{Count, Counts};
use crate::error::refused;
use datafusion::config::{ConfigEntry, ConfigExtension, ConfigOptions, ExtensionOptions};
use datafusion::error::Result;
use std::any::Any;
use std::collections::BTreeSet;
use std::sync::{Arc, LazyLock, Mutex, PoisonError};
use velvet_peg_core::Bounds;

/// What a session says of all functions, and what was counted in it.
#[derive(Clone, Debug, Default)]
pub struct Settings {
    /// True if a row that cannot be computed ends the query; otherwise its value is NULL.
    pub fail: bool,
    /// Where the data lies, degrees from Greenwich: the best route between two datums is another one in another
    /// area. None for the area of use that both systems share.
    pub area: Option<Bounds>,
    pub(crate) counts: Counts,
    undecided: Arc<Mutex<BTreeSet<String>>>,
}

const FAIL: &str = "fail";
const AREA: &str = "area";

static OF_PROCESS: LazyLock<Settings> = LazyLock::new(Settings::default);

impl Settings {
    /// Settings whose counts are those of this process, whatever session its tasks belong to: for executors of a
    /// cluster.
    pub(crate) fn of_process() -> Settings {
        OF_PROCESS.clone()
    }

    /// What could not be computed since the last time.
    pub fn take_counts(&self) -> Vec<Count> {
        self.counts.take()
    }

    pub(crate) fn add_undecided(&self, route: String) {
        self.undecided.lock().unwrap_or_else(PoisonError::into_inner).insert(route);
    }

    /// What is to be known of the routes that queries were planned with since the last time: where a better one is known
    /// in a part of the area of use, and nothing says where the data lies.
    pub fn take_undecided_routes(&self) -> Vec<String> {
        let mut held = self.undecided.lock().unwrap_or_else(PoisonError::into_inner);
        std::mem::take(&mut *held).into_iter().collect()
    }

    /// The settings of a session.
    pub fn of_config(config: &ConfigOptions) -> Option<&Settings> {
        config.extensions.get::<Settings>()
    }
}

/// Where the data of a session lies.
pub(crate) fn area_of(config: &ConfigOptions) -> Option<Bounds> {
    Settings::of_config(config).and_then(|settings| settings.area)
}

impl ConfigExtension for Settings {
    const PREFIX: &'static str = "velvet_peg";
}

impl ExtensionOptions for Settings {
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
        match key {
            FAIL => {
                self.fail = value
                    .parse()
                    .map_err(|_| refused(format!("{}.{FAIL} is true or false", Self::PREFIX)))?;
            }
            AREA => self.area = area(value)?,
            _ => return Err(refused(format!("there is no setting {}.{key}", Self::PREFIX))),
        }
        Ok(())
    }

    /// With their whole keys, by which they go to the executors of a cluster.
    fn entries(&self) -> Vec<ConfigEntry> {
        let area = self
            .area
            .map(|Bounds { south, west, north, east }| format!("{south},{west},{north},{east}"));
        vec![
            ConfigEntry {
                key: format!("{}.{FAIL}", Self::PREFIX),
                value: Some(self.fail.to_string()),
                description: "whether a row that cannot be computed ends the query",
            },
            ConfigEntry {
                key: format!("{}.{AREA}", Self::PREFIX),
                value: Some(area.unwrap_or_default()),
                description: "where the data lies: south, west, north, east in degrees",
            },
        ]
    }
}

fn area(text: &str) -> Result<Option<Bounds>> {
    if text.is_empty() {
        return Ok(None);
    }
    let sides: Option<Vec<f64>> = text.split(',').map(|side| side.trim().parse().ok()).collect();
    match sides.as_deref() {
        Some([south, west, north, east])
            if -90.0 <= *south
                && south <= north
                && *north <= 90.0
                && [west, east].iter().all(|side| side.abs() <= 360.0) =>
        {
            Ok(Some(Bounds { south: *south, west: *west, north: *north, east: *east }))
        }
        _ => Err(refused(format!(
            "`{text}` is no area: south, west, north and east in degrees, such as '47.3,-120.1,47.5,-119.9'"
        ))),
    }
}
