//! The backdrop as SVG elements.

use super::backdrop::{Backdrop, Line};
use super::canvas::{Anchor, Canvas, path};
use super::palette::{Rgb, hex};
use super::view::View;
use velvet_peg_core::Geographic;
use velvet_peg_core::zones::{UtmZone, ZoneSet, state_plane_zones_at};

/// Land, water, lines and names, cut at the frame.
pub(super) fn draw(canvas: &mut Canvas, view: &View, backdrop: &Backdrop) {
    let paper = canvas.paper;
    canvas.put(format_args!("<g {}>", view.clip()));
    area(canvas, &backdrop.water, paper.water);
    area(canvas, &backdrop.land, paper.land);
    area(canvas, &backdrop.county_land, paper.land);
    lines(canvas, &backdrop.coasts, paper.state, "0.8");
    lines(canvas, &backdrop.counties, paper.county, "0.7");
    lines(canvas, &backdrop.states, paper.state, "1.3");
    lines(canvas, &backdrop.countries, paper.state, "1.1");
    canvas.put(format_args!("</g>"));
}

/// The names, over the grid and under the layers.
pub(super) fn names(canvas: &mut Canvas, backdrop: &Backdrop) {
    let paper = canvas.paper;
    for name in &backdrop.names {
        let colors = (paper.name, paper.land);
        canvas.rimmed(name.at, name.size, Anchor::Middle, colors, &name.text);
    }
}

fn area(canvas: &mut Canvas, rings: &[Line], color: Rgb) {
    if rings.is_empty() {
        return;
    }
    let data: String = rings.iter().map(|ring| path(ring.iter().copied(), true)).collect();
    canvas.put(format_args!("<path d=\"{data}\" fill=\"{}\" fill-rule=\"evenodd\"/>", hex(color)));
}

/// Lines in one colour.
pub(super) fn lines(canvas: &mut Canvas, lines: &[Line], color: Rgb, attributes: &str) {
    if lines.is_empty() {
        return;
    }
    let data: String = lines.iter().map(|line| path(line.iter().copied(), false)).collect();
    canvas.put(format_args!(
        "<path d=\"{data}\" fill=\"none\" stroke=\"{}\" stroke-width=\"{attributes}\" stroke-linejoin=\"round\"/>",
        hex(color)
    ));
}

/// Name of the state plane zone of 1983 at a place; of several the one of fewest counties.
pub(super) fn state_plane_name(at: Geographic) -> Option<String> {
    let zones = state_plane_zones_at(ZoneSet::Spcs83, at);
    let own = zones.iter().min_by_key(|found| found.zone.members().count())?;
    Some(own.zone.name.clone())
}

/// Name of the UTM zone at a place.
pub(super) fn utm_name(at: Geographic) -> Option<String> {
    UtmZone::of(at).map(|zone| zone.name())
}
