//! The columns of a table added to features, batch by batch.

use super::key_text::key_of;
use super::sides::Sides;
use crate::error::Result;
use crate::layer::{Batch, GeometryColumn};
use crate::layer_io::{Noting, Transform};
use arrow_array::{ArrayRef, RecordBatch, RecordBatchOptions, UInt64Array};
use arrow_schema::SchemaRef;
use arrow_select::take::take;

/// Adds the columns of the table to features.
pub(super) struct Joining {
    pub(super) loose: bool,
    pub(super) matched_only: bool,
    pub(super) schema: SchemaRef,
    pub(super) sides: Sides,
}

impl std::fmt::Debug for Joining {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Joining").field("keys", &self.sides.keys.len()).finish()
    }
}

impl Transform for Joining {
    fn apply(&self, batch: Batch) -> Result<(Batch, Noting<'_>)> {
        let mut geometry = GeometryColumn::new();
        let Sides { key_at, table, keys: known, rows: of_key, .. } = &self.sides;
        let keys = batch.column(*key_at);
        let mut buffer = String::new();
        // For each feature that comes out, the one it is and the row that it meets.
        let (mut features, mut rows): (Vec<u64>, Vec<Option<u64>>) = (Vec::new(), Vec::new());
        for at in 0..batch.len() {
            let key = keys.and_then(|keys| key_of(keys.value(at), self.loose, &mut buffer));
            match key.and_then(|key| known.get(key)).filter(|key| of_key.has(*key)) {
                Some(key) => {
                    for row in of_key.of(key) {
                        features.push(at as u64);
                        rows.push(Some(u64::from(row)));
                        geometry.push_from(&batch.geometry, at);
                    }
                }
                None if self.matched_only => {}
                None => {
                    features.push(at as u64);
                    rows.push(None);
                    geometry.push_from(&batch.geometry, at);
                }
            }
        }
        let (features, rows) = (UInt64Array::from(features), UInt64Array::from(rows));
        let ours = batch.attributes().columns().iter().map(|column| take(column, &features, None));
        let theirs = table.values.columns().iter().map(|column| take(column, &rows, None));
        let attributes = ours.chain(theirs).collect::<std::result::Result<Vec<ArrayRef>, _>>()?;
        let options = RecordBatchOptions::new().with_row_count(Some(geometry.len()));
        let attributes =
            RecordBatch::try_new_with_options(self.schema.clone(), attributes, &options)?;
        let joined = Batch::try_new(geometry, attributes, batch.first)?;
        Ok((joined.with_unreadable(batch.unreadable), Box::new(|| ())))
    }
}
