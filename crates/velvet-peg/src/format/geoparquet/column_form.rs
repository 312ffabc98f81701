//! The types that columns of dates and times are written as: their values decide.

use crate::error::Result;
use crate::format_support::date_time::{self, Zone};
use crate::format_support::declared;
use crate::layer::attribute_types::as_text;
use arrow_array::cast::AsArray;
use arrow_array::{
    Array, ArrayRef, Date32Array, Time64MicrosecondArray, TimestampMicrosecondArray, new_null_array,
};
use arrow_schema::{DataType, Field, TimeUnit};
use std::sync::Arc;

/// What a column is written as.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum ColumnForm {
    /// As attributes are held.
    Held,
    /// Days.
    Date,
    /// Times of the day.
    Time,
    /// Moments of which none has come yet.
    Moment,
    /// Moments of local time.
    Local,
    /// Moments of UTC.
    Utc,
}

impl ColumnForm {
    /// That of a column before any value has come.
    pub(super) fn declared(field: &Field) -> ColumnForm {
        match (field.data_type(), declared(field)) {
            (DataType::Utf8, "DATE") => ColumnForm::Date,
            (DataType::Utf8, "TIME") => ColumnForm::Time,
            (DataType::Utf8, "DATETIME") => ColumnForm::Moment,
            _ => ColumnForm::Held,
        }
    }

    /// The form that holds these values, too: text if some are no dates or times, or are told
    /// partly by a place's time, partly by UTC.
    pub(super) fn with(self, column: &ArrayRef) -> ColumnForm {
        let mut form = self;
        let Some(texts) = column.as_string_opt::<i32>() else { return ColumnForm::Held };
        for text in texts.iter().flatten() {
            let of_text = match form {
                ColumnForm::Held => return ColumnForm::Held,
                ColumnForm::Date => date_time::day(text).map(|_| ColumnForm::Date),
                ColumnForm::Time => date_time::time_of_day(text).map(|_| ColumnForm::Time),
                _ => date_time::moment(text).map(|(_, zone)| match zone {
                    Zone::Local => ColumnForm::Local,
                    Zone::Utc | Zone::Offset => ColumnForm::Utc,
                }),
            };
            form = match (form, of_text) {
                (ColumnForm::Moment, Some(of_text)) => of_text,
                (form, Some(of_text)) if form == of_text => form,
                _ => ColumnForm::Held,
            };
        }
        form
    }

    /// The field of a column that attributes hold as `held`.
    pub(super) fn field(self, held: &Field) -> Field {
        let kind = match self {
            ColumnForm::Held => held.data_type().clone(),
            ColumnForm::Date => DataType::Date32,
            ColumnForm::Time => DataType::Time64(TimeUnit::Microsecond),
            ColumnForm::Moment | ColumnForm::Local => {
                DataType::Timestamp(TimeUnit::Microsecond, None)
            }
            ColumnForm::Utc => DataType::Timestamp(TimeUnit::Microsecond, Some("UTC".into())),
        };
        Field::new(held.name(), kind, true)
    }

    /// A column of attributes in this form.
    pub(super) fn column(self, held: &ArrayRef) -> ArrayRef {
        let Some(texts) = held.as_string_opt::<i32>() else { return held.clone() };
        let texts = texts.iter();
        let micros = |text: &str| date_time::moment(text).map(|(at, _)| date_time::micros(at));
        let moments = |texts: arrow_array::iterator::ArrayIter<_>| {
            texts.map(|text: Option<&str>| text.and_then(micros)).collect()
        };
        match self {
            ColumnForm::Held => held.clone(),
            ColumnForm::Date => {
                let days = |text| date_time::day(text).map(date_time::days);
                Arc::new(texts.map(|text| text.and_then(days)).collect::<Date32Array>())
            }
            ColumnForm::Time => {
                let micros = |text| date_time::time_of_day(text).map(date_time::micros_of_day);
                let times = texts.map(|text| text.and_then(micros));
                Arc::new(times.collect::<Time64MicrosecondArray>())
            }
            ColumnForm::Moment | ColumnForm::Local => {
                let moments: TimestampMicrosecondArray = moments(texts);
                Arc::new(moments)
            }
            ColumnForm::Utc => {
                let moments: TimestampMicrosecondArray = moments(texts);
                Arc::new(moments.with_timezone("UTC"))
            }
        }
    }

    /// A column that was written in an earlier form, in this one.
    pub(super) fn rewritten(self, earlier: ColumnForm, column: &ArrayRef) -> Result<ArrayRef> {
        let field = self.field(&Field::new("", DataType::Utf8, true));
        match (earlier, self) {
            (earlier, form) if earlier == form => Ok(column.clone()),
            // There was no value in it.
            (ColumnForm::Moment, _) => Ok(new_null_array(field.data_type(), column.len())),
            _ => as_text(column, field.name()),
        }
    }
}
