//! A table of Parquet files whose metadata say what its columns of geometries are. Row groups outside of the box that
//! a query asks for are not read.

use super::metadata::{GeoColumn, annotated};
use super::row_groups::{KnownFile, RowGroup};
use super::wanted_box::{Box4, both, of_condition};
use crate::error::refused;
use datafusion::arrow::datatypes::{Schema, SchemaRef};
use datafusion::catalog::{Session, TableProvider, TableProviderFactory};
use datafusion::common::{DataFusionError, Statistics};
use datafusion::datasource::TableType;
use datafusion::datasource::listing::{
    ListingOptions, ListingTable, ListingTableConfig, ListingTableUrl, PartitionedFile,
};
use datafusion::datasource::listing_table_factory::ListingTableFactory;
use datafusion::datasource::physical_plan::{FileGroup, FileScanConfig, FileScanConfigBuilder};
use datafusion::datasource::source::DataSourceExec;
use datafusion::error::Result;
use datafusion::logical_expr::{CreateExternalTable, Expr, TableProviderFilterPushDown};
use datafusion::physical_plan::ExecutionPlan;
use futures::TryStreamExt;
use std::collections::HashMap;
use std::sync::Arc;

/// A table of files of GeoParquet.
#[derive(Debug)]
pub(crate) struct GeoTable {
    pub(super) files: ListingTable,
    /// Columns of geometries, as `RowGroup::boxes` counts them.
    pub(super) geometries: Vec<String>,
    pub(super) known: Vec<KnownFile>,
}

/// Makes tables of `STORED AS PARQUET` and `STORED AS GEOPARQUET`.
#[derive(Debug)]
pub(crate) struct Factory {
    /// Whether files without metadata of geometries are refused.
    pub(crate) geometries: bool,
}

#[async_trait::async_trait]
impl TableProviderFactory for Factory {
    async fn create(
        &self,
        state: &dyn Session,
        command: &CreateExternalTable,
    ) -> Result<Arc<dyn TableProvider>> {
        let mut command = command.clone();
        command.file_type = "PARQUET".to_string();
        let table = match ListingTableFactory::new().create(state, &command).await {
            Ok(table) => table,
            Err(error) => return Err(unreadable(state, &command.locations).await.unwrap_or(error)),
        };
        let Some(files) = table.downcast_ref::<ListingTable>() else { return Ok(table) };
        let (known, columns) = known(state, files).await?;
        let columns = match columns {
            Some(columns) => columns,
            None if self.geometries => {
                return Err(refused(format!(
                    "{} has no metadata of geometries (`geo`): STORED AS PARQUET reads it, and \
                     declare_system(column, 'EPSG:…') states the system",
                    command.locations.join(", ")
                )));
            }
            None => return Ok(table),
        };
        let schema = annotated(&table.schema(), &columns);
        let geometries = columns.into_iter().map(|column| column.name).collect();
        let paths = files.table_paths().clone();
        let files = listing(paths, files.options().clone(), &schema)?;
        Ok(Arc::new(GeoTable { files, geometries, known }))
    }
}

/// What is wrong with the first file that cannot be read, with its name.
async fn unreadable(state: &dyn Session, locations: &[String]) -> Option<DataFusionError> {
    for location in locations {
        let path = ListingTableUrl::parse(location).ok()?;
        let store = state.runtime_env().object_store(&path).ok()?;
        let files = path.list_all_files(state, store.as_ref(), "").await.ok()?;
        for file in files.try_collect::<Vec<_>>().await.ok()? {
            if let Err(error) = KnownFile::read(store.as_ref(), &file).await {
                return Some(error);
            }
        }
    }
    None
}

/// The files of a table under another schema.
pub(super) fn listing(
    paths: Vec<ListingTableUrl>,
    options: ListingOptions,
    schema: &Schema,
) -> Result<ListingTable> {
    // Columns that names of folders give are no columns of files.
    let of_folders = |name: &str| options.table_partition_cols.iter().any(|(col, _)| col == name);
    let fields = schema.fields().iter().filter(|field| !of_folders(field.name()));
    let of_files =
        Schema::new_with_metadata(fields.cloned().collect::<Vec<_>>(), schema.metadata().clone());
    ListingTable::try_new(
        ListingTableConfig::new_with_multi_paths(paths)
            .with_listing_options(options)
            .with_schema(Arc::new(of_files)),
    )
}

