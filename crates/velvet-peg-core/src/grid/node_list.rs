//! Grids as lists of nodes: a line of text for each with its latitude, its longitude and its value.
//!
//! So publish several agencies (EPSG methods 1030, 1059, 1071, 1080, 1081, 1082, 1089, 1098 to 1101, 1115
//! and 1116). The dataset says no more of their files than "text", so this takes what such lists have
//! in common: columns parted by semicolons, commas or blanks; lines that are no numbers at the head,
//! which may name the columns; nodes of a regular grid in any order, of which some may be missing.

use super::height_text::text;
use super::heights::one_sheet;
use super::{Nodes, Part, ShiftGrid};
use crate::error::{Error, Result};

/// A value of this size or more, or one of not a number, says that there is none.
const NO_VALUE: f64 = 9999.0;

/// Which columns hold what, counted from 0.
#[derive(Clone, Copy)]
struct Columns {
    lat: usize,
    lon: usize,
    value: usize,
}

pub(super) fn parse(bytes: &[u8]) -> Result<ShiftGrid> {
    let text = text(bytes)?;
    let mut head: Option<Vec<String>> = None;
    let mut columns: Option<(Columns, bool)> = None;
    let mut nodes = Vec::new();
    for (at, line) in text.lines().enumerate() {
        let words = words(line);
        let numbers: Vec<Option<f64>> = words.iter().map(|word| number(word)).collect();
        if words.is_empty() {
            continue;
        }
        let is_node = numbers.len() >= 3 && numbers.iter().filter(|one| one.is_some()).count() >= 3;
        if !is_node && nodes.is_empty() {
            head = Some(words.iter().map(|word| word.to_lowercase()).collect());
            continue;
        }
        let (columns, _) = match &mut columns {
            Some(known) => *known,
            none => *none.insert(of_head(head.as_deref(), numbers.len())),
        };
        let get = |column: usize| numbers.get(column).copied().flatten();
        match (get(columns.lat), get(columns.lon), get(columns.value)) {
            (Some(lat), Some(lon), Some(value)) => {
                let none = value.abs() >= NO_VALUE;
                nodes.push((lat, lon, if none { f32::NAN } else { value as f32 }));
            }
            _ => {
                return Err(Error::malformed(format!(
                    "line {} is no node of a latitude, a longitude and a value",
                    at + 1
                )));
            }
        }
    }
    let grid = grid("list", &nodes.iter().map(|node| (node.0, node.1)).collect::<Vec<_>>())?;
    let mut sheet = grid.of_heights("list", nodes.iter().map(|node| node.2));
    sheet.order_taken = columns.is_some_and(|(_, stated)| !stated);
    Ok(sheet)
}

fn words(line: &str) -> Vec<String> {
    let line = line.trim().trim_start_matches('\u{feff}');
    let separated = |by: char| line.split(by).map(|word| word.trim().trim_matches('"').to_string());
    if line.is_empty() || line.starts_with(['#', '%', '!', '*']) {
        Vec::new()
    } else if line.contains(';') {
        // Where semicolons part the columns, a comma may be that of a decimal.
        separated(';').map(|word| word.replace(',', ".")).collect()
    } else if line.contains(',') {
        separated(',').collect()
    } else {
        line.split_whitespace().map(str::to_string).collect()
    }
}

fn number(word: &str) -> Option<f64> {
    word.parse().ok().filter(|number: &f64| number.is_finite())
}

/// The columns by what a head says, and whether it says which coordinate is which.
fn of_head(head: Option<&[String]>, count: usize) -> (Columns, bool) {
    let named = |starts: &[&str]| {
        head.filter(|head| head.len() == count).and_then(|head| {
            head.iter().position(|word| starts.iter().any(|start| word.starts_with(start)))
        })
    };
    let lat = named(&["lat", "nlat", "phi"]).or_else(|| named(&["b"]));
    let lon = named(&["lon", "elon", "lambda"]).or_else(|| named(&["l"]));
    if let (Some(lat), Some(lon)) = (lat, lon)
        && lat != lon
    {
        // The first other column that is no number of the node.
        let is_id =
            |at: usize| head.is_some_and(|head| ["id", "nr", "no"].contains(&head[at].as_str()));
        let value = (0..count).find(|at| *at != lat && *at != lon && !is_id(*at));
        if let Some(value) = value {
            return (Columns { lat, lon, value }, true);
        }
    }
    (Columns { lat: 0, lon: 1, value: 2 }, false)
}

