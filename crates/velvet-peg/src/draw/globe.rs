//! A small globe that shows where on the Earth a map lies: the Earth as a sphere seen from far
//! above the middle of the map (orthographic).

use super::backdrop::{borders, ring};
use super::canvas::{Canvas, Px, path};
use super::palette::hex;
use super::view::View;
use velvet_peg_core::Geographic;

/// Steps along each side of the frame, and of the rim.
const STEPS: usize = 12;
/// Below so many pixels a frame is a ring around its middle.
const SMALL: f64 = 5.0;

/// Seen from above a place.
struct Globe {
    middle: (f64, f64),
    radius: f64,
    lon: f64,
    sin: f64,
    cos: f64,
}

impl Globe {
    /// Pixels of a place, and whether it is on the side that is seen.
    fn pixel(&self, Geographic { lon, lat }: Geographic) -> ((f64, f64), bool) {
        let (sin_lat, cos_lat) = lat.to_radians().sin_cos();
        let (sin_lon, cos_lon) = (lon - self.lon).to_radians().sin_cos();
        let x = cos_lat * sin_lon;
        let y = self.cos * sin_lat - self.sin * cos_lat * cos_lon;
        let seen = self.sin * sin_lat + self.cos * cos_lat * cos_lon >= 0.0;
        // What is behind is drawn on the rim.
        let out = if seen { 1.0 } else { x.hypot(y).max(1e-9) };
        ((self.middle.0 + self.radius * x / out, self.middle.1 - self.radius * y / out), seen)
    }
}

/// Draws the globe around a point.
pub(super) fn draw(canvas: &mut Canvas, view: &View, middle: (f64, f64), radius: f64) {
    let Some(at) = view.place_at(view.centre()) else { return };
    let (sin, cos) = at.lat.to_radians().sin_cos();
    let globe = Globe { middle, radius, lon: at.lon, sin, cos };
    let paper = canvas.paper;
    let (x, y) = (Px(middle.0), Px(middle.1));
    canvas.put(format_args!(
        "<circle cx=\"{x}\" cy=\"{y}\" r=\"{radius}\" fill=\"{}\" stroke=\"{}\" stroke-width=\"0.8\"/>",
        hex(paper.water),
        hex(paper.state)
    ));
    let countries = &borders().countries;
    let mut land = String::new();
    for numbers in countries.countries.iter().flat_map(|country| country.polygons.iter().flatten())
    {
        let places = ring(&countries.arcs, numbers);
        let seen: Vec<((f64, f64), bool)> = places
            .iter()
            .map(|(lon, lat)| globe.pixel(Geographic { lat: *lat, lon: *lon }))
            .collect();
        if seen.iter().any(|(_, seen)| *seen) {
            land.push_str(&path(seen.into_iter().map(|(pixel, _)| pixel), true));
        }
    }
    canvas.put(format_args!(
        "<path d=\"{land}\" fill=\"{}\" stroke=\"{}\" stroke-width=\"0.3\" fill-rule=\"evenodd\"/>",
        hex(paper.land),
        hex(paper.state)
    ));
    let flag = hex(paper.flag);
    let frame = around(view);
    let pixels: Vec<((f64, f64), bool)> = frame.iter().map(|at| globe.pixel(*at)).collect();
    let wide = |part: fn(&(f64, f64)) -> f64| {
        let parts = pixels.iter().map(|(pixel, _)| part(pixel));
        let (low, high) =
            parts.fold((f64::MAX, f64::MIN), |(low, high), part| (low.min(part), high.max(part)));
        high - low
    };
    let all_seen = !pixels.is_empty() && pixels.iter().all(|(_, seen)| *seen);
    match all_seen && wide(|at| at.0).max(wide(|at| at.1)) >= SMALL {
        true => canvas.put(format_args!(
            "<path d=\"{}\" fill=\"{flag}\" fill-opacity=\"0.25\" stroke=\"{flag}\" stroke-width=\"1.4\"/>",
            path(pixels.into_iter().map(|(pixel, _)| pixel), true)
        )),
        // Of a map of half the Earth and more the globe shows the middle.
        false => canvas.put(format_args!(
            "<circle cx=\"{x}\" cy=\"{y}\" r=\"4.5\" fill=\"none\" stroke=\"{flag}\" stroke-width=\"1.6\"/>\
             <circle cx=\"{x}\" cy=\"{y}\" r=\"1.4\" fill=\"{flag}\"/>"
        )),
    }
}

/// Places around the frame.
fn around(view: &View) -> Vec<Geographic> {
    let [left, top, right, bottom] = view.frame;
    let corners = [(left, top), (right, top), (right, bottom), (left, bottom)];
    let side = |at: usize| {
        let (from, to) = (corners[at], corners[(at + 1) % 4]);
        (0..STEPS).map(move |step| {
            let share = step as f64 / STEPS as f64;
            (from.0 + (to.0 - from.0) * share, from.1 + (to.1 - from.1) * share)
        })
    };
    let all = 4 * STEPS;
    let places: Vec<Geographic> =
        (0..4).flat_map(side).filter_map(|pixel| view.place_at(pixel)).collect();
    if places.len() == all { places } else { Vec::new() }
}
