//! Several tables of one shape as one: columns are matched by their names, and one names the file that
//! a row is from.

use super::natural_order::natural;
use super::{TableFile, TableReader};
use crate::error::{Error, Result};
use crate::format::Format;
use crate::format_support::column_gaps;
use crate::format_support::{
    CellType, RowSource, SourceRow, TableFacts, TableOptions, TableSource,
};
use crate::layer::column_names::{TakenNames, distinct};
use crate::notice::{Notice, NoticeKind};
use csv::StringRecord;
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use velvet_peg_core::Crs;

/// Files that a notice names.
const NAMED: usize = 10;

/// Tables of one shape.
#[derive(Debug)]
pub(super) struct ManyTables {
    facts: TableFacts,
    parts: Arc<Vec<Part>>,
    names: StringRecord,
}

/// One table, and the column of the whole that each of its columns is.
#[derive(Debug)]
struct Part {
    file: TableFile,
    name: String,
    places: Vec<usize>,
}

/// The tables in a folder, in natural order; rejects of earlier runs are none.
///
/// # Errors
/// If there is none.
pub(super) fn in_folder(folder: &Path) -> Result<Vec<PathBuf>> {
    let failed = |e| Error::file(folder, "cannot be read", e);
    let mut tables = Vec::new();
    for entry in std::fs::read_dir(folder).map_err(failed)? {
        let path = entry.map_err(failed)?.path();
        let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let table = Format::of(&path).is_ok_and(Format::is_table);
        if table && path.is_file() && !name.starts_with('.') && !name.ends_with(".rejects.csv") {
            tables.push(path);
        }
    }
    tables.sort_by(|one, two| natural(&one.to_string_lossy(), &two.to_string_lossy()));
    match tables.is_empty() {
        true => Err(Error::data("is a folder without a table").in_file(folder)),
        false => Ok(tables),
    }
}

impl ManyTables {
    /// Opens tables as one. A column that names the files is there if there are several.
    ///
    /// # Errors
    /// If one cannot be opened.
    pub(super) fn open(paths: &[PathBuf], options: &TableOptions) -> Result<ManyTables> {
        let mut columns: Vec<String> = Vec::new();
        let mut known: HashMap<String, usize> = HashMap::new();
        let mut parts: Vec<Part> = Vec::new();
        let mut facts = TableFacts { header: true, part: "file", ..TableFacts::default() };
        for path in paths {
            let file = TableFile::open_single(path, options)?;
            let rows = file.rows()?;
            let mut taken = TakenNames::default();
            let own: Vec<String> =
                rows.columns().iter().map(|header| taken.take(&options.name_of(header))).collect();
            let mut place = |name: &String| {
                *known.entry(name.to_ascii_lowercase()).or_insert_with(|| {
                    columns.push(name.clone());
                    columns.len() - 1
                })
            };
            let places = own.iter().map(&mut place).collect();
            facts.notices.extend(file.notices().iter().cloned().map(|notice| match paths.len() {
                1 => notice,
                _ => notice.in_file(path),
            }));
            facts.notices.extend(rows.renamed());
            facts.bytes += file.bytes();
            let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
            parts.push(Part { file, name, places });
        }
        if let Some(first) = parts.first() {
            let of_first = first.file.facts();
            (facts.encoding, facts.delimiter) = (of_first.encoding, of_first.delimiter);
        }
        let stated: Vec<&Crs> = parts.iter().filter_map(|part| part.file.crs()).collect();
        if let Some((first, others)) = stated.split_first() {
            if stated.len() < parts.len() || others.iter().any(|other| other != first) {
                return Err(Error::usage(
                    "the files beside the tables do not say one and the same reference system of \
                     all of them: build those of each system by themselves",
                )
                .in_file(&paths[0]));
            }
            facts.crs = Some((*first).clone());
        }
        let shapes: Vec<(String, &[usize])> =
            parts.iter().map(|part| (part.name.clone(), part.places.as_slice())).collect();
        for (part, notice) in column_gaps(&shapes, &columns) {
            facts.notices.push(notice.in_file(parts[part].file.path()));
        }
        if parts.len() > 1 {
            let mut shown: Vec<&str> =
                parts.iter().take(NAMED).map(|part| part.name.as_str()).collect();
            if parts.len() > NAMED {
                shown.push("…");
            }
            let text = format!("{} files are read as one table: {}", parts.len(), shown.join(", "));
            facts.notices.insert(0, Notice::note(NoticeKind::Assumed, text));
            facts.sheet_column = Some(columns.len());
            columns.push(distinct(&columns, "file"));
        }
        let names = columns.iter().collect();
        Ok(ManyTables { facts, parts: Arc::new(parts), names })
    }
}

impl TableSource for ManyTables {
    fn facts(&self) -> &TableFacts {
        &self.facts
    }

    fn rows(&self) -> Result<Box<dyn RowSource>> {
        Ok(Box::new(ManyRows {
            parts: self.parts.clone(),
            names: self.names.clone(),
            part: 0,
            reader: None,
            record: StringRecord::new(),
            read: 0,
        }))
    }
}

/// The rows of one table after the other.
struct ManyRows {
    parts: Arc<Vec<Part>>,
    names: StringRecord,
    part: usize,
    reader: Option<TableReader>,
    record: StringRecord,
    /// Bytes of the tables that are done.
    read: u64,
}

impl RowSource for ManyRows {
    fn next(&mut self, row: &mut SourceRow) -> Result<bool> {
        row.texts.clear();
        row.types.clear();
        row.misfit = None;
        while let Some(part) = self.parts.get(self.part) {
            let reader = match &mut self.reader {
                Some(reader) => reader,
                none => none.insert(part.file.rows()?),
            };
            if !reader.read(&mut self.record)? {
                self.read += part.file.bytes();
                self.reader = None;
                self.part += 1;
                continue;
            }
            row.number = reader.row();
            row.misfit = reader.misfit(&self.record);
            let mut texts = vec![""; self.names.len()];
            row.types.resize(self.names.len(), CellType::Untyped);
            let typed = reader.types();
            for (at, (text, place)) in self.record.iter().zip(&part.places).enumerate() {
                texts[*place] = text;
                row.types[*place] = typed.get(at).copied().unwrap_or_default();
            }
            // What does not fit a column stands behind the last that it has.
            let beyond: Vec<&str> = self.record.iter().skip(part.places.len()).collect();
            if self.parts.len() > 1
                && let Some(last) = texts.last_mut()
            {
                *last = &part.name;
                row.types[self.names.len() - 1] = CellType::Text;
            }
            row.texts.extend(texts);
            row.texts.extend(beyond);
            return Ok(true);
        }
        Ok(false)
    }

    fn bytes_read(&self) -> u64 {
        self.read + self.reader.as_ref().map_or(0, TableReader::bytes_read)
    }

    fn names(&self) -> &StringRecord {
        &self.names
    }
}
