//! Reading a Shapefile: once to tell kinds, types, number and extent, then in batches. Records
//! that cannot be read are told one by one.

use super::shape;
use crate::error::{Error, Result};
use crate::format::dbf::{DbfReader, DbfRecord, beside};
use crate::format_support::DECLARED;
use crate::format_support::Source;
use crate::format_support::definition_file::definition_file;
use crate::format_support::{OpenedLayer, ReadOptions};
use crate::layer::{
    Batch, BatchBuilder, CrsOrigin, GeometryColumn, LayerInfo, LeftOut, SchemaInference,
    Unreadable, Value,
};
use crate::notice::{Notice, NoticeKind};
use arrow_schema::{DataType, Field};
use std::collections::HashMap;
use std::fs::File;
use std::io::{BufReader, ErrorKind, Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};

/// Bytes of the header of `.shp` and `.shx`.
const HEADER: u64 = 100;

/// More than any record that is not damaged.
const MOST_BYTES: u64 = 1 << 31;

#[derive(Debug)]
struct Shapefile {
    path: PathBuf,
    /// Columns whose values are not all of their declared type.
    texts: Vec<bool>,
    /// The encoding that is asked for.
    encoding: Option<String>,
}

pub(super) fn open(path: &Path, options: &ReadOptions) -> Result<OpenedLayer> {
    let asked = options.encoding.as_deref();
    let mut notices = Vec::new();
    let crs = side_file(path, &mut notices);
    let table = beside(path, "dbf");
    let fields = match table.exists() {
        true => {
            let mut reader = DbfReader::open(&table, asked)?;
            notices.append(&mut reader.notices);
            reader.fields
        }
        false => {
            notices.push(Notice::warning(
                NoticeKind::Unreadable,
                format!("there is no {}: the features have no attributes", table.display()),
            ));
            Vec::new()
        }
    };
    let mut texts = vec![false; fields.len()];
    let mut whole = vec![true; fields.len()];
    let mut learn = SchemaInference::default();
    let (mut left_out, mut deleted) = (LeftOut::default(), 0u64);
    let mut column = GeometryColumn::new();
    let cut = each_record(path, asked, &mut |record| {
        match record {
            Record::Deleted => deleted += 1,
            Record::Unreadable(why, _) => left_out.add("", &why),
            Record::Feature(bytes, row) => {
                column = GeometryColumn::new();
                if let Err(unread) = shape::read(bytes, &mut column) {
                    let record = learn.count + left_out.count + 1;
                    left_out.add("", &format!("record {record}: {}", unread.why));
                    return Ok(());
                }
                learn.geometry(&column);
                for (at, _) in row.iter().flat_map(|row| &row.wrong) {
                    texts[*at] = true;
                }
                for (value, whole) in row.iter().flat_map(|row| &row.values).zip(&mut whole) {
                    *whole &= !matches!(value, Value::Real(_));
                }
            }
        }
        Ok(())
    })?;
    notices.extend(left_out.notice());
    if let Some(cut) = cut {
        notices.push(Notice::warning(NoticeKind::Unreadable, cut));
    }
    if deleted > 0 {
        notices.push(
            Notice::note(
                NoticeKind::Unreadable,
                format!("rows that are marked as deleted are left out: {deleted}"),
            )
            .count(deleted),
        );
    }
    if learn.count == 0 && left_out.count > 0 {
        return Err(Error::data(format!(
            "is damaged: nothing of it can be read. {}",
            left_out.first()
        ))
        .in_file(path));
    }
    let schema: Vec<Field> = fields
        .iter()
        .enumerate()
        .map(|(at, field)| {
            let kind = match field.kind {
                _ if texts[at] => DataType::Utf8,
                _ if field.is_whole() && whole[at] => DataType::Int64,
                _ if field.is_number() => DataType::Float64,
                b'L' => DataType::Boolean,
                _ => DataType::Utf8,
            };
            let declared = match field.kind {
                b'D' if !texts[at] => "DATE",
                b'T' | b'@' => "DATETIME",
                _ => return Field::new(&field.name, kind, true),
            };
            let metadata = HashMap::from([(DECLARED.to_string(), declared.to_string())]);
            Field::new(&field.name, kind, true).with_metadata(metadata)
        })
        .collect();
    let name = path.file_stem().map_or("layer".into(), |stem| stem.to_string_lossy().into_owned());
    let origin = if crs.is_some() { CrsOrigin::SideFile } else { CrsOrigin::Given };
    let info = learn.info(&name, crs, origin, schema);
    Ok((
        info,
        Box::new(Shapefile { path: path.to_path_buf(), texts, encoding: options.encoding.clone() }),
        notices,
    ))
}

fn side_file(path: &Path, notices: &mut Vec<Notice>) -> Option<velvet_peg_core::Crs> {
    let file = beside(path, "prj");
    if !file.exists() {
        return None;
    }
    match definition_file(&file) {
        Ok(crs) => Some(crs),
        Err(error) => {
            notices.push(Notice::warning(
                NoticeKind::System,
                format!(
                    "the side file of the reference system cannot be read, so the layer counts as \
                     having none: {error}"
                ),
            ));
            None
        }
    }
}

impl Source for Shapefile {
    fn read(&self, info: &LayerInfo, each: &mut dyn FnMut(Batch) -> Result<()>) -> Result<()> {
        let mut gather = BatchBuilder::new(info.schema.clone(), each);
        each_record(&self.path, self.encoding.as_deref(), &mut |record| match record {
            Record::Deleted => Ok(()),
            Record::Unreadable(why, values) => {
                gather.unreadable(Unreadable::new(why).with_values(&info.schema, &values))
            }
            Record::Feature(bytes, row) => {
                let mut values = row.as_ref().map_or(Vec::new(), |row| row.values.clone());
                for (at, text) in row.into_iter().flat_map(|row| row.wrong) {
                    if self.texts[at] {
                        values[at] = Value::Text(text);
                    }
                }
                match shape::read(bytes, gather.geometry()) {
                    Ok(()) => gather.feature(values),
                    Err(unread) => gather
                        .unreadable(Unreadable::new(unread).with_values(&info.schema, &values)),
                }
            }
        })?;
        gather.finish()
    }
}

