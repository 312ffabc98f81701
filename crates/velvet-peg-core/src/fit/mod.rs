//! One plane fitted to another by points that are known in both, by least squares.
//!
//! **When to use it.** A site's coordinates have to become those of a known system, or the pixels of a
//! scanned map places in one: [`fit`] gives the mapping, what each point is off by, and how well the
//! mapping is known. Errors are taken to be in the target only, equal for all points and along both axes.
//!
//! **Sources.** Least squares by Householder's reflections (Golub and Van Loan 1996, algorithm 5.3.2);
//! residuals of points left out, and their test, from the leverages (Cook and Weisberg 1982, chapter 2).

mod least_squares;
mod mapping;

pub use mapping::{FitKind, InverseMapping, Mapping};

use crate::error::{Error, Result};
use least_squares::Solved;

/// A point that is known in both planes.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct CommonPoint {
    /// Where it is in the plane that is carried.
    pub from: (f64, f64),
    /// Where it is in the other.
    pub to: (f64, f64),
}

/// What a point is off by.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Residual {
    /// Known less fitted, along x and y of the target, in its unit.
    pub off: (f64, f64),
    /// The same where the mapping is fitted to the others alone; none where they do not determine it.
    pub off_without: Option<(f64, f64)>,
    /// True if it lies further from what the others say than chance explains, to 1 in 100 for all points
    /// together, and further than any other.
    pub is_doubtful: bool,
}

impl Residual {
    /// Length of the residual.
    pub fn length(&self) -> f64 {
        self.off.0.hypot(self.off.1)
    }
}

/// A mapping that was fitted.
#[derive(Clone, Debug, PartialEq)]
pub struct Fit {
    /// The mapping.
    pub mapping: Mapping,
    /// Of each point what it is off by.
    pub residuals: Vec<Residual>,
    /// Standard error of one coordinate, in the unit of the target; none where there are no more points
    /// than the mapping needs.
    pub standard_error: Option<f64>,
    /// Coordinates more than the mapping needs.
    pub redundancy: usize,
    /// What the mapping does in words: name, value, its standard error, unit.
    pub figures: Vec<FitFigure>,
}

/// What a mapping does, as a figure.
#[derive(Clone, Debug, PartialEq)]
pub struct FitFigure {
    /// What it is.
    pub name: &'static str,
    /// How much.
    pub value: f64,
    /// Its standard error, if one is known.
    pub standard_error: Option<f64>,
    /// Unit; blank for ratios and lengths in the unit of the target.
    pub unit: &'static str,
}

/// Points that hang together in such a small part of their reach lie in one line.
const IN_LINE: f64 = 1e-9;

