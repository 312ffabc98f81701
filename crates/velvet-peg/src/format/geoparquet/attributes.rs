//! Columns of any Arrow type as the five types of attributes: whole numbers, numbers, yes or
//! no, bytes, and text for all else. Dates and times become text in the form of ISO 8601 and
//! keep in mind what they were.

use crate::error::Result;
use crate::format_support::DECLARED;
use arrow_array::{Array, ArrayRef, StringArray};
use arrow_cast::display::{ArrayFormatter, FormatOptions};
use arrow_schema::{DataType, Field};
use std::collections::HashMap;
use std::sync::Arc;

/// The attribute that a column becomes.
pub(super) fn field(column: &Field) -> Field {
    let (kind, declared) = target(column.data_type());
    let field = Field::new(column.name(), kind, true);
    match declared {
        "" => field,
        kind => field.with_metadata(HashMap::from([(DECLARED.to_string(), kind.to_string())])),
    }
}

/// Digits of a decimal number that a double holds.
const DOUBLE_DIGITS: u8 = 15;

fn target(kind: &DataType) -> (DataType, &'static str) {
    use DataType::*;
    match kind {
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
        Dictionary(_, values) => target(values),
        _ => (Utf8, ""),
    }
}

/// The values of a column as an attribute.
pub(super) fn values(column: &ArrayRef) -> Result<ArrayRef> {
    let (kind, declared) = target(column.data_type());
    if column.data_type() == &kind {
        return Ok(column.clone());
    }
    let plain = matches!(
        column.data_type(),
        DataType::Dictionary(..) | DataType::LargeUtf8 | DataType::Utf8View
    );
    if kind != DataType::Utf8 || (plain && declared.is_empty()) {
        return Ok(arrow_cast::cast(column, &kind)?);
    }
    let options = FormatOptions::default();
    let formatter = ArrayFormatter::try_new(column.as_ref(), &options)?;
    let texts: StringArray = (0..column.len())
        .map(|row| (!column.is_null(row)).then(|| formatter.value(row).to_string()))
        .collect();
    Ok(Arc::new(texts))
}
