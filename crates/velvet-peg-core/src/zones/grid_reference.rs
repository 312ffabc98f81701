//! Grid references of the Military Grid Reference System, which is also the United States
//! National Grid: zone, band, lettered square of 100 km and digits.
//!
//! Source: NGA.STND.0037 (2014), "The universal grids and grid reference systems", appendix B
//! (squares of the zones) and C (squares of the polar grids). On WGS 84.

use super::utm::{BANDS, PolarGrid, UtmZone};
use crate::converter::Converter;
use crate::crs::Crs;
use crate::error::{Error, Result};
use crate::position::{Coordinate, Geographic};
use std::str::FromStr;

/// Letters of rows of squares in the zones.
const ROWS: &[u8; 20] = b"ABCDEFGHJKLMNPQRSTUV";
/// Letters of columns, repeating every three zones.
const COLUMNS: [&[u8; 8]; 3] = [b"ABCDEFGH", b"JKLMNPQR", b"STUVWXYZ"];
/// Letters of columns in the polar grids, from 800 km (south) and 1300 km (north) eastward:
/// what lies west of the pole, then east of it.
const POLAR_WEST: &[u8; 12] = b"JKLPQRSTUXYZ";
const POLAR_EAST: &[u8; 12] = b"ABCFGHJKLPQR";
/// Letters of rows in the polar grids.
const POLAR_ROWS: &[u8; 24] = b"ABCDEFGHJKLMNPQRSTUVWXYZ";
const SQUARE_M: f64 = 100_000.0;

/// The square that a grid reference names.
#[derive(Clone, Debug)]
pub struct GridSquare {
    /// South-west corner on WGS 84.
    pub corner: Geographic,
    /// Middle of the square on WGS 84.
    pub middle: Geographic,
    /// Side, metres: 100 000 down to 1.
    pub side_m: f64,
    /// The grid that eastings and northings count in.
    pub crs: Crs,
    /// Easting of the corner, metres.
    pub easting_m: f64,
    /// Northing of the corner, metres.
    pub northing_m: f64,
}

/// The grid reference of a position on WGS 84, to the metre (truncated, as grid references
/// are), such as `10T GT 12345 67890`.
///
/// ```
/// use velvet_peg_core::Geographic;
/// use velvet_peg_core::zones::grid_reference;
/// let text = grid_reference(Geographic { lat: 0.0, lon: 0.0 })?;
/// assert_eq!(text, "31N AA 66021 00000");
/// # Ok::<(), velvet_peg_core::Error>(())
/// ```
///
/// # Errors
/// If the position is none.
pub fn grid_reference(at: Geographic) -> Result<String> {
    grid_reference_to(at, 5)
}

