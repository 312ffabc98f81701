//! A table as a layer of attributes alone: its rows are features without a geometry.

use super::LayerReader;
use crate::error::Result;
use crate::format_support::Source;
use crate::layer::{Batch, BatchBuilder, CrsOrigin, LayerInfo, Unreadable};
use crate::table::{Inference, TableFile};

/// The rows of a table.
#[derive(Debug)]
struct TableRows {
    file: TableFile,
    inference: Inference,
}

impl LayerReader {
    /// A table as a layer of attributes alone, whatever coordinates it has: its columns have the
    /// types that their values ask for. The table is read once for them.
    ///
    /// ```
    /// # let folder = tempfile::tempdir()?;
    /// # velvet_peg::demo::lay_out(folder.path(), false)?;
    /// use velvet_peg::table::{TableFile, TableOptions};
    /// use velvet_peg::LayerReader;
    /// let table = TableFile::open(&folder.path().join("headgates.csv"), &TableOptions::default())?;
    /// let rows = LayerReader::of_table(table)?;
    /// assert!(rows.info().bare && rows.info().count == Some(40));
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the table cannot be read.
    pub fn of_table(file: TableFile) -> Result<LayerReader> {
        let reader = file.rows()?;
        let headers = reader.columns().to_vec();
        let mut notices = file.notices().to_vec();
        notices.extend(reader.renamed());
        let mut inference = Inference::new(headers.len());
        let mut misfits = 0;
        reader.each_row(&mut |reader, record| {
            match reader.misfit(record) {
                Some(_) => misfits += 1,
                None => inference.add(record, reader.types()),
            }
            Ok(())
        })?;
        let columns: Vec<usize> = (0..headers.len()).collect();
        let stem = file.path().file_stem().and_then(|stem| stem.to_str()).unwrap_or("table");
        let info = LayerInfo {
            name: file.sheet().unwrap_or(stem).to_string(),
            description: None,
            crs: None,
            crs_origin: CrsOrigin::Given,
            schema: inference.schema(&headers, &columns),
            kind: None,
            bare: true,
            unit: None,
            aside: false,
            has_z: false,
            has_m: false,
            count: Some(inference.rows + misfits),
            extent: None,
        };
        let (path, format) = (file.path().to_path_buf(), file.format());
        let source = TableRows { file, inference };
        Ok(LayerReader::of_source(info, path, format, Box::new(source), notices))
    }
}

impl Source for TableRows {
    fn read(&self, info: &LayerInfo, each: &mut dyn FnMut(Batch) -> Result<()>) -> Result<()> {
        let mut gather = BatchBuilder::new(info.schema.clone(), each);
        self.file.rows()?.each_row(&mut |reader, record| {
            if let Some(misfit) = reader.misfit(record) {
                let misfit = reader.on_sheet(record, misfit);
                let values: Vec<&str> = record.iter().collect();
                // Rows keep the number that they have in their file.
                return gather.unreadable(Unreadable {
                    number: reader.row(),
                    ..Unreadable::new(misfit.text).with_original(values.join(", "))
                });
            }
            gather.geometry().end_feature(None);
            gather.feature(self.inference.values(record))
        })?;
        gather.finish()
    }
}
