//! `COPY … STORED AS GEOPARQUET`: Parquet with the metadata that say what the geometries are, and the box of each row,
//! by which readers skip row groups.

use super::metadata::{KEY, written};
use crate::error::refused;
use crate::functions::bounds_of;
use crate::system::is_geometry;
use datafusion::arrow::datatypes::DataType;
use datafusion::catalog::Session;
use datafusion::common::config::{ConfigFileType, ConfigOptions, TableOptions};
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
        let LogicalPlan::Copy(copy) = plan else { return Ok(plan) };
        let format = file_type_to_format(&copy.file_type)?;
        match format.is::<GeoParquet>() {
            true => with_metadata(copy, config),
            false => Ok(LogicalPlan::Copy(copy)),
        }
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
    let names: Vec<&String> = schema.fields().iter().map(|field| field.name()).collect();
    let mut boxes: Vec<Expr> = Vec::new();
    for (qualifier, field) in schema.iter() {
        let column = Expr::Column(Column::new(qualifier.cloned(), field.name()));
        columns.push(column.clone());
        // Points of two columns are their own boxes.
        let is_boxed = is_geometry(field) && !matches!(field.data_type(), DataType::Struct(_));
        let name = is_boxed.then(|| format!("{}_bbox", field.name()));
        if let Some(name) = &name {
            if names.contains(&name) {
                return Err(refused(format!(
                    "the column `{name}` is in the way of the boxes of `{}`: give it another name",
                    field.name()
                )));
            }
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
