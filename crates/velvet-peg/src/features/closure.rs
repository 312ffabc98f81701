//! What a parcel misses closing by, and which one change would close it.

use crate::advice::Advice;
use crate::notice::{Notice, NoticeKind};
use crate::outcome::Reason;
use csv::StringRecord;
use velvet_peg_core::LengthUnit;
use velvet_peg_core::bearing::quadrant;
use velvet_peg_core::traverse::{Leg, Misclosure, Traverse};

/// What became of one parcel.
#[derive(Clone, Debug)]
pub struct Closure {
    /// Its name: the value of the grouping columns.
    pub name: String,
    /// Courses.
    pub courses: usize,
    /// By how much it misses closing, in the unit of the reference system.
    pub misclosure: Misclosure,
    /// Area as written out, in the square of that unit: adjusted, if that was asked for.
    pub area: f64,
    /// The unit; none if neither a reference system nor a unit was given.
    pub unit: Option<LengthUnit>,
    /// True if the misclosure was spread over the corners.
    pub adjusted: bool,
    /// Each course: direction as run (of the chord for a curve), length along it, and its end.
    pub legs: Vec<ClosureLeg>,
}

/// A course of a parcel as it was run.
#[derive(Clone, Debug)]
pub struct ClosureLeg {
    /// Row of the table.
    pub row: u64,
    /// Azimuth, degrees; that of the chord for a curve.
    pub azimuth_deg: f64,
    /// Length along the course.
    pub length: f64,
    /// Radius of a curve.
    pub radius: Option<f64>,
    /// Where it ends.
    pub end: (f64, f64),
}

/// Misclosures worse than one in so many are warned about.
const POOR: f64 = 5_000.0;

/// The courses of a parcel as they are read.
#[derive(Default)]
pub(super) struct Parcel {
    pub(super) values: Vec<String>,
    pub(super) rows: Vec<(u64, StringRecord)>,
    pub(super) legs: Vec<Leg>,
    pub(super) start: Option<(f64, f64)>,
    pub(super) wrong: Option<Reason>,
    pub(super) notes: Vec<Reason>,
}

impl Parcel {
    /// Takes what a row says of where the parcel begins: its first row counts.
    pub(super) fn starts_at(&mut self, row: u64, here: Option<(f64, f64)>) {
        match (self.start, here) {
            (None, None) => {
                self.wrong = Some("its first row does not say where it begins".into());
            }
            (None, here) => self.start = here,
            (Some(start), Some(here)) if start != here => {
                let note = Reason::from(format!(
                    "row {row} says that a parcel begins at {}, {}, and is taken as the next \
                     course of the one before: does a column tell parcels apart?",
                    here.0, here.1
                ));
                self.notes.push(note.advise(Advice::NameGroupColumn));
            }
            _ => {}
        }
    }

    /// Its name in front of a message.
    pub(super) fn shown(&self) -> String {
        let label = self.values.join(", ");
        if label.is_empty() { String::new() } else { format!("`{label}`: ") }
    }
}

/// How parcels are run and closed.
pub(super) struct Closing {
    /// Where the first course begins if a parcel does not say.
    pub(super) start: Option<(f64, f64)>,
    /// Unit of the grid.
    pub(super) unit: Option<LengthUnit>,
    /// True to spread the misclosure over the corners.
    pub(super) adjust: bool,
    /// How far curves may be from their chords, in the unit of the grid; 1 mm if none.
    pub(super) tolerance: Option<f64>,
}

impl Closing {
    /// Runs the courses of a parcel: what it misses closing by, and its corners.
    pub(super) fn close(&self, parcel: &mut Parcel) -> Result<(Closure, Vec<(f64, f64)>), Reason> {
        if let Some(wrong) = &parcel.wrong {
            return Err(wrong.clone());
        }
        let start = parcel.start.or(self.start).unwrap_or((0.0, 0.0));
        let legs = parcel.legs.clone();
        let run = Traverse::run(start, &legs).map_err(|error| error.to_string())?;
        for at in 0..legs.len() {
            if let Some(bend) = run.bend_deg(at).filter(|bend| bend.abs() > 0.05) {
                parcel.notes.push(Reason::from(format!(
                    "the curve of row {} bends off the course before it by {bend:.3}°: is it \
                     tangent in the deed?",
                    parcel.rows[at].0
                )));
            }
        }
        let misclosure = run.misclosure();
        let shown = if self.adjust { run.adjusted() } else { run.clone() };
        let tolerance =
            self.tolerance.unwrap_or(0.001 / self.unit.map_or(1.0, |unit| unit.metres()));
        let vertices = shown.vertices(tolerance);
        if vertices.len() < 3 {
            return Err("a parcel needs three corners".into());
        }
        let closure = Closure {
            name: parcel.values.join(", "),
            courses: legs.len(),
            misclosure,
            area: shown.area(),
            unit: self.unit,
            adjusted: self.adjust,
            legs: legs
                .iter()
                .enumerate()
                .map(|(at, leg)| ClosureLeg {
                    row: parcel.rows[at].0,
                    azimuth_deg: run.chord_deg(at),
                    length: leg.length(),
                    radius: match leg {
                        Leg::Curve { radius, .. } => Some(*radius),
                        Leg::Line { .. } => None,
                    },
                    end: shown.corners[at + 1],
                })
                .collect(),
        };
        Ok((closure, vertices))
    }

    /// A warning of a parcel that does not close well, with the one change that would close it,
    /// if there is one.
    pub(super) fn poor(&self, parcel: &Parcel, closure: &Closure, shown: &str) -> Option<Notice> {
        let ratio = closure.misclosure.ratio()?;
        if ratio >= POOR {
            return None;
        }
        let unit = closure.unit.map_or("units", |unit| unit.symbol());
        let start = parcel.start.or(self.start).unwrap_or((0.0, 0.0));
        let legs = parcel.legs.clone();
        let mut hints = Vec::new();
        for at in 0..legs.len() {
            let Leg::Line { azimuth_deg, length } = legs[at] else { continue };
            let ways = [
                (360.0 - azimuth_deg, "E and W exchanged"),
                (180.0 - azimuth_deg, "N and S exchanged"),
                (180.0 + azimuth_deg, "its direction turned round"),
            ];
            for (azimuth, what) in ways {
                let mut other = legs.clone();
                other[at] = Leg::Line { azimuth_deg: azimuth.rem_euclid(360.0), length };
                let better = Traverse::run(start, &other).ok()?.misclosure();
                let better = better.ratio().unwrap_or(f64::INFINITY);
                if better >= POOR && better > 10.0 * ratio {
                    hints.push(format!(
                        "with {what} in row {} ({}) it would close {}",
                        parcel.rows[at].0,
                        quadrant(azimuth_deg, 0),
                        match better.is_finite() {
                            true => format!("to 1 in {better:.0}"),
                            false => "exactly".to_string(),
                        }
                    ));
                }
            }
        }
        let hint = match hints.as_slice() {
            [] => String::new(),
            hints => format!("; {}", hints[..hints.len().min(2)].join(", or ")),
        };
        let (miss, round) = (closure.misclosure.length, closure.misclosure.perimeter);
        let text = format!(
            "{shown}misses closing by {miss:.3} {unit} in {round:.3} {unit}, 1 in {ratio:.0}: a \
             course is missing or misread{hint}"
        );
        let misses = Notice::warning(NoticeKind::Shape, text);
        Some(misses.with("misclosure", miss, unit).with("perimeter", round, unit))
    }
}
