//! TIFF files made and read byte by byte, without the library and without the crate that it decodes with.

use std::collections::BTreeMap;
use std::io::{Read, Write};
use std::path::Path;
use velvet_peg::raster::SampleType;

/// What a file is to be.
#[derive(Clone)]
pub struct Made {
    pub size: (usize, usize),
    pub bands: usize,
    pub bits: usize,
    /// 1 whole, 2 whole with a sign, 3 with decimals.
    pub form: u16,
    pub photometric: u16,
    pub planar: bool,
    pub compression: u16,
    pub predictor: u16,
    pub tile: Option<(usize, usize)>,
    pub rows_per_strip: usize,
    pub big: bool,
    pub big_endian: bool,
    /// Further tags: number, type, values.
    pub tags: Vec<(u16, u16, Vec<f64>)>,
    pub texts: Vec<(u16, String)>,
}

impl Default for Made {
    fn default() -> Made {
        Made {
            size: (37, 23),
            bands: 1,
            bits: 8,
            form: 1,
            photometric: 1,
            planar: false,
            compression: 1,
            predictor: 1,
            tile: None,
            rows_per_strip: 7,
            big: false,
            big_endian: false,
            tags: Vec::new(),
            texts: Vec::new(),
        }
    }
}

/// Tags of a place: north up, from the north-western corner and the size of a pixel.
pub fn placed(corner: (f64, f64), pixel: f64) -> Vec<(u16, u16, Vec<f64>)> {
    vec![
        (33550, 12, vec![pixel, pixel, 0.0]),
        (33922, 12, vec![0.0, 0.0, 0.0, corner.0, corner.1, 0.0]),
    ]
}

/// Tags of keys of one short number each.
pub fn keys(keys: &[(u16, u16)]) -> (u16, u16, Vec<f64>) {
    let mut directory = vec![1, 1, 0, keys.len() as u16];
    keys.iter().for_each(|(key, value)| directory.extend([*key, 0, 1, *value]));
    (34735, 3, directory.into_iter().map(f64::from).collect())
}

impl Made {
    fn number(&self, out: &mut Vec<u8>, value: u64, bytes: usize) {
        let all = value.to_le_bytes();
        match self.big_endian {
            true => out.extend(all[..bytes].iter().rev()),
            false => out.extend(&all[..bytes]),
        }
    }

    fn value(&self, out: &mut Vec<u8>, value: f64, kind: u16) {
        match kind {
            1 => self.number(out, value as u64, 1),
            3 => self.number(out, value as u64, 2),
            4 => self.number(out, value as u64, 4),
            12 => self.number(out, value.to_bits(), 8),
            16 => self.number(out, value as u64, 8),
            other => panic!("no type {other}"),
        }
    }

    fn sample(&self, value: f64) -> u64 {
        match (self.form, self.bits) {
            (3, 32) => u64::from((value as f32).to_bits()),
            (3, 64) => value.to_bits(),
            (2, bits) => (value as i64 as u64) & (u64::MAX >> (64 - bits)),
            _ => value as u64,
        }
    }

    /// A row of samples as bytes, packed and predicted.
    fn row(&self, samples: &[u64], bands: usize) -> Vec<u8> {
        let bytes = self.bits / 8;
        if self.bits < 8 {
            let mut out = vec![0u8; (samples.len() * self.bits).div_ceil(8)];
            for (at, sample) in samples.iter().enumerate() {
                let bit = at * self.bits;
                out[bit / 8] |= (*sample as u8) << (8 - self.bits - bit % 8);
            }
            return out;
        }
        let mask = u64::MAX >> (64 - self.bits);
        let mut out = Vec::new();
        match self.predictor {
            2 => {
                for (at, sample) in samples.iter().enumerate() {
                    let before = if at < bands { 0 } else { samples[at - bands] };
                    self.number(&mut out, sample.wrapping_sub(before) & mask, bytes);
                }
            }
            3 => {
                // The highest bytes of all, then the next.
                for rank in (0..bytes).rev() {
                    out.extend(samples.iter().map(|sample| sample.to_le_bytes()[rank]));
                }
                for at in (bands..out.len()).rev() {
                    out[at] = out[at].wrapping_sub(out[at - bands]);
                }
            }
            _ => samples.iter().for_each(|sample| self.number(&mut out, *sample, bytes)),
        }
        out
    }

