//! Texts and numbers as markup has them: XML, SVG, HTML.

use super::push_fixed;

/// A text between tags or in an attribute. Characters that XML cannot hold become blanks.
pub(crate) fn escaped(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '&' => out += "&amp;",
            '<' => out += "&lt;",
            '>' => out += "&gt;",
            '"' => out += "&quot;",
            // Line ends would be made one kind, blanks in attributes plain ones.
            '\r' => out += "&#13;",
            '\n' => out += "&#10;",
            '\t' => out += "&#9;",
            // In values these are replaced, and said, before they come here.
            '\u{0}'..='\u{1f}' | '\u{fffe}' | '\u{ffff}' => out.push('\u{fffd}'),
            c => out.push(c),
        }
    }
    out
}

/// A number with so many digits behind the point, without zeros that say nothing.
pub(crate) fn short(value: f64, decimals: usize) -> String {
    let mut text = String::new();
    push_fixed(&mut text, value, decimals);
    match text.contains('.') {
        true => text.trim_end_matches('0').trim_end_matches('.').to_string(),
        false => text,
    }
}
