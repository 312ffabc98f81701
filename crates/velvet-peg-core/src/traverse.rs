//! Traverses: courses of bearing and distance, curves by radius and central angle, in the plane
//! of a grid; their misclosure and its adjustment by the compass rule (N. Bowditch 1808, each
//! corner moves by the misclosure times its share of the length run).

use crate::error::{Error, Result};
use crate::math::Sum;
use crate::math::degrees::sin_cos as sin_cos_deg;
use crate::planar::ring_area;

/// Which way a curve turns, seen along it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Turn {
    /// Counter-clockwise.
    Left,
    /// Clockwise.
    Right,
}

/// One course of a traverse. Azimuths are degrees clockwise from grid north; lengths are in the
/// unit of the grid.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Leg {
    /// Straight.
    Line {
        /// Direction.
        azimuth_deg: f64,
        /// Length.
        length: f64,
    },
    /// A circular curve.
    Curve {
        /// Radius.
        radius: f64,
        /// Central angle, degrees.
        delta_deg: f64,
        /// Which way it turns.
        turn: Turn,
        /// Direction of its chord; none for a curve that goes on from the course before it
        /// without a bend.
        chord_deg: Option<f64>,
    },
}

impl Leg {
    /// Length along the course.
    pub fn length(&self) -> f64 {
        match self {
            Leg::Line { length, .. } => *length,
            Leg::Curve { radius, delta_deg, .. } => radius * delta_deg.to_radians(),
        }
    }
}

/// A traverse that has been run.
#[derive(Clone, Debug)]
pub struct Traverse {
    legs: Vec<Placed>,
    /// The corners: where it starts, and the end of every course.
    pub corners: Vec<(f64, f64)>,
}

/// A course with its direction: that of the chord for a curve.
#[derive(Clone, Copy, Debug)]
struct Placed {
    leg: Leg,
    chord_deg: f64,
    /// Direction at its end.
    out_deg: f64,
}

/// By how much the end of a traverse misses its start.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Misclosure {
    /// End minus start, easting.
    pub dx: f64,
    /// End minus start, northing.
    pub dy: f64,
    /// Its length.
    pub length: f64,
    /// Azimuth from the start to the end that should have met it, degrees.
    pub azimuth_deg: f64,
    /// Length of all courses.
    pub perimeter: f64,
}

impl Misclosure {
    /// The 8,000 of "1 in 8,000"; none if it closes to the last digit.
    pub fn ratio(&self) -> Option<f64> {
        // Under what doubles leave of coordinates in the millions.
        (self.length > self.perimeter * 1e-12).then(|| self.perimeter / self.length)
    }
}

impl Traverse {
    /// Runs the courses from a start.
    ///
    /// ```
    /// use velvet_peg_core::traverse::{Leg, Traverse};
    /// let side = |azimuth_deg| Leg::Line { azimuth_deg, length: 100.0 };
    /// let square = Traverse::run((0.0, 0.0), &[side(0.0), side(90.0), side(180.0), side(270.0)])?;
    /// assert_eq!(square.misclosure().length, 0.0);
    /// assert_eq!(square.area(), 10_000.0);
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    ///
    /// # Errors
    /// If a length or radius is not positive, a central angle is not between 0 and 360, or the
    /// first course is a curve without a chord.
    pub fn run(start: (f64, f64), legs: &[Leg]) -> Result<Traverse> {
        let mut traverse = Traverse { legs: Vec::new(), corners: vec![start] };
        let (mut x, mut y) = start;
        let mut heading: Option<f64> = None;
        for (at, leg) in legs.iter().enumerate() {
            let wrong = |why: String| Error::malformed(format!("course {}: {why}", at + 1));
            let (chord_deg, length, out_deg) = match *leg {
                Leg::Line { azimuth_deg, length } => {
                    if !(length > 0.0 && length.is_finite()) {
                        return Err(wrong(format!("a distance of {length} leads nowhere")));
                    }
                    (azimuth_deg, length, azimuth_deg)
                }
                Leg::Curve { radius, delta_deg, turn, chord_deg } => {
                    if !(radius > 0.0 && radius.is_finite()) {
                        return Err(wrong(format!("a radius of {radius} is none")));
                    }
                    if !(delta_deg > 0.0 && delta_deg < 360.0) {
                        return Err(wrong(format!(
                            "a central angle of {delta_deg}° is not between 0 and 360"
                        )));
                    }
                    let half = match turn {
                        Turn::Right => delta_deg / 2.0,
                        Turn::Left => -delta_deg / 2.0,
                    };
                    let chord =
                        chord_deg.or(heading.map(|heading| heading + half)).ok_or_else(|| {
                            wrong(
                                "a curve without a chord bearing goes on from the course before \
                                 it, and there is none"
                                    .to_string(),
                            )
                        })?;
                    (chord, 2.0 * radius * sin_cos_deg(delta_deg / 2.0).0, chord + half)
                }
            };
            let (sin, cos) = sin_cos_deg(chord_deg.rem_euclid(360.0));
            x += length * sin;
            y += length * cos;
            heading = Some(out_deg);
            traverse.legs.push(Placed { leg: *leg, chord_deg, out_deg });
            traverse.corners.push((x, y));
        }
        Ok(traverse)
    }

    /// Length of all courses.
    pub fn perimeter(&self) -> f64 {
        self.legs.iter().map(|placed| placed.leg.length()).collect::<Sum>().value()
    }

    /// By how much the end misses the start.
    pub fn misclosure(&self) -> Misclosure {
        let (first, last) = (self.corners[0], self.corners[self.corners.len() - 1]);
        let (dx, dy) = (last.0 - first.0, last.1 - first.1);
        Misclosure {
            dx,
            dy,
            length: dx.hypot(dy),
            azimuth_deg: dx.atan2(dy).to_degrees().rem_euclid(360.0),
            perimeter: self.perimeter(),
        }
    }

