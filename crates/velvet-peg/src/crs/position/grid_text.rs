//! Eastings and northings as people write them.

use crate::error::{Error, Result};
use velvet_peg_core::{Coordinate, Crs, LengthUnit};

/// What a word says of the number beside it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Label {
    Easting,
    Northing,
    Height,
}

/// A piece of the text.
enum Piece {
    Number(f64),
    Label(Label),
    Unit(String),
}

/// Reads a position of a projected system: easting and northing, in either order where letters or
/// words say which is which (`N 155850.12 E 1832900.45`, `northing 155850.12, easting 1832900.45`),
/// easting first otherwise; a third number is a height. A unit behind a number has to be the
/// system's.
///
/// ```
/// use velvet_peg::Crs;
/// use velvet_peg::position::read_grid_position;
/// let feet = Crs::from_epsg(2285)?;
/// let at = read_grid_position("N 155850.12 E 1832900.45", &feet)?;
/// assert_eq!((at.x, at.y), (1832900.45, 155850.12));
/// assert_eq!(read_grid_position("1832900.45, 155850.12 ftUS", &feet)?, at);
/// assert!(read_grid_position("1832900.45 m, 155850.12 m", &feet).is_err());
/// # Ok::<(), velvet_peg::Error>(())
/// ```
///
/// # Errors
/// If it cannot be read so, or states another unit than the system's.
pub fn read_grid_position(text: &str, crs: &Crs) -> Result<Coordinate> {
    let unreadable = || {
        Error::usage(format!(
            "`{text}` cannot be read as a place of {}: write its easting and northing in {}, as in \
             `1640416.7, 250000` or `N 250000 E 1640416.7`",
            crs.label(),
            crs.unit_plural()
        ))
    };
    let pieces = pieces(text).ok_or_else(unreadable)?;
    for piece in &pieces {
        if let Piece::Unit(unit) = piece {
            same_unit(unit, crs)?;
        }
    }
    let (mut plain, mut labelled) = (Vec::new(), Vec::new());
    // A label stands in front of its number or behind it, as the first one does.
    let leads = pieces.iter().find_map(|piece| match piece {
        Piece::Label(_) => Some(true),
        Piece::Number(_) => Some(false),
        Piece::Unit(_) => None,
    });
    let mut waiting: Option<Label> = None;
    let mut last: Option<f64> = None;
    for piece in pieces {
        match piece {
            Piece::Label(label) if leads == Some(true) => waiting = Some(label),
            Piece::Label(label) => match last.take() {
                Some(number) => {
                    plain.pop();
                    labelled.push((label, number));
                }
                None => return Err(unreadable()),
            },
            Piece::Number(number) => match waiting.take() {
                Some(label) => labelled.push((label, number)),
                None => {
                    plain.push(number);
                    last = Some(number);
                }
            },
            Piece::Unit(_) => {}
        }
    }
    let of = |wanted: Label| -> Option<f64> {
        let mut found = labelled.iter().filter(|(label, _)| *label == wanted);
        let first = found.next()?;
        found.next().is_none().then_some(first.1)
    };
    let (east, north, height) = (of(Label::Easting), of(Label::Northing), of(Label::Height));
    match (plain.as_slice(), labelled.len(), east, north) {
        ([x, y], 0, ..) => Ok(Coordinate::xy(*x, *y)),
        ([x, y, z], 0, ..) => Ok(Coordinate { x: *x, y: *y, z: *z }),
        ([], 2, Some(x), Some(y)) => Ok(Coordinate::xy(x, y)),
        ([z], 2, Some(x), Some(y)) => Ok(Coordinate { x, y, z: *z }),
        ([], 3, Some(x), Some(y)) => Ok(Coordinate { x, y, z: height.ok_or_else(unreadable)? }),
        _ => Err(unreadable()),
    }
}

/// None if a part of it is nothing that a position is written with.
fn pieces(text: &str) -> Option<Vec<Piece>> {
    let text = text.replace('−', "-");
    let is_number = |c: char| c.is_ascii_digit() || c == '.' || c == '-' || c == '+';
    let mut pieces = Vec::new();
    let mut rest = text.as_str();
    loop {
        rest = rest.trim_start_matches([' ', '\t', ',', ';', ':', '=']);
        let Some(first) = rest.chars().next() else { return Some(pieces) };
        // A unit may hang on to its number, a letter too: 155850.12N, 1832900ftUS.
        let end = match is_number(first) {
            true => rest.find(|c: char| !is_number(c)),
            false => rest.find(|c: char| !c.is_alphabetic() && c != '-'),
        };
        let (word, after) = rest.split_at(end.unwrap_or(rest.len()));
        if word.is_empty() {
            return None;
        }
        pieces.push(match is_number(first) {
            true => Piece::Number(word.parse().ok()?),
            false => match word.trim_end_matches('-').to_lowercase().as_str() {
                "e" | "east" | "easting" | "x" => Piece::Label(Label::Easting),
                "n" | "north" | "northing" | "y" => Piece::Label(Label::Northing),
                "h" | "z" | "height" | "elevation" => Piece::Label(Label::Height),
                _ => Piece::Unit(word.to_string()),
            },
        });
        rest = after;
    }
}

fn same_unit(word: &str, crs: &Crs) -> Result<()> {
    let own = crs.length_unit();
    let is_foot = own.is_some_and(|unit| unit.name().ends_with("foot"));
    if is_foot && ["ft", "foot", "feet"].contains(&word.to_lowercase().as_str()) {
        return Ok(());
    }
    match LengthUnit::named(word)? {
        unit if Some(unit) == own => Ok(()),
        unit => Err(Error::usage(format!(
            "the position is given in {}, and {} counts {}",
            unit.plural(),
            crs.label(),
            crs.unit_plural()
        ))),
    }
}
