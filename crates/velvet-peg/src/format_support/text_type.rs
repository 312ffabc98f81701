//! The type that texts ask for.
//!
//! A column is whole numbers or numbers only if every cell that is not blank reads back as
//! it is written; codes with leading zeros, plus signs or exponents stay text, and so do other
//! words for yes and no than `true` and `false`.

use super::column_metadata::field_declared;
use super::{CellType, date_time};
use crate::layer::Value;
use crate::layer::value_type::ValueType;
use arrow_array::{ArrayRef, BooleanArray, Float64Array, Int64Array, StringArray};
use arrow_schema::{DataType, Field};
use std::borrow::Cow;
use std::str::FromStr;
use std::sync::Arc;

/// No program prints more decimals of a double.
const MOST_DECIMALS: usize = 60;

/// Type of a column.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum ColumnType {
    /// No cell seen that is not blank.
    Blank,
    /// Whole numbers that numbers hold, too.
    Integer,
    /// Whole numbers that would lose digits as numbers.
    LongInteger,
    Real,
    Text,
    /// Yes or no, where the file says so.
    YesNo,
    /// Times of the day, where the file says so.
    Time,
    /// Dates, where the file says so.
    Date,
    /// Dates with a time (or without one, among others), where the file says so.
    DateTime,
}

impl ColumnType {
    fn of(cell: &str) -> ColumnType {
        // Only what is written as it reads back.
        if matches!(cell, "true" | "false") {
            return ColumnType::YesNo;
        }
        let digits = cell.strip_prefix('-').unwrap_or(cell);
        let (mut points, mut figures) = (0, 0);
        for byte in digits.bytes() {
            points += usize::from(byte == b'.');
            figures += usize::from(byte.is_ascii_digit());
        }
        let plain = points <= 1 && figures > 0 && points + figures == digits.len();
        let padded = digits.len() > 1 && digits.starts_with('0') && !digits.starts_with("0.");
        match (plain && !padded, points > 0) {
            (false, _) => ColumnType::Text,
            // So few digits are held by numbers, too.
            (true, false) if figures <= 15 => ColumnType::Integer,
            (true, false) => match cell.parse().map(ValueType::of_whole) {
                Ok(ValueType::Integer) => ColumnType::Integer,
                Ok(_) if digits.len() <= 18 => ColumnType::LongInteger,
                _ => ColumnType::Text,
            },
            (true, true) if figures <= 15 || follows_from_its_double(cell) => ColumnType::Real,
            (true, true) => ColumnType::Text,
        }
    }

    /// The type that holds a cell of this text and type, too.
    pub(crate) fn with(self, cell: &str, cell_type: CellType) -> ColumnType {
        if self == ColumnType::Text || cell.is_empty() {
            return self;
        }
        let of_cell = match cell_type {
            CellType::Blank | CellType::Untyped | CellType::Number => ColumnType::of(cell),
            CellType::Time if date_time::time_of_day(cell).is_some() => ColumnType::Time,
            CellType::Text | CellType::Time => ColumnType::Text,
            CellType::YesNo => ColumnType::YesNo,
            CellType::Date => ColumnType::Date,
            CellType::DateTime => ColumnType::DateTime,
        };
        self.joined(of_cell)
    }

    /// The type that holds the values of both.
    pub(crate) fn joined(self, other: ColumnType) -> ColumnType {
        match (self, other) {
            (ColumnType::Blank, kind) | (kind, ColumnType::Blank) => kind,
            (known, kind) if known == kind => known,
            (ColumnType::Integer, ColumnType::LongInteger)
            | (ColumnType::LongInteger, ColumnType::Integer) => ColumnType::LongInteger,
            (ColumnType::Integer | ColumnType::Real, ColumnType::Integer | ColumnType::Real) => {
                ColumnType::Real
            }
            (ColumnType::Date | ColumnType::DateTime, ColumnType::Date | ColumnType::DateTime) => {
                ColumnType::DateTime
            }
            _ => ColumnType::Text,
        }
    }

    /// The field of a column of this type.
    pub(crate) fn field(self, name: &str) -> Field {
        let kind = match self {
            ColumnType::Integer | ColumnType::LongInteger => DataType::Int64,
            ColumnType::Real => DataType::Float64,
            ColumnType::YesNo => DataType::Boolean,
            ColumnType::Blank
            | ColumnType::Text
            | ColumnType::Time
            | ColumnType::Date
            | ColumnType::DateTime => DataType::Utf8,
        };
        let field = Field::new(name, kind, true);
        match self {
            ColumnType::Time => field_declared(field, "TIME"),
            ColumnType::Date => field_declared(field, "DATE"),
            ColumnType::DateTime => field_declared(field, "DATETIME"),
            _ => field,
        }
    }

