//! The attributes of a table or a layer, held in memory: the smaller side of a join.

use crate::error::Result;
use crate::examples::Examples;

use crate::format_support::TableOptions;
use crate::input::format_of;
use crate::layer::RowBuilder;
use crate::layer_io::LayerReader;
use crate::notice::{Notice, NoticeKind};
use crate::table::{Inference, TableFile};
use arrow_array::RecordBatch;
use std::path::Path;

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
    ) -> Result<AttributeTable> {
        if format_of(path)?.is_table() {
            AttributeTable::of_table(&TableFile::open(path, options)?)
        } else {
            AttributeTable::of_layer(&LayerReader::open(path, layer)?)
        }
    }

    fn of_table(file: &TableFile) -> Result<AttributeTable> {
        let reader = file.rows()?;
        let headers = reader.columns().to_vec();
        let mut notices = file.notices().to_vec();
        notices.extend(reader.renamed());
        let mut inference = Inference::new(headers.len());
        let mut misfits = Examples::default();
        reader.each_row(&mut |reader, record| {
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
        file.rows()?.each_row(&mut |reader, record| match reader.misfit(record) {
            Some(_) => Ok(()),
            None => rows.push(inference.values(record)),
        })?;
        Ok(AttributeTable { values: rows.finish()?, notices })
    }

    fn of_layer(reader: &LayerReader) -> Result<AttributeTable> {
        let mut batches = Vec::new();
        let mut notices = reader.notices.clone();
        reader.for_each_batch(&mut |batch| {
            notices.extend(batch.lost(reader.path()));
            batches.push(batch.into_parts().1);
            Ok(())
        })?;
        let values = arrow_select::concat::concat_batches(&reader.info().schema, &batches)?;
        Ok(AttributeTable { values, notices })
    }

    /// Names of the columns.
    pub(crate) fn names(&self) -> Vec<String> {
        self.values.schema_ref().fields().iter().map(|field| field.name().clone()).collect()
    }
}
