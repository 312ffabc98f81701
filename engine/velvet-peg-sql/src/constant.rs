//! Arguments that are the same for all rows.

use datafusion::common::ScalarValue;

/// The text of an argument, or the number of a system as a text; none if it is not the same for all rows.
pub(crate) fn constant(value: &ScalarValue) -> Option<String> {
    match value {
        ScalarValue::Utf8(text) | ScalarValue::Utf8View(text) | ScalarValue::LargeUtf8(text) => {
            text.clone()
        }
        ScalarValue::Int64(Some(code)) => Some(code.to_string()),
        ScalarValue::Int32(Some(code)) => Some(code.to_string()),
        _ => None,
    }
}