/// A regular grid through nodes.
pub(super) struct Regular {
    /// Latitude and longitude of the south-western node.
    pub(super) corner: (f64, f64),
    pub(super) steps: (f64, f64),
    pub(super) rows: usize,
    pub(super) columns: usize,
    /// Where each node stands: rows from south to north, each from west to east.
    pub(super) places: Vec<usize>,
}

impl Regular {
    /// The values in the order of the grid; `none` where no node stands.
    fn spread<T: Copy>(&self, none: T, values: impl IntoIterator<Item = T>) -> Vec<T> {
        let mut spread = vec![none; self.rows * self.columns];
        for (at, value) in self.places.iter().zip(values) {
            spread[*at] = value;
        }
        spread
    }

    /// A grid of a height a node, metres; what is not a number says that there is none.
    pub(super) fn of_heights(
        &self,
        name: &str,
        values: impl IntoIterator<Item = f32>,
    ) -> ShiftGrid {
        let heights = self.spread(f32::NAN, values);
        one_sheet(name, self.corner, self.steps, (self.rows, self.columns), heights)
    }

    /// A grid of three values a node.
    pub(super) fn of_triples(
        &self,
        name: &str,
        values: impl IntoIterator<Item = [f32; 3]>,
    ) -> ShiftGrid {
        let nodes = self.spread([f32::NAN; 3], values);
        let part = Part {
            name: name.to_string(),
            parent: String::new(),
            south: self.corner.0,
            west: self.corner.1,
            lat_step: self.steps.0,
            lon_step: self.steps.1,
            rows: self.rows,
            columns: self.columns,
            nodes: Nodes::Triples(nodes),
        };
        ShiftGrid { parts: vec![part], quadratic: false, order_taken: false }
    }
}

/// The regular grid on which nodes (latitude, longitude) lie.
pub(super) fn grid(what: &str, nodes: &[(f64, f64)]) -> Result<Regular> {
    let (south, lat_step, rows) = axis(what, "latitudes", nodes.iter().map(|node| node.0))?;
    let (west, lon_step, columns) = axis(what, "longitudes", nodes.iter().map(|node| node.1))?;
    // Parts of a rectangle may be missing, but not nearly all of it.
    if rows.saturating_mul(columns) > nodes.len().saturating_mul(20) {
        return Err(Error::malformed(format!(
            "its {} nodes do not make a grid of {rows} rows and {columns} columns",
            nodes.len()
        )));
    }
    let place = |value: f64, from: f64, step: f64| ((value - from) / step).round() as usize;
    let mut taken = vec![false; rows * columns];
    let mut places = Vec::with_capacity(nodes.len());
    for (lat, lon) in nodes {
        let at = place(*lat, south, lat_step) * columns + place(*lon, west, lon_step);
        if std::mem::replace(&mut taken[at], true) {
            return Err(Error::malformed(format!(
                "its {what} has the node at latitude {lat}°, longitude {lon}° twice"
            )));
        }
        places.push(at);
    }
    Ok(Regular { corner: (south, west), steps: (lat_step, lon_step), rows, columns, places })
}

/// First value, step and number of values of one coordinate of the nodes.
fn axis(what: &str, name: &str, values: impl Iterator<Item = f64>) -> Result<(f64, f64, usize)> {
    /// Values closer than this, degrees, are one.
    const SAME: f64 = 1e-6;
    let mut sorted: Vec<f64> = values.collect();
    sorted.sort_by(f64::total_cmp);
    sorted.dedup_by(|a, b| (*a - *b).abs() < SAME);
    let irregular = || {
        Error::malformed(format!(
            "the {name} of its {what} of nodes are not those of a regular grid"
        ))
    };
    let (Some(first), Some(last)) = (sorted.first(), sorted.last()) else {
        return Err(irregular());
    };
    let least = sorted.windows(2).map(|pair| pair[1] - pair[0]).fold(f64::INFINITY, f64::min);
    if !(first.abs() <= 360.0 && last.abs() <= 360.0 && least.is_finite()) {
        return Err(irregular());
    }
    let count = ((last - first) / least).round();
    let step = (last - first) / count;
    let off = |value: &f64| {
        let at = (value - first) / step;
        (at - at.round()).abs() > 0.02
    };
    if sorted.iter().any(off) {
        return Err(irregular());
    }
    Ok((*first, step, count as usize + 1))
}
