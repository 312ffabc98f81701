//! Angles as people write them: decimal degrees, degrees and minutes, degrees, minutes and
//! seconds, with or without symbols, with a hemisphere letter before or after, or a sign.
//!
//! Reading is strict where leniency would be silently wrong: minutes or seconds of 60 or
//! more, a sign together with a letter, a fraction anywhere but in the last part, and the
//! letter of the other axis are errors. The packed form DDDMMSS.s is read only when asked
//! for, because `472359` is also a number of degrees to a careless reader.

use crate::error::{Error, Result};
use crate::position::Geographic;
use std::str::FromStr;

/// Which way an angle is reckoned, and so which letters and limits it may have.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Axis {
    /// N or S, −90° to 90°.
    Latitude,
    /// E or W, −180° to 180°.
    Longitude,
    /// No letter, any size: an azimuth or a difference.
    Free,
}

/// How an angle is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Default)]
pub enum Style {
    /// `-120.004167`
    #[default]
    Decimal,
    /// `120°00.2500′W`
    Minutes,
    /// `120°00′15.00″W`
    Seconds,
}

/// Reads an angle in decimal degrees, degrees and minutes, or degrees, minutes and seconds.
///
/// ```
/// use velvet_peg_core::angle::{parse, Axis};
/// for text in ["-120.5", "120.5 W", "W120°30'", "120-30-00W", "120d30m0s W", "-120 30 0.0"] {
///     assert_eq!(parse(text, Axis::Longitude)?, -120.5);
/// }
/// assert!(parse("47 60 00 N", Axis::Latitude).is_err()); // sixty minutes
/// assert!(parse("47 30 N", Axis::Longitude).is_err()); // a latitude
/// # Ok::<(), velvet_peg_core::Error>(())
/// ```
///
/// # Errors
/// If the text is not an angle, its parts are out of range, or it is out of range for the
/// axis. The message says which.
pub fn parse(text: &str, axis: Axis) -> Result<f64> {
    let parts = Parts::split(text, axis)?;
    let numbers: Vec<&str> = parts.body.split(' ').filter(|part| !part.is_empty()).collect();
    if !parts.body.contains(|c: char| c.is_ascii_digit()) {
        return Err(unreadable(text, "there is no number in it"));
    }
    if numbers.len() > 3 {
        return Err(unreadable(text, "one to three numbers are wanted"));
    }
    let mut total = 0.0;
    for (place, number) in numbers.iter().enumerate() {
        let last = place + 1 == numbers.len();
        if !last && number.contains('.') {
            return Err(unreadable(text, "only the last part may have a decimal point"));
        }
        let value = plain_number(number).ok_or_else(|| unreadable(text, "not a number"))?;
        if place > 0 && value >= 60.0 {
            let what = if place == 1 { "minutes" } else { "seconds" };
            return Err(unreadable(text, &format!("{what} must be under 60")));
        }
        total += value / [1.0, 60.0, 3600.0][place];
    }
    // Whole parts summed as one exact number of seconds round once.
    if numbers.len() == 3 {
        let value = |at: usize| plain_number(numbers[at]).unwrap_or(f64::NAN);
        total = (value(0) * 3600.0 + value(1) * 60.0 + value(2)) / 3600.0;
    }
    in_range(text, axis, if parts.negative { -total } else { total })
}

/// Reads the packed form DDDMMSS.s: the last two whole digits are seconds, the two before
/// them minutes.
///
/// ```
/// use velvet_peg_core::angle::{parse_packed, Axis};
/// assert_eq!(parse_packed("1203015.0 W", Axis::Longitude)?, -120.50416666666666);
/// # Ok::<(), velvet_peg_core::Error>(())
/// ```
///
/// # Errors
/// As [`parse`].
pub fn parse_packed(text: &str, axis: Axis) -> Result<f64> {
    let parts = Parts::split(text, axis)?;
    let (whole, fraction) = parts.body.split_once('.').unwrap_or((&parts.body, ""));
    let digits = |part: &str| part.chars().all(|c| c.is_ascii_digit());
    if !digits(whole) || !digits(fraction) || !(4..=7).contains(&whole.len()) {
        return Err(unreadable(
            text,
            "packed angles are DDDMMSS.s: four to seven digits before the point",
        ));
    }
    let (head, seconds) = whole.split_at(whole.len() - 2);
    let (degrees, minutes) = head.split_at(head.len() - 2);
    let spread = format!(
        "{} {minutes} {seconds}.{fraction}0",
        if degrees.is_empty() { "0" } else { degrees }
    );
    parse(&spread, Axis::Free)
        .map_err(|error| unreadable(text, &error.to_string()))
        .and_then(|value| in_range(text, axis, if parts.negative { -value } else { value }))
}

