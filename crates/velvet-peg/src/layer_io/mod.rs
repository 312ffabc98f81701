//! Reading and writing layers of any format: features pass in batches from a source to a sink, and
//! what is written is read again and compared before it takes its place.

mod adapt_schema;
mod append;
mod clean_names;
mod held_values;
mod in_folder;
mod packed;
mod reader;
mod table_rows;
mod transform;
mod verify;
mod writer;

pub use in_folder::layer_files;
pub use reader::{Batches, LayerReader};
pub(crate) use transform::{Noting, Transform};
pub use writer::{LayerWriter, Written};
