//! ASCII grids (EPSG method 1085): a head of keys (`ncols`, `nrows`, `xllcenter` or `xllcorner`,
//! `yllcenter` or `yllcorner`, `cellsize` or `dx` and `dy`, `nodata_value`), then the nodes, rows from
//! north to south, each from west to east. Where the corner is that of a cell, the nodes lie in the
//! middles of the cells.
//!
//! The dataset says no more of the files than "asc": one that begins with a number is read as a Gravsoft
//! grid or, line by line, as a list of nodes. Not compared with a file of a publisher's.

use super::height_text::{Sheet, gravsoft, numbers, text};
use super::{ShiftGrid, node_list};
use crate::error::{Error, Result};

pub(super) fn parse(bytes: &[u8]) -> Result<ShiftGrid> {
    let text = text(bytes)?;
    if !text.trim_start().starts_with(|first: char| first.is_ascii_alphabetic()) {
        let columns = text.lines().find(|line| !line.trim().is_empty()).map_or(0, |line| {
            line.split_whitespace().filter(|word| word.parse::<f64>().is_ok()).count()
        });
        return if columns == 6 { gravsoft(bytes) } else { node_list::parse(bytes) };
    }
    let mut keys = Vec::new();
    let mut rest = text;
    while let Some((line, after)) = rest.split_once('\n') {
        let mut words = line.split_whitespace();
        let Some(key) =
            words.next().filter(|key| key.starts_with(|c: char| c.is_ascii_alphabetic()))
        else {
            break;
        };
        keys.push((
            key.to_ascii_lowercase(),
            words.next().and_then(|word| word.parse::<f64>().ok()),
        ));
        rest = after;
    }
    let find = |name: &str| keys.iter().find(|(key, _)| key == name).and_then(|(_, value)| *value);
    let get = |name: &str| {
        find(name).ok_or_else(|| Error::malformed(format!("its head has no number `{name}`")))
    };
    let (rows, columns) = (get("nrows")?, get("ncols")?);
    let (lon_step, lat_step) = match find("cellsize") {
        Some(step) => (step, step),
        None => (get("dx")?, get("dy")?),
    };
    if !(lon_step > 0.0 && lat_step > 0.0) {
        return Err(Error::malformed(format!("its cells are {lon_step}° by {lat_step}°")));
    }
    let corner = |centre: &str, corner: &str, step: f64| match find(centre) {
        Some(at) => Ok(at),
        None => get(corner).map(|at| at + step / 2.0),
    };
    let sheet = Sheet {
        name: "ASCII",
        south: corner("yllcenter", "yllcorner", lat_step)?,
        west: corner("xllcenter", "xllcorner", lon_step)?,
        lat_step,
        lon_step,
        rows: rows as i64,
        columns: columns as i64,
    };
    let none = find("nodata_value").unwrap_or(-9999.0);
    sheet.grid(numbers(rest), |value| (value - none).abs() < 1e-3)
}
