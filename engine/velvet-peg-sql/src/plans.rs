//! Ways between systems, planned once and used for every batch.

use crate::error::{refused, wrong};
use crate::settings::{Settings, area_of};
use crate::system;
use datafusion::config::ConfigOptions;
use datafusion::error::Result;
use std::collections::HashMap;
use std::sync::{Arc, LazyLock, Mutex, PoisonError};
use velvet_peg_core::{Bounds, CandidateRoute, Converter, Coordinate, PlanOptions};

/// Plans by the two references as they were given, and the area.
type Plans = HashMap<(String, String, String), Arc<Converter>>;

static PLANS: LazyLock<Mutex<Plans>> = LazyLock::new(Mutex::default);

/// The way from one system to another, for data that lies in an area.
///
/// # Errors
/// If one of them is none, or there is no way.
pub(crate) fn plan(from: &str, to: &str, area: Option<Bounds>) -> Result<Arc<Converter>> {
    let key = (from.to_string(), to.to_string(), format!("{area:?}"));
    let held = || PLANS.lock().unwrap_or_else(PoisonError::into_inner);
    if let Some(plan) = held().get(&key) {
        return Ok(plan.clone());
    }
    let options = PlanOptions { area, ..PlanOptions::default() };
    let plan = Converter::plan(&system::named(from)?, &system::named(to)?, &options);
    let plan = Arc::new(plan.map_err(refused)?);
    held().insert(key, plan.clone());
    Ok(plan)
}

/// The way for the data of a session. Where the area of the data would decide between several and nothing says it, the
/// session is told.
///
/// # Errors
/// As [`plan`].
pub(crate) fn planned(from: &str, to: &str, config: &ConfigOptions) -> Result<Arc<Converter>> {
    let area = area_of(config);
    let way = plan(from, to, area)?;
    let route = way.route();
    let best = route.alternatives.iter().filter_map(CandidateRoute::accuracy_m).reduce(f64::min);
    if let (None, Some(best), Some(settings)) = (area, best, Settings::of_config(config))
        && route.accuracy_m().is_none_or(|known| known > best)
    {
        settings.add_undecided(format!(
            "{} to {} by {}; in parts of the area of use there are routes known to {best} m: say where the data lies \
             with SET velvet_peg.area = 'SOUTH,WEST,NORTH,EAST', and see routes('{from}', '{to}')",
            way.source().reference(),
            way.target().reference(),
            route.summary()
        ));
    }
    Ok(way)
}

/// Makes sure that the way is the one that the query was planned with: another machine may have other grids.
///
/// # Errors
/// If it is another.
pub(crate) fn same_route(way: &Converter, planned: &str) -> Result<()> {
    let here = way.route().summary();
    match here == planned {
        true => Ok(()),
        false => Err(wrong(format!(
            "the query was planned with the route `{planned}`, and here it is `{here}`: all machines need the same \
             grid files (--grids)"
        ))),
    }
}

/// Why a place cannot be carried.
pub(crate) fn why(way: &Converter, (x, y): (f64, f64)) -> String {
    match way.convert(Coordinate::xy(x, y)) {
        Err(error) => error.to_string(),
        Ok(_) => format!("{x}, {y} cannot be carried"),
    }
}
