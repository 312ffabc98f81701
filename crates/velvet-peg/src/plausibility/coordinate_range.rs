//! Judging the coordinates of rows: out of range for a system, or outside its area of use; and
//! explaining a table of which nothing can be used.

use crate::advice::Advice;
use crate::error::Result;
use crate::examples::Examples;
use crate::format_support::pair_text;
use crate::outcome::Reason;
use crate::table::{Found, is_angle};
use csv::StringRecord;
use velvet_peg_core::{Converter, Coordinate, Crs};

/// Tells whether a coordinate can be one of a system at all.
pub(crate) struct CoordinateRange {
    crs: Option<Crs>,
    to_degrees: Option<Converter>,
}

impl CoordinateRange {
    pub(crate) fn new(crs: Option<&Crs>) -> Result<CoordinateRange> {
        let to_degrees = match crs {
            None => None,
            Some(crs) => match crs.in_degrees() {
                Some(home) => Some(Converter::new(crs, &home)?),
                None => None,
            },
        };
        Ok(CoordinateRange { crs: crs.cloned(), to_degrees })
    }

    /// Out of range for the system: no position on the ellipsoid.
    pub(crate) fn check(&self, x: f64, y: f64) -> std::result::Result<(), String> {
        let Some(converter) = &self.to_degrees else { return Ok(()) };
        let is_out = match self.turn() {
            Some(turn) => is_beyond(x, y, turn),
            None => converter.convert(Coordinate::xy(x, y)).is_err(),
        };
        match is_out {
            true => Err(self.out_of_range(x, y)),
            false => Ok(()),
        }
    }

    /// How columns of coordinates stand to the system, each place as [`CoordinateRange::check`] and
    /// [`CoordinateRange::is_outside`] judge it.
    pub(crate) fn standings(&self, x: &[f64], y: &[f64]) -> Vec<Standing> {
        let (Some(crs), Some(converter)) = (&self.crs, &self.to_degrees) else {
            return vec![Standing::Within; x.len()];
        };
        let (mut lon, mut lat) = (x.to_vec(), y.to_vec());
        converter.convert_columns(&mut lon, &mut lat, None);
        let turn = self.turn();
        let places = lon.iter().zip(&lat).zip(x.iter().zip(y));
        places
            .map(|((lon, lat), (x, y))| {
                let is_out = match turn {
                    Some(turn) => is_beyond(*x, *y, turn),
                    None => lon.is_nan(),
                };
                let is_within = || {
                    let at = converter.target().from_greenwich(Coordinate::xy(*lon, *lat));
                    lon.is_nan() || crs.extent().contains(at)
                };
                match is_out {
                    true => Standing::OutOfRange,
                    false if is_within() => Standing::Within,
                    false => Standing::Outside,
                }
            })
            .collect()
    }

    /// A half turn in the unit of the system, if its coordinates are angles.
    fn turn(&self) -> Option<f64> {
        let crs = self.crs.as_ref().filter(|crs| crs.is_geographic())?;
        Some(180.0 / crs.degrees_per_unit().unwrap_or(1.0))
    }

    /// What is said of a coordinate that no place has.
    pub(crate) fn out_of_range(&self, x: f64, y: f64) -> String {
        let label = self.crs.as_ref().map_or("its system".to_string(), Crs::label);
        let why = match self.turn() {
            Some(_) => "",
            None => ": no place on earth has these coordinates in it",
        };
        format!("{} is out of range for {label}{why}", pair_text(x, y))
    }

    /// In range, but outside the area of use.
    pub(crate) fn is_outside(&self, x: f64, y: f64) -> bool {
        let (Some(crs), Some(converter)) = (&self.crs, &self.to_degrees) else {
            return false;
        };
        converter.convert(Coordinate::xy(x, y)).is_ok_and(|at| {
            let at = converter.target().from_greenwich(at);
            !crs.extent().contains(at)
        })
    }
}

/// True of a longitude or latitude beyond the poles or a half turn.
fn is_beyond(lon: f64, lat: f64, turn: f64) -> bool {
    lat.abs() > turn / 2.0 || lon.abs() > turn
}

/// How a coordinate stands to its system.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Standing {
    /// It is of the area where the system is used, or there is no system.
    Within,
    /// It is a place outside that area.
    Outside,
    /// No place has it.
    OutOfRange,
}

/// The first rejected rows, to explain a table of which nothing can be used.
#[derive(Default)]
pub(crate) struct FirstReasons {
    rows: Examples,
    magnitude: f64,
    swapped: u64,
    /// Cells that hold angles.
    angles: u64,
    /// What the first reason advises.
    advice: Option<Advice>,
}

impl FirstReasons {
    pub(crate) fn add(
        &mut self,
        row: u64,
        reason: &Reason,
        record: &StringRecord,
        found: Option<&Found>,
    ) {
        if self.advice.is_none() {
            self.advice.clone_from(&reason.advice);
        }
        self.rows.add(|| format!("row {row}: {reason}"));
        let Some(found) = found else { return };
        let cell = |at: usize| record.get(at).unwrap_or_default();
        self.angles += u64::from(is_angle(cell(found.x)) || is_angle(cell(found.y)));
        let number = |at: usize| record.get(at).and_then(|cell| cell.trim().parse::<f64>().ok());
        if let (Some(x), Some(y)) = (number(found.x), number(found.y)) {
            self.magnitude = self.magnitude.max(x.abs().max(y.abs()));
            self.swapped += u64::from(x.abs() <= 90.0 && y.abs() > 90.0 && y.abs() <= 180.0);
        }
    }

    /// The first reasons, what they look like, and what can be done.
    pub(crate) fn explained(&self, crs: Option<&Crs>) -> (String, Option<Advice>) {
        let (likely, advice) = match crs {
            _ if self.advice.is_some() => (String::new(), self.advice.clone()),
            Some(crs) if crs.is_geographic() && self.magnitude > 360.0 => (
                format!(
                    " These look like projected coordinates (values up to {:.0}), but {} counts \
                     degrees: declare the projected system they are in",
                    self.magnitude,
                    crs.label()
                ),
                Some(Advice::FindSystem),
            ),
            Some(crs) if crs.is_geographic() && self.swapped > 0 => (
                " Swapping the two columns would put them in range: x is longitude, y is latitude"
                    .to_string(),
                Some(Advice::NameCoordinateColumns),
            ),
            Some(crs) if crs.is_projected() => (
                format!(
                    " Are these coordinates of {}, in {}, with the easting as x and the northing as y?",
                    crs.label(),
                    crs.unit_plural()
                ),
                None,
            ),
            None if self.angles > 0 => (
                " Angles need a reference system, such as EPSG:4326 (WGS 84) for what hand-held \
                 receivers give"
                    .to_string(),
                Some(Advice::StateSystem),
            ),
            _ => (String::new(), None),
        };
        let first = self.rows.first[..self.rows.first.len().min(3)].join("; ");
        let stop = match likely.is_empty() || first.ends_with('?') {
            true => "",
            false => ".",
        };
        (format!("The first: {first}{stop}{likely}"), advice)
    }
}
