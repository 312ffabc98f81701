//! Tables: delimited text, sheets of workbooks and tables of attributes, with a header or without.
//!
//! [`TableFile`] opens one, [`TableReader`] reads its rows, of which every cell keeps its type and
//! its place. Nothing is dropped silently: a row with too few or too many fields is handed on as
//! such. Which columns hold coordinates, and how they are written, is told here too.

mod added_cells;
mod added_columns;
mod columns;
mod coordinate;
mod file;
mod guess_columns;
mod infer;
mod many;
pub(crate) mod natural_order;
mod number_format;
mod of_layer;
mod point_file;
mod reader;
mod row_block;
mod row_shape;
mod vertex_columns;

pub use crate::format_support::{CellType, Quoting, SheetShape, TableOptions};
pub(crate) use added_cells::AddedCells;
pub use added_columns::AppendOptions;
pub(crate) use added_columns::Session;
pub use columns::CoordinateColumns;
pub(crate) use columns::Found;
pub(crate) use coordinate::{Notation, is_angle, read_pair};
pub use file::TableFile;
pub(crate) use file::standard_input;
pub(crate) use guess_columns::{degree_columns, is_named_angle, likely};
pub(crate) use infer::Inference;
pub use number_format::NumberFormat;
pub(crate) use point_file::names as point_file_names;
pub use reader::{Cell, Row, TableReader};
pub(crate) use row_block::RowBlock;
pub(crate) use row_shape::RowShape;
pub(crate) use vertex_columns::vertices;
