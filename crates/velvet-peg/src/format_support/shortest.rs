//! Numbers in the shortest form that reads back the same.

use std::fmt::Write;

/// Two coordinates as messages tell them: what no system counts, with an exponent.
pub(crate) fn pair_text(x: f64, y: f64) -> String {
    const LARGE: f64 = 1e15;
    let [x, y] = [x, y].map(|value| match value.abs() < LARGE {
        true => value.to_string(),
        false => format!("{value:e}"),
    });
    format!("{x}, {y}")
}

/// Room for the text of a number.
pub(crate) struct Shortest {
    digits: zmij::Buffer,
    plain: String,
}

impl Shortest {
    pub(crate) fn new() -> Shortest {
        Shortest { digits: zmij::Buffer::new(), plain: String::new() }
    }

    /// The text of a number as `{}` writes it: with all its digits before the point, never with an
    /// exponent, and without a point where there is nothing behind it.
    pub(crate) fn of(&mut self, value: f64) -> &str {
        if value.is_finite() {
            let text = self.digits.format_finite(value);
            if !text.contains('e') {
                return text.strip_suffix(".0").unwrap_or(text);
            }
        }
        self.plain.clear();
        // Writing to a string does not fail.
        let _ = write!(self.plain, "{value}");
        &self.plain
    }
}
