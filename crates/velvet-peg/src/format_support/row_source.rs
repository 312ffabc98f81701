//! Where the rows of a table come from: delimited text, sheets of workbooks and tables of
//! attributes alike.

use super::TableOptions;
use super::sheet_shape::SheetShape;
use crate::error::Result;
use crate::notice::Notice;
use crate::outcome::Reason;
use csv::StringRecord;
use std::fmt::Debug;
use std::path::Path;
use velvet_peg_core::Crs;

/// What a cell is in its file.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum CellType {
    /// Nothing.
    Blank,
    /// Text of which nobody says whether it is a number: all that delimited text has.
    #[default]
    Untyped,
    /// A text.
    Text,
    /// A number, whole or not.
    Number,
    /// Yes or no.
    YesNo,
    /// A date.
    Date,
    /// A time of the day, or a duration.
    Time,
    /// A date with a time of the day.
    DateTime,
}

/// A row as a source hands it on.
#[derive(Clone, Debug, Default)]
pub(crate) struct SourceRow {
    /// The cells as text: numbers in the shortest form that reads back the same, yes and no as
    /// `true` and `false`, dates and times as ISO 8601 has them.
    pub(crate) texts: StringRecord,
    /// The types of the cells; none where they are all untyped.
    pub(crate) types: Vec<CellType>,
    /// Its number in the source, as whoever made it counts.
    pub(crate) number: u64,
    /// The cell that is no text in the encoding.
    pub(crate) garbled: Option<usize>,
    /// Why the row does not fit its table, where that was found already.
    pub(crate) misfit: Option<Reason>,
}

/// Rows, one after the other.
pub(crate) trait RowSource: Send {
    /// Reads the next row into `row`; false at the end.
    fn next(&mut self, row: &mut SourceRow) -> Result<bool>;

    /// Bytes of the file read so far.
    fn bytes_read(&self) -> u64;

    /// The names in the header, blank and repeated ones included; where there is no header, the
    /// blank names of so many columns.
    fn names(&self) -> &StringRecord;
}

/// What is known of a table before its rows are read.
#[derive(Clone, Debug, Default)]
pub(crate) struct TableFacts {
    /// The name of the encoding of a text.
    pub(crate) encoding: &'static str,
    /// The delimiter of a text.
    pub(crate) delimiter: Option<u8>,
    /// What divides the fields of a text that no delimiter divides; blank if one does.
    pub(crate) layout: &'static str,
    /// False if the first row holds values.
    pub(crate) header: bool,
    /// Why it is not clear whether the first row is a header, if it is not.
    pub(crate) doubt: Option<String>,
    /// Size in bytes.
    pub(crate) bytes: u64,
    /// Its name in a file of layers, if it is from one.
    pub(crate) table: Option<String>,
    /// The sheet it is from, if it is from one.
    pub(crate) sheet: Option<String>,
    /// The column that names the sheet or file, if there are several.
    pub(crate) sheet_column: Option<usize>,
    /// What that column names: a sheet if blank.
    pub(crate) part: &'static str,
    /// The sheets of the workbook it is from.
    pub(crate) sheets: Vec<SheetShape>,
    /// The names of the columns of a table without a header, where a file beside it says them.
    pub(crate) names: Vec<String>,
    /// The reference system of its coordinates, where the table or a file beside it says so.
    pub(crate) crs: Option<Crs>,
    /// What was noticed on opening.
    pub(crate) notices: Vec<Notice>,
}

/// A table that was opened; its rows can be read several times.
pub(crate) trait TableSource: Debug + Send + Sync {
    /// What is known of it.
    fn facts(&self) -> &TableFacts;

    /// Starts reading.
    fn rows(&self) -> Result<Box<dyn RowSource>>;

    /// Rows spread over a large file, and how many of them stand at the beginning of the file;
    /// none for a table that is better read whole.
    fn sample(&self) -> Result<Option<(Box<dyn RowSource>, u64)>> {
        Ok(None)
    }
}

/// A table to be opened.
#[derive(Debug)]
pub(crate) struct TableToOpen<'a> {
    /// Where it can be read.
    pub(crate) real: &'a Path,
    /// As it was given, for messages.
    pub(crate) shown: &'a Path,
    pub(crate) options: &'a TableOptions,
}
