//! How numbers are written in a table.

use std::borrow::Cow;

/// How numbers are written.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct NumberFormat {
    /// A comma stands where the decimal point does elsewhere.
    pub decimal_comma: bool,
    /// What groups thousands, if anything does; blanks of all kinds go with a blank.
    pub thousands: Option<char>,
}

impl NumberFormat {
    /// The text with a decimal point and no groups.
    pub(crate) fn plain<'a>(&self, text: &'a str) -> Cow<'a, str> {
        if *self == NumberFormat::default() {
            return Cow::Borrowed(text);
        }
        let grouping = |c: char| match self.thousands {
            Some(' ') => c.is_whitespace(),
            Some(mark) => c == mark,
            None => false,
        };
        let point = |c: char| if self.decimal_comma && c == ',' { '.' } else { c };
        Cow::Owned(text.chars().filter(|c| !grouping(*c)).map(point).collect())
    }
}
