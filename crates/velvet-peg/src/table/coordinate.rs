//! Reading a coordinate from a cell of a table.

use csv::StringRecord;
use velvet_peg_core::{Crs, angle};

use super::{Found, NumberFormat};
use crate::advice::Advice;
use crate::format_support::text_type::trimmed;
use crate::outcome::Reason;

/// How angles in cells are written, where it has to be said.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Notation {
    /// Decimal degrees, degrees-minutes or degrees-minutes-seconds, told apart by their form.
    #[default]
    Detected,
    /// Packed DDDMMSS.s.
    Packed,
}

/// What a cell is to be read as.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Kind {
    Latitude,
    Longitude,
    Plain,
}

/// Reads the coordinates of a row: x, y and z. The reason in words if they cannot be used.
pub(crate) fn read_pair(
    record: &StringRecord,
    found: &Found,
    crs: Option<&Crs>,
    notation: Notation,
) -> Result<(f64, f64, Option<f64>), Reason> {
    let degrees = crs.and_then(Crs::degrees_per_unit) == Some(1.0);
    let kinds = match degrees {
        true => (Kind::Longitude, Kind::Latitude),
        false => (Kind::Plain, Kind::Plain),
    };
    let declared = crs.is_some();
    let cell = |at, kind, notation| {
        cell(record, at, kind, notation, found.numbers).map_err(|why| why.reason(declared))
    };
    let x = cell(found.x, kinds.0, notation)?;
    let y = cell(found.y, kinds.1, notation)?;
    let z = match found.z.map(|at| (at, record.get(at).unwrap_or("").trim())) {
        None | Some((_, "")) => None,
        Some((at, _)) => Some(cell(at, Kind::Plain, Notation::Detected)?),
    };
    Ok((x, y, z))
}

/// True for a text with signs of degrees, minutes or seconds.
pub(crate) fn is_angle(text: &str) -> bool {
    text.contains(['°', '\'', '′', '"'])
}

/// Why a cell is no coordinate.
enum Why {
    /// It is an angle where a plain number is wanted.
    Angle(String),
    Other(Reason),
}

impl Why {
    fn reason(self, declared: bool) -> Reason {
        match (self, declared) {
            (Why::Other(why), _) => why,
            (Why::Angle(text), true) => format!(
                "`{text}` is an angle, but the declared system counts lengths: is the system right?"
            )
            .into(),
            (Why::Angle(text), false) => {
                format!("`{text}` is an angle, which needs a geographic reference system").into()
            }
        }
    }
}

fn cell(
    record: &StringRecord,
    at: usize,
    kind: Kind,
    notation: Notation,
    numbers: NumberFormat,
) -> Result<f64, Why> {
    let written = trimmed(record.get(at).unwrap_or(""));
    let text: &str = &numbers.plain(written);
    let name = match kind {
        Kind::Latitude => "latitude",
        Kind::Longitude => "longitude",
        Kind::Plain => "coordinate",
    };
    if text.is_empty() {
        return Err(Why::Other(format!("the {name} is blank").into()));
    }
    let axis = match kind {
        Kind::Latitude => angle::Axis::Latitude,
        Kind::Longitude => angle::Axis::Longitude,
        Kind::Plain => return plain(text),
    };
    let read = match notation {
        Notation::Packed => angle::parse_packed(text, axis),
        Notation::Detected => match fast(text) {
            Some(value) if value.abs() <= if kind == Kind::Latitude { 90.0 } else { 180.0 } => {
                return Ok(value);
            }
            _ => angle::parse(text, axis),
        },
    };
    read.map_err(|error| {
        let reason = Reason::from(error.to_string());
        // Angles of one number each, as a decimal comma has them.
        let mut sides = text.trim_start_matches(['-', '+', '−']).split(',');
        let digits = |side: Option<&str>| {
            side.is_some_and(|side| !side.is_empty() && side.bytes().all(|b| b.is_ascii_digit()))
        };
        let comma = digits(sides.next()) && digits(sides.next()) && sides.next().is_none();
        Why::Other(if comma { reason.advise(Advice::StateNumberFormat) } else { reason })
    })
}

/// A plain decimal number: the common case.
fn fast(text: &str) -> Option<f64> {
    let plain = text
        .bytes()
        .enumerate()
        .all(|(at, b)| b.is_ascii_digit() || b == b'.' || (at == 0 && b == b'-'));
    // So many digits that there is no such number are for whoever tells why.
    let number = || text.parse().ok().filter(|value: &f64| value.is_finite());
    plain.then(number).flatten()
}

fn plain(text: &str) -> Result<f64, Why> {
    if let Some(value) = fast(text) {
        return Ok(value);
    }
    match text.parse::<f64>() {
        Ok(value) if value.is_finite() => Ok(value),
        _ if text.contains(',') => {
            let why = format!(
                "`{text}` is not a plain number: its comma may be a decimal point, or group thousands"
            );
            Err(Why::Other(Reason::from(why).advise(Advice::StateNumberFormat)))
        }
        _ if is_angle(text) => Err(Why::Angle(text.to_string())),
        _ => Err(Why::Other(format!("`{text}` is not a number").into())),
    }
}
