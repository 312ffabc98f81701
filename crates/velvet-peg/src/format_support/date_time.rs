//! Dates, times of the day and moments: attributes are held as text of ISO 8601, and formats that
//! have types for them write numbers.

use time::format_description::StaticFormatDescription;
use time::macros::{datetime, format_description};
use time::{Date, PrimitiveDateTime, Time, UtcOffset};

const DAY: StaticFormatDescription = format_description!("[year]-[month]-[day]");
const CLOCK: StaticFormatDescription = format_description!("[hour]:[minute]:[second]");
const FINE_CLOCK: StaticFormatDescription =
    format_description!("[hour]:[minute]:[second].[subsecond]");

/// The beginning that moments are counted from.
const EPOCH: PrimitiveDateTime = datetime!(1970-01-01 0:00);

/// What a moment is told against.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Zone {
    /// Nothing: it is the time of some place.
    Local,
    /// Coordinated universal time.
    Utc,
    /// Another offset from it.
    Offset,
}

/// A date as `2026-05-01`.
pub(crate) fn day(text: &str) -> Option<Date> {
    let plain = text.len() == 10 && text.is_ascii();
    if plain { Date::parse(text, DAY).ok() } else { None }
}

/// Days since 1970-01-01.
pub(crate) fn days(date: Date) -> i32 {
    date.to_julian_day() - EPOCH.date().to_julian_day()
}

/// A time of the day as `07:30:00` or `07:30:00.250`, up to millionths of a second.
pub(crate) fn time_of_day(text: &str) -> Option<Time> {
    let time = Time::parse(text, CLOCK).or_else(|_| Time::parse(text, FINE_CLOCK)).ok()?;
    let form = text.len() == 8 || (text.len() > 9 && text.as_bytes()[8] == b'.');
    (form && time.nanosecond() % 1000 == 0).then_some(time)
}

/// Millionths of a second since midnight.
pub(crate) fn micros_of_day(time: Time) -> i64 {
    let (hour, minute, second, micro) = time.as_hms_micro();
    let seconds = (i64::from(hour) * 60 + i64::from(minute)) * 60 + i64::from(second);
    seconds * 1_000_000 + i64::from(micro)
}

/// The text of a time of the day, with as many digits as it has.
pub(crate) fn clock_text(time: Time) -> String {
    let (hour, minute, second, micro) = time.as_hms_micro();
    let whole = format!("{hour:02}:{minute:02}:{second:02}");
    match (micro, micro % 1000) {
        (0, _) => whole,
        (_, 0) => format!("{whole}.{:03}", micro / 1000),
        _ => format!("{whole}.{micro:06}"),
    }
}

/// A date with a time, as `2026-05-01T07:30:00`, with what it is told against: the time of a place,
/// or of UTC, to which one with an offset is carried.
pub(crate) fn moment(text: &str) -> Option<(PrimitiveDateTime, Zone)> {
    let (date, rest) = text.split_at_checked(10)?;
    let rest = rest.strip_prefix(['T', ' '])?;
    let (clock, offset) = match (rest.strip_suffix('Z'), rest.rfind(['+', '-'])) {
        (Some(clock), _) => (clock, None),
        (None, Some(at)) => (&rest[..at], Some(offset(&rest[at..])?)),
        (None, None) => {
            let local = PrimitiveDateTime::new(day(date)?, time_of_day(rest)?);
            return Some((local, Zone::Local));
        }
    };
    let told = PrimitiveDateTime::new(day(date)?, time_of_day(clock)?);
    Some(match offset {
        None => (told, Zone::Utc),
        Some(offset) => {
            let utc = told.assume_offset(offset).to_offset(UtcOffset::UTC);
            (PrimitiveDateTime::new(utc.date(), utc.time()), Zone::Offset)
        }
    })
}

/// An offset from UTC as `+02:00`.
fn offset(text: &str) -> Option<UtcOffset> {
    let sign = if text.starts_with('-') { -1 } else { 1 };
    let (hours, minutes) = text[1..].split_once(':')?;
    let two = |digits: &str| (digits.len() == 2).then(|| digits.parse::<i8>().ok()).flatten();
    UtcOffset::from_hms(sign * two(hours)?, sign * two(minutes)?, 0).ok()
}

/// Millionths of a second since the beginning of 1970.
pub(crate) fn micros(moment: PrimitiveDateTime) -> i64 {
    i64::from(days(moment.date())) * 86_400_000_000 + micros_of_day(moment.time())
}

/// The text of a moment: one with an offset is told in UTC.
pub(crate) fn moment_text(moment: PrimitiveDateTime, zone: Zone) -> String {
    let date = moment.date();
    let (year, month, day) = (date.year(), u8::from(date.month()), date.day());
    let mark = if zone == Zone::Local { "" } else { "Z" };
    format!("{year:04}-{month:02}-{day:02}T{}{mark}", clock_text(moment.time()))
}
