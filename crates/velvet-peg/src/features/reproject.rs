//! Features of several rows on their way to another reference system: one that cannot be carried
//! gives its rows to the rejects before anything is written.

use super::BuildOptions;
use crate::error::Result;
use crate::plausibility::no_way;
use crate::reproject::{area_of, not_carried};
use velvet_peg_core::{Bounds, Converter, Coordinate};

/// The way to the system that features are carried to, if they are.
pub(super) struct Carry(Option<Converter>);

impl Carry {
    pub(super) fn plan(build: &BuildOptions, extent: Option<Bounds>) -> Result<Carry> {
        let (Some(from), Some(to)) = (&build.crs, &build.to) else { return Ok(Carry(None)) };
        let area = extent.as_ref().and_then(|extent| area_of(from, extent));
        let converter = Converter::plan(from, to, &build.way.plan(area))
            .map_err(|error| no_way(error, from, extent.as_ref()))?;
        Ok(Carry(Some(converter)))
    }

    /// Why a feature with these vertices cannot be carried, if it cannot.
    pub(super) fn refuses(&self, vertices: impl Iterator<Item = (f64, f64)>) -> Option<String> {
        let converter = self.0.as_ref()?;
        let (x, y) = vertices
            .into_iter()
            .find(|(x, y)| converter.convert(Coordinate::xy(*x, *y)).is_err())?;
        Some(not_carried(converter, Coordinate::xy(x, y)))
    }
}
