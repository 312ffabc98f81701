//! The words of the command line: as they are meant, and with more options.

use std::ffi::OsString;
use std::path::Path;

/// A place south of the equator begins with a minus, which would read as an option: such a
/// word gets the minus sign of typography, which angles are read with as well.
fn plain_place(word: OsString) -> OsString {
    let is_place = word.to_str().is_some_and(|text| {
        text.strip_prefix('-').is_some_and(|rest| {
            rest.starts_with(|c: char| c.is_ascii_digit()) && rest.contains([',', ' ', ';'])
        })
    });
    match word.to_str() {
        Some(text) if is_place => format!("−{}", &text[1..]).into(),
        _ => word,
    }
}

/// The words of the command line as they are meant: places with their minus, and standard output in
/// a format (`-o -.csv`), which would read as options, tied to the option in front.
pub(crate) fn meant(words: impl Iterator<Item = OsString>) -> Vec<OsString> {
    let mut out: Vec<OsString> = Vec::new();
    for word in words.map(plain_place) {
        let is_output = word != "-" && velvet_peg::output::is_standard(Path::new(&word));
        match out.last_mut().filter(|_| is_output) {
            Some(option) if *option == "-o" => option.push(word),
            Some(option) if *option == "--output" => {
                option.push("=");
                option.push(word);
            }
            _ => out.push(word),
        }
    }
    out
}

/// Puts an option with its value behind the words, or in front of `--`, behind which all are plain.
pub(crate) fn add_option(words: &mut Vec<OsString>, option: &str, value: &str) {
    let end = words.iter().position(|word| word == "--").unwrap_or(words.len());
    words.insert(end, format!("--{option}={value}").into());
}