/// What the ends of all files tell; the columns are none where no file has metadata.
async fn known(
    state: &dyn Session,
    table: &ListingTable,
) -> Result<(Vec<KnownFile>, Option<Vec<GeoColumn>>)> {
    let mut known = Vec::new();
    let mut stated: Option<(String, Option<Vec<GeoColumn>>)> = None;
    for path in table.table_paths() {
        let store = state.runtime_env().object_store(path)?;
        let extension = &table.options().file_extension;
        let found = path.list_all_files(state, store.as_ref(), extension).await?;
        for file in found.try_collect::<Vec<_>>().await? {
            let (file, columns) = KnownFile::read(store.as_ref(), &file).await?;
            let what = |c: &GeoColumn| (c.name.clone(), c.kind.clone(), c.system.clone());
            let of = |columns: &Option<Vec<GeoColumn>>| {
                columns.as_ref().map(|columns| columns.iter().map(what).collect::<Vec<_>>())
            };
            match &stated {
                Some((first, before)) if of(before) != of(&columns) => {
                    return Err(refused(format!(
                        "{first} and {} say different things of their geometries: columns, encodings and reference \
                         systems of the files of a table have to be the same",
                        file.path
                    )));
                }
                Some(_) => {}
                None => stated = Some((file.path.clone(), columns)),
            }
            known.push(file);
        }
    }
    Ok((known, stated.and_then(|(_, columns)| columns)))
}

#[async_trait::async_trait]
impl TableProvider for GeoTable {
    fn schema(&self) -> SchemaRef {
        self.files.schema()
    }

    fn table_type(&self) -> TableType {
        TableType::Base
    }

    fn supports_filters_pushdown(
        &self,
        filters: &[&Expr],
    ) -> Result<Vec<TableProviderFilterPushDown>> {
        let by_files = self.files.supports_filters_pushdown(filters)?;
        let one = |(by_files, filter): (TableProviderFilterPushDown, &&Expr)| match by_files {
            TableProviderFilterPushDown::Unsupported if of_condition(filter).is_some() => {
                TableProviderFilterPushDown::Inexact
            }
            other => other,
        };
        Ok(by_files.into_iter().zip(filters).map(one).collect())
    }

    async fn scan(
        &self,
        state: &dyn Session,
        projection: Option<&Vec<usize>>,
        filters: &[Expr],
        limit: Option<usize>,
    ) -> Result<Arc<dyn ExecutionPlan>> {
        let plan = self.files.scan(state, projection, filters, limit).await?;
        let mut wanted: HashMap<String, Box4> = HashMap::new();
        for (column, next) in filters.iter().filter_map(of_condition) {
            let all = wanted.entry(column).or_insert(next);
            *all = both(*all, next);
        }
        let Some(source) = plan.downcast_ref::<DataSourceExec>() else { return Ok(plan) };
        let Some(config) = source.data_source().downcast_ref::<FileScanConfig>() else {
            return Ok(plan);
        };
        let files = config.file_groups.iter().flat_map(FileGroup::iter).cloned().collect();
        let Some(parts) = self.parts(files, &wanted) else { return Ok(plan) };
        let groups = shared(parts, state.config().target_partitions());
        let unknown = Statistics::new_unknown(&config.file_schema().clone());
        let config = FileScanConfigBuilder::from(config.clone())
            .with_file_groups(groups)
            .with_statistics(unknown)
            .build();
        Ok(DataSourceExec::from_data_source(config))
    }
}

impl GeoTable {
    /// Row groups that may have a geometry in the wanted boxes, each as a part of its file with its rows, in the order
    /// of the files; none if all may.
    fn parts(
        &self,
        files: Vec<PartitionedFile>,
        wanted: &HashMap<String, Box4>,
    ) -> Option<Vec<(PartitionedFile, i64)>> {
        let wanted: Vec<Option<&Box4>> =
            self.geometries.iter().map(|column| wanted.get(column)).collect();
        let may = |group: &RowGroup| {
            group.boxes.iter().zip(&wanted).all(|(known, wanted)| match (known, wanted) {
                (Some(known), Some(wanted)) => {
                    let common = both(*known, **wanted);
                    common[0] <= common[2] && common[1] <= common[3]
                }
                _ => true,
            })
        };
        let mut parts = Vec::new();
        let mut skips = false;
        for file in files {
            let known = self.known.iter().find(|known| known.is(&file.object_meta));
            let Some(known) = known.filter(|_| file.range.is_none()) else {
                parts.push((file, 0));
                continue;
            };
            for group in &known.groups {
                if !may(group) {
                    skips = true;
                    continue;
                }
                let mut part = file.clone().with_range(group.start, group.start + 1);
                part.statistics = None;
                parts.push((part, group.rows));
            }
        }
        skips.then_some(parts)
    }
}

/// Parts in as many groups as there are tasks, with about as many rows each.
fn shared(parts: Vec<(PartitionedFile, i64)>, tasks: usize) -> Vec<FileGroup> {
    let rows: i64 = parts.iter().map(|(_, rows)| rows).sum();
    let each = (rows / i64::try_from(tasks.max(1)).unwrap_or(1)).max(1);
    let mut groups: Vec<FileGroup> = Vec::new();
    let (mut group, mut held): (Vec<PartitionedFile>, i64) = (Vec::new(), 0);
    for (part, rows) in parts {
        if held >= each {
            groups.push(FileGroup::new(std::mem::take(&mut group)));
            held = 0;
        }
        held += rows;
        group.push(part);
    }
    groups.push(FileGroup::new(group));
    groups
}

/// What is wrong with what came from elsewhere.
pub(super) fn of_another_version() -> DataFusionError {
    refused("a table of GeoParquet is of another version")
}
