//! Arcs and polygons of outlines in the pixels of a view.

use crate::draw::ground::within;
use crate::draw::view::{View, Window};
use velvet_peg_core::Geographic;
use velvet_peg_core::registry::{Arc, Polygons};

/// A line in pixels.
pub(in crate::draw) type Line = Vec<(f64, f64)>;

/// Edges longer than this many degrees are bent as the projection bends them.
const LONG: f64 = 1.0;
/// Pixels within which vertices are one.
const NEAR: f64 = 0.4;

/// An arc as it is seen, in pieces.
pub(super) fn seen(view: &View, window: &Window, arc: &[(f64, f64)], pieces: &mut Vec<Line>) {
    let arc = unrolled(arc);
    for turn in turns(window, arc.iter().copied()) {
        let mut piece: Line = Vec::new();
        for pair in arc.windows(2) {
            let (a, b) = ((pair[0].0 + turn, pair[0].1), (pair[1].0 + turn, pair[1].1));
            let outside = a.0.max(b.0) < window.west
                || a.0.min(b.0) > window.east
                || a.1.max(b.1) < window.south
                || a.1.min(b.1) > window.north;
            if outside {
                finish(&mut piece, pieces);
                continue;
            }
            if piece.is_empty() {
                piece.extend(pixel(view, a));
            }
            for step in between(a, b) {
                // An edge that goes round behind the map is none.
                match pixel(view, step) {
                    Some(at) if !jumps(view, piece.last(), at) => {
                        let near = piece
                            .last()
                            .is_some_and(|last| (last.0 - at.0).hypot(last.1 - at.1) < NEAR);
                        if !near || step == b {
                            piece.push(at);
                        }
                    }
                    Some(at) => {
                        finish(&mut piece, pieces);
                        piece.push(at);
                    }
                    None => finish(&mut piece, pieces),
                }
            }
        }
        finish(&mut piece, pieces);
    }
}

fn finish(piece: &mut Line, pieces: &mut Vec<Line>) {
    if piece.len() > 1 {
        pieces.push(std::mem::take(piece));
    } else {
        piece.clear();
    }
}

fn jumps(view: &View, last: Option<&(f64, f64)>, at: (f64, f64)) -> bool {
    let wide = (view.frame[2] - view.frame[0]).max(view.frame[3] - view.frame[1]);
    last.is_some_and(|last| (last.0 - at.0).hypot(last.1 - at.1) > wide / 2.0)
}

/// The pixel of a longitude, which may be beyond 180°, and a latitude.
fn pixel(view: &View, (lon, lat): (f64, f64)) -> Option<(f64, f64)> {
    let ground = view.ground.as_ref()?;
    let middle = ground.degrees.map_or(0.0, |degrees| lon / degrees);
    let (x, y) = ground.coordinate(Geographic { lon: within(lon, 0.0), lat }, middle)?;
    let (x, y) = view.pixel(x, y);
    (x.abs() < 1e7 && y.abs() < 1e7).then_some((x, y))
}

/// Turns of the circle by which positions come into a window.
fn turns(window: &Window, places: impl Iterator<Item = (f64, f64)>) -> Vec<f64> {
    let limits = |(low, high): (f64, f64), value: f64| (low.min(value), high.max(value));
    let none = (f64::INFINITY, f64::NEG_INFINITY);
    let (lons, lats) =
        places.fold((none, none), |(lons, lats), at| (limits(lons, at.0), limits(lats, at.1)));
    if lats.1 < window.south || lats.0 > window.north {
        return Vec::new();
    }
    [-360.0, 0.0, 360.0]
        .into_iter()
        .filter(|turn| lons.1 + turn >= window.west && lons.0 + turn <= window.east)
        .collect()
}

/// Steps from one place to another, without the first.
fn between(a: (f64, f64), b: (f64, f64)) -> impl Iterator<Item = (f64, f64)> {
    let steps = ((b.0 - a.0).abs().max((b.1 - a.1).abs()) / LONG).ceil().max(1.0) as usize;
    (1..=steps).map(move |step| match step == steps {
        true => b,
        false => {
            let share = step as f64 / steps as f64;
            (a.0 + (b.0 - a.0) * share, a.1 + (b.1 - a.1) * share)
        }
    })
}

