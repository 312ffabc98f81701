//! Directions as deeds write them: quadrant bearings and azimuths.

use crate::angle::{Axis, parse};
use crate::error::{Error, Result};

/// Reads a direction as an azimuth in degrees, clockwise from north, 0 to 360: a quadrant
/// bearing (`N 45°30'15" E`, `S12-30W`, `due west`) or an azimuth (`135.504`, `135°30'15"`).
///
/// ```
/// use velvet_peg_core::bearing::parse_bearing;
/// assert_eq!(parse_bearing("S 45°30' W")?, 225.5);
/// assert_eq!(parse_bearing("N45-30-00W")?, 314.5);
/// assert_eq!(parse_bearing("due South")?, 180.0);
/// assert_eq!(parse_bearing("135°30'")?, 135.5);
/// assert!(parse_bearing("N 95 E").is_err());
/// # Ok::<(), velvet_peg_core::Error>(())
/// ```
///
/// # Errors
/// If it is neither, an angle of a quadrant bearing is beyond 90°, or an azimuth beyond 360°.
pub fn parse_bearing(text: &str) -> Result<f64> {
    let trimmed = text.trim().trim_end_matches(['.', ',']).trim_end();
    let lower = trimmed.to_ascii_lowercase();
    let unreadable = |why: &str| {
        Error::malformed(format!(
            "`{trimmed}` cannot be read as a direction: {why}. Write a quadrant bearing, such as \
             N 45°30'15\" E, or an azimuth from north, such as 45.504"
        ))
    };
    if lower.is_empty() {
        return Err(Error::malformed("blank"));
    }
    let due = lower.strip_prefix("due").map_or(lower.as_str(), str::trim_start);
    match due {
        "n" | "north" => return Ok(0.0),
        "e" | "east" => return Ok(90.0),
        "s" | "south" => return Ok(180.0),
        "w" | "west" => return Ok(270.0),
        _ => {}
    }
    let strip = |text: &str, word: &str, letter: &str, front: bool| -> Option<String> {
        let cut = |mark: &str| match front {
            true => text.strip_prefix(mark),
            false => text.strip_suffix(mark),
        };
        cut(word).or_else(|| cut(letter)).map(|rest| rest.trim().trim_matches('.').to_string())
    };
    let north = strip(&lower, "north", "n", true);
    let south = strip(&lower, "south", "s", true);
    let Some(rest) = north.clone().or(south) else {
        if lower.ends_with(['e', 'w']) || lower.starts_with(['e', 'w']) {
            return Err(unreadable("a quadrant bearing begins with N or S"));
        }
        let azimuth = parse(trimmed, Axis::Free).map_err(|error| unreadable(&error.to_string()))?;
        if !(0.0..=360.0).contains(&azimuth) {
            return Err(unreadable("an azimuth is from 0 to 360 degrees"));
        }
        return Ok(if azimuth == 360.0 { 0.0 } else { azimuth });
    };
    let east = strip(&rest, "east", "e", false);
    let west = strip(&rest, "west", "w", false);
    let (body, is_east) = match (east, west) {
        (Some(body), _) => (body, true),
        (None, Some(body)) => (body, false),
        (None, None) => return Err(unreadable("a quadrant bearing ends with E or W")),
    };
    let body = body.trim_matches(['-', ' ']);
    let angle = parse(body, Axis::Free).map_err(|error| unreadable(&error.to_string()))?;
    if !(0.0..=90.0).contains(&angle) {
        return Err(unreadable("the angle of a quadrant bearing is from 0 to 90 degrees"));
    }
    let azimuth = match (north.is_some(), is_east) {
        (true, true) => angle,
        (true, false) => 360.0 - angle,
        (false, true) => 180.0 - angle,
        (false, false) => 180.0 + angle,
    };
    Ok(if azimuth >= 360.0 { azimuth - 360.0 } else { azimuth })
}

/// Writes an azimuth as a quadrant bearing, with so many digits behind the seconds' point.
///
/// ```
/// use velvet_peg_core::bearing::quadrant;
/// assert_eq!(quadrant(314.5, 0), "N 45°30′00″ W");
/// assert_eq!(quadrant(89.999_999, 0), "N 90°00′00″ E");
/// ```
pub fn quadrant(azimuth_deg: f64, decimals: usize) -> String {
    let azimuth = azimuth_deg.rem_euclid(360.0);
    let (first, angle, last) = match azimuth {
        a if a <= 90.0 => ('N', a, 'E'),
        a if a <= 180.0 => ('S', 180.0 - a, 'E'),
        a if a <= 270.0 => ('S', a - 180.0, 'W'),
        a => ('N', 360.0 - a, 'W'),
    };
    let text = crate::angle::format(angle, Axis::Free, crate::angle::Style::Seconds, decimals);
    format!("{first} {text} {last}")
}
