//! Pieces of a file copied in another order than they stand there: many at a time, read in the order of
//! the file and with what lies between neighbours, so that there are few and longer readings.

use std::fs::File;
use std::io::{Read, Result, Seek, SeekFrom, Write};

/// Bytes that are gathered before they are written.
const MOST: u64 = 16 << 20;

/// Bytes between two pieces that are read along with them: another reading takes as long.
const BETWEEN: u64 = 4 << 10;

/// Bytes of one reading, where a piece is not larger.
const READING: u64 = 256 << 10;

/// Pieces of a file on their way.
pub(super) struct Gathering {
    from: File,
    /// Where each stands in the file, its size, and where it goes among those gathered.
    pieces: Vec<(u64, u64, usize)>,
    bytes: u64,
    gathered: Vec<u8>,
    read: Vec<u8>,
}

impl Gathering {
    pub(super) fn new(from: File) -> Gathering {
        Gathering { from, pieces: Vec::new(), bytes: 0, gathered: Vec::new(), read: Vec::new() }
    }

    /// Adds the next piece, and writes those that there are where they are many.
    pub(super) fn add(&mut self, at: u64, size: u64, to: &mut impl Write) -> Result<()> {
        if self.bytes > 0 && self.bytes + size > MOST {
            self.put(to)?;
        }
        self.pieces.push((at, size, self.bytes as usize));
        self.bytes += size;
        Ok(())
    }

    /// Writes the pieces that there are.
    pub(super) fn put(&mut self, to: &mut impl Write) -> Result<()> {
        self.gathered.resize(self.bytes as usize, 0);
        self.pieces.sort_unstable();
        let mut left = self.pieces.as_slice();
        while let Some((start, size, _)) = left.first().copied() {
            let mut end = start + size;
            let mut count = 1;
            while let Some((at, size, _)) = left.get(count)
                && *at <= end + BETWEEN
                && at + size <= start + READING
            {
                end = end.max(at + size);
                count += 1;
            }
            let (together, others) = left.split_at(count);
            left = others;
            self.read.resize((end - start) as usize, 0);
            self.from.seek(SeekFrom::Start(start))?;
            self.from.read_exact(&mut self.read)?;
            for (at, size, place) in together {
                let from = (at - start) as usize;
                let piece = &self.read[from..from + *size as usize];
                self.gathered[*place..*place + piece.len()].copy_from_slice(piece);
            }
        }
        to.write_all(&self.gathered)?;
        self.pieces.clear();
        self.bytes = 0;
        Ok(())
    }
}
