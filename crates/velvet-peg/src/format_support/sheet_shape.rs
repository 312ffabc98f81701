//! A sheet of a workbook as it is listed.

/// A sheet as it is listed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SheetShape {
    /// Name.
    pub name: String,
    /// Rows in use.
    pub rows: u64,
    /// Columns in use.
    pub columns: u64,
    /// It is not shown by the programs that made it.
    pub hidden: bool,
}
