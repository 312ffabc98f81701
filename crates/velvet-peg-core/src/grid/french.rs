//! Text grids of the Institut national de l'information géographique et forestière (IGN): heights (EPSG
//! methods 9664, 1073, 1094, 1095) and geocentric translations (1087).
//!
//! The older layout has four lines of head, of which the second has the western, eastern, southern and
//! northern limit and the steps of longitude and latitude; then a line for each node: a number, its
//! longitude and latitude, its values, a mark of its precision and more. The newer one (`.mnt`) has one
//! line of head: the same six numbers, the order of the nodes (2: rows from north to south, each from west
//! to east), 1 if each has its longitude and latitude, the count of its values, 1 if each has a mark of
//! precision, and the value that stands for none. Source: what the institute says of its grids, and
//! NTG-88; neither was compared with a file of a publisher's.

use super::height_text::text;
use super::node_list::{Regular, grid};
use super::{ShiftGrid, nodes_between, sound_size};
use crate::error::{Error, Result};

/// A grid of heights, metres.
pub(super) fn heights(bytes: &[u8]) -> Result<ShiftGrid> {
    let (grid, values) = nodes::<1>(bytes)?;
    Ok(grid.of_heights("IGN", values.into_iter().map(|[value]| value)))
}

/// A grid of translations along the geocentric axes, metres.
pub(super) fn translations(bytes: &[u8]) -> Result<ShiftGrid> {
    let (grid, values) = nodes::<3>(bytes)?;
    Ok(grid.of_triples("IGN", values))
}

/// The limits of a grid and its steps, degrees.
struct Limits {
    west: f64,
    east: f64,
    south: f64,
    north: f64,
    lon_step: f64,
    lat_step: f64,
}

impl Limits {
    fn new(numbers: &[f64]) -> Option<Limits> {
        let [west, east, south, north, lon_step, lat_step] = numbers.get(..6)?.try_into().ok()?;
        let sound = west < east && south < north && lon_step > 1e-6 && lat_step > 1e-6;
        sound.then_some(Limits { west, east, south, north, lon_step, lat_step })
    }

    fn size(&self, words: usize) -> Result<(usize, usize)> {
        let rows = nodes_between(self.south, self.north, self.lat_step);
        sound_size(rows, nodes_between(self.west, self.east, self.lon_step), words)
    }

    fn holds(&self, (lat, lon): (f64, f64)) -> bool {
        let within = |at: f64, low: f64, high: f64, step: f64| {
            (low - step / 2.0..high + step / 2.0).contains(&at)
        };
        within(lat, self.south, self.north, self.lat_step)
            && within(lon, self.west, self.east, self.lon_step)
    }
}

fn nodes<const N: usize>(bytes: &[u8]) -> Result<(Regular, Vec<[f32; N]>)> {
    let text = text(bytes)?;
    match text.trim_start().starts_with(|first: char| first.is_ascii_alphabetic()) {
        true => of_four_lines(text),
        false => of_one_line(text),
    }
}

fn of_four_lines<const N: usize>(text: &str) -> Result<(Regular, Vec<[f32; N]>)> {
    let mut lines = text.lines().enumerate();
    let head: Vec<&str> = lines.by_ref().take(4).map(|(_, line)| line).collect();
    let limits = head.get(1).and_then(|line| {
        let numbers: Vec<f64> =
            line.split_whitespace().skip(1).map_while(|w| w.parse().ok()).collect();
        Limits::new(&numbers)
    });
    let limits = limits.ok_or_else(|| {
        Error::malformed("the second line of its head has no limits and steps of a grid")
    })?;
    let (mut places, mut values) = (Vec::new(), Vec::new());
    for (at, line) in lines.filter(|(_, line)| !line.trim().is_empty()) {
        let numbers: Vec<f64> =
            line.split_whitespace().map_while(|word| word.parse().ok()).take(3 + N).collect();
        let place = (numbers.get(2).copied(), numbers.get(1).copied());
        let (Some(place), Some(value)) = (place.0.zip(place.1), values_of(numbers.get(3..))) else {
            return Err(Error::malformed(format!("line {} is no node of the grid", at + 1)));
        };
        if !limits.holds(place) {
            return Err(Error::malformed(format!(
                "line {} has a node at latitude {}°, longitude {}°, outside the limits in its head",
                at + 1,
                place.0,
                place.1
            )));
        }
        places.push(place);
        values.push(value);
    }
    Ok((grid("list", &places)?, values))
}

fn values_of<const N: usize>(numbers: Option<&[f64]>) -> Option<[f32; N]> {
    let numbers: [f64; N] = numbers?.get(..N)?.try_into().ok()?;
    Some(numbers.map(|number| number as f32))
}

fn of_one_line<const N: usize>(text: &str) -> Result<(Regular, Vec<[f32; N]>)> {
    let (head, body) = text.trim_start().split_once('\n').unwrap_or((text, ""));
    let numbers: Vec<f64> = head.split_whitespace().map_while(|word| word.parse().ok()).collect();
    let known = Limits::new(&numbers).zip(numbers.get(6..10));
    let (limits, [order, placed, count, marked]) = match known {
        Some((limits, [a, b, c, d])) => (limits, [*a, *b, *c, *d]),
        _ => {
            return Err(Error::malformed(
                "its first line has no limits, steps, order and counts of a grid",
            ));
        }
    };
    if count != N as f64 {
        return Err(Error::malformed(format!("each of its nodes has {count} values, not {N}")));
    }
    let (placed, marked) = (placed == 1.0, marked == 1.0);
    if !placed && order != 2.0 {
        return Err(Error::malformed(format!(
            "its nodes are in the order {order}: only 2, rows from north to south, is read without \
             their coordinates"
        )));
    }
    let none = numbers.get(10).copied().filter(|none| *none != 0.0);
    let width = if placed { 2 } else { 0 } + N + usize::from(marked);
    let (rows, columns) = limits.size(body.len())?;
    let (mut places, mut values) = (Vec::new(), Vec::new());
    let mut words = body.split_whitespace();
    for row in (0..rows).rev() {
        for column in 0..columns {
            let mut node = [0.0; 6];
            for number in &mut node[..width] {
                let word = words.next().ok_or_else(|| {
                    Error::malformed(format!(
                        "it ends before its {rows} rows of {columns} nodes are full"
                    ))
                })?;
                *number = word.parse().map_err(|_| {
                    Error::malformed(format!("`{word}` stands where a number is expected"))
                })?;
            }
            let place = match placed {
                true => (node[1], node[0]),
                false => (
                    limits.south + row as f64 * limits.lat_step,
                    limits.west + column as f64 * limits.lon_step,
                ),
            };
            if !limits.holds(place) {
                return Err(Error::malformed(format!(
                    "it has a node at latitude {}°, longitude {}°, outside the limits in its head",
                    place.0, place.1
                )));
            }
            let first = if placed { 2 } else { 0 };
            let of_node: [f64; N] = std::array::from_fn(|at| node[first + at]);
            let empty = none.is_some_and(|none| of_node.contains(&none));
            places.push(place);
            values.push(of_node.map(|value| if empty { f32::NAN } else { value as f32 }));
        }
    }
    if words.next().is_some() {
        return Err(Error::malformed(format!(
            "it goes on behind its {rows} rows of {columns} nodes"
        )));
    }
    Ok((grid("grid", &places)?, values))
}