/// Reads a whole position: latitude and longitude in one text, separated by a comma, a
/// semicolon or blanks, in either order if letters say which is which, otherwise latitude
/// first.
///
/// ```
/// use velvet_peg_core::angle::parse_position;
/// let at = parse_position("47°24'30\"N 120°00'15\"W")?;
/// assert!((at.lat - 47.408333333).abs() < 1e-9 && (at.lon + 120.004166667).abs() < 1e-9);
/// # Ok::<(), velvet_peg_core::Error>(())
/// ```
///
/// # Errors
/// If it cannot be split into a latitude and a longitude, or either is wrong.
pub fn parse_position(text: &str) -> Result<Geographic> {
    let (first, second) = halves(text).ok_or_else(|| {
        unreadable(text, "a position is a latitude and a longitude, such as `47.41, -120.00` or `47°24'30\"N 120°00'15\"W`")
    })?;
    let has = |part: &str, letters: [char; 2]| {
        part.chars().any(|c| letters.contains(&c.to_ascii_uppercase()))
    };
    let swapped = has(&first, ['E', 'W']) || has(&second, ['N', 'S']);
    let (lat, lon) = if swapped { (second, first) } else { (first, second) };
    Ok(Geographic { lat: parse(&lat, Axis::Latitude)?, lon: parse(&lon, Axis::Longitude)? })
}

fn halves(text: &str) -> Option<(String, String)> {
    for separator in [',', ';', '\t'] {
        if let Some((a, b)) = text.split_once(separator) {
            return Some((a.trim().to_string(), b.trim().to_string()));
        }
    }
    let letters: Vec<(usize, char)> =
        text.char_indices().filter(|(_, c)| "NSEWnsew".contains(*c)).collect();
    if let [(first, a), (second, _)] = letters.as_slice() {
        // Letters lead if the text begins with one.
        let leads = text.trim_start().starts_with(*a);
        let at = if leads { *second } else { first + a.len_utf8() };
        let (left, right) = text.split_at(at);
        return Some((left.trim().to_string(), right.trim().to_string()));
    }
    let words: Vec<&str> = text.split_whitespace().collect();
    (words.len().is_multiple_of(2) && !words.is_empty() && words.len() <= 6).then(|| {
        let (left, right) = words.split_at(words.len() / 2);
        (left.join(" "), right.join(" "))
    })
}

/// From here on an angle is written as a plain number, degrees: nobody reads its minutes.
const MOST_IN_PARTS: f64 = 1e6;

/// Writes an angle with `decimals` digits behind the point of its last part. Rounding
/// carries: 59.9999″ becomes the next minute, never 60.00″. From a million degrees on it is a plain number.
///
/// ```
/// use velvet_peg_core::angle::{format, Axis, Style};
/// assert_eq!(format(-120.00416667, Axis::Longitude, Style::Seconds, 2), "120°00′15.00″W");
/// assert_eq!(format(47.99999999, Axis::Latitude, Style::Seconds, 1), "48°00′00.0″N");
/// assert_eq!(format(47.5, Axis::Latitude, Style::Decimal, 4), "47.5000");
/// ```
pub fn format(degrees: f64, axis: Axis, style: Style, decimals: usize) -> String {
    if !degrees.is_finite() {
        return "not a number".to_string();
    }
    if style == Style::Decimal || degrees.abs() >= MOST_IN_PARTS {
        let text = format!("{degrees:.decimals$}");
        // No minus in front of a zero.
        let zero = text.trim_start_matches('-').chars().all(|c| c == '0' || c == '.');
        return if zero { text.trim_start_matches('-').to_string() } else { text };
    }
    let per_degree: u64 = if style == Style::Minutes { 60 } else { 3600 };
    let fraction = 10u64.pow(decimals.min(9) as u32);
    let total = (degrees.abs() * per_degree as f64 * fraction as f64).round() as u64;
    let (units, rest) = (total / fraction, total % fraction);
    let width = decimals.min(9);
    let tail = if width == 0 { String::new() } else { format!(".{rest:0width$}") };
    let body = if style == Style::Minutes {
        format!("{}°{:02}{tail}′", units / 60, units % 60)
    } else {
        format!("{}°{:02}′{:02}{tail}″", units / 3600, units / 60 % 60, units % 60)
    };
    let negative = degrees < 0.0 && total > 0;
    match axis {
        Axis::Latitude => body + if negative { "S" } else { "N" },
        Axis::Longitude => body + if negative { "W" } else { "E" },
        Axis::Free => (if negative { "-" } else { "" }).to_string() + &body,
    }
}

/// A text without its sign and letter, every separator a blank.
struct Parts {
    body: String,
    negative: bool,
}

