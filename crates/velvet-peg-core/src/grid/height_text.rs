//! Grids of heights as text.
//!
//! Gravsoft (EPSG methods 1047, 1093, 1109, 1110) and the grids of the Earth gravity models that are
//! laid out like it (9661, 1103): six numbers (southern, northern, western and eastern limit, steps of
//! latitude and longitude, degrees), then the nodes, rows from north to south, each from west to
//! east; 9999 where there is no value. Source: Forsberg & Tscherning (2008), "An overview manual for
//! the GRAVSOFT geodetic gravity field modelling programs".
//!
//! ISG (1117, 1118): a header of keys and values, then the nodes in the same order. Source: the
//! International Service for the Geoid, format 1.0 and 2.0. Neither was compared with a file of a
//! publisher's: tests make their own.

use super::heights::one_sheet;
use super::{ShiftGrid, sound_size};
use crate::error::{Error, Result};

/// What stands in a Gravsoft grid where there is no value.
const NO_VALUE: f64 = 9999.0;

/// A grid by its limits and steps, degrees, and its nodes from the north-western one on.
pub(super) struct Sheet {
    pub(super) name: &'static str,
    pub(super) south: f64,
    pub(super) west: f64,
    pub(super) lat_step: f64,
    pub(super) lon_step: f64,
    pub(super) rows: i64,
    pub(super) columns: i64,
}

/// A Gravsoft text grid.
pub(super) fn gravsoft(bytes: &[u8]) -> Result<ShiftGrid> {
    let mut numbers = numbers(text(bytes)?);
    let mut limit = || {
        numbers.next().transpose()?.ok_or_else(|| {
            Error::malformed("it has no six numbers of limits and steps at its head")
        })
    };
    let (south, north, west, east) = (limit()?, limit()?, limit()?, limit()?);
    let (lat_step, lon_step) = (limit()?, limit()?);
    let sheet = Sheet {
        name: "Gravsoft",
        south,
        west,
        lat_step,
        lon_step,
        rows: steps(south, north, lat_step)? + 1,
        columns: steps(west, east, lon_step)? + 1,
    };
    sheet.grid(numbers, |value| value.abs() >= NO_VALUE)
}

/// An ISG grid.
pub(super) fn isg(bytes: &[u8]) -> Result<ShiftGrid> {
    let text = text(bytes)?;
    let (head, body) = text
        .split_once("end_of_head")
        .ok_or_else(|| Error::malformed("its header has no end_of_head"))?;
    let body = body.split_once('\n').map_or("", |(_, body)| body);
    let field = |key: &str| {
        head.lines().find_map(|line| {
            let (name, value) = line.split_once([':', '='])?;
            (name.trim().eq_ignore_ascii_case(key)).then(|| value.trim())
        })
    };
    let degrees = |key: &str| {
        let value = field(key).and_then(angle);
        value.ok_or_else(|| Error::malformed(format!("its header has no angle `{key}`")))
    };
    let count = |key: &str| {
        let value = field(key).and_then(|value| value.parse::<i64>().ok());
        value.ok_or_else(|| Error::malformed(format!("its header has no number `{key}`")))
    };
    if let Some(order) = field("data ordering")
        && !order.to_ascii_lowercase().starts_with("n-to-s")
    {
        return Err(Error::malformed(format!(
            "its nodes are ordered `{order}`, not N-to-S, W-to-E"
        )));
    }
    let (south, north) = (degrees("lat min")?, degrees("lat max")?);
    let (west, east) = (degrees("lon min")?, degrees("lon max")?);
    let (lat_step, lon_step) = (degrees("delta lat")?, degrees("delta lon")?);
    let (rows, columns) = (count("nrows")?, count("ncols")?);
    // The limits are those of the nodes, or of cells with the nodes in their middles.
    let first = |low: f64, high: f64, step: f64, count: i64| match count - steps(low, high, step)? {
        1 => Ok(low),
        0 => Ok(low + step / 2.0),
        _ => {
            Err(Error::malformed("its limits, steps and numbers of rows and columns do not agree"))
        }
    };
    let sheet = Sheet {
        name: "ISG",
        south: first(south, north, lat_step, rows)?,
        west: first(west, east, lon_step, columns)?,
        lat_step,
        lon_step,
        rows,
        columns,
    };
    let none = field("nodata").and_then(|value| value.parse::<f64>().ok()).unwrap_or(-NO_VALUE);
    sheet.grid(numbers(body), |value| (value - none).abs() < 1e-3)
}

impl Sheet {
    pub(super) fn grid(
        self,
        mut values: impl Iterator<Item = Result<f64>>,
        is_none: impl Fn(f64) -> bool,
    ) -> Result<ShiftGrid> {
        let (rows, columns) = sound_size(self.rows, self.columns, MOST_NODES)?;
        let mut nodes = vec![f32::NAN; rows * columns];
        for row in (0..rows).rev() {
            for node in &mut nodes[row * columns..(row + 1) * columns] {
                let value = values.next().transpose()?.ok_or_else(|| {
                    Error::malformed(format!(
                        "it ends before its {rows} rows of {columns} nodes are full"
                    ))
                })?;
                if !is_none(value) {
                    *node = value as f32;
                }
            }
        }
        if values.next().is_some() {
            return Err(Error::malformed(format!(
                "it goes on behind its {rows} rows of {columns} nodes"
            )));
        }
        let (corner, steps) = ((self.south, self.west), (self.lat_step, self.lon_step));
        Ok(one_sheet(self.name, corner, steps, (rows, columns), nodes))
    }
}

/// A world by minutes.
pub(super) const MOST_NODES: usize = 1_000_000_000 / 4;

pub(super) fn text(bytes: &[u8]) -> Result<&str> {
    match std::str::from_utf8(bytes) {
        Ok(text) if !text.contains('\0') => Ok(text),
        _ => Err(Error::malformed("it is no text: the binary form of its layout is not read")),
    }
}

pub(super) fn numbers(text: &str) -> impl Iterator<Item = Result<f64>> {
    text.split_whitespace().map(|word| {
        let number = word.parse().ok().filter(|number: &f64| number.is_finite());
        number
            .ok_or_else(|| Error::malformed(format!("`{word}` stands where a number is expected")))
    })
}

/// Steps between limits, which are a whole number of them apart.
fn steps(low: f64, high: f64, step: f64) -> Result<i64> {
    let sound = low.abs() <= 720.0 && high.abs() <= 720.0 && low < high && step >= 1e-6;
    let count = (high - low) / step;
    match sound && (count - count.round()).abs() < 0.01 {
        true => Ok(count.round() as i64),
        false => Err(Error::malformed(format!(
            "its limits {low}° and {high}° do not lie whole steps of {step}° apart"
        ))),
    }
}

/// Decimal degrees, or degrees, minutes and seconds with their signs: `40°15'00"`.
fn angle(text: &str) -> Option<f64> {
    if let Ok(degrees) = text.parse() {
        return Some(degrees);
    }
    let parts: Vec<&str> =
        text.split(|c: char| !(c.is_ascii_digit() || "+-.".contains(c))).collect();
    let parts: Vec<f64> = parts
        .into_iter()
        .filter(|part| !part.is_empty())
        .map_while(|part| part.parse().ok())
        .collect();
    let whole = parts.first()?.abs()
        + parts.get(1).copied().unwrap_or(0.0) / 60.0
        + parts.get(2).copied().unwrap_or(0.0) / 3600.0;
    Some(if text.trim_start().starts_with('-') { -whole } else { whole })
}
