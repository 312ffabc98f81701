//! Meridians and parallels at round values, bent as the map's system bends them, and labelled
//! where they cut the frame.

use super::canvas::{Anchor, Canvas, path};
use super::lettering::width;
use super::palette::hex;
use super::ticks::{arc_step, degrees_text, multiples};
use super::view::{View, Window};
use velvet_peg_core::Geographic;
use velvet_peg_core::angle::Axis;

/// Pixels that lie between two lines at least.
const ROOM: f64 = 120.0;
/// Steps along a line.
const STEPS: usize = 96;
const SIZE: f64 = 10.5;

/// Edges of a frame in pixels.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Edge {
    Left,
    Top,
    Right,
    Bottom,
}

/// One line.
struct Curve {
    axis: Axis,
    text: String,
    pieces: Vec<Vec<(f64, f64)>>,
}

/// Draws the lines; the labels stand on the edges that grid labels leave free if there are such.
pub(super) fn draw(canvas: &mut Canvas, view: &View, beside_grid: bool) {
    let Some(window) = view.window() else { return };
    let curves = curves(view, &window);
    let (clip, color) = (view.clip(), hex(canvas.paper.graticule));
    let dashes = if beside_grid { " stroke-dasharray=\"5 3\"" } else { "" };
    canvas.put(format_args!(
        "<g {clip} fill=\"none\" stroke=\"{color}\" stroke-width=\"0.8\"{dashes}>"
    ));
    for curve in &curves {
        for piece in &curve.pieces {
            let line = path(piece.iter().copied(), false);
            canvas.put(format_args!("<path d=\"{line}\"/>"));
        }
    }
    canvas.put(format_args!("</g>"));
    labels(canvas, view, &curves, beside_grid);
}

/// Round steps in degrees along both, from what a degree takes up at the middle of the frame.
fn steps(view: &View) -> Option<(f64, f64)> {
    let middle = view.place_at(view.centre())?;
    let metres = view.metres_per_pixel()?;
    let of_degree = 111_200.0 / metres;
    let lat_step = arc_step(ROOM * 0.8 / of_degree);
    // Near a pole meridians come close however far apart they are.
    let squeeze = middle.lat.to_radians().cos().max(0.15);
    Some((arc_step(ROOM / (of_degree * squeeze)), lat_step))
}

fn curves(view: &View, window: &Window) -> Vec<Curve> {
    let Some((lon_step, lat_step)) = steps(view) else { return Vec::new() };
    let whole = window.east - window.west > 359.0;
    let mut curves = Vec::new();
    let mut lons = multiples(window.west, window.east, lon_step);
    // Both ends of a whole circle are one meridian.
    if whole && lons.len() > 1 && (lons[lons.len() - 1] - lons[0] - 360.0).abs() < 1e-9 {
        lons.pop();
    }
    for lon in lons {
        let along = (0..=STEPS).map(|step| {
            let lat = window.south + (window.north - window.south) * step as f64 / STEPS as f64;
            Geographic { lat, lon }
        });
        curves.push(Curve {
            axis: Axis::Longitude,
            text: degrees_text(lon, lon_step, Axis::Longitude),
            pieces: pieces(view, along),
        });
    }
    for lat in multiples(window.south, window.north, lat_step) {
        if lat.abs() > 89.999 {
            continue;
        }
        let along = (0..=STEPS).map(|step| {
            let lon = window.west + (window.east - window.west) * step as f64 / STEPS as f64;
            Geographic { lat, lon }
        });
        curves.push(Curve {
            axis: Axis::Latitude,
            text: degrees_text(lat, lat_step, Axis::Latitude),
            pieces: pieces(view, along),
        });
    }
    curves
}

fn pieces(view: &View, places: impl Iterator<Item = Geographic>) -> Vec<Vec<(f64, f64)>> {
    let wide = view.frame[2] - view.frame[0];
    let mut pieces: Vec<Vec<(f64, f64)>> = vec![Vec::new()];
    for at in places {
        let lon = super::ground::within(at.lon, 0.0);
        let pixel =
            view.pixel_of(Geographic { lon, ..at }).filter(|at| at.0.abs().max(at.1.abs()) < 1e6);
        let last = pieces.last().and_then(|piece| piece.last()).copied();
        let jumps =
            |at: (f64, f64)| last.is_some_and(|last| (last.0 - at.0).hypot(last.1 - at.1) > wide);
        match pixel {
            Some(at) if jumps(at) => pieces.push(vec![at]),
            Some(at) => {
                if let Some(piece) = pieces.last_mut() {
                    piece.push(at);
                }
            }
            None => pieces.push(Vec::new()),
        }
    }
    pieces.retain(|piece| piece.len() > 1);
    pieces
}

/// Where pieces of a line cut an edge of the frame.
fn cuts(view: &View, curve: &Curve, edge: Edge) -> Vec<f64> {
    let [left, top, right, bottom] = view.frame;
    let mut cuts = Vec::new();
    for pair in curve.pieces.iter().flat_map(|piece| piece.windows(2)) {
        let (a, b) = (pair[0], pair[1]);
        let (from, to, limit, other) = match edge {
            Edge::Left => (a.0, b.0, left, (a.1, b.1)),
            Edge::Right => (a.0, b.0, right, (a.1, b.1)),
            Edge::Top => (a.1, b.1, top, (a.0, b.0)),
            Edge::Bottom => (a.1, b.1, bottom, (a.0, b.0)),
        };
        if (from < limit) == (to < limit) {
            continue;
        }
        let share = (limit - from) / (to - from);
        let at = other.0 + (other.1 - other.0) * share;
        let (low, high) = match edge {
            Edge::Left | Edge::Right => (top, bottom),
            Edge::Top | Edge::Bottom => (left, right),
        };
        if (low..=high).contains(&at) {
            cuts.push(at);
        }
    }
    cuts
}

fn labels(canvas: &mut Canvas, view: &View, curves: &[Curve], beside_grid: bool) {
    let [left, top, right, bottom] = view.frame;
    let edges = match beside_grid {
        true => [Edge::Top, Edge::Right],
        false => [Edge::Bottom, Edge::Left],
    };
    let mut taken: Vec<(Edge, f64, f64)> = Vec::new();
    let color = canvas.paper.faint;
    for curve in curves {
        // Meridians are labelled below or above, parallels at a side, unless they cut another
        // edge only.
        let order = match curve.axis {
            Axis::Latitude => [edges[1], edges[0]],
            _ => edges,
        };
        let cut = order
            .into_iter()
            .find_map(|edge| cuts(view, curve, edge).into_iter().next().map(|at| (edge, at)));
        let Some((edge, at)) = cut else { continue };
        let half = width(&curve.text, SIZE) / 2.0 + 4.0;
        let overlaps = taken
            .iter()
            .any(|(other, from, to)| *other == edge && at - half < *to && at + half > *from);
        if overlaps {
            continue;
        }
        taken.push((edge, at - half, at + half));
        match edge {
            Edge::Bottom => {
                canvas.text_in((at, bottom + 17.0), SIZE, Anchor::Middle, color, &curve.text)
            }
            Edge::Top => canvas.text_in((at, top - 6.0), SIZE, Anchor::Middle, color, &curve.text),
            Edge::Left => canvas.upright((left - 9.0, at), SIZE, color, &curve.text),
            Edge::Right => canvas.upright((right + 14.0, at), SIZE, color, &curve.text),
        }
    }
}
