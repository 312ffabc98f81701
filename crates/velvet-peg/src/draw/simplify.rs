//! Lines and rings no finer than a picture shows them.

use super::view::View;
use std::ops::Range;
use velvet_peg_core::Bounds;

/// Vertices nearer than this to the last are left out, and lines run within so many pixels of the
/// others: none of it is seen.
const NEAR: f64 = 0.3;
const ASIDE: f64 = 0.12;

/// A line is looked at in stretches of so many vertices, whose ends stay: one that runs to and fro everywhere would
/// take time that grows with the square of its length.
const STRETCH: usize = 128;

/// Vertices of a line or ring in pixels, without those that are not seen.
pub(super) fn simplified(
    view: &View,
    x: &[f64],
    y: &[f64],
    range: Range<usize>,
) -> Vec<(f32, f32)> {
    let mut near: Vec<(f64, f64)> = Vec::with_capacity(range.len());
    let last = range.end.saturating_sub(1);
    for at in range {
        if !(x[at].is_finite() && y[at].is_finite()) {
            continue;
        }
        let pixel = view.pixel(view.unrolled(x[at]), y[at]);
        // SVG has numbers of single precision: what lies far outside need not be exact.
        let pixel = (pixel.0.clamp(-1e6, 1e6), pixel.1.clamp(-1e6, 1e6));
        let far =
            near.last().is_none_or(|before| (before.0 - pixel.0).hypot(before.1 - pixel.1) > NEAR);
        if far || at == last {
            near.push(pixel);
        }
    }
    kept(&near).into_iter().map(|(x, y)| (x as f32, y as f32)).collect()
}

/// The vertices from which a line does not stray (Douglas and Peucker, 1973).
fn kept(line: &[(f64, f64)]) -> Vec<(f64, f64)> {
    if line.len() < 3 {
        return line.to_vec();
    }
    let mut keep = vec![false; line.len()];
    let last = line.len() - 1;
    keep[last] = true;
    let mut open: Vec<(usize, usize)> = Vec::new();
    for from in (0..last).step_by(STRETCH) {
        keep[from] = true;
        open.push((from, (from + STRETCH).min(last)));
    }
    while let Some((from, to)) = open.pop() {
        let farthest = (from + 1..to)
            .map(|at| (at, aside(line[at], line[from], line[to])))
            .max_by(|a, b| a.1.total_cmp(&b.1));
        if let Some((at, _)) = farthest.filter(|(_, aside)| *aside > ASIDE) {
            keep[at] = true;
            open.push((from, at));
            open.push((at, to));
        }
    }
    line.iter().zip(keep).filter(|(_, keep)| *keep).map(|(vertex, _)| *vertex).collect()
}

/// Distance of a point from a segment.
fn aside(at: (f64, f64), from: (f64, f64), to: (f64, f64)) -> f64 {
    let (dx, dy) = (to.0 - from.0, to.1 - from.1);
    let square = dx * dx + dy * dy;
    let (x, y) = (at.0 - from.0, at.1 - from.1);
    let along = if square == 0.0 { 0.0 } else { ((x * dx + y * dy) / square).clamp(0.0, 1.0) };
    (x - along * dx).hypot(y - along * dy)
}

/// The box around vertices in pixels: left, top, right, bottom.
pub(super) fn box_of(vertices: &[(f32, f32)]) -> Option<Bounds> {
    let first = vertices.first()?;
    let (mut left, mut top, mut right, mut bottom) = (first.0, first.1, first.0, first.1);
    for (x, y) in vertices {
        left = left.min(*x);
        right = right.max(*x);
        top = top.min(*y);
        bottom = bottom.max(*y);
    }
    Some(Bounds { west: left.into(), north: top.into(), east: right.into(), south: bottom.into() })
}