    fn packed(&self, bytes: &[u8]) -> Vec<u8> {
        match self.compression {
            1 => bytes.to_vec(),
            5 => weezl::encode::Encoder::with_tiff_size_switch(weezl::BitOrder::Msb, 8)
                .encode(bytes)
                .unwrap(),
            8 => {
                let mut encoder =
                    flate2::write::ZlibEncoder::new(Vec::new(), flate2::Compression::default());
                encoder.write_all(bytes).unwrap();
                encoder.finish().unwrap()
            }
            // PackBits: as they are, 128 bytes at most a time.
            32773 => bytes
                .chunks(128)
                .flat_map(|part| [&[part.len() as u8 - 1], part].concat())
                .collect(),
            50000 => zstd::encode_all(bytes, 0).unwrap(),
            other => panic!("no compression {other}"),
        }
    }

    /// The file, with the number of each column, row and band.
    pub fn bytes(&self, number: impl Fn(usize, usize, usize) -> f64) -> Vec<u8> {
        let (columns, rows) = self.size;
        let (wide, high) = self.tile.unwrap_or((columns, self.rows_per_strip));
        let groups: Vec<Vec<usize>> = match self.planar {
            true => (0..self.bands).map(|band| vec![band]).collect(),
            false => vec![(0..self.bands).collect()],
        };
        let mut pieces = Vec::new();
        for bands in &groups {
            for top in (0..rows).step_by(high) {
                for left in (0..columns).step_by(wide) {
                    // Strips end with the picture, tiles do not.
                    let end = if self.tile.is_some() { top + high } else { (top + high).min(rows) };
                    let mut bytes = Vec::new();
                    for row in top..end {
                        let mut samples = Vec::new();
                        for column in left..left + wide {
                            for band in bands {
                                let inside = row < rows && column < columns;
                                let value = if inside { number(column, row, *band) } else { 0.0 };
                                samples.push(self.sample(value));
                            }
                        }
                        bytes.extend(self.row(&samples, bands.len()));
                    }
                    pieces.push(self.packed(&bytes));
                }
            }
        }
        self.laid_out(&pieces)
    }

    fn laid_out(&self, pieces: &[Vec<u8>]) -> Vec<u8> {
        let offset_type = if self.big { 16 } else { 4 };
        let (columns, rows) = (self.size.0 as f64, self.size.1 as f64);
        let head = if self.big { 16 } else { 8 };
        let mut at = head as f64;
        let mut offsets = Vec::new();
        for piece in pieces {
            offsets.push(at);
            at += piece.len() as f64;
        }
        let counts: Vec<f64> = pieces.iter().map(|piece| piece.len() as f64).collect();
        let mut entries: BTreeMap<u16, (u16, Vec<f64>)> = BTreeMap::from([
            (256, (4, vec![columns])),
            (257, (4, vec![rows])),
            (258, (3, vec![self.bits as f64; self.bands])),
            (259, (3, vec![f64::from(self.compression)])),
            (262, (3, vec![f64::from(self.photometric)])),
            (277, (3, vec![self.bands as f64])),
            (284, (3, vec![if self.planar { 2.0 } else { 1.0 }])),
            (339, (3, vec![f64::from(self.form); self.bands])),
        ]);
        if self.predictor > 1 {
            entries.insert(317, (3, vec![f64::from(self.predictor)]));
        }
        match self.tile {
            Some((wide, high)) => {
                entries.insert(322, (4, vec![wide as f64]));
                entries.insert(323, (4, vec![high as f64]));
                entries.insert(324, (offset_type, offsets));
                entries.insert(325, (4, counts));
            }
            None => {
                entries.insert(273, (offset_type, offsets));
                entries.insert(278, (4, vec![self.rows_per_strip as f64]));
                entries.insert(279, (4, counts));
            }
        }
        for (tag, kind, values) in &self.tags {
            entries.insert(*tag, (*kind, values.clone()));
        }
        for (tag, text) in &self.texts {
            let bytes = text.bytes().chain([0]).map(f64::from).collect();
            // Texts are bytes of another type.
            entries.insert(*tag, (2, bytes));
        }
        let mut out: Vec<u8> = if self.big_endian { b"MM".to_vec() } else { b"II".to_vec() };
        let body: Vec<u8> = pieces.concat();
        let directory = head + body.len() + body.len() % 2;
        match self.big {
            true => {
                self.number(&mut out, 43, 2);
                self.number(&mut out, 8, 2);
                self.number(&mut out, 0, 2);
                self.number(&mut out, directory as u64, 8);
            }
            false => {
                self.number(&mut out, 42, 2);
                self.number(&mut out, directory as u64, 4);
            }
        }
        out.extend(&body);
        out.resize(directory, 0);
        let (count_bytes, entry, room) = if self.big { (8, 20, 8) } else { (2, 12, 4) };
        self.number(&mut out, entries.len() as u64, count_bytes);
        let mut far = directory + count_bytes + entries.len() * entry + room;
        let mut behind = Vec::new();
        for (tag, (kind, values)) in &entries {
            self.number(&mut out, u64::from(*tag), 2);
            self.number(&mut out, u64::from(*kind), 2);
            self.number(&mut out, values.len() as u64, room);
            let mut bytes = Vec::new();
            let written = if *kind == 2 { 1 } else { *kind };
            values.iter().for_each(|value| self.value(&mut bytes, *value, written));
            if bytes.len() <= room {
                bytes.resize(room, 0);
                out.extend(bytes);
            } else {
                self.number(&mut out, far as u64, room);
                far += bytes.len();
                behind.extend(bytes);
            }
        }
        self.number(&mut out, 0, room);
        out.extend(behind);
        out
    }
}

