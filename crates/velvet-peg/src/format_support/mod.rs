//! What every format is written against: the description that the table of formats holds, what a
//! format reads from and writes to, and the encodings of geometries that several formats share.
//!
//! Nothing here knows of a single format, and nothing here opens a file for anybody: that is
//! for `layer_io` and `table`, which go through the table of [`crate::format`].

pub(crate) mod arc;
mod capability;
mod column_gaps;
mod column_metadata;
mod control_characters;
pub(crate) mod crs_name;
pub(crate) mod date_time;
pub(crate) mod definition_file;
mod description;
mod feature_rows;
pub(crate) mod first_row;
mod fixed_decimals;
mod formulas;
pub(crate) mod guard;
#[cfg(any(feature = "geopackage", feature = "flatgeobuf"))]
pub(crate) mod hilbert;
pub(crate) mod markup;
pub(crate) mod nested_rings;
pub(crate) mod read_ahead;
mod read_options;
mod row_source;
mod sheet_shape;
mod shortest;
mod sink;
mod sorted_records;
mod source;
mod table_options;
pub(crate) mod text_encoding;
pub(crate) mod text_type;
pub(crate) mod two_pass;
pub(crate) mod wkb;
pub(crate) mod wkt;
mod write_options;
#[cfg(feature = "xml")]
pub(crate) mod xml;

pub(crate) use crate::layer::attribute_types::{DECLARED, FOREIGN};
pub use capability::{Appending, Attributes, Capability, Systems, Texts};
pub(crate) use capability::{HEADINGS, UNLIMITED};
pub(crate) use column_gaps::column_gaps;
pub(crate) use column_metadata::{KEY, declare, declared, field_declared, key_field};
pub(crate) use control_characters::{REPLACEMENT, replaced, without_null};
pub(crate) use description::{
    FileStart, FormatDescription, LayerStore, NewFile, Placing, not_written,
};
pub(crate) use feature_rows::{FeatureCell, FeatureRows, coordinate_names, row_sum};
pub(crate) use fixed_decimals::{as_written, push_fixed};
pub(crate) use formulas::Formulas;
pub use read_options::ReadOptions;
pub use row_source::CellType;
pub(crate) use row_source::{RowSource, SourceRow, TableFacts, TableSource, TableToOpen};
pub use sheet_shape::SheetShape;
pub(crate) use shortest::{Shortest, pair_text};
pub(crate) use sink::{Finished, ReadBack, Sink};
pub(crate) use sorted_records::{Records, not_held};
pub(crate) use source::{OpenedLayer, Source};
pub use table_options::{Quoting, TableOptions};
pub(crate) use write_options::default_decimals;
pub use write_options::{TextDialect, WriteOptions};
