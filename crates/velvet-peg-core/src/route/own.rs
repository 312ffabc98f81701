//! Ways from and to datums of one's own whose definitions say how they lie to WGS 84.

use super::{Route, Step, Wish, between};
use crate::crs::Datum;
use crate::datum::Operation;
use crate::error::{Error, Kind, Result};

/// EPSG code of the ensemble WGS 84.
const WGS84: u32 = 6326;

/// The way over WGS 84 by what the definitions say; none if neither says anything.
pub(super) fn through_wgs84(from: &Datum, to: &Datum, wish: Wish<'_>) -> Result<Option<Route>> {
    let there = Operation::of_definition(from, false)?;
    let back = Operation::of_definition(to, true)?;
    if there.is_none() && back.is_none() {
        return Ok(None);
    }
    let wgs84 = Datum::from_epsg(WGS84)?;
    let begin = if there.is_some() { &wgs84 } else { from };
    let end = if back.is_some() { &wgs84 } else { to };
    let mut route = match begin.is_same(end) {
        true if !wish.operations.is_empty() => {
            return Err(Error::new(
                Kind::NoRoute,
                format!(
                    "{} to {} goes by what definitions say of WGS 84: there is no operation to name",
                    from.name(),
                    to.name()
                ),
            ));
        }
        true => Route::of_one_datum(),
        false => between(begin, end, wish)?,
    };
    // The other ways lead between the datums in the middle only.
    route.alternatives.clear();
    if let Some(operation) = there {
        let step = Step { operation, from: from.side(), to: wgs84.side() };
        route.steps.insert(0, step);
    }
    if let Some(operation) = back {
        route.steps.push(Step { operation, from: wgs84.side(), to: to.side() });
    }
    Ok(Some(route))
}
