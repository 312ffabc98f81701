//! How a table is to be read.

use crate::error::Error;
use serde::{Deserialize, Serialize};
use std::fmt;
use std::path::PathBuf;
use std::str::FromStr;

/// How a text table is to be read; what is none is detected.
#[derive(Clone, Debug, Default)]
pub struct TableOptions {
    /// Delimiter.
    pub delimiter: Option<char>,
    /// Encoding by its label, such as `utf-8` or `windows-1252`.
    pub encoding: Option<String>,
    /// What values with delimiters or line ends in them are wrapped in.
    pub quoting: Option<Quoting>,
    /// True if the first row holds values, not the names of columns; told by the rows below it if
    /// neither this nor `header` is said.
    pub no_header: bool,
    /// True if the first row holds the names of columns, whatever it looks like.
    pub header: bool,
    /// Widths of the fields in characters, of a text in which they stand in columns.
    pub widths: Vec<usize>,
    /// Names of the columns, instead of those in the header; without either, columns are named
    /// by their numbers from 1.
    pub names: Vec<String>,
    /// Lines in front of the table that are passed over.
    pub skip_lines: usize,
    /// Lines that begin with this character are passed over.
    pub comment: Option<char>,
    /// Sheets of a workbook to read; with none, the only one there is.
    pub sheets: Vec<String>,
    /// Every sheet of a workbook, hidden ones aside.
    pub all_sheets: bool,
    /// The row of a sheet that the header is in, from 1; found if not given.
    pub header_row: Option<u32>,
    /// The first of several sheets, where none is named.
    pub first_sheet: bool,
    /// Further tables of the same shape, which are read behind it: columns are matched by their names,
    /// and one more names the file.
    pub more: Vec<PathBuf>,
    /// Names of columns and what the same columns are called elsewhere: in other files, on other
    /// sheets.
    pub same: Vec<(String, Vec<String>)>,
}

impl TableOptions {
    /// The name of a column that may be called otherwise in its table.
    pub(crate) fn name_of(&self, header: &str) -> String {
        let header = header.trim();
        let called = |(_, others): &&(String, Vec<String>)| {
            others.iter().any(|o| o.eq_ignore_ascii_case(header))
        };
        self.same.iter().find(called).map_or(header, |(name, _)| name).to_string()
    }
}

/// What values are wrapped in.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub enum Quoting {
    /// This character, doubled inside a value.
    With(char),
    /// Nothing: the quotation mark is a character like any other.
    None,
}

/// A character, or `none`.
impl FromStr for Quoting {
    type Err = Error;

    fn from_str(text: &str) -> Result<Quoting, Error> {
        let mut letters = text.chars();
        match (text, letters.next(), letters.next()) {
            ("none", _, _) => Ok(Quoting::None),
            (_, Some(only), None) => Ok(Quoting::With(only)),
            _ => Err(Error::usage("a quotation mark is one character, or `none`")),
        }
    }
}

/// A character, or `none`.
impl fmt::Display for Quoting {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Quoting::With(mark) => write!(f, "{mark}"),
            Quoting::None => f.write_str("none"),
        }
    }
}

impl TryFrom<String> for Quoting {
    type Error = Error;

    fn try_from(text: String) -> Result<Quoting, Error> {
        text.parse()
    }
}

impl From<Quoting> for String {
    fn from(quoting: Quoting) -> String {
        quoting.to_string()
    }
}
