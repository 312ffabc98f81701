//! Arcs as chords: curves of files become lines within a tolerance.

use std::f64::consts::TAU;

/// The most chords of one arc.
const MOST: f64 = 100_000.0;

/// A piece of a circle.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Arc {
    pub(crate) centre: (f64, f64),
    pub(crate) radius: f64,
    /// Where it begins, as an angle in radians, counter-clockwise from x.
    pub(crate) start: f64,
    /// How far it goes, in radians; negative for clockwise.
    pub(crate) turn: f64,
}

impl Arc {
    /// Hands on the places between its ends, with how far along it each lies, from 0 to 1. No chord
    /// is farther from the arc than the tolerance.
    pub(crate) fn between(&self, tolerance: f64, each: &mut dyn FnMut(f64, f64, f64)) {
        let steps = steps(self.radius, self.turn, tolerance);
        for step in 1..steps as u64 {
            let share = step as f64 / steps;
            let (sin, cos) = (self.start + self.turn * share).sin_cos();
            each(self.centre.0 + self.radius * cos, self.centre.1 + self.radius * sin, share);
        }
    }
}

/// Chords of an arc: the middle of a chord lies `r (1 - cos(angle / 2))` inside.
pub(crate) fn steps(radius: f64, turn: f64, tolerance: f64) -> f64 {
    let cosine = 1.0 - (tolerance / radius).clamp(0.0, 1.0);
    let step = (2.0 * cosine.acos()).max(TAU / MOST);
    (turn.abs() / step).ceil().clamp(1.0, MOST)
}

/// The arc from a place over a second to a third; none if they lie on one line. A third that is the
/// first closes a circle whose middle lies halfway to the second (ISO 19107, circular strings of
/// WKT).
pub(crate) fn through(a: (f64, f64), b: (f64, f64), c: (f64, f64)) -> Option<Arc> {
    if a == c {
        let centre = ((a.0 + b.0) / 2.0, (a.1 + b.1) / 2.0);
        let radius = (a.0 - b.0).hypot(a.1 - b.1) / 2.0;
        let start = (a.1 - centre.1).atan2(a.0 - centre.0);
        return (radius > 0.0).then_some(Arc { centre, radius, start, turn: TAU });
    }
    let (bx, by, cx, cy) = (b.0 - a.0, b.1 - a.1, c.0 - a.0, c.1 - a.1);
    let cross = 2.0 * (bx * cy - by * cx);
    if cross == 0.0 || !cross.is_finite() {
        return None;
    }
    let (bb, cc) = (bx * bx + by * by, cx * cx + cy * cy);
    let (ux, uy) = ((cy * bb - by * cc) / cross, (bx * cc - cx * bb) / cross);
    let start = (-uy).atan2(-ux);
    let end = (cy - uy).atan2(cx - ux);
    // Counter-clockwise where the third place lies to the left of the way to the second.
    let turn = match cross > 0.0 {
        true => (end - start).rem_euclid(TAU),
        false => -(start - end).rem_euclid(TAU),
    };
    Some(Arc { centre: (a.0 + ux, a.1 + uy), radius: ux.hypot(uy), start, turn })
}

/// A vertex of a curve: x, y, height and measure, which are not numbers where there are none.
pub(crate) type CurveVertex = [f64; 4];

/// Hands on the vertices of a circular string (pairs of arcs through three places each, which share
/// their ends) as a line within a tolerance; heights and measures go evenly from end to end.
///
/// # Errors
/// If there are not 3, 5, 7 … places.
pub(crate) fn circular_string(
    places: &[CurveVertex],
    tolerance: f64,
    each: &mut dyn FnMut(CurveVertex),
) -> Result<(), String> {
    if places.len() < 3 || places.len().is_multiple_of(2) {
        return Err(format!("a circular string has {} places, not 3, 5, 7 …", places.len()));
    }
    each(places[0]);
    for arc in places.windows(3).step_by(2) {
        let [from, middle, to] = [arc[0], arc[1], arc[2]];
        let xy = |place: CurveVertex| (place[0], place[1]);
        match through(xy(from), xy(middle), xy(to)) {
            None => each(middle),
            Some(arc) => {
                let here = (middle[1] - arc.centre.1).atan2(middle[0] - arc.centre.0);
                let half = match arc.turn > 0.0 {
                    true => (here - arc.start).rem_euclid(TAU),
                    false => -(arc.start - here).rem_euclid(TAU),
                };
                let run = |from: CurveVertex,
                           to: CurveVertex,
                           arc: Arc,
                           each: &mut dyn FnMut(CurveVertex)| {
                    arc.between(tolerance, &mut |x, y, share| {
                        let even = |at: usize| from[at] + (to[at] - from[at]) * share;
                        each([x, y, even(2), even(3)]);
                    });
                };
                // The place in the middle stays a vertex.
                run(from, middle, Arc { turn: half, ..arc }, each);
                each(middle);
                let rest = Arc { start: arc.start + half, turn: arc.turn - half, ..arc };
                run(middle, to, rest, each);
            }
        }
        each(to);
    }
    Ok(())
}
