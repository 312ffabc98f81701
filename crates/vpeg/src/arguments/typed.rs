//! Options as they would be typed again, for commands that are proposed.

use std::ffi::OsStr;

/// Options in the order in which they were added, each with a blank in front.
#[derive(Debug, Default)]
pub(crate) struct Typed(String);

impl Typed {
    /// An option with a value, if there is one.
    pub(crate) fn value(mut self, option: &str, value: Option<impl AsRef<OsStr>>) -> Typed {
        if let Some(value) = value {
            let value = in_shell(value);
            // A value that looks like an option has to hang on to its own.
            let between = if value.starts_with('-') { "=" } else { " " };
            self.0 += &format!(" {option}{between}{value}");
        }
        self
    }

    /// An option that is given or not.
    pub(crate) fn flag(mut self, option: &str, given: bool) -> Typed {
        if given {
            self.0 += &format!(" {option}");
        }
        self
    }

    /// The options, with a blank in front of each.
    pub(crate) fn text(self) -> String {
        self.0
    }
}

/// A word as shells take it: in quotes where it holds more than plain signs.
pub(crate) fn in_shell(word: impl AsRef<OsStr>) -> String {
    let word = word.as_ref().to_string_lossy();
    let plain = |c: char| c.is_alphanumeric() || "._/-:+,=@%".contains(c);
    match !word.is_empty() && word.chars().all(plain) {
        true => word.into_owned(),
        false => format!("'{}'", word.replace('\'', "'\\''")),
    }
}

/// A path as shells and the tool take it.
pub(crate) fn path_in_shell(path: &std::path::Path) -> String {
    let word = in_shell(path);
    match word.starts_with('-') && word != "-" {
        true => format!("./{word}"),
        false => word,
    }
}
