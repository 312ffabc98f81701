//! The boxes of the row groups of files, as their statistics tell them.

use super::metadata::{GeoColumn, KEY, read};
use super::wanted_box::Box4;
use crate::error::refused;
use datafusion::datasource::physical_plan::parquet::metadata::DFParquetMetadata;
use datafusion::error::Result;
use datafusion::object_store::{ObjectMeta, ObjectStore};
use datafusion::parquet::file::metadata::{ParquetMetaData, RowGroupMetaData};
use datafusion::parquet::file::statistics::Statistics;
use serde::{Deserialize, Serialize};

/// A row group, as far as it is known without reading it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(super) struct RowGroup {
    /// The byte by which a range of the file includes it.
    pub(super) start: i64,
    pub(super) rows: i64,
    /// For each column of geometries, the box around those of the group, if the file tells it.
    pub(super) boxes: Vec<Option<Box4>>,
}

/// A file of a table when the table was made.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(super) struct KnownFile {
    pub(super) path: String,
    size: u64,
    changed_ns: Option<i64>,
    pub(super) groups: Vec<RowGroup>,
}

impl KnownFile {
    /// Whether a file is still what it was.
    pub(super) fn is(&self, file: &ObjectMeta) -> bool {
        self.path == file.location.as_ref()
            && self.size == file.size
            && self.changed_ns == file.last_modified.timestamp_nanos_opt()
    }

    /// What the end of a file tells; the columns are those of its metadata, none where it has none.
    ///
    /// # Errors
    /// If it is no Parquet, or its metadata cannot be read.
    pub(super) async fn read(
        store: &dyn ObjectStore,
        file: &ObjectMeta,
    ) -> Result<(KnownFile, Option<Vec<GeoColumn>>)> {
        let footer = DFParquetMetadata::new(store, file).fetch_metadata().await;
        let footer = footer.map_err(|error| {
            refused(format!(
                "/{}: cannot be read as Parquet: {}",
                file.location,
                error.strip_backtrace()
            ))
        })?;
        let texts = footer.file_metadata().key_value_metadata();
        let geo = texts.and_then(|texts| texts.iter().find(|text| text.key == KEY));
        let columns = geo
            .and_then(|geo| geo.value.as_deref())
            .map(read)
            .transpose()
            .map_err(|error| refused(format!("/{}: {}", file.location, error.message())))?;
        let groups = footer.row_groups().iter();
        let known = columns.as_deref().unwrap_or_default();
        let groups = groups.map(|group| of_group(&footer, group, known)).collect();
        let file = KnownFile {
            path: file.location.to_string(),
            size: file.size,
            changed_ns: file.last_modified.timestamp_nanos_opt(),
            groups,
        };
        Ok((file, columns))
    }
}

fn of_group(footer: &ParquetMetaData, group: &RowGroupMetaData, columns: &[GeoColumn]) -> RowGroup {
    let schema = footer.file_metadata().schema_descr();
    let side = |path: &str, least: bool| -> Option<f64> {
        let at = (0..schema.num_columns()).find(|at| schema.column(*at).path().string() == path)?;
        let value = match group.column(at).statistics()? {
            Statistics::Double(s) => *if least { s.min_opt() } else { s.max_opt() }?,
            Statistics::Float(s) => f64::from(*if least { s.min_opt() } else { s.max_opt() }?),
            _ => return None,
        };
        value.is_finite().then_some(value)
    };
    let boxed = |column: &GeoColumn| -> Option<Box4> {
        let [west, south, east, north] = column.boxes.as_ref()?;
        let found =
            [side(west, true)?, side(south, true)?, side(east, false)?, side(north, false)?];
        // Longitudes over the meridian where they begin: not told apart.
        (found[0] <= found[2] && found[1] <= found[3]).then_some(found)
    };
    let first = group.columns().first();
    let start = first.map(|c| c.dictionary_page_offset().unwrap_or_else(|| c.data_page_offset()));
    RowGroup {
        start: start.unwrap_or_default(),
        rows: group.num_rows(),
        boxes: columns.iter().map(boxed).collect(),
    }
}
