//! Outlines: lines, circular curves and spirals, one behind the other, as chords within a tolerance.

use crate::format_support::arc::Arc;
use std::f64::consts::TAU;

/// A place: x (easting), y (northing), height (not a number if there is none).
pub(super) type Place = [f64; 3];

/// An element of an outline.
#[derive(Clone, Debug, Default)]
pub(super) struct Piece {
    pub(super) kind: String,
    /// Attributes of the element.
    pub(super) rotation: String,
    pub(super) curve: String,
    pub(super) radii: [Option<f64>; 2],
    pub(super) length: Option<f64>,
    pub(super) start: Option<Place>,
    pub(super) end: Option<Place>,
    pub(super) centre: Option<Place>,
    pub(super) corner: Option<Place>,
    /// Places between the ends.
    pub(super) list: Vec<Place>,
}

/// An outline.
#[derive(Clone, Debug, Default)]
pub(super) struct Outline {
    pub(super) places: Vec<Place>,
    /// Curves in it that are chords now.
    pub(super) curves: u64,
    /// The farthest that a piece begins from where the one before it ended.
    pub(super) gap: f64,
}

fn apart(a: Place, b: Place) -> f64 {
    (a[0] - b[0]).hypot(a[1] - b[1])
}

impl Outline {
    /// Adds a piece.
    ///
    /// # Errors
    /// If it has no ends, or is of a kind that is not read.
    pub(super) fn add(&mut self, piece: &Piece, tolerance: f64) -> Result<(), String> {
        if piece.kind == "Chain" {
            piece.list.iter().for_each(|place| self.put(*place));
            return Ok(());
        }
        let (Some(start), Some(end)) = (piece.start, piece.end) else {
            return Err(format!("a {} has no start or no end that can be read", piece.kind));
        };
        if let Some(last) = self.places.last() {
            self.gap = self.gap.max(apart(*last, start));
        }
        self.put(start);
        match piece.kind.as_str() {
            "Line" => {}
            "IrregularLine" => {
                piece.list.iter().for_each(|place| self.put(*place));
                self.put(end);
                return Ok(());
            }
            "Curve" => {
                self.curve(piece, start, end, tolerance)?;
                self.curves += 1;
            }
            "Spiral" => {
                self.spiral(piece, start, end, tolerance)?;
                self.curves += 1;
            }
            other => return Err(format!("elements of kind {other} are not read")),
        }
        self.places.push(end);
        Ok(())
    }

    /// Adds the place that a piece begins with, which is as a rule the end of the one before.
    fn put(&mut self, place: Place) {
        let same = |last: &Place| last[0] == place[0] && last[1] == place[1];
        if !self.places.last().is_some_and(same) {
            self.places.push(place);
        }
    }

    fn curve(&mut self, piece: &Piece, a: Place, b: Place, tolerance: f64) -> Result<(), String> {
        let Some(centre) = piece.centre else {
            return Err("a Curve has no centre that can be read".to_string());
        };
        if !matches!(piece.curve.as_str(), "" | "arc") {
            return Err(format!("curves of type {} are not read", piece.curve));
        }
        let angle = |place: Place| (place[1] - centre[1]).atan2(place[0] - centre[0]);
        let (start, round) = (angle(a), angle(b) - angle(a));
        let turn = match piece.rotation.as_str() {
            "cw" => -(-round).rem_euclid(TAU),
            "ccw" => round.rem_euclid(TAU),
            other => return Err(format!("a Curve turns `{other}`, neither cw nor ccw")),
        };
        let turn = if turn == 0.0 { TAU } else { turn };
        let (radius, other) = (apart(a, centre), apart(b, centre));
        let arc = Arc { centre: (centre[0], centre[1]), radius, start, turn };
        arc.between(tolerance, &mut |x, y, share| {
            // The distances from the centre differ by what numbers of files are rounded to.
            let scale = 1.0 + (other / radius - 1.0) * share;
            let place = [
                centre[0] + (x - centre[0]) * scale,
                centre[1] + (y - centre[1]) * scale,
                a[2] + (b[2] - a[2]) * share,
            ];
            self.places.push(place);
        });
        Ok(())
    }

    /// A clothoid: its curvature goes evenly from that of one end to that of the other. It leaves the
    /// start towards the corner of its tangents.
    fn spiral(&mut self, piece: &Piece, a: Place, b: Place, tolerance: f64) -> Result<(), String> {
        if piece.curve != "clothoid" {
            return Err(format!("spirals of type {} are not read", piece.curve));
        }
        let (Some(length), Some(corner)) = (piece.length.filter(|l| *l > 0.0), piece.corner) else {
            return Err("a Spiral has no length or no PI that can be read".to_string());
        };
        let side = if piece.rotation == "cw" { -1.0 } else { 1.0 };
        let [from, to] = piece.radii.map(|radius| radius.map_or(0.0, |r| side / r));
        let heading = (corner[1] - a[1]).atan2(corner[0] - a[0]);
        // No chord spans more than the sharpest arc may.
        let sharpest = from.abs().max(to.abs());
        let chord = (8.0 * tolerance / sharpest.max(f64::MIN_POSITIVE)).sqrt();
        let steps = (length / chord).ceil().clamp(1.0, 100_000.0) as u32;
        let direction = |s: f64| {
            let turned = heading + from * s + (to - from) * s * s / (2.0 * length);
            (turned.cos(), turned.sin())
        };
        let step = length / f64::from(steps);
        let (mut x, mut y) = (a[0], a[1]);
        let mut places = Vec::new();
        for at in 0..steps {
            let s = f64::from(at) * step;
            // Simpson's rule, four times a step.
            for quarter in 0..4 {
                let (s, h) = (s + step * f64::from(quarter) / 4.0, step / 4.0);
                let [p, q, r] = [direction(s), direction(s + h / 2.0), direction(s + h)];
                x += h / 6.0 * (p.0 + 4.0 * q.0 + r.0);
                y += h / 6.0 * (p.1 + 4.0 * q.1 + r.1);
            }
            let share = f64::from(at + 1) / f64::from(steps);
            places.push([x, y, a[2] + (b[2] - a[2]) * share]);
        }
        places.pop();
        // What is stated does not always fit to the last digit.
        let (dx, dy) = (b[0] - x, b[1] - y);
        if dx.hypot(dy) > length / 1000.0 {
            return Err(format!(
                "a Spiral ends {:.3} units from where its length and radii lead",
                dx.hypot(dy)
            ));
        }
        let count = f64::from(steps);
        for (at, [x, y, z]) in places.into_iter().enumerate() {
            let share = (at + 1) as f64 / count;
            self.places.push([x + dx * share, y + dy * share, z]);
        }
        Ok(())
    }
}