    /// Name in words.
    pub(crate) fn name(self) -> &'static str {
        match self {
            ColumnType::Blank => "blank",
            ColumnType::Integer | ColumnType::LongInteger => "whole number",
            ColumnType::Real => "number",
            ColumnType::Text => "text",
            ColumnType::YesNo => "yes or no",
            ColumnType::Time => "time of day",
            ColumnType::Date => "date",
            ColumnType::DateTime => "date with a time",
        }
    }

    /// The value of a cell of this type.
    pub(crate) fn value(self, cell: &str) -> Value {
        match self {
            _ if cell.is_empty() => Value::Null,
            ColumnType::Integer | ColumnType::LongInteger => {
                number(cell).map_or(Value::Null, Value::Integer)
            }
            ColumnType::Real => number(cell).map_or(Value::Null, Value::Real),
            ColumnType::YesNo => Value::Boolean(cell == "true"),
            ColumnType::DateTime => Value::Text(moment(cell).into_owned()),
            ColumnType::Blank | ColumnType::Text | ColumnType::Time | ColumnType::Date => {
                Value::Text(cell.to_string())
            }
        }
    }

    /// The values of cells of this type, as [`ColumnType::value`] reads each.
    pub(crate) fn column<'a>(self, cells: impl Iterator<Item = &'a str>) -> ArrayRef {
        let filled = cells.map(|cell| Some(cell).filter(|cell| !cell.is_empty()));
        match self {
            ColumnType::Integer | ColumnType::LongInteger => {
                Arc::new(filled.map(|cell| number(cell?)).collect::<Int64Array>())
            }
            ColumnType::Real => {
                Arc::new(filled.map(|cell| number(cell?)).collect::<Float64Array>())
            }
            ColumnType::YesNo => Arc::new(
                filled.map(|cell| cell.map(|cell| cell == "true")).collect::<BooleanArray>(),
            ),
            ColumnType::DateTime => {
                Arc::new(filled.map(|cell| cell.map(moment)).collect::<StringArray>())
            }
            ColumnType::Blank | ColumnType::Text | ColumnType::Time | ColumnType::Date => {
                Arc::new(filled.collect::<StringArray>())
            }
        }
    }
}

/// The number of a cell, if it is one.
fn number<T: FromStr>(cell: &str) -> Option<T> {
    trimmed(cell).parse().ok()
}

/// A cell without blanks around it, which most have none of.
pub(crate) fn trimmed(cell: &str) -> &str {
    let visible = |byte: Option<&u8>| byte.is_some_and(u8::is_ascii_graphic);
    let bytes = cell.as_bytes();
    if visible(bytes.first()) && visible(bytes.last()) { cell } else { cell.trim() }
}

/// A date with a time; a date is one at midnight.
fn moment(cell: &str) -> Cow<'_, str> {
    match cell.len() == "2026-05-01".len() {
        true => Cow::Owned(format!("{cell}T00:00:00")),
        false => Cow::Borrowed(cell),
    }
}

/// A number with a fraction whose digits follow from the double that it is read as: the fewest that name the
/// double, with zeros behind them or without, or as many as a program was told to print of it.
fn follows_from_its_double(cell: &str) -> bool {
    let Ok(number) = cell.parse::<f64>() else { return false };
    let decimals = cell.rsplit('.').next().map_or(0, str::len);
    let fewest = number.to_string();
    cell.trim_end_matches('0').trim_end_matches('.') == fewest
        || decimals <= MOST_DECIMALS && cell == format!("{number:.decimals$}")
}

/// The type of column that a text asks for; none for a blank one.
pub(crate) fn type_of_text(text: &str) -> Option<ValueType> {
    Some(match ColumnType::Blank.with(text.trim(), CellType::Untyped) {
        ColumnType::Blank => return None,
        ColumnType::Integer => ValueType::Integer,
        ColumnType::LongInteger => ValueType::LongInteger,
        ColumnType::Real => ValueType::Real,
        ColumnType::YesNo => ValueType::Boolean,
        ColumnType::Text | ColumnType::Time | ColumnType::Date | ColumnType::DateTime => {
            ValueType::Text
        }
    })
}
