//! The five types that attributes are held in: whole numbers, numbers, yes or no, bytes, and text
//! for all else. Columns of other Arrow types become one of these without losing a digit: dates and
//! times become text in the form of ISO 8601 and keep in mind what they were.

use crate::error::{Error, Result};
use arrow_array::{Array, ArrayRef, RecordBatch, RecordBatchOptions, StringArray};
use arrow_cast::CastOptions;
use arrow_cast::display::{ArrayFormatter, FormatOptions};
use arrow_schema::{DataType, Field, Schema, SchemaRef};
use std::collections::HashSet;
use std::sync::Arc;

/// Key of field metadata that keeps a column's declared type, such as DATE.
pub(crate) const DECLARED: &str = "declared_type";

/// Key of field metadata that keeps a type of the file that the standard of its format does not
/// have.
pub(crate) const FOREIGN: &str = "foreign_type";

/// Key of field metadata: what a column is called for people to read.
pub const COLUMN_NAME: &str = "column_name";
/// Key of field metadata: the title of a column.
pub const COLUMN_TITLE: &str = "column_title";
/// Key of field metadata: what the values of a column are.
pub const COLUMN_DESCRIPTION: &str = "column_description";
/// Key of field metadata: the media type of what a column holds, such as `image/png`.
pub const COLUMN_MIME: &str = "column_mime_type";

/// Digits of a decimal number that a double holds.
const DOUBLE_DIGITS: u8 = 15;

/// The type that a column of an Arrow type is held as, and what it is declared to be; none for
/// columns of lists, records and the like.
fn held_as(kind: &DataType) -> Option<(DataType, &'static str)> {
    use DataType::*;
    Some(match kind {
        Int8 | Int16 | Int32 | Int64 | UInt8 | UInt16 | UInt32 => (Int64, ""),
        Float16 | Float32 | Float64 => (Float64, ""),
        Decimal32(digits, _) | Decimal64(digits, _) | Decimal128(digits, _)
            if *digits <= DOUBLE_DIGITS =>
        {
            (Float64, "")
        }
        Boolean => (Boolean, ""),
        Binary | LargeBinary | BinaryView | FixedSizeBinary(_) => (Binary, ""),
        Date32 => (Utf8, "DATE"),
        Date64 | Timestamp(..) => (Utf8, "DATETIME"),
        Time32(_) | Time64(_) => (Utf8, "TIME"),
        Dictionary(_, values) => return held_as(values),
        RunEndEncoded(_, values) => return held_as(values.data_type()),
        // Whole numbers of 64 bits without a sign reach beyond those with one.
        Null | Utf8 | LargeUtf8 | Utf8View | UInt64 | Duration(_) | Interval(_) | Decimal32(..)
        | Decimal64(..) | Decimal128(..) | Decimal256(..) => (Utf8, ""),
        List(_) | LargeList(_) | ListView(_) | LargeListView(_) | FixedSizeList(..) | Struct(_)
        | Union(..) | Map(..) => return None,
    })
}

/// The attribute that a column becomes; none for columns of lists, records and the like.
pub(crate) fn held_field(column: &Field) -> Option<Field> {
    let (kind, declared) = held_as(column.data_type())?;
    let field = Field::new(column.name(), kind.clone(), true);
    Some(match declared {
        // It says itself what it is.
        "" if column.data_type() == &kind => field.with_metadata(column.metadata().clone()),
        "" => field,
        declared => {
            let mut metadata = column.metadata().clone();
            metadata.insert(DECLARED.to_string(), declared.to_string());
            field.with_metadata(metadata)
        }
    })
}

/// The columns of a layer as they are held.
///
/// # Errors
/// If a column is of lists, records or the like, or two have the same name.
pub(crate) fn held_schema(schema: &SchemaRef) -> Result<SchemaRef> {
    let mut fields: Vec<Field> = Vec::with_capacity(schema.fields().len());
    let mut names = HashSet::new();
    for field in schema.fields() {
        let held = held_field(field).ok_or_else(|| not_held(field))?;
        if !names.insert(held.name().clone()) {
            return Err(Error::usage(format!("two columns are called `{}`", held.name())));
        }
        fields.push(held);
    }
    Ok(Arc::new(Schema::new(fields)))
}

/// The attributes of a batch as they are held.
///
/// # Errors
/// As [`held_schema`].
pub(crate) fn held(attributes: RecordBatch) -> Result<RecordBatch> {
    let schema = attributes.schema();
    let is_held = |field: &Arc<Field>| {
        use DataType::*;
        field.is_nullable()
            && matches!(field.data_type(), Utf8 | Int64 | Float64 | Boolean | Binary)
    };
    if schema.fields().iter().all(is_held) {
        return Ok(attributes);
    }
    let held = held_schema(&schema)?;
    let columns = attributes.columns().iter().zip(schema.fields());
    let columns = columns
        .map(|(column, field)| held_column(column, field.name())?.ok_or_else(|| not_held(field)))
        .collect::<Result<Vec<ArrayRef>>>()?;
    let options = RecordBatchOptions::new().with_row_count(Some(attributes.num_rows()));
    Ok(RecordBatch::try_new_with_options(held, columns, &options)?)
}

fn not_held(field: &Field) -> Error {
    Error::usage(format!(
        "column `{}` is of type {}, which attributes cannot be: they are numbers, texts, dates and \
         times, yes or no, or bytes. Leave it out, or make columns of its parts",
        field.name(),
        field.data_type()
    ))
}

/// The values of a column as an attribute; none for columns of lists, records and the like.
///
/// # Errors
/// As [`as_text`].
pub(crate) fn held_column(column: &ArrayRef, name: &str) -> Result<Option<ArrayRef>> {
    let Some((kind, declared)) = held_as(column.data_type()) else { return Ok(None) };
    if column.data_type() == &kind {
        return Ok(Some(column.clone()));
    }
    let is_text = |kind: &DataType| {
        matches!(kind, DataType::Utf8 | DataType::LargeUtf8 | DataType::Utf8View | DataType::Null)
    };
    let plain = match column.data_type() {
        DataType::Dictionary(_, values) => is_text(values),
        DataType::RunEndEncoded(_, values) => is_text(values.data_type()),
        kind => is_text(kind),
    };
    if kind != DataType::Utf8 || (plain && declared.is_empty()) {
        // A value that does not fit is an error, not nothing.
        let options = CastOptions { safe: false, ..CastOptions::default() };
        return Ok(Some(arrow_cast::cast_with_options(column, &kind, &options)?));
    }
    as_text(column, name).map(Some)
}

/// The values of a column of any type as text.
///
/// # Errors
/// If one has no text: a day or a moment beyond the calendar.
pub(crate) fn as_text(column: &ArrayRef, name: &str) -> Result<ArrayRef> {
    let refused = |error| {
        Error::data(format!("column `{name}` holds a value that cannot be written: {error}"))
    };
    let options = FormatOptions::default().with_display_error(false);
    let formatter = ArrayFormatter::try_new(column.as_ref(), &options).map_err(refused)?;
    // Nothing may stand among the values of a dictionary, or in a run.
    let nulls = column.logical_nulls();
    let text = |row| match nulls.as_ref().is_some_and(|nulls| nulls.is_null(row)) {
        true => Ok(None),
        false => formatter.value(row).try_to_string().map(Some).map_err(refused),
    };
    Ok(Arc::new((0..column.len()).map(text).collect::<Result<StringArray>>()?))
}