/// The vertices of a ring of arcs; an arc run backwards is the complement of its number.
pub(in crate::draw) fn ring(arcs: &[Arc], numbers: &[i64]) -> Vec<(f64, f64)> {
    let mut ring: Vec<(f64, f64)> = Vec::new();
    for number in numbers {
        let backwards = *number < 0;
        let arc = &arcs[(if backwards { !*number } else { *number }) as usize];
        let skip = usize::from(!ring.is_empty());
        match backwards {
            true => ring.extend(arc.iter().rev().skip(skip)),
            false => ring.extend(arc.iter().skip(skip)),
        }
    }
    let mut ring = unrolled(&ring);
    // A ring around a pole is closed through it.
    if let (Some(first), Some(last)) = (ring.first().copied(), ring.last().copied())
        && (last.0 - first.0).abs() > 180.0
    {
        let pole = 90_f64.copysign(first.1);
        ring.extend([(last.0, pole), (first.0, pole), first]);
    }
    ring
}

/// Longitudes that go on beyond 180°, rather than around.
fn unrolled(line: &[(f64, f64)]) -> Vec<(f64, f64)> {
    let mut before: Option<f64> = None;
    let next = |(lon, lat): &(f64, f64)| {
        let lon = before.map_or(*lon, |before| within(*lon, before));
        before = Some(lon);
        (lon, *lat)
    };
    line.iter().map(next).collect()
}

/// Polygons as they are seen, rings in pixels.
pub(super) fn filled(
    view: &View,
    window: &Window,
    arcs: &[Arc],
    polygons: &Polygons,
    rings: &mut Vec<Line>,
) {
    for numbers in polygons.iter().flatten() {
        fill(view, window, &ring(arcs, numbers), rings);
    }
}

/// A ring of longitudes and latitudes as it is seen.
pub(super) fn fill(view: &View, window: &Window, ring: &[(f64, f64)], rings: &mut Vec<Line>) {
    for turn in turns(window, ring.iter().copied()) {
        let inside = clipped(ring.iter().map(|at| (at.0 + turn, at.1)).collect(), window);
        let mut seen: Line = Vec::new();
        for (at, from) in inside.iter().enumerate() {
            let to = inside[(at + 1) % inside.len()];
            for step in between(*from, to) {
                let Some(at) = pixel(view, step) else { continue };
                let near =
                    seen.last().is_some_and(|last| (last.0 - at.0).hypot(last.1 - at.1) < NEAR);
                if !near {
                    seen.push(at);
                }
            }
        }
        if seen.len() > 2 {
            rings.push(seen);
        }
    }
}

/// The part of a ring within a window (Sutherland and Hodgman, 1974).
fn clipped(mut ring: Vec<(f64, f64)>, window: &Window) -> Vec<(f64, f64)> {
    // A hair inside, so that both ends of a whole circle stay apart.
    const HAIR: f64 = 1e-6;
    let sides: [(bool, f64, f64); 4] = [
        (true, window.west + HAIR, 1.0),
        (true, window.east - HAIR, -1.0),
        (false, window.south, 1.0),
        (false, window.north, -1.0),
    ];
    for (across, limit, sense) in sides {
        let part = |at: (f64, f64)| (if across { at.0 } else { at.1 } - limit) * sense;
        let mut kept = Vec::with_capacity(ring.len());
        for (at, from) in ring.iter().enumerate() {
            let to = ring[(at + 1) % ring.len()];
            let (a, b) = (part(*from), part(to));
            if a >= 0.0 {
                kept.push(*from);
            }
            if (a >= 0.0) != (b >= 0.0) {
                let share = a / (a - b);
                kept.push((from.0 + (to.0 - from.0) * share, from.1 + (to.1 - from.1) * share));
            }
        }
        ring = kept;
    }
    ring
}
