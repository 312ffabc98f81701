//! Judging the coordinates of rows: out of range for a system, or outside its area of use; and
//! explaining a table of which nothing can be used.

use crate::advice::Advice;
use crate::error::Result;
use crate::examples::Examples;
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
        let (Some(crs), Some(converter)) = (&self.crs, &self.to_degrees) else {
            return Ok(());
        };
        if crs.is_geographic() {
            let turn = 180.0 / crs.degrees_per_unit().unwrap_or(1.0);
            if y.abs() > turn / 2.0 || x.abs() > turn {
                return Err(format!("{x}, {y} is out of range for {}", crs.label()));
            }
            return Ok(());
        }
        match converter.convert(Coordinate::xy(x, y)) {
            Ok(_) => Ok(()),
            Err(_) => Err(format!(
                "{x}, {y} is out of range for {}: no place on earth has these coordinates in it",
                crs.label()
            )),
        }
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
