//! The rows of a sheet as they were read, to be run through several times: in memory as long as they
//! are few, else in a temporary file.

use crate::format_support::CellType;
use crate::output::TemporaryFolder;
use std::fs::File;
use std::io::{self, BufReader, BufWriter, Cursor, Read, Write};
use std::path::PathBuf;
use std::sync::Arc;

/// Bytes that are held in memory.
const HELD: usize = 4 << 20;

/// A cell: its column from 0, its text, and what it is.
pub(super) type SpooledCell = (u32, String, CellType);

/// The types of cells by their numbers in the file.
const TYPES: [CellType; 8] = [
    CellType::Blank,
    CellType::Untyped,
    CellType::Text,
    CellType::Number,
    CellType::YesNo,
    CellType::Date,
    CellType::Time,
    CellType::DateTime,
];

/// Takes rows.
#[derive(Default)]
pub(super) struct SpoolWriter {
    held: Vec<u8>,
    file: Option<(BufWriter<File>, TemporaryFolder, PathBuf)>,
    bytes: u64,
}

impl SpoolWriter {
    /// Takes a row by its number from 0.
    pub(super) fn row(&mut self, row: u32, cells: &[SpooledCell]) -> io::Result<()> {
        let mut bytes = Vec::with_capacity(cells.len() * 24);
        bytes.extend(row.to_le_bytes());
        bytes.extend((cells.len() as u32).to_le_bytes());
        for (column, text, kind) in cells {
            let kind = TYPES.iter().position(|known| known == kind).unwrap_or(1);
            bytes.extend(column.to_le_bytes());
            bytes.push(kind as u8);
            bytes.extend((text.len() as u32).to_le_bytes());
            bytes.extend(text.as_bytes());
        }
        self.bytes += bytes.len() as u64;
        if let Some((file, ..)) = &mut self.file {
            return file.write_all(&bytes);
        }
        self.held.append(&mut bytes);
        if self.held.len() > HELD {
            let folder = TemporaryFolder::new()?;
            let path = folder.path().join("rows");
            let mut file = BufWriter::with_capacity(1 << 16, File::create(&path)?);
            file.write_all(&self.held)?;
            self.held = Vec::new();
            self.file = Some((file, folder, path));
        }
        Ok(())
    }

    pub(super) fn finish(self) -> io::Result<Spool> {
        let store = match self.file {
            None => Store::Held(self.held.into()),
            Some((mut file, folder, path)) => {
                file.flush()?;
                Store::File { path, _folder: folder }
            }
        };
        Ok(Spool { store, bytes: self.bytes })
    }
}

/// The rows that were taken.
pub(super) struct Spool {
    store: Store,
    pub(super) bytes: u64,
}

enum Store {
    Held(Arc<[u8]>),
    File { path: PathBuf, _folder: TemporaryFolder },
}

impl Spool {
    /// Runs through the rows from the first.
    pub(super) fn read(&self) -> io::Result<SpoolReader> {
        let input: Box<dyn Read + Send> = match &self.store {
            Store::Held(bytes) => Box::new(Cursor::new(bytes.clone())),
            Store::File { path, .. } => {
                Box::new(BufReader::with_capacity(1 << 16, File::open(path)?))
            }
        };
        Ok(SpoolReader { input, read: 0, bytes: self.bytes })
    }
}

/// Runs through rows.
pub(super) struct SpoolReader {
    input: Box<dyn Read + Send>,
    pub(super) read: u64,
    bytes: u64,
}

impl SpoolReader {
    /// The next row into `cells`, and its number from 0; none behind the last.
    pub(super) fn next(&mut self, cells: &mut Vec<SpooledCell>) -> io::Result<Option<u32>> {
        cells.clear();
        if self.read >= self.bytes {
            return Ok(None);
        }
        let row = self.number()?;
        for _ in 0..self.number()? {
            let column = self.number()?;
            let mut kind = [0];
            self.input.read_exact(&mut kind)?;
            let mut text = vec![0; self.number()? as usize];
            self.input.read_exact(&mut text)?;
            self.read += 1 + text.len() as u64;
            let text = String::from_utf8(text).map_err(io::Error::other)?;
            let kind = TYPES.get(usize::from(kind[0])).copied().unwrap_or_default();
            cells.push((column, text, kind));
        }
        Ok(Some(row))
    }

    fn number(&mut self) -> io::Result<u32> {
        let mut bytes = [0; 4];
        self.input.read_exact(&mut bytes)?;
        self.read += 4;
        Ok(u32::from_le_bytes(bytes))
    }
}