/// A directory of a file of the lowest byte first, as it was read.
pub struct Directory {
    pub tags: BTreeMap<u16, Vec<f64>>,
    pub texts: BTreeMap<u16, String>,
}

fn number(bytes: &[u8], at: usize, count: usize) -> u64 {
    bytes[at..at + count].iter().rev().fold(0, |sum, byte| sum << 8 | u64::from(*byte))
}

/// The directories of a standard file of the lowest byte first.
pub fn directories(bytes: &[u8]) -> Vec<Directory> {
    assert_eq!(&bytes[..4], b"II*\0");
    let mut at = number(bytes, 4, 4) as usize;
    let mut found = Vec::new();
    while at != 0 {
        let count = number(bytes, at, 2) as usize;
        let mut directory = Directory { tags: BTreeMap::new(), texts: BTreeMap::new() };
        for entry in 0..count {
            let place = at + 2 + entry * 12;
            let tag = number(bytes, place, 2) as u16;
            let kind = number(bytes, place + 2, 2);
            let many = number(bytes, place + 4, 4) as usize;
            let size = match kind {
                1 | 2 => 1,
                3 => 2,
                4 => 4,
                12 => 8,
                other => panic!("type {other} of tag {tag}"),
            };
            let from =
                if many * size > 4 { number(bytes, place + 8, 4) as usize } else { place + 8 };
            if kind == 2 {
                let text = String::from_utf8(bytes[from..from + many].to_vec()).unwrap();
                directory.texts.insert(tag, text.trim_end_matches('\0').to_string());
                continue;
            }
            let values = (0..many).map(|n| {
                let raw = number(bytes, from + n * size, size);
                if kind == 12 { f64::from_bits(raw) } else { raw as f64 }
            });
            directory.tags.insert(tag, values.collect());
        }
        at = number(bytes, at + 2 + count * 12, 4) as usize;
        found.push(directory);
    }
    found
}

impl Directory {
    pub fn one(&self, tag: u16) -> f64 {
        self.tags[&tag][0]
    }

    /// The keys: of each its own value, or the figure or text that it leads to.
    pub fn keys(&self) -> BTreeMap<u16, String> {
        let directory = &self.tags[&34735];
        let mut keys = BTreeMap::new();
        for entry in directory.chunks(4).skip(1) {
            let (count, value) = (entry[2] as usize, entry[3] as usize);
            let said = match entry[1] as u16 {
                0 => value.to_string(),
                34736 => self.tags[&34736][value].to_string(),
                34737 => self.texts[&34737][value..value + count - 1].to_string(),
                other => panic!("key in tag {other}"),
            };
            keys.insert(entry[0] as u16, said);
        }
        keys
    }

