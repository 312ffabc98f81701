//! Mappings from one plane to another: similarity, affine, of second order.

use super::FitFigure;
use std::fmt;

/// What a mapping may do.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum FitKind {
    /// Shift, turn and scale: shapes stay.
    Similarity,
    /// Also stretch and skew, the same everywhere: parallels stay.
    Affine,
    /// Also bend, by terms of second order: for paper that has warped.
    SecondOrder,
}

impl FitKind {
    /// All of them.
    pub const ALL: [FitKind; 3] = [FitKind::Similarity, FitKind::Affine, FitKind::SecondOrder];

    /// Its name.
    pub fn name(self) -> &'static str {
        match self {
            FitKind::Similarity => "similarity",
            FitKind::Affine => "affine",
            FitKind::SecondOrder => "second-order",
        }
    }

    /// That of a name.
    pub fn named(name: &str) -> Option<FitKind> {
        FitKind::ALL.into_iter().find(|kind| kind.name() == name)
    }

    /// Points that determine it; one more shows how well they do.
    pub fn points_needed(self) -> usize {
        match self {
            FitKind::Similarity => 2,
            FitKind::Affine => 3,
            FitKind::SecondOrder => 6,
        }
    }
}

impl fmt::Display for FitKind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())
    }
}

/// A mapping from one plane to another, about the middle of its points.
#[derive(Clone, Debug, PartialEq)]
pub struct Mapping {
    kind: FitKind,
    middle: (f64, f64),
    reach: f64,
    flip: f64,
    target: (f64, f64),
    /// Coefficients of 1, u, v, u², uv, v² for x and for y.
    x: [f64; 6],
    y: [f64; 6],
}

/// The way from the second plane back to the first.
#[derive(Clone, Copy, Debug)]
pub struct InverseMapping<'a>(pub(crate) &'a Mapping);

impl Mapping {
    pub(super) fn of(
        kind: FitKind,
        unknowns: &[Vec<f64>],
        (middle, reach, flip): ((f64, f64), f64, f64),
        target: (f64, f64),
    ) -> Mapping {
        let (mut x, mut y) = ([0.0; 6], [0.0; 6]);
        match kind {
            FitKind::Similarity => {
                let [c, d, a, b] = [0, 1, 2, 3].map(|at| unknowns[0][at]);
                (x[0], x[1], x[2]) = (c, a, -b);
                (y[0], y[1], y[2]) = (d, b, a);
            }
            FitKind::Affine | FitKind::SecondOrder => {
                x[..unknowns[0].len()].copy_from_slice(&unknowns[0]);
                y[..unknowns[1].len()].copy_from_slice(&unknowns[1]);
            }
        }
        Mapping { kind, middle, reach, flip, target, x, y }
    }

    /// What it may do.
    pub fn kind(&self) -> FitKind {
        self.kind
    }

    fn small(&self, at: (f64, f64)) -> (f64, f64) {
        ((at.0 - self.middle.0) / self.reach, self.flip * (at.1 - self.middle.1) / self.reach)
    }

    /// A place of the first plane in the second.
    pub fn apply(&self, at: (f64, f64)) -> (f64, f64) {
        let (u, v) = self.small(at);
        let sum = |c: &[f64; 6]| {
            c[0] + c[1] * u + c[2] * v + (c[3] * u * u + c[4] * u * v + c[5] * v * v)
        };
        (self.target.0 + sum(&self.x), self.target.1 + sum(&self.y))
    }

    /// Partial derivatives at a place: of x along both axes of the first plane, of y.
    pub fn derivatives(&self, at: (f64, f64)) -> [(f64, f64); 2] {
        let (u, v) = self.small(at);
        [&self.x, &self.y].map(|c| {
            (
                (c[1] + 2.0 * c[3] * u + c[4] * v) / self.reach,
                self.flip * (c[2] + c[4] * u + 2.0 * c[5] * v) / self.reach,
            )
        })
    }

    /// A place of the second plane in the first, by Newton's method; none where there is no answer near.
    pub fn apply_inverse(&self, to: (f64, f64)) -> Option<(f64, f64)> {
        let mut at = self.middle;
        for _ in 0..30 {
            let now = self.apply(at);
            let (dx, dy) = (to.0 - now.0, to.1 - now.1);
            let [(a, b), (c, d)] = self.derivatives(at);
            let area = a * d - b * c;
            let step = ((d * dx - b * dy) / area, (a * dy - c * dx) / area);
            at = (at.0 + step.0, at.1 + step.1);
            if !(at.0.is_finite() && at.1.is_finite()) {
                return None;
            }
            if step.0.abs().max(step.1.abs()) <= 1e-12 * self.reach {
                return Some(at);
            }
        }
        None
    }

    /// The way back.
    pub fn inverse(&self) -> InverseMapping<'_> {
        InverseMapping(self)
    }

    /// The mapping of a similarity or affine one as origin and steps along the axes of the first plane;
    /// none of second order.
    pub fn linear(&self) -> Option<[(f64, f64); 3]> {
        if self.kind == FitKind::SecondOrder {
            return None;
        }
        let [(a, b), (c, d)] = self.derivatives((0.0, 0.0));
        Some([self.apply((0.0, 0.0)), (a, c), (b, d)])
    }

    /// Scale and rotation of a similarity, or along both axes of an affine mapping.
    pub(super) fn figures(
        &self,
        errors: &[f64],
        standard_error: Option<f64>,
        reach: f64,
    ) -> Vec<FitFigure> {
        let error = |at: usize| standard_error.map(|one| one * errors[at]);
        let (a, b) = (self.x[1], self.y[1]);
        let size = a.hypot(b);
        let turn = |x: f64, y: f64| y.atan2(x).to_degrees();
        let figure =
            |name, value, standard_error, unit| FitFigure { name, value, standard_error, unit };
        match self.kind {
            FitKind::Similarity => vec![
                figure("scale", size / reach, error(2).map(|e| e / reach), ""),
                figure(
                    "rotation, anticlockwise",
                    turn(a, b),
                    error(2).map(|e| (e / size).to_degrees()),
                    "degree",
                ),
            ],
            FitKind::Affine | FitKind::SecondOrder => {
                let (c, d) = (self.x[2], self.y[2]);
                let other = c.hypot(d);
                let along = |at: usize, length: f64| error(at).map(|e| (e / length).to_degrees());
                vec![
                    figure(
                        "scale along the first axis",
                        size / reach,
                        error(1).map(|e| e / reach),
                        "",
                    ),
                    figure(
                        "scale along the second axis",
                        other / reach,
                        error(2).map(|e| e / reach),
                        "",
                    ),
                    figure(
                        "rotation of the first axis, anticlockwise",
                        turn(a, b),
                        along(1, size),
                        "degree",
                    ),
                    figure(
                        "rotation of the second axis, anticlockwise",
                        turn(d, -c),
                        along(2, other),
                        "degree",
                    ),
                ]
            }
        }
    }
}
