//! The coordinate columns of a table: those named, or those that look like it.

use super::guess_columns::{Likely, are_reversed, likely};
use super::number_format::NumberFormat;
use crate::advice::Advice;
use crate::error::{Error, Result};
use crate::layer::column_names::position;
use crate::notice::{Notice, NoticeKind};
use csv::StringRecord;
use velvet_peg_core::Crs;
use velvet_peg_core::crs::Height;

/// Names of columns that hold coordinates, as asked for.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct CoordinateColumns {
    /// Longitude or easting.
    pub x: Option<String>,
    /// Latitude or northing.
    pub y: Option<String>,
    /// Height.
    pub z: Option<String>,
    /// How numbers in them are written.
    pub numbers: NumberFormat,
}

/// Positions of the coordinate columns in a table.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Found {
    pub(crate) x: usize,
    pub(crate) y: usize,
    pub(crate) z: Option<usize>,
    pub(crate) numbers: NumberFormat,
}

impl Found {
    /// What is said where a system has heights and no column was named for them.
    fn heights_not_named(&self, headers: &[String], crs: Option<&Crs>) -> Option<Notice> {
        const NAMES: [&str; 6] = ["elev", "height", "hgt", "alt", "z", "ortho"];
        let crs = crs.filter(|crs| self.z.is_none() && !matches!(crs.height(), Height::None))?;
        // A word of a name: `elev_ft`, but not `salt`.
        let likely = headers.iter().enumerate().find(|(at, name)| {
            let lower = name.to_lowercase();
            let mut words = lower.split(|c: char| !c.is_alphanumeric());
            let is = |word: &str| {
                NAMES
                    .iter()
                    .any(|known| word == *known || (known.len() > 2 && word.starts_with(known)))
            };
            ![self.x, self.y].contains(at) && words.any(is)
        });
        let likely =
            likely.map_or(String::new(), |(_, name)| format!(" (`{name}` looks like one)"));
        let text = format!(
            "{} has heights, and no column is named as theirs{likely}: the places have none",
            crs.label()
        );
        let notice = Notice::warning(NoticeKind::Height, text);
        Some(notice.advise(Advice::NameHeightColumn))
    }
}

/// The columns that may hold coordinates: those with digits in most of their cells.
fn with_digits<'a>(headers: &'a [String], rows: &[StringRecord]) -> Vec<&'a str> {
    let holds = |at: usize| {
        let cells =
            rows.iter().filter_map(|row| row.get(at)).filter(|cell| !cell.trim().is_empty());
        let (all, digits) = cells.fold((0, 0), |(all, digits), cell| {
            (all + 1, digits + usize::from(cell.contains(|c: char| c.is_ascii_digit())))
        });
        digits * 2 > all
    };
    headers.iter().enumerate().filter(|(at, _)| holds(*at)).map(|(_, name)| name.as_str()).collect()
}

impl CoordinateColumns {
    /// Finds the columns in a header: those named (compared first as they are, then without
    /// regard to case), or, for what is not named, those that look like it; with a word on why
    /// they were taken, where they were not named, and on heights that the system has.
    ///
    /// # Errors
    /// If a column is missing, or more than one answer is plausible; the message lists those
    /// there are.
    pub(crate) fn find(
        &self,
        headers: &[String],
        rows: &[StringRecord],
        crs: Option<&Crs>,
    ) -> Result<(Found, Vec<Notice>)> {
        let degrees = crs.map(Crs::is_geographic);
        let likely = likely(headers, rows, &self.numbers, degrees, crs);
        let wanted = || {
            let unnamed = |why| {
                let choices = with_digits(headers, rows);
                Error::usage(why).advise(Advice::NameCoordinateColumns).among(choices)
            };
            likely.clone().map_err(unnamed)
        };
        let hint = |of: fn(&Likely) -> usize| likely.as_ref().ok().map(of);
        let (x, y) = match (&self.x, &self.y) {
            (Some(x), Some(y)) => (
                position(headers, x, hint(|likely| likely.x))?,
                position(headers, y, hint(|likely| likely.y))?,
            ),
            (Some(x), None) => {
                let x = position(headers, x, None)?;
                (x, wanted()?.y)
            }
            (None, Some(y)) => {
                let y = position(headers, y, None)?;
                (wanted()?.x, y)
            }
            (None, None) => {
                let likely = wanted()?;
                (likely.x, likely.y)
            }
        };
        let z = match &self.z {
            Some(name) => Some(position(headers, name, None)?),
            None => None,
        };
        if x == y {
            return Err(Error::usage(format!("column {} cannot be both coordinates", headers[x])));
        }
        let named = self.x.is_some() && self.y.is_some();
        if are_reversed(&headers[x], &headers[y]) {
            let text = format!(
                "column `{}` is taken as x and `{}` as y, and their names say the opposite: x is the \
                 longitude or easting",
                headers[x], headers[y]
            );
            let reversed = Notice::warning(NoticeKind::Assumed, text);
            let found = Found { x, y, z, numbers: self.numbers };
            let reversed = reversed.advise(Advice::NameCoordinateColumns);
            let notices = [reversed].into_iter().chain(found.heights_not_named(headers, crs));
            return Ok((found, notices.collect()));
        }
        let why = likely.ok().filter(|_| !named).map(|likely| {
            Notice::note(
                NoticeKind::Assumed,
                format!(
                    "coordinates are taken from columns `{}` and `{}`, {}",
                    headers[x], headers[y], likely.why
                ),
            )
        });
        let found = Found { x, y, z, numbers: self.numbers };
        let notices = why.into_iter().chain(found.heights_not_named(headers, crs)).collect();
        Ok((found, notices))
    }
}