/// What stands at one place of the two files.
enum Record<'a> {
    Feature(&'a [u8], Option<DbfRecord>),
    /// The row of attributes is marked as deleted.
    Deleted,
    /// Why, and the attributes that are there.
    Unreadable(String, Vec<Value>),
}

/// Runs through the records of a file with their attributes; gives what is wrong with the file
/// as a whole, if something is.
fn each_record(
    path: &Path,
    encoding: Option<&str>,
    each: &mut dyn FnMut(Record<'_>) -> Result<()>,
) -> Result<Option<String>> {
    let failed = |e| Error::file(path, "cannot be read", e);
    let file = File::open(path).map_err(failed)?;
    let length = file.metadata().map_err(failed)?.len();
    let mut input = BufReader::with_capacity(1 << 16, file);
    let mut head = [0; HEADER as usize];
    let begins = input.read_exact(&mut head).is_ok() && head[..4] == 9994_i32.to_be_bytes();
    if !begins {
        return Err(Error::data("is damaged: it does not begin like a Shapefile").in_file(path));
    }
    let stated = 2 * u64::from(u32::from_be_bytes([head[24], head[25], head[26], head[27]]));
    let table = beside(path, "dbf");
    let mut rows = if table.exists() { Some(DbfReader::open(&table, encoding)?) } else { None };
    let mut index = Index::open(&beside(path, "shx"));
    let mut at = HEADER;
    let mut number = 0u64;
    let mut bytes = Vec::new();
    let mut lost = None;
    while at < length && lost.is_none() {
        number += 1;
        let row = match &mut rows {
            Some(rows) => rows.next().map_err(|e| Error::file(&table, "cannot be read", e))?,
            None => None,
        };
        if let Some(index) = &mut index {
            index.step();
        }
        let content = record(&mut input, &mut at, length, &mut bytes).map_err(failed)?;
        if row.as_ref().is_some_and(|row| row.deleted) {
            each(Record::Deleted)?;
        } else if content {
            each(Record::Feature(&bytes, row))?;
        } else {
            let values = row.map_or(Vec::new(), |row| row.values);
            let why = format!("record {number} of the shapes is cut off or damaged");
            each(Record::Unreadable(why, values))?;
        }
        if !content {
            // The index knows where the next record begins.
            let next = index.as_ref().and_then(|index| index.next).filter(|next| *next < length);
            match next {
                Some(next) => {
                    at = next;
                    input.seek(SeekFrom::Start(at)).map_err(failed)?;
                }
                None => lost = Some(number),
            }
        }
    }
    // Attributes whose shapes are gone.
    while let Some(rows) = &mut rows {
        let row = rows.next().map_err(|e| Error::file(&table, "cannot be read", e))?;
        let Some(row) = row else { break };
        if row.deleted {
            each(Record::Deleted)?;
            continue;
        }
        let why = "there are attributes, but no shape that can be read".to_string();
        each(Record::Unreadable(why, row.values))?;
    }
    let rows_count = rows.as_ref().map(|rows| rows.count);
    let wrong = if length < stated {
        Some(format!(
            "the file is damaged: it has {length} bytes where it says {stated}; its end is missing"
        ))
    } else if let Some(rows) = rows.filter(|rows| rows.count > number) {
        Some(format!("the attributes have {} rows, and there are {number} shapes", rows.count))
    } else {
        let table = rows_count.filter(|count| *count < number);
        table.map(|count| {
            format!(
                "the attributes have {count} rows, and there are {number} shapes: the last {} have \
                 none",
                number - count
            )
        })
    };
    Ok(wrong)
}

/// Reads the content of the record at a place and steps behind it; false if it is damaged.
fn record(
    input: &mut BufReader<File>,
    at: &mut u64,
    length: u64,
    bytes: &mut Vec<u8>,
) -> std::io::Result<bool> {
    let mut head = [0; 8];
    match input.read_exact(&mut head) {
        Ok(()) => {}
        Err(e) if e.kind() == ErrorKind::UnexpectedEof => return Ok(false),
        Err(e) => return Err(e),
    }
    let size = 2 * u64::from(u32::from_be_bytes([head[4], head[5], head[6], head[7]]));
    if !(4..=MOST_BYTES).contains(&size) || *at + 8 + size > length {
        return Ok(false);
    }
    bytes.resize(size as usize, 0);
    input.read_exact(bytes)?;
    *at += 8 + size;
    Ok(true)
}

/// The index of records, run through beside them.
struct Index {
    input: BufReader<File>,
    /// Where the record behind the present one begins.
    next: Option<u64>,
    started: bool,
}

impl Index {
    fn open(path: &Path) -> Option<Index> {
        let mut input = BufReader::new(File::open(path).ok()?);
        let mut head = [0; HEADER as usize];
        input.read_exact(&mut head).ok()?;
        Some(Index { input, next: None, started: false })
    }

    fn step(&mut self) {
        let mut read = || -> Option<u64> {
            let mut entry = [0; 8];
            self.input.read_exact(&mut entry).ok()?;
            Some(2 * u64::from(u32::from_be_bytes([entry[0], entry[1], entry[2], entry[3]])))
        };
        if !self.started {
            read();
        }
        self.next = read();
        self.started = true;
    }
}