    /// By how much the tangent at the start of a curve differs from the course before it,
    /// degrees; none for straight courses and the first one. Curves of deeds are tangent unless
    /// they say otherwise.
    pub fn bend_deg(&self, leg: usize) -> Option<f64> {
        let placed = self.legs.get(leg)?;
        let Leg::Curve { delta_deg, turn, .. } = placed.leg else { return None };
        let before = self.legs.get(leg.checked_sub(1)?)?;
        let half = if turn == Turn::Right { delta_deg / 2.0 } else { -delta_deg / 2.0 };
        let bend = (placed.chord_deg - half - before.out_deg).rem_euclid(360.0);
        Some(if bend > 180.0 { bend - 360.0 } else { bend })
    }

    /// The traverse with its misclosure spread over the corners by the compass rule, so that it
    /// closes. Curves keep their central angles.
    pub fn adjusted(&self) -> Traverse {
        let miss = self.misclosure();
        let mut adjusted = self.clone();
        let mut run = 0.0;
        for (corner, placed) in adjusted.corners[1..].iter_mut().zip(&self.legs) {
            run += placed.leg.length();
            let share = run / miss.perimeter;
            corner.0 -= miss.dx * share;
            corner.1 -= miss.dy * share;
        }
        if let (Some(first), Some(last)) =
            (self.corners.first().copied(), adjusted.corners.last_mut())
        {
            *last = first;
        }
        adjusted
    }

    /// Area enclosed, in the square of the grid's unit: that of the corners and of the segments
    /// between curves and their chords. Where it does not close, as closed by a straight line.
    pub fn area(&self) -> f64 {
        let (x, y): (Vec<f64>, Vec<f64>) = self.corners.iter().copied().unzip();
        let corners = ring_area(&x, &y);
        let segments: Sum = self
            .legs
            .iter()
            .zip(self.corners.windows(2))
            .map(|(placed, ends)| match placed.leg {
                Leg::Line { .. } => 0.0,
                Leg::Curve { delta_deg, turn, .. } => {
                    let radius = radius_of(ends[0], ends[1], delta_deg);
                    let bulge =
                        radius * radius / 2.0 * (delta_deg.to_radians() - sin_cos_deg(delta_deg).0);
                    // Seen along it, a curve to the right lies left of its chord.
                    if turn == Turn::Right { -bulge } else { bulge }
                }
            })
            .collect();
        (corners + segments.value()).abs()
    }

    /// The vertices of the boundary, without the end where it meets the start. A curve becomes
    /// chords, the corners between them a little outside it so that the area is the curve's; no
    /// corner and no chord is further from the curve than `tolerance`.
    pub fn vertices(&self, tolerance: f64) -> Vec<(f64, f64)> {
        let mut vertices = vec![self.corners[0]];
        for (placed, ends) in self.legs.iter().zip(self.corners.windows(2)) {
            if let Leg::Curve { delta_deg, turn, .. } = placed.leg {
                curve(ends[0], ends[1], delta_deg, turn, tolerance, &mut vertices);
            }
            vertices.push(ends[1]);
        }
        let closes = self.misclosure().ratio().is_none();
        if closes && vertices.len() > 1 {
            vertices.pop();
        }
        vertices
    }

    /// Azimuth of a course as it was run: that of the chord for a curve.
    pub fn chord_deg(&self, leg: usize) -> f64 {
        self.legs[leg].chord_deg.rem_euclid(360.0)
    }
}

/// Radius of the curve of this central angle between two ends.
fn radius_of(from: (f64, f64), to: (f64, f64), delta_deg: f64) -> f64 {
    (to.0 - from.0).hypot(to.1 - from.1) / (2.0 * sin_cos_deg(delta_deg / 2.0).0)
}

/// The vertices between the ends of a curve.
fn curve(
    from: (f64, f64),
    to: (f64, f64),
    delta_deg: f64,
    turn: Turn,
    tolerance: f64,
    vertices: &mut Vec<(f64, f64)>,
) {
    let radius = radius_of(from, to, delta_deg);
    let delta = delta_deg.to_radians();
    // The corners between stand at most rθ²/6 outside (where there is but one), chords less inside.
    let widest = (6.0 * (tolerance / radius).min(0.01)).sqrt();
    let count = (delta / widest).ceil().max(2.0);
    let theta = delta / count;
    // Triangles from the centre, the first and last with a side of the radius itself, have to
    // make up the sector: ½ q² (n − 2) sin θ + q r sin θ = ½ r² Δ, with q for the corners between.
    let s = theta.sin();
    let a = (count - 2.0) * s;
    let q = match a > 0.0 {
        true => radius * ((s * s + a * delta).sqrt() - s) / a,
        false => radius * delta / (2.0 * s),
    };
    // The centre lies on the inner side of the chord.
    let inner = if turn == Turn::Right { 1.0 } else { -1.0 };
    let (dx, dy) = (to.0 - from.0, to.1 - from.1);
    let chord = dx.hypot(dy);
    let rise = radius * (delta / 2.0).cos();
    let centre = (
        (from.0 + to.0) / 2.0 + inner * rise * dy / chord,
        (from.1 + to.1) / 2.0 - inner * rise * dx / chord,
    );
    let start = (from.1 - centre.1).atan2(from.0 - centre.0);
    for i in 1..count as usize {
        let (sin, cos) = (start - inner * theta * i as f64).sin_cos();
        vertices.push((centre.0 + q * cos, centre.1 + q * sin));
    }
}
