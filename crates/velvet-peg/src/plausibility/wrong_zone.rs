//! Warning of a target system that is not used where the data lies: the wrong zone.

use crate::advice::Advice;
use crate::notice::{Notice, NoticeKind};
use velvet_peg_core::zones::{
    OUTLINE_UNCERTAINTY_M, StatePlaneMatch, state_plane_zones, state_plane_zones_at,
};
use velvet_peg_core::{Converter, Coordinate, Crs, Geographic};

/// Degrees that a zone is carried on beyond its edge as a matter of course.
const MARGIN_DEG: f64 = 0.5;

/// What to say of a target, if a coordinate of the source (the middle of the data, for example) lies
/// outside the zone or the area that it is for.
pub(crate) fn wrong_zone(
    source: &Crs,
    target: &Crs,
    what: &str,
    middle: (f64, f64),
) -> Option<Notice> {
    if !target.is_projected() {
        return None;
    }
    let home = source.in_degrees()?;
    let at = Converter::new(source, &home)
        .and_then(|converter| converter.convert(Coordinate::xy(middle.0, middle.1)))
        .ok()?;
    let at = home.from_greenwich(at);
    let place = format!("{what} (latitude {:.4}°, longitude {:.4}°)", at.lat, at.lon);
    let label = target.label();
    if let Some((hit, own)) = other_zone(target, at) {
        let instead = counterpart(target, &hit)
            .map_or(String::new(), |crs| format!(": {} is the system of that zone", crs.label()));
        return Some(
            Notice::warning(
                NoticeKind::Area,
                format!(
                    "{place} lies in {} ({}), not in {own}, which {label} is for{instead}",
                    hit.zone.name,
                    hit.county.label()
                ),
            )
            .with("latitude", at.lat, "degree")
            .with("longitude", at.lon, "degree"),
        );
    }
    (!target.extent().is_near(at, MARGIN_DEG)).then(|| {
        Notice::warning(
            NoticeKind::Area,
            format!(
                "{place} lies outside the area where {label} is used ({}): lengths and directions \
                 there may be far from true",
                target.extent().name()
            ),
        )
        .with("latitude", at.lat, "degree")
        .with("longitude", at.lon, "degree")
        .advise(Advice::ZonesOf(None))
    })
}

/// The state-plane zone of a place, with the name of the one that a system is for, where they
/// are surely two.
fn other_zone(target: &Crs, at: Geographic) -> Option<(StatePlaneMatch, &'static str)> {
    let code = target.code()?;
    let own = state_plane_zones().iter().find(|zone| zone.systems.contains(&code))?;
    let hits = state_plane_zones_at(own.set, at);
    if hits.iter().any(|hit| hit.zone.area == own.area) {
        return None;
    }
    let hit = hits.into_iter().next()?;
    let sure = hit.edge_m().is_none_or(|metres| metres > OUTLINE_UNCERTAINTY_M);
    sure.then_some((hit, own.name.as_str()))
}

/// The system of another zone on the same datum and in the same unit.
fn counterpart(target: &Crs, hit: &StatePlaneMatch) -> Option<Crs> {
    let datum = target.datum()?.code()?;
    let (metres, feet) = hit.zone.systems_on(datum);
    let unit = target.length_unit();
    [metres, feet].into_iter().flatten().find(|crs| crs.length_unit() == unit)
}
