//! Files of GeoParquet as tables, and queries as files.

mod codec;
mod copy;
mod geo_sink;
mod geo_table;
mod metadata;
mod row_groups;
mod wanted_box;

pub(crate) use codec::TableCodec;
pub(crate) use copy::{GeoParquet, WithMetadata};
pub(crate) use geo_sink::{GeoSink, Texts, keep_metadata};
pub(crate) use geo_table::Factory;
