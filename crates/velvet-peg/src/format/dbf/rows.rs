//! A table of attributes as a table of rows. Rows count from 2, as if there were a header.

use super::read::{DbfReader, DbfRecord};
use crate::error::{Error, Result};
use crate::format_support::{CellType, RowSource, SourceRow, TableFacts, TableSource, TableToOpen};
use crate::layer::Value;
use crate::notice::{Notice, NoticeKind};
use csv::StringRecord;
use std::path::PathBuf;

/// A table of attributes to be read, once or several times.
#[derive(Debug)]
pub(super) struct DbfTable {
    real: PathBuf,
    shown: PathBuf,
    /// The code page that is asked for.
    asked: Option<String>,
    facts: TableFacts,
}

impl DbfTable {
    /// Opens a table, and runs through it for what its header does not tell.
    pub(super) fn open(table: &TableToOpen<'_>) -> Result<DbfTable> {
        let (real, shown) = (table.real.to_path_buf(), table.shown.to_path_buf());
        let failed = |e| Error::file(&shown, "cannot be read", e);
        let asked = table.options.encoding.clone();
        let mut reader =
            DbfReader::open(&real, asked.as_deref()).map_err(|e| e.shown_as(&real, &shown))?;
        let (mut records, mut deleted) = (0u64, 0u64);
        while let Some(record) = reader.next().map_err(failed)? {
            records += 1;
            deleted += u64::from(record.deleted);
        }
        let mut notices = std::mem::take(&mut reader.notices);
        if deleted > 0 {
            notices.push(
                Notice::note(
                    NoticeKind::Unreadable,
                    format!("rows that are marked as deleted are left out: {deleted}"),
                )
                .count(deleted),
            );
        }
        if records < reader.count {
            notices.push(
                Notice::warning(
                    NoticeKind::Unreadable,
                    format!(
                        "the file is damaged: it says that it has {} rows, and {records} are there",
                        reader.count
                    ),
                )
                .with("stated", reader.count as f64, "")
                .count(records),
            );
        }
        let bytes = std::fs::metadata(&real).map_err(failed)?.len();
        let facts = TableFacts { header: true, bytes, notices, ..TableFacts::default() };
        Ok(DbfTable { real, shown, asked, facts })
    }
}

impl TableSource for DbfTable {
    fn facts(&self) -> &TableFacts {
        &self.facts
    }

    fn rows(&self) -> Result<Box<dyn RowSource>> {
        let reader = DbfReader::open(&self.real, self.asked.as_deref())
            .map_err(|e| e.shown_as(&self.real, &self.shown))?;
        let names = reader.fields.iter().map(|field| field.name.as_str()).collect();
        let path = self.shown.clone();
        Ok(Box::new(DbfRows { path, reader, names, row: 1, bytes: self.facts.bytes }))
    }
}

/// Reads the rows that are not marked as deleted.
struct DbfRows {
    path: PathBuf,
    reader: DbfReader,
    names: StringRecord,
    row: u64,
    bytes: u64,
}

impl RowSource for DbfRows {
    fn next(&mut self, row: &mut SourceRow) -> Result<bool> {
        row.texts.clear();
        row.types.clear();
        let failed = |e| Error::file(&self.path, "cannot be read", e);
        while let Some(record) = self.reader.next().map_err(failed)? {
            self.row += 1;
            if record.deleted {
                continue;
            }
            row.number = self.row;
            let DbfRecord { values, wrong, .. } = record;
            for (at, value) in values.iter().enumerate() {
                match wrong.iter().find(|(field, _)| *field == at) {
                    Some((_, text)) => {
                        row.texts.push_field(text);
                        row.types.push(CellType::Text);
                    }
                    None => {
                        row.texts.push_field(&value.to_text());
                        row.types.push(self.reader.fields[at].cell_type(value));
                    }
                }
            }
            return Ok(true);
        }
        Ok(false)
    }

    fn bytes_read(&self) -> u64 {
        self.bytes * (self.row - 1).min(self.reader.count) / self.reader.count.max(1)
    }

    fn names(&self) -> &StringRecord {
        &self.names
    }
}

impl super::read::DbfField {
    /// What a cell of this field is.
    fn cell_type(&self, value: &Value) -> CellType {
        match (value, self.kind) {
            (Value::Null, _) => CellType::Blank,
            (Value::Boolean(_), _) => CellType::YesNo,
            (Value::Integer(_) | Value::Real(_), _) => CellType::Number,
            (Value::Text(_), b'D') => CellType::Date,
            (Value::Text(_), b'T' | b'@') => CellType::DateTime,
            (Value::Text(_) | Value::Binary(_) | Value::Date(_) | Value::DateTime(_), _) => {
                CellType::Text
            }
        }
    }
}
