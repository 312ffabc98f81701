//! Finding the coordinate columns of a table: by the names given, or by what headers say.

use crate::error::{Error, Result};
use std::borrow::Cow;

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

/// How numbers are written.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct NumberFormat {
    /// A comma stands where the decimal point does elsewhere.
    pub decimal_comma: bool,
    /// What groups thousands, if anything does; blanks of all kinds go with a blank.
    pub thousands: Option<char>,
}

impl NumberFormat {
    /// The text with a decimal point and no groups.
    pub(crate) fn plain<'a>(&self, text: &'a str) -> Cow<'a, str> {
        if *self == NumberFormat::default() {
            return Cow::Borrowed(text);
        }
        let grouping = |c: char| match self.thousands {
            Some(' ') => c.is_whitespace(),
            Some(mark) => c == mark,
            None => false,
        };
        let point = |c: char| if self.decimal_comma && c == ',' { '.' } else { c };
        Cow::Owned(text.chars().filter(|c| !grouping(*c)).map(point).collect())
    }
}

/// Positions of the coordinate columns in a table.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Found {
    pub(crate) x: usize,
    pub(crate) y: usize,
    pub(crate) z: Option<usize>,
    pub(crate) numbers: NumberFormat,
}

const X_NAMES: [&str; 13] = [
    "x",
    "lon",
    "long",
    "longitude",
    "lng",
    "e",
    "east",
    "easting",
    "eastings",
    "xcoord",
    "pointx",
    "londd",
    "eastingm",
];
const Y_NAMES: [&str; 11] = [
    "y",
    "lat",
    "latitude",
    "n",
    "north",
    "northing",
    "northings",
    "ycoord",
    "pointy",
    "latdd",
    "northingm",
];

/// The likely coordinate columns by their headers: longitude or easting, and latitude or
/// northing.
pub(crate) fn likely(headers: &[String]) -> (Option<usize>, Option<usize>) {
    let plain = |header: &String| -> String {
        header.chars().filter(|c| c.is_alphanumeric()).collect::<String>().to_lowercase()
    };
    let place = |names: &[&str]| {
        headers.iter().position(|header| names.contains(&plain(header).as_str())).or_else(|| {
            headers.iter().position(|header| {
                let header = plain(header);
                names.iter().any(|name| name.len() >= 3 && header.starts_with(name))
            })
        })
    };
    (place(&X_NAMES), place(&Y_NAMES))
}

impl CoordinateColumns {
    /// Finds the columns in a header; names are compared first as they are, then without
    /// regard to case.
    ///
    /// # Errors
    /// If a column is missing; the message lists those there are, and the likeliest.
    pub(crate) fn find(&self, headers: &[String]) -> Result<Found> {
        let (likely_x, likely_y) = likely(headers);
        let x = match &self.x {
            Some(name) => position(headers, name, likely_x)?,
            None => likely_x.ok_or_else(|| unnamed("--x (longitude or easting)", headers))?,
        };
        let y = match &self.y {
            Some(name) => position(headers, name, likely_y)?,
            None => likely_y.ok_or_else(|| unnamed("--y (latitude or northing)", headers))?,
        };
        let z = match &self.z {
            Some(name) => Some(position(headers, name, None)?),
            None => None,
        };
        if x == y {
            return Err(Error::usage(format!("column {} cannot be both coordinates", headers[x])));
        }
        Ok(Found { x, y, z, numbers: self.numbers })
    }
}

/// The place of a column, by its name or its number from 1.
pub(crate) fn position(headers: &[String], name: &str, likely: Option<usize>) -> Result<usize> {
    headers
        .iter()
        .position(|header| header == name)
        .or_else(|| {
            headers.iter().position(|header| header.trim().eq_ignore_ascii_case(name.trim()))
        })
        .or_else(|| {
            // A number that is no name is the place, from 1.
            let place: usize = name.trim().parse().ok()?;
            (1..=headers.len()).contains(&place).then(|| place - 1)
        })
        .ok_or_else(|| {
            let hint =
                likely.map_or(String::new(), |at| format!("; did you mean `{}`?", headers[at]));
            Error::usage(format!(
                "there is no column `{name}`: the columns are {}{hint}",
                list(headers)
            ))
        })
}

fn unnamed(option: &str, headers: &[String]) -> Error {
    Error::usage(format!(
        "no column is named like a coordinate: say which one it is with {option}; the columns \
         are {}",
        list(headers)
    ))
}

/// Headers in quotes, for messages.
pub(crate) fn list(headers: &[String]) -> String {
    let shown: Vec<String> = headers.iter().take(30).map(|h| format!("`{h}`")).collect();
    let more = headers.len().saturating_sub(30);
    match more {
        0 => shown.join(", "),
        more => format!("{} and {more} more", shown.join(", ")),
    }
}