    /// The numbers of a file of deflated tiles: by row, column and band.
    pub fn numbers(&self, bytes: &[u8]) -> Vec<Vec<Vec<f64>>> {
        let [columns, rows, bits, bands, predictor, wide, high, form] =
            [256, 257, 258, 277, 317, 322, 323, 339].map(|tag| self.one(tag) as usize);
        assert_eq!(self.one(259), 8.0);
        let size = bits / 8;
        let mut found = vec![vec![vec![0.0; bands]; columns]; rows];
        let across = columns.div_ceil(wide);
        for (tile, offset) in self.tags[&324].iter().enumerate() {
            let (offset, length) = (*offset as usize, self.tags[&325][tile] as usize);
            let mut raw = Vec::new();
            let packed = &bytes[offset..offset + length];
            flate2::read::ZlibDecoder::new(packed).read_to_end(&mut raw).unwrap();
            assert_eq!(raw.len(), wide * high * bands * size);
            for (line, row) in raw.chunks(wide * bands * size).enumerate() {
                let numbers = restored(row, bands, size, predictor);
                for (at, raw) in numbers.into_iter().enumerate() {
                    let (column, band) = (tile % across * wide + at / bands, at % bands);
                    let row = tile / across * high + line;
                    if column < columns && row < rows {
                        found[row][column][band] = match (form, bits) {
                            (3, 32) => f64::from(f32::from_bits(raw as u32)),
                            (3, 64) => f64::from_bits(raw),
                            (2, bits) => ((raw << (64 - bits)) as i64 >> (64 - bits)) as f64,
                            _ => raw as f64,
                        };
                    }
                }
            }
        }
        found
    }
}

fn restored(row: &[u8], bands: usize, size: usize, predictor: usize) -> Vec<u64> {
    let count = row.len() / size;
    if predictor == 3 {
        let mut bytes = row.to_vec();
        for at in bands..bytes.len() {
            bytes[at] = bytes[at].wrapping_add(bytes[at - bands]);
        }
        return (0..count)
            .map(|at| (0..size).fold(0, |sum, rank| sum << 8 | u64::from(bytes[rank * count + at])))
            .collect();
    }
    let mask = u64::MAX >> (64 - 8 * size);
    let mut numbers: Vec<u64> = (0..count).map(|at| number(row, at * size, size)).collect();
    if predictor == 2 {
        for at in bands..count {
            numbers[at] = numbers[at].wrapping_add(numbers[at - bands]) & mask;
        }
    }
    numbers
}

/// Writes a file, and gives its path.
pub fn written(folder: &Path, name: &str, bytes: impl AsRef<[u8]>) -> std::path::PathBuf {
    let path = folder.join(name);
    std::fs::write(&path, bytes).unwrap();
    path
}

/// A number for each place, that uses all bits of a type.
pub fn scattered(made: &Made) -> impl Fn(usize, usize, usize) -> f64 + use<> {
    let (form, bits) = (made.form, made.bits as u32);
    move |column, row, band| {
        let mixed = (column * 7919 + row * 104_729 + band * 1_299_709) as u64;
        let mixed = mixed.wrapping_mul(0x9e37_79b9_7f4a_7c15) >> 20;
        match form {
            3 => mixed as f64 / 1024.0 - 1e6,
            2 => ((mixed << (64 - bits)) as i64 >> (64 - bits)) as f64,
            _ => (mixed & (u64::MAX >> (64 - bits))) as f64,
        }
    }
}

/// Layouts of TIFF: name, file, type as it is read.
pub fn layouts() -> Vec<(String, Made, SampleType)> {
    let mut all = Vec::new();
    let kinds = [
        (8, 1, SampleType::U8),
        (16, 1, SampleType::U16),
        (32, 1, SampleType::U32),
        (8, 2, SampleType::I8),
        (16, 2, SampleType::I16),
        (32, 2, SampleType::I32),
        (32, 3, SampleType::F32),
        (64, 3, SampleType::F64),
    ];
    for (bits, form, kind) in kinds {
        for (compression, predictor) in
            [(1, 1), (5, 2), (8, if form == 3 { 3 } else { 2 }), (32773, 1), (50000, 1)]
        {
            for (tile, planar, big, big_endian) in [
                (None, false, false, false),
                (Some((16, 16)), false, true, false),
                (Some((32, 16)), true, false, true),
                (None, true, true, true),
            ] {
                // The predictor for decimals is of bytes in one order.
                let made = Made {
                    bits,
                    form,
                    compression,
                    predictor,
                    tile,
                    planar,
                    big,
                    big_endian,
                    bands: if planar { 3 } else { 2 },
                    ..Made::default()
                };
                let name = format!(
                    "{bits} bits of {form}, compression {compression}, {tile:?}, planes {planar}, big {big}, \
                     big-endian {big_endian}"
                );
                all.push((name, made, kind));
            }
        }
    }
    all
}
