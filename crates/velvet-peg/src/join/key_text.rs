//! Keys as text: how they are compared, and what keeps two apart that look the same.

use crate::layer::ValueRef;
use std::fmt::Write;

/// The key of a value, put into the buffer where the value is not text already; none if it is blank.
/// Blanks at the ends, which no one sees, keep no keys apart.
pub(super) fn key_of<'a>(
    value: ValueRef<'a>,
    loose: bool,
    buffer: &'a mut String,
) -> Option<&'a str> {
    let text = match value {
        ValueRef::Text(text) if !loose => text,
        ValueRef::Text(text) => {
            *buffer = plain_key(text);
            buffer
        }
        value => {
            buffer.clear();
            // Text takes whatever is written to it.
            let _ = write!(buffer, "{value}");
            if loose {
                *buffer = plain_key(buffer);
            }
            buffer
        }
    };
    // Loose keys have no blanks at their ends.
    let key = text.trim();
    (!key.is_empty()).then_some(key)
}

/// A key with what is often written differently taken away.
pub(super) fn plain_key(text: &str) -> String {
    let words = text.split_whitespace().collect::<Vec<_>>().join(" ").to_lowercase();
    let number = words.strip_suffix(".0").unwrap_or(&words);
    let mut plain = String::new();
    let mut digits = false;
    for c in number.chars() {
        // Zeros in front of a number within it say nothing: F-01 is F-1.
        if c == '0' && !digits {
            plain.push('\0');
        } else {
            while !digits && c.is_ascii_digit() && plain.ends_with('\0') {
                plain.pop();
            }
            plain.push(c);
        }
        // Behind a decimal point zeros count.
        digits = (c == '.' && digits) || (c.is_ascii_digit() && (digits || c != '0'));
    }
    // A zero that nothing followed is a zero.
    let mut out = String::new();
    for c in plain.chars() {
        match c {
            '\0' if out.ends_with('0') => {}
            '\0' => out.push('0'),
            c => out.push(c),
        }
    }
    out
}

pub(super) fn why_apart(a: &str, b: &str) -> &'static str {
    let squeezed = |t: &str| t.split_whitespace().collect::<Vec<_>>().join(" ");
    if squeezed(a) == squeezed(b) {
        "blanks"
    } else if squeezed(a).to_lowercase() == squeezed(b).to_lowercase() {
        "capitals"
    } else {
        "leading zeros"
    }
}