/// Fits a mapping to points. `mirrored` is for planes whose second axes point opposite ways, as rows of
/// pixels and northings: a similarity then turns one over.
///
/// ```
/// use velvet_peg_core::fit::{CommonPoint, FitKind, fit};
/// let known = [((0.0, 0.0), (1000.0, 2000.0)), ((100.0, 0.0), (1000.0, 2100.0)), ((0.0, 50.0), (950.0, 2000.0))];
/// let points: Vec<CommonPoint> = known.iter().map(|(from, to)| CommonPoint { from: *from, to: *to }).collect();
/// let turned = fit(FitKind::Similarity, &points, false)?;
/// let (x, y) = turned.mapping.apply((100.0, 50.0));
/// assert!((x - 950.0).abs() < 1e-9 && (y - 2100.0).abs() < 1e-9);
/// assert!(turned.standard_error.unwrap() < 1e-9);
/// # Ok::<(), velvet_peg_core::Error>(())
/// ```
///
/// # Errors
/// If there are too few points, one is no finite number, or they lie together or in one line so that they
/// do not determine the mapping.
pub fn fit(kind: FitKind, points: &[CommonPoint], mirrored: bool) -> Result<Fit> {
    if points.len() < kind.points_needed() {
        return Err(Error::malformed(format!(
            "{} takes {} points at least, and there are {}",
            kind.name(),
            kind.points_needed(),
            points.len()
        )));
    }
    let finite = |at: (f64, f64)| at.0.is_finite() && at.1.is_finite();
    if let Some(number) = points.iter().position(|point| !(finite(point.from) && finite(point.to)))
    {
        return Err(Error::malformed(format!("point {} is no finite number", number + 1)));
    }
    let count = points.len() as f64;
    let mean = |pick: fn(&CommonPoint) -> f64| points.iter().map(pick).sum::<f64>() / count;
    let middle = (mean(|p| p.from.0), mean(|p| p.from.1));
    let target = (mean(|p| p.to.0), mean(|p| p.to.1));
    let reach = points
        .iter()
        .map(|p| (p.from.0 - middle.0).hypot(p.from.1 - middle.1))
        .fold(0.0f64, f64::max);
    if reach <= 0.0 {
        return Err(Error::malformed("all points are one place: they do not determine a mapping"));
    }
    // Small numbers about the middle, so that products of them lose nothing.
    let flip = if mirrored { -1.0 } else { 1.0 };
    let scaled = |at: (f64, f64)| ((at.0 - middle.0) / reach, flip * (at.1 - middle.1) / reach);
    let mut rows = Vec::new();
    let mut known = Vec::new();
    for point in points {
        let (u, v) = scaled(point.from);
        let (x, y) = (point.to.0 - target.0, point.to.1 - target.1);
        match kind {
            FitKind::Similarity => {
                rows.push(vec![1.0, 0.0, u, -v]);
                rows.push(vec![0.0, 1.0, v, u]);
                known.extend([x, y]);
            }
            FitKind::Affine => {
                rows.push(vec![1.0, u, v]);
                known.extend([x, y]);
            }
            FitKind::SecondOrder => {
                rows.push(vec![1.0, u, v, u * u, u * v, v * v]);
                known.extend([x, y]);
            }
        }
    }
    let together = kind == FitKind::Similarity;
    let sides: Vec<Vec<f64>> = match together {
        true => vec![known],
        false => vec![
            known.iter().step_by(2).copied().collect(),
            known.iter().skip(1).step_by(2).copied().collect(),
        ],
    };
    let solved = Solved::of(&rows, &sides, IN_LINE).ok_or_else(|| {
        Error::malformed(format!(
            "the points lie in one line, or otherwise so that they do not determine {}",
            kind.name()
        ))
    })?;
    let mapping = Mapping::of(kind, &solved.unknowns, (middle, reach, flip), target);
    let leverage = |at: usize| match together {
        // Both coordinates of a point have the same.
        true => solved.leverages[2 * at],
        false => solved.leverages[at],
    };
    let unknowns = solved.unknowns.iter().map(Vec::len).sum::<usize>();
    let redundancy = 2 * points.len() - unknowns;
    let offs: Vec<(f64, f64)> = points
        .iter()
        .map(|point| {
            let at = mapping.apply(point.from);
            (point.to.0 - at.0, point.to.1 - at.1)
        })
        .collect();
    let squares: f64 = offs.iter().map(|off| off.0 * off.0 + off.1 * off.1).sum();
    let standard_error = (redundancy > 0).then(|| (squares / redundancy as f64).sqrt());
    // What the rounding of coordinates leaves says nothing of a point.
    let largest = points.iter().flat_map(|p| [p.to.0.abs(), p.to.1.abs()]).fold(0.0f64, f64::max);
    let residuals = tested(&offs, squares, redundancy, 1e-12 * largest, leverage);
    let errors: Vec<f64> = solved.cofactors.iter().map(|cofactor| cofactor.sqrt()).collect();
    let figures = mapping.figures(&errors, standard_error, reach);
    Ok(Fit { mapping, residuals, standard_error, redundancy, figures })
}

/// The residuals with those of points left out, and which is doubtful.
fn tested(
    offs: &[(f64, f64)],
    squares: f64,
    redundancy: usize,
    rounding: f64,
    leverage: impl Fn(usize) -> f64,
) -> Vec<Residual> {
    let mut worst: Option<(usize, f64)> = None;
    let size = offs.iter().map(|off| off.0.hypot(off.1)).fold(0.0f64, f64::max);
    let mut residuals: Vec<Residual> = offs
        .iter()
        .enumerate()
        .map(|(at, off)| {
            let left = 1.0 - leverage(at);
            let off_without = (left > 1e-9).then(|| (off.0 / left, off.1 / left));
            let own = (off.0 * off.0 + off.1 * off.1) / left.max(1e-9);
            // F of two coordinates against what the others leave.
            if redundancy > 2 && off_without.is_some() && size > rounding {
                let others = ((squares - own) / (redundancy - 2) as f64).max(1e-30 * squares);
                let ratio = own / 2.0 / others;
                if worst.is_none_or(|(_, most)| ratio > most) {
                    worst = Some((at, ratio));
                }
            }
            Residual { off: *off, off_without, is_doubtful: false }
        })
        .collect();
    if let Some((at, ratio)) = worst {
        // The quantile of F with 2 and m degrees of freedom has a closed form.
        let free = (redundancy - 2) as f64;
        let chance = 0.01 / offs.len() as f64;
        let limit = free / 2.0 * (chance.powf(-2.0 / free) - 1.0);
        residuals[at].is_doubtful = ratio > limit;
    }
    residuals
}
