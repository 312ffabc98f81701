//! Tables of GeoParquet on their way to the scheduler of a cluster.

use super::geo_table::{GeoTable, listing, of_another_version};
use super::row_groups::KnownFile;
use crate::error::refused;
use ballista_core::serde::BallistaLogicalExtensionCodec;
use datafusion::arrow::datatypes::SchemaRef;
use datafusion::catalog::TableProvider;
use datafusion::common::TableReference;
use datafusion::datasource::file_format::FileFormatFactory;
use datafusion::datasource::file_format::parquet::{ParquetFormat, ParquetFormatFactory};
use datafusion::datasource::listing::{ListingOptions, ListingTableUrl};
use datafusion::error::Result;
use datafusion::execution::TaskContext;
use datafusion::logical_expr::{Extension, LogicalPlan};
use datafusion_proto::logical_plan::LogicalExtensionCodec;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// In front of a table; none of the cluster's own begins so.
const MARK: &[u8] = b"velvet-peg table\n";

/// A table, but for its schema, which goes with it anyway.
#[derive(Serialize, Deserialize)]
struct Written {
    paths: Vec<String>,
    /// The format with its options, as the cluster writes it.
    format: Vec<u8>,
    extension: String,
    /// Columns that the names of folders give.
    folders: Vec<String>,
    geometries: Vec<String>,
    files: Vec<KnownFile>,
}

/// Writes and reads what the cluster does, and tables of GeoParquet.
#[derive(Debug, Default)]
pub(crate) struct TableCodec(BallistaLogicalExtensionCodec);

impl LogicalExtensionCodec for TableCodec {
    fn try_decode(
        &self,
        bytes: &[u8],
        inputs: &[LogicalPlan],
        context: &TaskContext,
    ) -> Result<Extension> {
        self.0.try_decode(bytes, inputs, context)
    }

    fn try_encode(&self, node: &Extension, bytes: &mut Vec<u8>) -> Result<()> {
        self.0.try_encode(node, bytes)
    }

    fn try_decode_table_provider(
        &self,
        bytes: &[u8],
        name: &TableReference,
        schema: SchemaRef,
        context: &TaskContext,
    ) -> Result<Arc<dyn TableProvider>> {
        let Some(text) = bytes.strip_prefix(MARK) else {
            return self.0.try_decode_table_provider(bytes, name, schema, context);
        };
        let table: Written = serde_json::from_slice(text).map_err(|_| of_another_version())?;
        let of_folder = |name: &String| {
            let field = schema.field_with_name(name).map_err(|_| of_another_version())?;
            Ok((name.clone(), field.data_type().clone()))
        };
        let folders = table.folders.iter().map(of_folder).collect::<Result<Vec<_>>>()?;
        let paths = table.paths.iter().map(ListingTableUrl::parse).collect::<Result<Vec<_>>>()?;
        let format = self.0.try_decode_file_format(&table.format, context)?;
        let format = format.downcast_ref::<ParquetFormatFactory>().and_then(|f| f.options.clone());
        let format = ParquetFormat::default().with_options(format.unwrap_or_default());
        let options = ListingOptions::new(Arc::new(format))
            .with_file_extension(table.extension)
            .with_table_partition_cols(folders);
        let files = listing(paths, options, &schema)?;
        Ok(Arc::new(GeoTable { files, geometries: table.geometries, known: table.files }))
    }

    fn try_encode_table_provider(
        &self,
        name: &TableReference,
        table: Arc<dyn TableProvider>,
        bytes: &mut Vec<u8>,
    ) -> Result<()> {
        let Some(table) = table.downcast_ref::<GeoTable>() else {
            return self.0.try_encode_table_provider(name, table, bytes);
        };
        let options = table.files.options();
        let of_format = options.format.downcast_ref::<ParquetFormat>().map(ParquetFormat::options);
        let factory =
            ParquetFormatFactory::new_with_options(of_format.cloned().unwrap_or_default());
        let mut format = Vec::new();
        self.0.try_encode_file_format(&mut format, Arc::new(factory))?;
        let written = Written {
            paths: table.files.table_paths().iter().map(ToString::to_string).collect(),
            format,
            extension: options.file_extension.clone(),
            folders: options.table_partition_cols.iter().map(|(name, _)| name.clone()).collect(),
            geometries: table.geometries.clone(),
            files: table.known.clone(),
        };
        bytes.extend_from_slice(MARK);
        serde_json::to_writer(bytes, &written).map_err(refused)
    }

    fn try_decode_file_format(
        &self,
        bytes: &[u8],
        context: &TaskContext,
    ) -> Result<Arc<dyn FileFormatFactory>> {
        self.0.try_decode_file_format(bytes, context)
    }

    fn try_encode_file_format(
        &self,
        bytes: &mut Vec<u8>,
        format: Arc<dyn FileFormatFactory>,
    ) -> Result<()> {
        self.0.try_encode_file_format(bytes, format)
    }
}
