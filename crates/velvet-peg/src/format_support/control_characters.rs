//! Control characters that a format cannot hold.

/// What stands for a character that cannot be written.
pub(crate) const REPLACEMENT: char = '\u{fffd}';

/// A text as delimited text holds it, if that differs: a file with characters of code 0 is taken for none of text.
pub(crate) fn without_null(text: &str) -> Option<String> {
    text.contains('\0')
        .then(|| text.chars().map(|c| if c == '\0' { REPLACEMENT } else { c }).collect())
}

/// What is told of so many texts that were changed.
pub(crate) fn replaced(texts: u64, format: &str) -> String {
    let noun = if texts == 1 { "text" } else { "texts" };
    format!(
        "{texts} {noun} with control characters, which {format} cannot hold: these are written as {REPLACEMENT}"
    )
}
