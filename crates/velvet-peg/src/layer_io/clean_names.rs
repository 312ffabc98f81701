//! Names of columns that every reader of a format takes.
//!
//! The rule: control characters and blanks at the ends go; a blank name
//! becomes `column_N`; a name that is taken already (capitals do not count) gets a number.
//! Where a format limits names, letters and digits of ASCII and `_` stay, all else becomes
//! `_`, a digit in front gets an `_` before it, and what is too long is cut.

use crate::layer::column_names::TakenNames;

/// The names for a format, in the same order.
pub(super) fn cleaned(names: &[&str], limit: Option<usize>) -> Vec<String> {
    let mut taken = TakenNames::default();
    let mut cleaned = Vec::with_capacity(names.len());
    for (at, name) in names.iter().enumerate() {
        let mut clean: String = match limit {
            None => name.trim().chars().filter(|c| !c.is_control()).collect(),
            Some(_) => name.trim().chars().map(plain).collect(),
        };
        if limit.is_some() && clean.starts_with(|c: char| c.is_ascii_digit()) {
            clean.insert(0, '_');
        }
        if clean.is_empty() || clean.bytes().all(|byte| byte == b'_') {
            clean = format!("column_{}", at + 1);
        }
        let most = limit.unwrap_or(usize::MAX);
        let cut: String = clean.chars().take(most).collect();
        cleaned.push(taken.take_with(&cut, |number| {
            let suffix = if number == 1 { String::new() } else { format!("_{number}") };
            let stem: String = cut.chars().take(most - suffix.len().min(most)).collect();
            stem + &suffix
        }));
    }
    cleaned
}

fn plain(c: char) -> char {
    if c.is_ascii_alphanumeric() || c == '_' { c } else { '_' }
}
