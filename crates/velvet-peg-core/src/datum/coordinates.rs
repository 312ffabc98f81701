//! Operations that are formulas between the coordinates of two systems, plane or geographic, rather
//! than between their figures of the Earth: offsets, similarities, affine transformations,
//! polynomials.
//!
//! Source: EPSG methods 9656 (offsets), 9621 (similarity), 9624 (affine), 9646 to 9651 (polynomials),
//! 9652 and 9653 (complex polynomials), 9617 (Madrid to ED50). Ordinates stand in the order of the
//! axes that the registry gives a system, in its units. Forward the formula is taken as it stands;
//! backward the coordinates are found whose image is given, so that there and back closes whether or
//! not the registry calls the method reversible.
//!
//! Not here: method 9645, whose two rows (Fiji) fit the formula of the registry only with the
//! ordinates exchanged; four rows of 9652 and 9653,
//! whose parameters fit another formula; and 9654, whose row (ED50 to WGS 84 in Norway) states a factor for the
//! differences that would make its shift 50 degrees.

use super::State;
use crate::crs::{Crs, Mapping};
use crate::error::{Error, Result};
use crate::extent::Extent;
use crate::position::Geographic;
use crate::projection::{Parameters, Quantity};
use velvet_peg_epsg::parameter_name;

/// A formula with the systems whose coordinates it takes and gives.
#[derive(Clone, Debug)]
pub(super) struct CoordinateChange {
    source: Crs,
    target: Crs,
    formula: Formula,
}

#[derive(Clone, Debug)]
enum Formula {
    /// Metres to the east and to the north.
    Offsets([f64; 2]),
    /// For each ordinate of the target a constant and what the two of the source are multiplied by.
    Affine([[f64; 3]; 2]),
    Polynomial {
        reduction: Reduction,
        terms: [Vec<Term>; 2],
    },
    /// Real and imaginary parts of the coefficients of the first and higher powers.
    Complex {
        reduction: Reduction,
        coefficients: Vec<[f64; 2]>,
    },
    /// Seconds: constant, a degree of latitude, a degree of longitude; for latitude and longitude.
    Seconds([[f64; 3]; 2]),
}

/// How coordinates are made small before a polynomial and its result large again.
#[derive(Clone, Debug)]
struct Reduction {
    /// The evaluation point in the source and the target.
    from: [f64; 2],
    to: [f64; 2],
    /// Factors of the differences in the source and the target.
    scale_from: f64,
    scale_to: f64,
}

/// A coefficient with the powers of both reduced ordinates.
#[derive(Clone, Debug)]
struct Term {
    u: i32,
    v: i32,
    coefficient: f64,
}

/// Codes of parameters.
mod code {
    pub(super) const ROTATION: u32 = 8614;
    /// One evaluation point for both systems.
    pub(super) const POINT: [u32; 2] = [8617, 8618];
    pub(super) const POINT_IN_SOURCE: [u32; 2] = [8619, 8620];
    pub(super) const POINT_IN_TARGET: [u32; 2] = [8621, 8622];
    /// A0, A1, A2 and B0, B1, B2.
    pub(super) const A: [u32; 3] = [8623, 8624, 8625];
    pub(super) const B: [u32; 3] = [8639, 8640, 8641];
    /// A1 of the complex polynomials; the others follow.
    pub(super) const FIRST_COMPLEX: u32 = 8624;
    pub(super) const MERIDIAN_OF_MADRID: u32 = 8638;
    pub(super) const SCALE_IN_SOURCE: u32 = 8694;
    pub(super) const SCALE_IN_TARGET: u32 = 8695;
    pub(super) const SCALE: u32 = 8696;
    pub(super) const EASTING_OFFSET: u32 = 8728;
    pub(super) const NORTHING_OFFSET: u32 = 8729;
    pub(super) const SCALE_OF_AXES: u32 = 1061;
}