impl Parts {
    fn split(text: &str, axis: Axis) -> Result<Parts> {
        let mut body = text.trim().to_string();
        if body.is_empty() {
            return Err(Error::malformed("blank"));
        }
        let mut letter = None;
        let ends = [body.chars().next(), body.chars().last()];
        for (side, end) in ends.into_iter().enumerate() {
            let Some(end) = end.filter(|c| "NSEWnsew".contains(*c)) else {
                continue;
            };
            // A letter of a word says nothing; behind one it may be the sign for seconds.
            let run: Vec<char> = match side {
                0 => body.chars().take_while(|c| c.is_alphabetic()).collect(),
                _ => body.chars().rev().take_while(|c| c.is_alphabetic()).collect(),
            };
            let after_sign = side == 1 && run.len() == 2 && "dmsDMS".contains(run[1]);
            if run.len() != 1 && !after_sign {
                continue;
            }
            // `47d24m30s`: a small s behind a number and minutes is the sign for seconds.
            let seconds_sign = side == 1 && end == 's' && body.contains(['d', 'm', '°', '\'', '′']);
            if seconds_sign && (axis != Axis::Latitude || body.contains(['d', 'm'])) {
                continue;
            }
            if letter.replace(end.to_ascii_uppercase()).is_some() && body.chars().count() > 1 {
                return Err(unreadable(text, "it has two hemisphere letters"));
            }
            body = match side {
                0 => body.chars().skip(1).collect(),
                _ => body[..body.len() - end.len_utf8()].to_string(),
            };
        }
        let allowed = match axis {
            Axis::Latitude => "NS",
            Axis::Longitude => "EW",
            Axis::Free => "",
        };
        if let Some(found) = letter.filter(|found| !allowed.contains(*found)) {
            return Err(unreadable(
                text,
                &match axis {
                    Axis::Latitude => {
                        format!("{found} is not the letter of a latitude: are the columns swapped?")
                    }
                    Axis::Longitude => format!(
                        "{found} is not the letter of a longitude: are the columns swapped?"
                    ),
                    Axis::Free => format!("{found} has no place in this angle"),
                },
            ));
        }
        let body = body.trim();
        let signed = body.strip_prefix(['-', '−', '–']);
        let plus = body.strip_prefix('+');
        if letter.is_some() && (signed.is_some() || plus.is_some()) {
            return Err(unreadable(text, "it has both a sign and a hemisphere letter"));
        }
        let body = signed.or(plus).unwrap_or(body);
        Ok(Parts {
            body: spread(body),
            negative: signed.is_some() || matches!(letter, Some('S' | 'W')),
        })
    }
}

/// Symbols and separators become blanks; anything else stays to be refused as a number.
fn spread(body: &str) -> String {
    let chars: Vec<char> = body.chars().collect();
    chars
        .iter()
        .enumerate()
        .map(|(at, c)| match c {
            '°' | 'º' | '˚' | '\'' | '′' | '’' | '‘' | '"' | '″' | '”' | '“' | ':' | 'd' | 'D'
            | 'm' | 'M' | 's' | '\u{a0}' | '\t' => ' ',
            // A hyphen between digits separates; elsewhere it is a misplaced sign.
            '-' if at > 0
                && chars[at - 1].is_ascii_digit()
                && chars.get(at + 1).is_some_and(char::is_ascii_digit) =>
            {
                ' '
            }
            c => *c,
        })
        .collect::<String>()
        .trim()
        .to_string()
}

/// Digits with at most one point: no exponent, sign, infinity or other spelling.
fn plain_number(text: &str) -> Option<f64> {
    let plain = text.chars().all(|c| c.is_ascii_digit() || c == '.')
        && text.chars().any(|c| c.is_ascii_digit());
    plain.then(|| text.parse().ok()).flatten()
}

fn in_range(text: &str, axis: Axis, value: f64) -> Result<f64> {
    let (limit, what) = match axis {
        Axis::Latitude => (90.0, "latitude"),
        Axis::Longitude => (180.0, "longitude"),
        // More digits than a double has room for.
        Axis::Free if !value.is_finite() => return Err(unreadable(text, "too large")),
        Axis::Free => return Ok(value),
    };
    if value.abs() <= limit {
        return Ok(value);
    }
    let hint = match axis {
        Axis::Latitude if value.abs() <= 180.0 => ": are latitude and longitude swapped?",
        Axis::Longitude if value > 180.0 && value <= 360.0 => {
            ": counted 0 to 360? Subtract 360 from what is above 180"
        }
        _ => ": are these degrees at all, or grid coordinates or packed DDDMMSS?",
    };
    Err(Error::out_of_domain(format!("`{}`: {what} beyond {limit}°{hint}", text.trim())))
}

fn unreadable(text: &str, why: &str) -> Error {
    Error::malformed(format!("`{}` cannot be read as an angle: {why}", text.trim()))
}

/// As [`parse_position`]: latitude first, unless letters say otherwise.
impl FromStr for Geographic {
    type Err = Error;

    fn from_str(text: &str) -> Result<Geographic> {
        parse_position(text)
    }
}
