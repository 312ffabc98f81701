//! Layers as tables of attributes: the rows of a table of text, with the types of fields.

use super::AttributeRows;
use crate::error::{Error, Result};
use crate::format_support::{
    FeatureCell, FeatureRows, Finished, ReadBack, Sink, TableOptions, WriteOptions,
    default_decimals, row_sum,
};
use crate::layer::{Batch, LayerInfo, ValueRef};
use crate::notice::Notice;
use crate::output::new_file;
use arrow_schema::{Field, Schema};
use std::io::Write;
use std::path::{Path, PathBuf};
use std::sync::Arc;

pub(super) struct Writer {
    path: PathBuf,
    rows: FeatureRows,
    attributes: AttributeRows,
    count: u64,
    sum: u64,
}

impl Writer {
    pub(super) fn create(path: &Path, info: &LayerInfo, options: &WriteOptions) -> Result<Writer> {
        let decimals = options.decimals.unwrap_or(default_decimals(info.crs.as_ref()));
        let rows = FeatureRows::new(info, options, decimals);
        let own = info.schema.fields().len();
        let mut fields: Vec<Field> =
            info.schema.fields().iter().map(|field| field.as_ref().clone()).collect();
        fields.extend(
            rows.header
                .iter()
                .enumerate()
                .skip(own)
                .map(|(at, name)| Field::new(name, rows.data_type(at - own), true)),
        );
        if fields.is_empty() {
            return Err(Error::usage("a table needs a column, and there is none").in_file(path));
        }
        let attributes = AttributeRows::create(path, Arc::new(Schema::new(fields)))?;
        Ok(Writer { path: path.to_path_buf(), rows, attributes, count: 0, sum: 0 })
    }
}

impl Sink for Writer {
    fn write(&mut self, batch: &Batch) -> Result<()> {
        let Writer { rows, attributes, count, sum, .. } = self;
        rows.each(batch, &mut |cells| {
            let values = cells.iter().map(|cell| match cell {
                FeatureCell::Attribute(_, value) => *value,
                FeatureCell::Coordinate(value) | FeatureCell::Number(value) => {
                    ValueRef::Real(*value)
                }
                FeatureCell::Count(value) => ValueRef::Integer(*value as i64),
                FeatureCell::Text(text) => ValueRef::Text(text),
                FeatureCell::Blank => ValueRef::Null,
            });
            let texts: Vec<String> = values
                .clone()
                .map(|value| match value {
                    ValueRef::Real(number) if !number.is_finite() => String::new(),
                    value => value.to_string(),
                })
                .collect();
            *count += 1;
            *sum = sum.wrapping_add(row_sum(texts.iter().map(String::as_str)));
            attributes.add(values)
        })
    }

    fn losses(&self) -> Vec<Notice> {
        self.attributes.losses("DBF table")
    }

    fn finish(self: Box<Self>) -> Result<Finished> {
        let Writer { path, attributes, count, sum, .. } = *self;
        let read_back = match attributes.changes() || count == 0 {
            true => ReadBack::Not,
            false => ReadBack::Rows { count, sum, dialect: Box::new(TableOptions::default()) },
        };
        attributes.write(new_file(&path)?)?;
        let side = path.with_extension("cpg");
        let failed = |e| Error::file(&side, "cannot be written", e);
        new_file(&side)?.write_all(b"UTF-8").map_err(failed)?;
        Ok(Finished { read_back, files: vec![path, side], ..Finished::default() })
    }
}