impl CoordinateChange {
    /// The change of a row by one of the methods of this file; none if the method is another.
    pub(super) fn new(
        method: u32,
        parameters: &Parameters,
        systems: (Option<u32>, Option<u32>),
    ) -> Option<std::result::Result<CoordinateChange, String>> {
        let formula: fn(&Parameters, &Crs, &Crs) -> Result<Formula> = match method {
            9656 => |given, _, _| {
                let metres = |code| given.metres(code);
                Ok(Formula::Offsets([
                    metres(code::EASTING_OFFSET)?,
                    metres(code::NORTHING_OFFSET)?,
                ]))
            },
            9621 => similarity,
            9624 => |given, _, target| {
                let row = |codes: [u32; 3]| -> Result<[f64; 3]> {
                    Ok([
                        ordinate(given, codes[0], target)?,
                        given.ratio(codes[1])?,
                        given.ratio(codes[2])?,
                    ])
                };
                Ok(Formula::Affine([row(code::A)?, row(code::B)?]))
            },
            9646..=9651 => |given, source, target| {
                let reduction = Reduction::of(given, source, target)?;
                Ok(Formula::Polynomial { reduction, terms: [terms(given, 'A'), terms(given, 'B')] })
            },
            9652 | 9653 => |given, source, target| {
                let reduction = Reduction::of(given, source, target)?;
                let coefficient = |at: u32| given.ratio(code::FIRST_COMPLEX + at);
                let coefficients = (0..4)
                    .map_while(|n| Some([coefficient(2 * n).ok()?, coefficient(2 * n + 1).ok()?]));
                let coefficients: Vec<[f64; 2]> = coefficients.collect();
                keeps_size(&reduction, &coefficients)?;
                Ok(Formula::Complex { reduction, coefficients })
            },
            9617 => |given, _, _| {
                let row = |codes: [u32; 3]| -> Result<[f64; 3]> {
                    Ok([given.ratio(codes[0])?, given.ratio(codes[1])?, given.ratio(codes[2])?])
                };
                let mut rows = [row(code::A)?, row(code::B)?];
                rows[1][0] += given.degrees(code::MERIDIAN_OF_MADRID)? * 3600.0;
                Ok(Formula::Seconds(rows))
            },
            _ => return None,
        };
        Some((|| {
            let system = |code: Option<u32>| -> std::result::Result<Crs, String> {
                let crs = code.map(Crs::from_epsg).ok_or("systems")?.map_err(|e| e.to_string())?;
                match crs.is_projected() || crs.is_geographic() {
                    true if crs.mapping().is_ok() => Ok(crs),
                    _ => Err(format!("a place on the Earth for {}, which is local", crs.label())),
                }
            };
            let (source, target) = (system(systems.0)?, system(systems.1)?);
            let formula = formula(parameters, &source, &target).map_err(|e| e.to_string())?;
            Ok(CoordinateChange { source, target, formula })
        })())
    }

    /// True if no coordinate changes: offsets of 0 between systems of one projection.
    pub(super) fn is_null(&self) -> bool {
        let zero = matches!(self.formula, Formula::Offsets([0.0, 0.0]));
        let pair = (self.source.conversion(), self.target.conversion());
        zero && matches!(pair, (Some(a), Some(b)) if a.is_same(b))
            && self.source.ellipsoid() == self.target.ellipsoid()
    }

    /// How far the middle of an area moves, metres, as latitude and longitude from Greenwich.
    pub(super) fn moves_m(&self, extent: &Extent) -> Option<f64> {
        let bounds = extent.boxes().first()?;
        let lat = (bounds.south + bounds.north) / 2.0;
        let wide = if bounds.east < bounds.west { 360.0 } else { 0.0 };
        let lon = (bounds.west + bounds.east + wide) / 2.0;
        let meridian =
            |crs: &Crs| crs.datum().map_or(0.0, |datum| datum.prime_meridian().longitude_deg);
        let at = State { lon: lon - meridian(&self.source), lat, h: 0.0 };
        let moved = self.run(at, false)?;
        let east = crate::math::degrees::wrap(moved.lon + meridian(&self.target) - lon);
        let radius = self.source.ellipsoid()?.semi_major_m();
        Some((moved.lat - lat).hypot(east * lat.to_radians().cos()).to_radians() * radius)
    }

    /// Forward or backward; none where a projection or the search has no answer.
    pub(super) fn run(&self, state: State, reversed: bool) -> Option<State> {
        let (from, to) = match reversed {
            false => (&self.source, &self.target),
            true => (&self.target, &self.source),
        };
        let given = ordinates(from, state)?;
        let found = match reversed {
            false => self.image(given),
            true => self.origin(given)?,
        };
        placed(to, found, state.h)
    }

