//! Curves of drawings as chords within a tolerance: bulges of polylines, circles, ellipses.

use super::pairs::{Pair, find};
use crate::format_support::arc::{Arc, steps};
use std::f64::consts::TAU;

/// A vertex of a flat line with the bulge of the arc to the next: the tangent of a quarter of its
/// angle, counter-clockwise if positive.
#[derive(Clone, Copy, Debug)]
pub(super) struct Vertex {
    pub(super) place: [f64; 3],
    pub(super) bulge: f64,
}

/// The places of a line with bulges, and how many of these there are.
pub(super) fn bulged(vertices: &[Vertex], closed: bool, tolerance: f64) -> (Vec<[f64; 3]>, u64) {
    let (mut places, mut curves) = (Vec::with_capacity(vertices.len()), 0);
    for (at, from) in vertices.iter().enumerate() {
        places.push(from.place);
        let to = match (at + 1 < vertices.len(), closed) {
            (true, _) => &vertices[at + 1],
            (false, true) => &vertices[0],
            (false, false) => continue,
        };
        let (dx, dy) = (to.place[0] - from.place[0], to.place[1] - from.place[1]);
        let chord = dx.hypot(dy);
        if from.bulge == 0.0 || !from.bulge.is_finite() || chord == 0.0 {
            continue;
        }
        let turn = 4.0 * from.bulge.atan();
        // The centre lies on the perpendicular through the middle of the chord.
        let offset = 1.0 / (2.0 * (turn / 2.0).tan());
        let centre =
            (from.place[0] + dx / 2.0 - dy * offset, from.place[1] + dy / 2.0 + dx * offset);
        let (rx, ry) = (from.place[0] - centre.0, from.place[1] - centre.1);
        let arc = Arc { centre, radius: rx.hypot(ry), start: ry.atan2(rx), turn };
        arc.between(tolerance, &mut |x, y, share| {
            places.push([x, y, from.place[2] + (to.place[2] - from.place[2]) * share]);
        });
        curves += 1;
    }
    (places, curves)
}

/// The angle of the way from one direction to another, counter-clockwise; a whole turn if they are
/// the same.
pub(super) fn turn(from: f64, to: f64) -> f64 {
    let turn = (to - from).rem_euclid(TAU);
    if turn < 1e-12 { TAU } else { turn }
}

/// A piece of an ellipse: its centre, the ends of its half axes from there, and the parameters
/// (radians) of its ends.
#[derive(Clone, Copy, Debug)]
pub(super) struct Ellipse {
    pub(super) centre: [f64; 3],
    pub(super) major: [f64; 3],
    pub(super) minor: [f64; 3],
    pub(super) start: f64,
    pub(super) turn: f64,
}

impl Ellipse {
    /// A circle in its plane.
    pub(super) fn circle(centre: [f64; 3], radius: f64) -> Ellipse {
        let (major, minor) = ([radius, 0.0, 0.0], [0.0, radius, 0.0]);
        Ellipse { centre, major, minor, start: 0.0, turn: TAU }
    }

    /// A circle, or a piece of one between two angles (degrees).
    pub(super) fn arc(pairs: &[Pair], centre: [f64; 3]) -> Option<Ellipse> {
        let radius = find(pairs, 40).filter(|r| *r > 0.0 && r.is_finite())?;
        let whole = Ellipse::circle(centre, radius);
        let angle = |code| find(pairs, code).map(f64::to_radians);
        match (angle(50), angle(51)) {
            (Some(start), Some(end)) if (start + end).is_finite() => {
                Some(Ellipse { start, turn: turn(start, end), ..whole })
            }
            (None, None) => Some(whole),
            _ => None,
        }
    }

    /// True if it ends where it begins.
    pub(super) fn is_whole(&self) -> bool {
        self.turn.abs() >= TAU - 1e-12
    }

    fn at(&self, angle: f64) -> [f64; 3] {
        let (sin, cos) = angle.sin_cos();
        [0, 1, 2].map(|k| self.centre[k] + self.major[k] * cos + self.minor[k] * sin)
    }

    /// Its places from end to end. An ellipse is a circle that is pressed together, and its chords
    /// come closer by that.
    pub(super) fn places(&self, tolerance: f64) -> Vec<[f64; 3]> {
        let length = |a: [f64; 3]| a[0].hypot(a[1]).hypot(a[2]);
        let radius = length(self.major).max(length(self.minor));
        let steps = steps(radius, self.turn, tolerance);
        let angle = |step: u64| self.start + self.turn * step as f64 / steps;
        let mut places: Vec<[f64; 3]> =
            (0..=steps as u64).map(|step| self.at(angle(step))).collect();
        // The end is the beginning to the last digit.
        if let (true, Some(end)) = (self.is_whole(), places.len().checked_sub(1)) {
            places[end] = places[0];
        }
        places
    }
}
