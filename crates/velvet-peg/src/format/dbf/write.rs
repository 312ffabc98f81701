//! Writing tables of attributes.

use std::fs::File;
use std::io::{BufWriter, Seek, SeekFrom, Write};

/// A field to be written.
#[derive(Clone, Debug)]
pub(in crate::format) struct Column {
    pub(in crate::format) name: String,
    pub(in crate::format) kind: u8,
    pub(in crate::format) width: usize,
    pub(in crate::format) decimals: usize,
}

/// Bytes of a record that readers take.
pub(in crate::format) const MOST_RECORD: usize = 65_500;

/// Writes a table.
pub(in crate::format) struct DbfWriter {
    out: BufWriter<File>,
    columns: Vec<Column>,
    /// The record being written.
    record: Vec<u8>,
    /// Its next field.
    next: usize,
    count: u32,
}

impl DbfWriter {
    pub(in crate::format) fn create(
        file: File,
        columns: Vec<Column>,
    ) -> std::io::Result<DbfWriter> {
        let mut out = BufWriter::with_capacity(1 << 16, file);
        write_head(&mut out, &columns, 0)?;
        Ok(DbfWriter { out, columns, record: vec![b' '], next: 0, count: 0 })
    }

    /// Gives the record being written its next field: a text that fits it, with so many zeros behind.
    pub(in crate::format) fn push_field(&mut self, text: &[u8], zeros: usize) {
        let Some(column) = self.columns.get(self.next) else { return };
        self.next += 1;
        let pad = column.width.saturating_sub(text.len() + zeros);
        let left = column.kind == b'N';
        if left {
            self.record.resize(self.record.len() + pad, b' ');
        }
        let end = self.record.len() + column.width.min(text.len());
        self.record.extend(&text[..text.len().min(column.width)]);
        self.record.resize(end + zeros, b'0');
        if !left {
            self.record.resize(self.record.len() + pad, b' ');
        }
    }

    /// Writes the record.
    pub(in crate::format) fn end_record(&mut self) -> std::io::Result<()> {
        self.out.write_all(&self.record)?;
        self.record.truncate(1);
        self.next = 0;
        self.count += 1;
        Ok(())
    }

    pub(in crate::format) fn finish(mut self) -> std::io::Result<()> {
        self.out.write_all(&[0x1a])?;
        self.out.seek(SeekFrom::Start(0))?;
        write_head(&mut self.out, &self.columns, self.count)?;
        self.out.flush()
    }
}

fn write_head(out: &mut impl Write, columns: &[Column], count: u32) -> std::io::Result<()> {
    let size: usize = 1 + columns.iter().map(|column| column.width).sum::<usize>();
    let mut head = vec![0; 32];
    // A date of the last change that does not make two runs differ.
    head[..4].copy_from_slice(&[3, 100, 1, 1]);
    head[4..8].copy_from_slice(&count.to_le_bytes());
    head[8..10].copy_from_slice(&((32 + 32 * columns.len() + 1) as u16).to_le_bytes());
    head[10..12].copy_from_slice(&(size as u16).to_le_bytes());
    for column in columns {
        let mut entry = [0; 32];
        let name = column.name.as_bytes();
        entry[..name.len().min(10)].copy_from_slice(&name[..name.len().min(10)]);
        entry[11] = column.kind;
        entry[16] = column.width as u8;
        entry[17] = column.decimals as u8;
        head.extend(entry);
    }
    head.push(0x0d);
    out.write_all(&head)
}
