//! `COPY … STORED AS GEOPARQUET`: Parquet with the metadata that say what the geometries are, and the box of each row,
//! by which readers skip row groups.

use super::metadata::{KEY, written};
use crate::error::refused;
use crate::functions::{bounds_of, bounds_type};
use crate::system::is_geometry;
use datafusion::arrow::datatypes::{DataType, Field};
use datafusion::catalog::Session;
use datafusion::common::config::{ConfigFileType, ConfigOptions, TableOptions};
use datafusion::common::tree_node::{Transformed, TransformedResult, TreeNode};
use datafusion::common::{Column, GetExt};
use datafusion::datasource::file_format::parquet::ParquetFormatFactory;
use datafusion::datasource::file_format::{
    FileFormat, FileFormatFactory, file_type_to_format, format_as_file_type,
};
use datafusion::error::Result;
use datafusion::logical_expr::dml::CopyTo;
use datafusion::logical_expr::{Expr, LogicalPlan, LogicalPlanBuilder};
use datafusion::optimizer::AnalyzerRule;
use std::collections::HashMap;
use std::sync::Arc;

/// The format, which [`WithMetadata`] makes Parquet of before a query runs.
#[derive(Debug, Default)]
pub(crate) struct GeoParquet;

impl GetExt for GeoParquet {
    fn get_ext(&self) -> String {
        "geoparquet".to_string()
    }
}

impl FileFormatFactory for GeoParquet {
    fn create(
        &self,
        state: &dyn Session,
        options: &HashMap<String, String>,
    ) -> Result<Arc<dyn FileFormat>> {
        ParquetFormatFactory::new().create(state, options)
    }

    fn default(&self) -> Arc<dyn FileFormat> {
        FileFormatFactory::default(&ParquetFormatFactory::new())
    }
}

/// The option of Parquet for the metadata.
const OPTION: &str = "format.metadata::";

/// Gives the writing of GeoParquet its metadata and boxes.
#[derive(Debug, Default)]
pub(crate) struct WithMetadata;

impl AnalyzerRule for WithMetadata {
    fn analyze(&self, plan: LogicalPlan, config: &ConfigOptions) -> Result<LogicalPlan> {
        let of_copy = |node: LogicalPlan| {
            let LogicalPlan::Copy(copy) = node else { return Ok(Transformed::no(node)) };
            let format = file_type_to_format(&copy.file_type)?;
            Ok(match format.is::<GeoParquet>() {
                true => Transformed::yes(with_metadata(copy, config)?),
                false => Transformed::no(LogicalPlan::Copy(copy)),
            })
        };
        plan.transform_down(of_copy).data()
    }

    fn name(&self) -> &'static str {
        "geoparquet_metadata"
    }
}

fn with_metadata(copy: CopyTo, config: &ConfigOptions) -> Result<LogicalPlan> {
    let CopyTo { input, output_url, partition_by, options, .. } = copy;
    let schema = input.schema().clone();
    let mut columns: Vec<Expr> = Vec::new();
    let mut fields = Vec::new();
    // Points of two columns are their own boxes.
    let is_boxed =
        |field: &Field| is_geometry(field) && !matches!(field.data_type(), DataType::Struct(_));
    let box_name = |field: &Field| format!("{}_bbox", field.name());
    let box_names: Vec<String> = schema
        .fields()
        .iter()
        .filter(|field| is_boxed(field))
        .map(|field| box_name(field))
        .collect();
    let mut boxes: Vec<Expr> = Vec::new();
    for (qualifier, field) in schema.iter() {
        if box_names.contains(field.name()) {
            // Boxes of a file that was read are made anew.
            if field.data_type() == &bounds_type() {
                continue;
            }
            return Err(refused(format!(
                "the column `{0}` is in the way of the boxes of geometries, which are called so: give it another name, \
                 such as `{0} AS other`",
                field.name()
            )));
        }
        let column = Expr::Column(Column::new(qualifier.cloned(), field.name()));
        columns.push(column.clone());
        let name = is_boxed(field).then(|| box_name(field));
        if let Some(name) = &name {
            boxes.push(bounds_of(column).alias(name));
        }
        fields.push((field.as_ref().clone(), name));
    }
    // With the format itself, since options beside it do not go to a cluster.
    let (mut of_format, options): (HashMap<_, _>, HashMap<_, _>) =
        options.into_iter().partition(|(name, _)| name.starts_with("format."));
    of_format.insert(format!("{OPTION}{KEY}"), written(&fields)?);
    let mut formats = TableOptions::default_from_session_config(config);
    formats.set_config_format(ConfigFileType::PARQUET);
    formats.alter_with_string_hash_map(&of_format)?;
    let input = match boxes.is_empty() {
        true => input,
        false => {
            let columns = columns.into_iter().chain(boxes);
            Arc::new(LogicalPlanBuilder::from(input).project(columns)?.build()?)
        }
    };
    let format = ParquetFormatFactory::new_with_options(formats.parquet);
    let format = format_as_file_type(Arc::new(format));
    Ok(LogicalPlan::Copy(CopyTo::new(input, output_url, partition_by, format, options)))
}
