//! `utm_zone(point)`, `state_plane_zone(point)`: the zone that a point lies in.

use super::of_geometry;
use super::places::positions;
use datafusion::arrow::array::{ArrayRef, StringArray};
use datafusion::error::Result;
use datafusion::logical_expr::{ScalarFunctionArgs, ScalarUDF};
use std::sync::Arc;
use velvet_peg_core::Geographic;
use velvet_peg_core::zones::{UtmZone, ZoneSet, state_plane_zones_at};

/// Number and hemisphere of the UTM zone: `10N`; NULL beyond 84° north and 80° south.
pub(super) fn utm() -> ScalarUDF {
    of_geometry::text("utm_zone", |args| named(args, |at| Some(UtmZone::of(at)?.name())))
}

/// Name of the state plane zone of 1983; NULL where there is none.
pub(super) fn state_plane() -> ScalarUDF {
    of_geometry::text("state_plane_zone", |args| {
        named(args, |at| {
            let zones = state_plane_zones_at(ZoneSet::Spcs83, at);
            zones.first().map(|found| found.zone.name.to_string())
        })
    })
}

fn named(
    args: &ScalarFunctionArgs,
    name: impl Fn(Geographic) -> Option<String>,
) -> Result<ArrayRef> {
    let there = |at: &Geographic| at.lat.is_finite() && at.lon.is_finite();
    let names = positions(args)?;
    let names: StringArray = names.iter().map(|at| there(at).then(|| name(*at))?).collect();
    Ok(Arc::new(names))
}