    fn image(&self, at: [f64; 2]) -> [f64; 2] {
        match &self.formula {
            Formula::Offsets(metres) => {
                let plane = |crs: &Crs, [a, b]: [f64; 2]| {
                    if crs.is_northing_first() { [b, a] } else { [a, b] }
                };
                let unit = |crs: &Crs| crs.length_unit().map_or(1.0, |unit| unit.metres());
                let [e, n] = plane(&self.source, at);
                let (from, to) = (unit(&self.source), unit(&self.target));
                plane(&self.target, [(e * from + metres[0]) / to, (n * from + metres[1]) / to])
            }
            Formula::Affine(rows) => rows.map(|[constant, a, b]| constant + a * at[0] + b * at[1]),
            Formula::Polynomial { reduction, terms } => {
                let [u, v] = reduction.reduced(at);
                let sum = |terms: &Vec<Term>| -> f64 {
                    terms
                        .iter()
                        .map(|term| term.coefficient * u.powi(term.u) * v.powi(term.v))
                        .sum()
                };
                reduction.restored(at, [sum(&terms[0]), sum(&terms[1])])
            }
            Formula::Complex { reduction, coefficients } => {
                let z = reduction.reduced(at);
                let times = |a: [f64; 2], b: [f64; 2]| {
                    [a[0] * b[0] - a[1] * b[1], a[0] * b[1] + a[1] * b[0]]
                };
                // Horner's rule; there is no constant.
                let sum = coefficients.iter().rev().fold([0.0, 0.0], |sum, coefficient| {
                    times([sum[0] + coefficient[0], sum[1] + coefficient[1]], z)
                });
                reduction.restored(at, sum)
            }
            Formula::Seconds(rows) => {
                let shift = rows.map(|[constant, lat, lon]| constant + lat * at[0] + lon * at[1]);
                [at[0] + shift[0] / 3600.0, at[1] + shift[1] / 3600.0]
            }
        }
    }

    /// The coordinates whose image is given, by Newton's method with differences.
    fn origin(&self, image: [f64; 2]) -> Option<[f64; 2]> {
        // A step over which the formulas are all but straight, in the unit of the source.
        let step = if self.source.is_geographic() { 1e-5 } else { 1.0 };
        let mut at = match &self.formula {
            Formula::Polynomial { reduction, .. } | Formula::Complex { reduction, .. } => {
                [0, 1].map(|i| image[i] - reduction.to[i] + reduction.from[i])
            }
            _ => image,
        };
        let mut last = f64::INFINITY;
        for _ in 0..50 {
            let here = self.image(at);
            let off = [image[0] - here[0], image[1] - here[1]];
            let size = off[0].abs() + off[1].abs();
            // Nothing is gained any more: the last digits.
            if size == 0.0 || (size >= last && size < step * 1e-6) {
                return Some(at);
            }
            last = size;
            let [east, north] = [[step, 0.0], [0.0, step]].map(|by| {
                let beside = self.image([at[0] + by[0], at[1] + by[1]]);
                [(beside[0] - here[0]) / step, (beside[1] - here[1]) / step]
            });
            let det = east[0] * north[1] - north[0] * east[1];
            at[0] += (off[0] * north[1] - off[1] * north[0]) / det;
            at[1] += (off[1] * east[0] - off[0] * east[1]) / det;
            if !(at[0].is_finite() && at[1].is_finite()) {
                return None;
            }
        }
        (last < step * 1e-6).then_some(at)
    }
}

impl Reduction {
    fn of(given: &Parameters, source: &Crs, target: &Crs) -> Result<Reduction> {
        let point = |codes: [u32; 2], crs: &Crs| -> Result<[f64; 2]> {
            Ok([ordinate(given, codes[0], crs)?, ordinate(given, codes[1], crs)?])
        };
        Ok(match given.ratio(code::SCALE) {
            Ok(scale) => {
                let from = point(code::POINT, source)?;
                Reduction { from, to: from, scale_from: scale, scale_to: scale }
            }
            Err(_) => Reduction {
                from: point(code::POINT_IN_SOURCE, source)?,
                to: point(code::POINT_IN_TARGET, target)?,
                scale_from: given.ratio(code::SCALE_IN_SOURCE)?,
                scale_to: given.ratio(code::SCALE_IN_TARGET)?,
            },
        })
    }

