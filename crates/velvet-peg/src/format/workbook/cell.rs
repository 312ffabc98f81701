//! A cell of a workbook as text, and what it is.

use crate::format_support::CellType;
use calamine::Data;

/// Thousandths of a second as they stand behind the seconds.
fn thousandths(milli: u16) -> String {
    if milli == 0 { String::new() } else { format!(".{milli:03}") }
}

/// The text of a cell: numbers in the shortest form that reads back the same, dates and times as ISO
/// 8601 has them.
pub(super) fn text_of(cell: &Data) -> String {
    match cell {
        Data::Empty => String::new(),
        Data::String(text) => text.clone(),
        Data::Float(number) => number.to_string(),
        Data::Int(number) => number.to_string(),
        Data::Bool(flag) => flag.to_string(),
        Data::DateTime(moment) if moment.is_duration() => {
            let (_, _, _, hours, minutes, seconds, milli) = moment.to_ymd_hms_milli();
            // Days and more count as hours.
            let hours = u64::from(hours) + 24 * moment.as_f64() as u64;
            format!("{hours:02}:{minutes:02}:{seconds:02}{}", thousandths(milli))
        }
        Data::DateTime(moment) => {
            let (year, month, day, h, m, s, milli) = moment.to_ymd_hms_milli();
            let whole = moment.as_f64().fract() == 0.0;
            // Below 1 is a time of the day without a date; midnight is 0.
            match (whole, moment.as_f64() < 1.0) {
                (true, false) => format!("{year:04}-{month:02}-{day:02}"),
                (_, true) => format!("{h:02}:{m:02}:{s:02}{}", thousandths(milli)),
                (false, false) => {
                    let fine = thousandths(milli);
                    format!("{year:04}-{month:02}-{day:02}T{h:02}:{m:02}:{s:02}{fine}")
                }
            }
        }
        Data::DateTimeIso(text) | Data::DurationIso(text) => text.clone(),
        // An error of a formula stands as it is shown: nothing reads it as a number.
        Data::Error(error) => error.to_string(),
    }
}

/// What a cell is.
pub(super) fn type_of(cell: &Data) -> CellType {
    match cell {
        Data::Empty => CellType::Blank,
        Data::String(_) | Data::Error(_) => CellType::Text,
        Data::Float(_) | Data::Int(_) => CellType::Number,
        Data::Bool(_) => CellType::YesNo,
        Data::DateTime(moment) if moment.is_duration() => CellType::Time,
        Data::DateTime(moment) => match (moment.as_f64().fract() == 0.0, moment.as_f64() < 1.0) {
            (true, false) => CellType::Date,
            (_, true) => CellType::Time,
            (false, false) => CellType::DateTime,
        },
        Data::DateTimeIso(text) if text.contains('T') => CellType::DateTime,
        Data::DateTimeIso(_) => CellType::Date,
        Data::DurationIso(_) => CellType::Time,
    }
}

/// A cell as it is called in a workbook: `C7`.
pub(super) fn name_of((row, column): (u32, u32)) -> String {
    let mut letters = String::new();
    let mut rest = column + 1;
    while rest > 0 {
        let digit = (rest - 1) % 26;
        letters.insert(0, char::from(b'A' + digit as u8));
        rest = (rest - 1) / 26;
    }
    format!("{letters}{}", row + 1)
}
