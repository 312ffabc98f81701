//! Compound systems that are none of the registry, but two systems of the registry taken together.

use super::identify::identify;
use crate::crs::{Crs, Height, VerticalCrs};
use velvet_peg_epsg::{CrsKind, CrsRow};

/// The two systems of the registry that a compound system is made of, taken together; none if one of its
/// parts is not of the registry.
pub(super) fn of_registry(crs: &Crs) -> Option<Crs> {
    let horizontal = crs.horizontal().filter(|_| crs.kind() == CrsKind::Compound)?;
    let Height::GravityRelated(stated) = crs.height() else { return None };
    let horizontal = Crs::from_epsg(identify(&horizontal).same()?).ok()?;
    Crs::compound(&horizontal, &vertical(stated)?).ok()
}

/// The vertical system of the registry with this datum, unit and sense; of several the one of this name.
fn vertical(stated: &VerticalCrs) -> Option<Crs> {
    let datum = stated.datum_code?;
    let rows = CrsRow::current(CrsKind::Vertical);
    let datum_of = |row: &CrsRow| {
        row.datum.or_else(|| row.base.and_then(CrsRow::find).and_then(|row| row.datum))
    };
    let alike = |crs: &Crs| match crs.height() {
        Height::GravityRelated(known) => known.unit == stated.unit && known.down == stated.down,
        _ => false,
    };
    rows.filter(|row| datum_of(row) == Some(datum))
        .filter_map(|row| Crs::from_epsg(row.code).ok())
        .filter(alike)
        .min_by_key(|crs| (crs.name() != stated.name, crs.code()))
}