/// The grid reference with 0 to 5 digits each way: squares of 100 km down to 1 m.
///
/// ```
/// use velvet_peg_core::Geographic;
/// use velvet_peg_core::zones::grid_reference_to;
/// assert_eq!(grid_reference_to(Geographic { lat: 0.0, lon: 0.0 }, 2)?, "31N AA 66 00");
/// assert_eq!(grid_reference_to(Geographic { lat: 90.0, lon: 0.0 }, 0)?, "Z AH");
/// # Ok::<(), velvet_peg_core::Error>(())
/// ```
///
/// # Errors
/// If the position is none, or more than five digits are asked for.
pub fn grid_reference_to(at: Geographic, digits: usize) -> Result<String> {
    if digits > 5 {
        return Err(Error::malformed("a grid reference has at most five digits each way (1 m)"));
    }
    let (crs, zone) = grid_of(at)?;
    let grid =
        Converter::new(&Crs::from_epsg(4326)?, &crs)?.convert(Coordinate::xy(at.lon, at.lat))?;
    // A billionth of a metre keeps what is on a line from falling below it.
    let (e, n) = ((grid.x + 1e-9).floor() as i64, (grid.y + 1e-9).floor() as i64);
    let (column, row) = ((e / 100_000), (n / 100_000));
    let head = match zone {
        Some(zone) => {
            let band = UtmZone::band(at).unwrap_or('X');
            let letters = COLUMNS[usize::from((zone.number() - 1) % 3)];
            let shift = if zone.number() % 2 == 0 { 5 } else { 0 };
            let column = letters[(column - 1).clamp(0, 7) as usize] as char;
            let row = ROWS[((row + shift).rem_euclid(20)) as usize] as char;
            format!("{}{band} {column}{row}", zone.number())
        }
        None => {
            let north = at.lat > 0.0;
            let east = column >= 20;
            let area = match (north, east) {
                (true, true) => 'Z',
                (true, false) => 'Y',
                (false, true) => 'B',
                (false, false) => 'A',
            };
            let letters = if east { POLAR_EAST } else { POLAR_WEST };
            let from = if east { 20 } else { 8 };
            let bottom = if north { 13 } else { 8 };
            let letter = |list: &[u8], at: i64| list.get(at.max(0) as usize).map(|c| *c as char);
            match (letter(letters, column - from), letter(POLAR_ROWS, row - bottom)) {
                (Some(column), Some(row)) => format!("{area} {column}{row}"),
                _ => return Err(Error::out_of_domain("the position is outside the polar grids")),
            }
        }
    };
    if digits == 0 {
        return Ok(head);
    }
    let scale = 10i64.pow(5 - digits as u32);
    let (e, n) = (e.rem_euclid(100_000) / scale, n.rem_euclid(100_000) / scale);
    Ok(format!("{head} {e:0digits$} {n:0digits$}"))
}

/// Reads a grid reference of any precision, with or without blanks.
///
/// ```
/// use velvet_peg_core::zones::parse_grid_reference;
/// let square = parse_grid_reference("31NAA6602100000")?;
/// assert_eq!((square.side_m, square.easting_m), (1.0, 166_021.0));
/// assert!(parse_grid_reference("31N ZZ 66 00").is_err()); // no such square in zone 31
/// # Ok::<(), velvet_peg_core::Error>(())
/// ```
///
/// # Errors
/// If it is not of the form, or names a square that its zone and band do not have.
pub fn parse_grid_reference(text: &str) -> Result<GridSquare> {
    let malformed = |why: &str| {
        Error::malformed(format!(
            "`{text}` is not a grid reference: {why}; one looks like `10T GT 12345 67890`"
        ))
    };
    let plain: String =
        text.to_uppercase().chars().filter(|c| !c.is_whitespace() && *c != '-').collect();
    if !plain.is_ascii() {
        return Err(malformed("it has letters of other alphabets"));
    }
    let zone_digits = plain.chars().take_while(char::is_ascii_digit).count();
    let rest = &plain.as_bytes()[zone_digits..];
    let (Some(band), Some(column), Some(row)) = (rest.first(), rest.get(1), rest.get(2)) else {
        return Err(malformed("it needs a band and two letters of a square"));
    };
    let digits = &plain[zone_digits + 3..];
    if !digits.bytes().all(|c| c.is_ascii_digit()) || digits.len() % 2 == 1 || digits.len() > 10 {
        return Err(malformed("the digits are an even number, at most ten"));
    }
    let half = digits.len() / 2;
    let side_m = 10f64.powi(5 - half as i32);
    let number = |part: &str| part.parse::<f64>().unwrap_or(0.0) * side_m;
    let (within_e, within_n) = (number(&digits[..half]), number(&digits[half..]));
    let (crs, easting, northing) = match zone_digits {
        0 => polar_square(*band, *column, *row).ok_or_else(|| malformed("no such polar square"))?,
        1 | 2 => {
            let number: u8 = plain[..zone_digits].parse().unwrap_or(0);
            zone_square(number, *band, *column, *row, within_n)
                .ok_or_else(|| malformed("its zone and band have no such square"))?
        }
        _ => return Err(malformed("a zone has one or two digits")),
    };
    let (easting_m, northing_m) = (easting + within_e, northing + within_n);
    let to_wgs84 = Converter::new(&crs, &Crs::from_epsg(4326)?)?;
    let place = |e: f64, n: f64| -> Result<Geographic> {
        let at = to_wgs84.convert(Coordinate::xy(e, n))?;
        Ok(Geographic { lat: at.y, lon: at.x })
    };
    Ok(GridSquare {
        corner: place(easting_m, northing_m)?,
        middle: place(easting_m + side_m / 2.0, northing_m + side_m / 2.0)?,
        side_m,
        crs,
        easting_m,
        northing_m,
    })
}

