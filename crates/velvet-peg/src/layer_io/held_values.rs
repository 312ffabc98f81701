//! Values as a format can hold them: what it has no word for is changed before it is written, and
//! said; so what is read again can be compared with what is in the file.

use crate::error::Result;
use crate::format::Format;
use crate::format_support::date_time::{self, Zone};
use crate::format_support::{REPLACEMENT, Texts, declared, replaced};
use crate::layer::{AttributeColumn, attribute_types};
use crate::notice::{Notice, NoticeKind};
use arrow_array::cast::AsArray;
use arrow_array::types::Float64Type;
use arrow_array::{Array, ArrayRef, Float64Array, StringArray};
use arrow_schema::{DataType, Field};
use std::borrow::Cow;
use std::sync::Arc;

/// Makes values fit, and counts what was changed.
#[derive(Debug)]
pub(super) struct HeldValues {
    format: Format,
    texts: Texts,
    /// Infinite numbers are kept.
    infinite: bool,
    replaced: u64,
    padded: u64,
    lost_infinite: u64,
    /// Dates with a time are moments of one clock.
    one_clock: bool,
    /// Moments with an offset from UTC, which are told in UTC.
    carried: u64,
}

impl HeldValues {
    pub(super) fn new(format: Format) -> HeldValues {
        let (texts, infinite) = (format.capability().texts, format.capability().infinite);
        let one_clock = format.capability().one_clock;
        HeldValues {
            format,
            texts,
            infinite,
            replaced: 0,
            padded: 0,
            lost_infinite: 0,
            one_clock,
            carried: 0,
        }
    }

    /// A column as the format holds it; none if it is as it was.
    pub(super) fn column(&mut self, column: &ArrayRef, field: &Field) -> Option<ArrayRef> {
        match column.data_type() {
            DataType::Utf8 if self.one_clock && declared(field) == "DATETIME" => {
                let texts = column.as_string::<i32>();
                let held: StringArray =
                    texts.iter().map(|text| text.map(|text| self.moment(text))).collect();
                Some(Arc::new(held))
            }
            DataType::Utf8 if self.one_clock && declared(field) == "TIME" => {
                let held = |text: &str| {
                    let time = date_time::time_of_day(text);
                    time.map_or(text.to_string(), date_time::clock_text)
                };
                let texts = column.as_string::<i32>().iter();
                Some(Arc::new(texts.map(|text| text.map(held)).collect::<StringArray>()))
            }
            DataType::Utf8 if self.texts != Texts::All => {
                let texts = column.as_string::<i32>();
                let held: Vec<Option<Cow<'_, str>>> =
                    texts.iter().map(|text| text.and_then(|text| self.text(text))).collect();
                let same = held.iter().zip(texts).all(|(held, text)| match (held, text) {
                    (Some(Cow::Borrowed(held)), Some(text)) => held.len() == text.len(),
                    (None, None) => true,
                    _ => false,
                });
                (!same).then(|| Arc::new(held.into_iter().collect::<StringArray>()) as ArrayRef)
            }
            DataType::Float64 if !self.infinite => {
                let numbers = column.as_primitive::<Float64Type>();
                let lost = numbers.iter().flatten().filter(|number| number.is_infinite()).count();
                self.lost_infinite += lost as u64;
                let finite = |number: Option<f64>| number.filter(|number| !number.is_infinite());
                (lost > 0)
                    .then(|| Arc::new(numbers.iter().map(finite).collect::<Float64Array>()) as _)
            }
            _ => None,
        }
    }

    /// A date with a time in the form in which it is read again; what is none stays.
    fn moment(&mut self, text: &str) -> String {
        let Some((moment, zone)) = date_time::moment(text) else { return text.to_string() };
        self.carried += u64::from(zone == Zone::Offset);
        date_time::moment_text(moment, zone)
    }

    fn text<'a>(&mut self, text: &'a str) -> Option<Cow<'a, str>> {
        let wrong = |c: char| match self.texts {
            Texts::NoNull => c == '\0',
            Texts::Xml { .. } => {
                (c < ' ' && !matches!(c, '\t' | '\n' | '\r'))
                    || matches!(c, '\u{fffe}' | '\u{ffff}')
            }
            Texts::All | Texts::Padded => false,
        };
        match self.texts {
            Texts::Padded => {
                let held = text.trim_end_matches([' ', '\0']);
                self.padded += u64::from(held.len() < text.len());
                return Some(Cow::Borrowed(held));
            }
            Texts::Xml { blanks: false } if !text.is_empty() && text.trim().is_empty() => {
                self.padded += 1;
                return None;
            }
            _ => {}
        }
        if !text.contains(wrong) {
            return Some(Cow::Borrowed(text));
        }
        self.replaced += 1;
        let held = |c: char| if wrong(c) { REPLACEMENT } else { c };
        Some(Cow::Owned(text.chars().map(held).collect()))
    }

    /// What was changed.
    pub(super) fn losses(&self) -> Vec<Notice> {
        let name = self.format.name();
        let texts = |count: u64| if count == 1 { "text" } else { "texts" };
        let lost = [
            (self.replaced, replaced(self.replaced, name)),
            (
                self.padded,
                match self.texts {
                    Texts::Padded => format!(
                        "{} {} with blanks at the end, with which {name} fills its fields: read \
                         again they lack them",
                        self.padded,
                        texts(self.padded)
                    ),
                    _ => format!(
                        "{} {} of blanks alone, which {name} does not tell from nothing: left out",
                        self.padded,
                        texts(self.padded)
                    ),
                },
            ),
            (
                self.lost_infinite,
                format!(
                    "infinite numbers: {}; {name} has no word for them, they are left blank",
                    self.lost_infinite
                ),
            ),
            (
                self.carried,
                format!(
                    "dates with a time and an offset from UTC: {}; {name} keeps no offset, they \
                     are written as the same moments of UTC",
                    self.carried
                ),
            ),
        ];
        lost.into_iter()
            .filter(|(count, _)| *count > 0)
            .map(|(_, text)| Notice::warning(NoticeKind::FormatLimit, text))
            .collect()
    }
}

/// An attribute column as text.
pub(super) fn as_text(column: &ArrayRef, name: &str) -> Result<ArrayRef> {
    let Some(values) = AttributeColumn::of(column) else {
        return attribute_types::as_text(column, name);
    };
    let text = |row| Some(values.value(row)).filter(|v| !v.is_null()).map(|v| v.to_string());
    Ok(Arc::new((0..column.len()).map(text).collect::<StringArray>()))
}
