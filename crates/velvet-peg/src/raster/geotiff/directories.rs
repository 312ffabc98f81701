//! The directories of a TIFF file, as far as they have to be known before it is decoded.
//!
//! The decoder takes numbers for shades and colours where it can, drops bands that it has no colour for,
//! and refuses lists of colours. What numbers stand for is settled here; so the decoder is told that all
//! are shades, by showing it other bytes where the file says what they are. And it reads tiles at the edge
//! row by row, which fails with some that are packed by LZW; so it is told that the picture ends with its
//! last tile.

use std::fs::File;
use std::io::{BufReader, Error, ErrorKind, Read, Result, Seek, SeekFrom};

/// Tag of what numbers stand for.
const PHOTOMETRIC: u16 = 262;
/// Tags of columns and rows, of the picture and of a tile.
const SIZE: [u16; 2] = [256, 257];
const TILE: [u16; 2] = [322, 323];
/// Tag of what a directory is of: bit 0 a smaller copy, bit 2 a mask.
const KIND: u16 = 254;
/// More directories than a file has.
const MOST: usize = 1024;

/// What was found of a directory.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Found {
    /// What numbers stand for, and where the file says so.
    pub(super) photometric: Option<u16>,
    pub(super) kind: u32,
    /// Columns and rows.
    pub(super) size: [u64; 2],
    tile: [u64; 2],
}

/// Where a number stands, and in how many bytes.
#[derive(Clone, Copy, Default)]
struct Place {
    at: u64,
    bytes: usize,
}

/// The directories of a file, and the bytes to show in place of its own.
#[derive(Clone, Debug, Default)]
pub(super) struct Directories {
    pub(super) found: Vec<Found>,
    shown: Vec<(u64, Vec<u8>)>,
}

struct Bytes<'a> {
    file: &'a mut BufReader<File>,
    little: bool,
}

impl Bytes<'_> {
    fn number(&mut self, bytes: usize) -> Result<u64> {
        let mut read = [0u8; 8];
        self.file.read_exact(&mut read[..bytes])?;
        let fold = |sum: u64, byte: &u8| sum << 8 | u64::from(*byte);
        Ok(match self.little {
            true => read[..bytes].iter().rev().fold(0, fold),
            false => read[..bytes].iter().fold(0, fold),
        })
    }
}

impl Directories {
    /// Shows another number in a place.
    fn show(&mut self, place: Place, value: u64, little: bool) {
        let bytes = value.to_le_bytes();
        let shown = match little {
            true => bytes[..place.bytes].to_vec(),
            false => bytes[..place.bytes].iter().rev().copied().collect(),
        };
        self.shown.push((place.at, shown));
    }

    pub(super) fn read(file: File) -> Result<Directories> {
        let mut file = BufReader::new(file);
        let mut order = [0u8; 2];
        file.read_exact(&mut order)?;
        let mut bytes = Bytes { file: &mut file, little: &order == b"II" };
        let big = bytes.number(2)? == 43;
        if big {
            bytes.number(4)?;
        }
        let wide = if big { 8 } else { 4 };
        let mut at = bytes.number(wide)?;
        let mut directories = Directories::default();
        let mut seen = Vec::new();
        while at != 0 {
            if seen.contains(&at) || seen.len() == MOST {
                return Err(Error::new(ErrorKind::InvalidData, "its directories go in a circle"));
            }
            seen.push(at);
            bytes.file.seek(SeekFrom::Start(at))?;
            let count = bytes.number(if big { 8 } else { 2 })?;
            if count > u64::from(u16::MAX) {
                return Err(Error::new(ErrorKind::InvalidData, "a directory has too many entries"));
            }
            let (begin, size) = (at + if big { 8 } else { 2 }, if big { 20 } else { 12 });
            let mut found = Found::default();
            let (mut photometric, mut sizes) = (None, [Place::default(); 2]);
            for entry in 0..count {
                let tag = bytes.number(2)? as u16;
                let kind = bytes.number(2)?;
                bytes.number(wide)?;
                let value_at = begin + entry * size + if big { 12 } else { 8 };
                // Short numbers stand at the beginning of their place.
                let size_of = match kind {
                    3 => 2,
                    16 if big => 8,
                    _ => 4,
                };
                let value = bytes.number(size_of)?;
                let place = Place { at: value_at, bytes: size_of };
                bytes.file.seek(SeekFrom::Start(begin + (entry + 1) * size))?;
                match tag {
                    PHOTOMETRIC => {
                        found.photometric = u16::try_from(value).ok();
                        photometric = Some(place);
                    }
                    KIND => found.kind = value as u32,
                    _ => {}
                }
                for which in 0..2 {
                    if tag == SIZE[which] {
                        (found.size[which], sizes[which]) = (value, place);
                    } else if tag == TILE[which] {
                        found.tile[which] = value;
                    }
                }
            }
            let little = bytes.little;
            if let Some(place) = photometric {
                directories.show(place, u64::from(super::tags::BLACK_IS_ZERO), little);
            }
            for (which, place) in sizes.into_iter().enumerate() {
                let (size, tile) = (found.size[which], found.tile[which]);
                if tile > 0 && place.bytes > 0 {
                    let padded = size.div_ceil(tile).saturating_mul(tile);
                    // What does not fit into the place is left as it is.
                    if padded < 1 << (8 * place.bytes.min(7)) {
                        directories.show(place, padded, little);
                    }
                }
            }
            at = bytes.number(wide)?;
            directories.found.push(found);
        }
        Ok(directories)
    }
}

/// A file that shows other bytes in some places.
pub(super) struct Overlaid {
    file: BufReader<File>,
    at: u64,
    shown: Vec<(u64, Vec<u8>)>,
}

impl Overlaid {
    pub(super) fn new(file: File, directories: &Directories) -> Overlaid {
        Overlaid {
            file: BufReader::with_capacity(1 << 16, file),
            at: 0,
            shown: directories.shown.clone(),
        }
    }
}

impl Read for Overlaid {
    fn read(&mut self, buffer: &mut [u8]) -> Result<usize> {
        let count = self.file.read(buffer)?;
        for (place, bytes) in &self.shown {
            for (place, byte) in (*place..).zip(bytes) {
                if let Some(offset) = place.checked_sub(self.at)
                    && offset < count as u64
                {
                    buffer[offset as usize] = *byte;
                }
            }
        }
        self.at += count as u64;
        Ok(count)
    }
}

impl Seek for Overlaid {
    fn seek(&mut self, to: SeekFrom) -> Result<u64> {
        let to = match to {
            // What is in memory stays there for short ways.
            SeekFrom::Start(to) => {
                self.file.seek_relative(i64::try_from(to).unwrap_or(i64::MAX) - self.at as i64)?;
                to
            }
            other => self.file.seek(other)?,
        };
        self.at = to;
        Ok(to)
    }
}