    fn reduced(&self, at: [f64; 2]) -> [f64; 2] {
        [0, 1].map(|i| self.scale_from * (at[i] - self.from[i]))
    }

    fn restored(&self, at: [f64; 2], sum: [f64; 2]) -> [f64; 2] {
        [0, 1].map(|i| at[i] - self.from[i] + self.to[i] + sum[i] / self.scale_to)
    }
}

/// Refuses a row whose first coefficient would make lengths another: three rows of the registry give
/// the whole coordinate where the formula takes the difference.
fn keeps_size(reduction: &Reduction, coefficients: &[[f64; 2]]) -> Result<()> {
    let factor = reduction.scale_from / reduction.scale_to;
    let [a, b] = coefficients.first().copied().unwrap_or_default();
    let size = (1.0 + a * factor).hypot(b * factor);
    match (0.9..1.1).contains(&size) {
        true => Ok(()),
        false => Err(Error::malformed(format!(
            "coefficients that fit its formula: by these lengths would become {size:.4} times as long"
        ))),
    }
}

fn similarity(given: &Parameters, _: &Crs, target: &Crs) -> Result<Formula> {
    let [x, y] = code::POINT_IN_TARGET;
    let (sin, cos) = crate::math::degrees::sin_cos(given.degrees(code::ROTATION)?);
    let scale = given.ratio(code::SCALE_OF_AXES)?;
    Ok(Formula::Affine([
        [ordinate(given, x, target)?, scale * cos, scale * sin],
        [ordinate(given, y, target)?, -scale * sin, scale * cos],
    ]))
}

/// The terms of one ordinate: `A0`, `Au1v0`, `Au0v1`, ...
fn terms(given: &Parameters, ordinate: char) -> Vec<Term> {
    let term = |code: u32, coefficient: f64| {
        let powers = parameter_name(code)?.strip_prefix(ordinate)?;
        let (u, v) = match powers.strip_prefix('u') {
            Some(powers) => powers.split_once('v')?,
            None => ("0", powers),
        };
        Some(Term { u: u.parse().ok()?, v: v.parse().ok()?, coefficient })
    };
    given.iter().filter_map(|parameter| term(parameter.code, parameter.value()?)).collect()
}

/// A parameter as an ordinate of a system, in its unit.
fn ordinate(given: &Parameters, wanted: u32, crs: &Crs) -> Result<f64> {
    let parameter = given.iter().find(|parameter| parameter.code == wanted);
    let unit = || crs.length_unit().map_or(1.0, |unit| unit.metres());
    match parameter.map(|parameter| &parameter.quantity) {
        Some(Quantity::Length(metres)) => Ok(metres / unit()),
        Some(Quantity::Angle(degrees)) => Ok(degrees / crs.degrees_per_unit().unwrap_or(1.0)),
        Some(Quantity::Scale(value)) => Ok(*value),
        _ => Err(Error::malformed(format!(
            "the operation lacks its parameter {wanted} ({})",
            parameter_name(wanted).unwrap_or("unknown")
        ))),
    }
}

/// The ordinates of a position in a system, in the order of its axes.
fn ordinates(crs: &Crs, state: State) -> Option<[f64; 2]> {
    let [x, y] = match crs.mapping().ok()? {
        Mapping::Geographic(unit) => [state.lon / unit.degrees(), state.lat / unit.degrees()],
        Mapping::Projected { projection, unit, x_sense, y_sense } => {
            let (e, n) = projection.to_grid(state.position())?;
            [e / unit.metres() * x_sense, n / unit.metres() * y_sense]
        }
        Mapping::Geocentric(_) => return None,
    };
    Some(if crs.is_northing_first() { [y, x] } else { [x, y] })
}

/// The position of ordinates in a system.
fn placed(crs: &Crs, at: [f64; 2], h: f64) -> Option<State> {
    let [x, y] = if crs.is_northing_first() { [at[1], at[0]] } else { at };
    let at = match crs.mapping().ok()? {
        Mapping::Geographic(unit) => Geographic {
            lat: y * unit.degrees(),
            lon: crate::math::degrees::wrap(x * unit.degrees()),
        },
        Mapping::Projected { projection, unit, x_sense, y_sense } => {
            projection.to_geographic(x * x_sense * unit.metres(), y * y_sense * unit.metres())?
        }
        Mapping::Geocentric(_) => return None,
    };
    Some(State::new(at, h))
}