fn grid_of(at: Geographic) -> Result<(Crs, Option<UtmZone>)> {
    if let Some(zone) = UtmZone::of(at) {
        return Ok((zone.crs()?, Some(zone)));
    }
    let polar = PolarGrid::of(at).ok_or_else(|| {
        Error::out_of_domain(format!("latitude {}, longitude {} is no position", at.lat, at.lon))
    })?;
    Ok((polar.crs()?, None))
}

fn zone_square(
    number: u8,
    band: u8,
    column: u8,
    row: u8,
    within_n: f64,
) -> Option<(Crs, f64, f64)> {
    let band_at = BANDS.iter().position(|letter| *letter == band)?;
    let zone = UtmZone::new(number, band_at >= 10).ok()?;
    let letters = COLUMNS[usize::from((number - 1) % 3)];
    let column = letters.iter().position(|letter| *letter == column)? + 1;
    let shift = if number.is_multiple_of(2) { 5 } else { 0 };
    let row = (ROWS.iter().position(|letter| *letter == row)? + 20 - shift) % 20;
    let crs = zone.crs().ok()?;
    let south = -80.0 + 8.0 * band_at as f64;
    let north = if band == b'X' { 84.0 } else { south + 8.0 };
    let to_wgs84 = Converter::new(&crs, &Crs::from_epsg(4326).ok()?).ok()?;
    // Rows repeat every 2000 km: the one whose square reaches into the band is meant.
    let easting = column as f64 * SQUARE_M;
    (0..5).map(|turn| f64::from(turn) * 2_000_000.0 + row as f64 * SQUARE_M).find_map(|northing| {
        let reaches = [(0.0, within_n), (SQUARE_M, within_n), (0.0, 0.0), (SQUARE_M, SQUARE_M)]
            .into_iter()
            .filter_map(|(e, n)| to_wgs84.convert(Coordinate::xy(easting + e, northing + n)).ok())
            .any(|at| at.y >= south - 1e-9 && at.y < north + 1e-9);
        reaches.then(|| (crs.clone(), easting, northing))
    })
}

fn polar_square(area: u8, column: u8, row: u8) -> Option<(Crs, f64, f64)> {
    let (north, east) = match area {
        b'Z' => (true, true),
        b'Y' => (true, false),
        b'B' => (false, true),
        b'A' => (false, false),
        _ => return None,
    };
    let letters = if east { POLAR_EAST } else { POLAR_WEST };
    let from = if east { 20 } else { 8 };
    let bottom = if north { 13 } else { 8 };
    let column = letters.iter().position(|letter| *letter == column)? + from;
    let row = POLAR_ROWS.iter().position(|letter| *letter == row)? + bottom;
    // The north's grid reaches only 700 km from the pole.
    if north && !((13..27).contains(&column) && row < 27) {
        return None;
    }
    let crs = PolarGrid { north }.crs().ok()?;
    Some((crs, column as f64 * SQUARE_M, row as f64 * SQUARE_M))
}

/// As [`parse_grid_reference`].
impl FromStr for GridSquare {
    type Err = Error;

    fn from_str(text: &str) -> Result<GridSquare> {
        parse_grid_reference(text)
    }
}
