//! The attributes of a table or a layer, held in memory: the smaller side of a join.

use crate::error::Result;
use crate::examples::Examples;

use crate::format_support::TableOptions;
use crate::input::format_of;
use crate::layer::{BATCH, RowBuilder};
use crate::layer_io::LayerReader;
use crate::memory::{Held, Reckoning, Share};
use crate::notice::{Notice, NoticeKind};
use crate::progress::Progress;
use crate::table::{Inference, TableFile};
use arrow_array::{Array, ArrayRef, RecordBatch};
use std::path::Path;

/// What a row takes besides its values, bytes: its key, the number of that, how it is found, and what is looked at to
/// tell which keys nearly meet.
const OF_KEY: u64 = 45;

/// What is left free in the columns of a table that grow while it is read, bytes of a row.
const ROOM_TO_GROW: u64 = 10;

/// Rows of values in their columns.
#[derive(Debug)]
pub(crate) struct AttributeTable {
    pub(crate) values: RecordBatch,
    pub(crate) notices: Vec<Notice>,
}

impl AttributeTable {
    /// Reads a table (delimited text, sheets of a workbook, `.dbf`), or the attributes of a layer.
    pub(crate) fn read(
        path: &Path,
        options: &TableOptions,
        layer: Option<&str>,
        reckoning: &mut Reckoning,
        watch: &mut dyn Progress,
    ) -> Result<AttributeTable> {
        if format_of(path)?.is_table() {
            AttributeTable::of_table(&TableFile::open(path, options)?, reckoning, watch)
        } else {
            AttributeTable::of_layer(&LayerReader::open(path, layer)?, reckoning, watch)
        }
    }

    fn of_table(
        file: &TableFile,
        reckoning: &mut Reckoning,
        watch: &mut dyn Progress,
    ) -> Result<AttributeTable> {
        let reader = file.rows()?;
        let headers = reader.columns().to_vec();
        let mut notices = file.notices().to_vec();
        notices.extend(reader.renamed());
        let mut inference = Inference::new(headers.len());
        let mut misfits = Examples::default();
        let mut all_rows = 0;
        reader.each_row(&mut |reader, record| {
            all_rows += 1;
            match reader.misfit(record) {
                Some(misfit) => misfits.add(|| format!("row {}: {misfit}", reader.row())),
                None => inference.add(record, reader.types()),
            }
            Ok(())
        })?;
        if misfits.count > 0 {
            notices.push(
                Notice::warning(
                    NoticeKind::Unreadable,
                    format!(
                        "{} of the rows of {} cannot be used: {}",
                        misfits.count,
                        file.path().display(),
                        misfits.listed()
                    ),
                )
                .count(misfits.count)
                .in_file(file.path()),
            );
        }
        let all: Vec<usize> = (0..headers.len()).collect();
        let schema = inference.schema(&headers, &all);
        // Read a second time: the rows as text would take several times the memory of their values.
        let mut rows = RowBuilder::new(schema);
        let held = |rows: &RowBuilder| {
            let count = rows.len() as u64;
            let bytes = rows.bytes() as u64 + count * (OF_KEY + ROOM_TO_GROW);
            Held { count, bytes, besides: 0 }
        };
        let mut done = 0;
        file.rows()?.each_row(&mut |reader, record| {
            done += 1;
            if reader.misfit(record).is_none() {
                rows.push(inference.values(record))?;
            }
            match done % BATCH as u64 {
                0 => reckoning.take(held(&rows), Share { done, total: Some(all_rows) }, watch),
                _ => Ok(()),
            }
        })?;
        reckoning.take(held(&rows), Share::WHOLE, watch)?;
        Ok(AttributeTable { values: rows.finish()?, notices })
    }

    fn of_layer(
        reader: &LayerReader,
        reckoning: &mut Reckoning,
        watch: &mut dyn Progress,
    ) -> Result<AttributeTable> {
        let mut batches = Vec::new();
        let mut notices = reader.notices.clone();
        let (mut count, mut bytes) = (0, 0);
        reader.for_each_batch(&mut |batch| {
            notices.extend(batch.lost(reader.path()));
            let done = batch.first + batch.len() as u64 - 1;
            let values = batch.into_parts().1;
            count += values.num_rows() as u64;
            let of_column = |column: &ArrayRef| {
                let whole = column.get_array_memory_size();
                column.to_data().get_slice_memory_size().unwrap_or(whole)
            };
            bytes += values.columns().iter().map(of_column).sum::<usize>() as u64;
            batches.push(values);
            // When they are put together they are there twice; then come their keys.
            let held = Held { count, bytes: bytes + bytes.max(count * OF_KEY), besides: 0 };
            reckoning.take(held, Share { done, total: reader.info().count }, watch)
        })?;
        let values = arrow_select::concat::concat_batches(&reader.info().schema, &batches)?;
        Ok(AttributeTable { values, notices })
    }

    /// Names of the columns.
    pub(crate) fn names(&self) -> Vec<String> {
        self.values.schema_ref().fields().iter().map(|field| field.name().clone()).collect()
    }
}
