//! Writing GeoTIFF: tiles packed by deflate with a predictor, directories before the tiles, smaller copies
//! where they are asked for, as the cloud-optimised layout has it (OGC 21-026).
//!
//! Tiles are packed as they come and kept in a file of their own until all their lengths are known; then
//! the directories are written, and the tiles behind them.

use super::tags;
use super::write_keys::{KeyTags, keys_of};
use crate::error::{Error, Result};
use crate::output::{TemporaryFolder, new_file};
use crate::raster::colours::Colours;
use crate::raster::samples::{SampleType, Samples};
use crate::raster::sink::{Coder, Form, RasterSink};
use flate2::Compression;
use flate2::read::ZlibDecoder;
use flate2::write::ZlibEncoder;
use std::fs::File;
use std::io::{BufReader, BufWriter, Cursor, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use tiff::TiffResult;
use tiff::encoder::{TiffEncoder, TiffKind, TiffKindBig, TiffKindStandard};
use tiff::tags::Tag;
use velvet_peg_core::raster::{At, Missing, Places, Resampling, Sample, Window, resample};

/// Columns and rows of a tile.
const TILE: usize = 512;

/// Beyond this many bytes offsets need 64 bits.
const MOST_STANDARD: u64 = 4_000_000_000;

/// A picture of the file: itself, or a smaller copy.
struct Level {
    columns: usize,
    rows: usize,
    /// Where each tile begins in the file of tiles, and its length.
    tiles: Vec<(u64, u64)>,
}

impl Level {
    fn across(&self) -> usize {
        self.columns.div_ceil(TILE)
    }

    fn down(&self) -> usize {
        self.rows.div_ceil(TILE)
    }
}

pub(in crate::raster) struct TiffSink {
    path: PathBuf,
    form: Form,
    overviews: bool,
    /// How smaller copies come about.
    way: Resampling,
    _folder: TemporaryFolder,
    tiles_path: PathBuf,
    tiles: BufWriter<File>,
    end: u64,
    level: Level,
}

impl TiffSink {
    pub(in crate::raster) fn create(
        path: &Path,
        form: &Form,
        overviews: bool,
        way: Resampling,
    ) -> Result<TiffSink> {
        let failed = |e| Error::file(path, "cannot be written", e);
        let (columns, rows) = (form.grid.columns(), form.grid.rows());
        if columns > u32::MAX as usize || rows > u32::MAX as usize {
            return Err(Error::usage("has too many columns or rows for TIFF").in_file(path));
        }
        let folder = TemporaryFolder::beside(&crate::output::folder_of(path)).map_err(failed)?;
        let tiles_path = folder.path().join("tiles");
        let tiles =
            BufWriter::with_capacity(1 << 20, File::create_new(&tiles_path).map_err(failed)?);
        Ok(TiffSink {
            path: path.to_path_buf(),
            form: form.clone(),
            overviews,
            way,
            _folder: folder,
            tiles_path,
            tiles,
            end: 0,
            level: Level { columns, rows, tiles: Vec::new() },
        })
    }

    fn failed(&self, error: std::io::Error) -> Error {
        Error::file(&self.path, "cannot be written", error)
    }

    fn add(&mut self, bytes: &[u8]) -> Result<()> {
        self.tiles.write_all(bytes).map_err(|e| self.failed(e))?;
        self.level.tiles.push((self.end, bytes.len() as u64));
        self.end += bytes.len() as u64;
        Ok(())
    }

    /// The next smaller copy: half as many columns and rows.
    fn halved(&mut self, level: &Level) -> Result<Level> {
        self.tiles.flush().map_err(|e| self.failed(e))?;
        let mut file = File::open(&self.tiles_path).map_err(|e| self.failed(e))?;
        let (kind, bands) = (self.form.samples, self.form.bands);
        let (columns, rows) = (level.columns.div_ceil(2), level.rows.div_ceil(2));
        self.level = Level { columns, rows, tiles: Vec::new() };
        let coder = self.coder();
        for tile_row in 0..rows.div_ceil(TILE) {
            for tile_column in 0..columns.div_ceil(TILE) {
                // The four tiles that it is made of.
                let mut four = Samples::zeros(kind, 4 * TILE * TILE * bands);
                for (right, below) in [(0, 0), (1, 0), (0, 1), (1, 1)] {
                    let (column, row) = (2 * tile_column + right, 2 * tile_row + below);
                    if column >= level.across() || row >= level.down() {
                        continue;
                    }
                    let (at, length) = level.tiles[row * level.across() + column];
                    let mut bytes = vec![0; length as usize];
                    let read =
                        file.seek(SeekFrom::Start(at)).and_then(|_| file.read_exact(&mut bytes));
                    read.map_err(|e| self.failed(e))?;
                    let tile = unpacked(&bytes, kind, bands).map_err(|e| self.failed(e))?;
                    for line in 0..TILE {
                        let to = ((below * TILE + line) * 2 + right) * TILE * bands;
                        let from = line * TILE * bands;
                        crate::raster::blocks::copy(&tile, from, &mut four, to, TILE * bands);
                    }
                }
                let size =
                    (TILE.min(columns - tile_column * TILE), TILE.min(rows - tile_row * TILE));
                let real = (
                    (2 * TILE).min(level.columns - 2 * tile_column * TILE),
                    (2 * TILE).min(level.rows - 2 * tile_row * TILE),
                );
                let small = self.smaller(&four, size, real);
                let bytes = coder(&small, size)?;
                self.add(&bytes)?;
            }
        }
        let tiles = std::mem::take(&mut self.level.tiles);
        Ok(Level { columns, rows, tiles })
    }

    /// Every second pixel, or the mean of four, of which `real` columns and rows belong to the picture.
    fn smaller(
        &self,
        four: &Samples,
        (columns, rows): (usize, usize),
        real: (usize, usize),
    ) -> Samples {
        let bands = self.form.bands;
        let mut small = Samples::zeros(four.kind(), columns * rows * bands);
        let positions = (0..=rows)
            .flat_map(|row| {
                (0..=columns).map(move |column| {
                    ((2 * column).min(real.0) as f64, (2 * row).min(real.1) as f64)
                })
            })
            .collect();
        let places = Places { columns, rows, at: At::Corners, positions, around: None, error: 0.0 };
        let way = if self.way == Resampling::Nearest { self.way } else { Resampling::Average };
        let (no_data, opacity) = (self.form.no_data, self.form.opacity);
        fn fill<T: Sample>(
            numbers: &[T],
            bands: usize,
            (places, way): (&Places, Resampling),
            (no_data, opacity): (Option<f64>, Option<f64>),
            out: &mut [T],
        ) {
            let window = Window {
                samples: numbers,
                first_column: 0,
                first_row: 0,
                columns: 2 * TILE,
                rows: 2 * TILE,
                bands,
            };
            let missing = Missing { value: no_data.map(T::from_f64), opaque: opacity };
            let blank = vec![T::from_f64(no_data.unwrap_or(0.0)); bands];
            resample(&window, places, way, &missing, &blank, out);
        }
        let full = opacity.then(|| four.kind().largest());
        macro_rules! same {
            ($($kind:ident),+) => {
                match (four, &mut small) {
                    $((Samples::$kind(four), Samples::$kind(small)) => {
                        fill(four, bands, (&places, way), (no_data, full), small);
                    })+
                    _ => unreachable!("the numbers of one raster have one type"),
                }
            };
        }
        same!(U8, I8, U16, I16, U32, I32, F32, F64);
        small
    }

    /// Header and directories, with the tiles of each level beginning where `begin` says.
    fn directories<K: TiffKind>(&self, levels: &[Level], begin: &[u64]) -> TiffResult<Vec<u8>>
    where
        for<'a> &'a [K::OffsetType]: tiff::encoder::TiffValue,
    {
        let mut bytes = Cursor::new(Vec::new());
        let mut encoder = TiffEncoder::<_, K>::new_generic(&mut bytes)?;
        let form = &self.form;
        let keys = form.crs.as_ref().and_then(|crs| keys_of(crs, form.vertical.as_ref()));
        for (number, (level, begin)) in levels.iter().zip(begin).enumerate() {
            let mut directory = encoder.image_directory()?;
            let bands = form.bands;
            if number > 0 {
                directory.write_tag(Tag::NewSubfileType, 1u32)?;
            }
            directory.write_tag(Tag::ImageWidth, level.columns as u32)?;
            directory.write_tag(Tag::ImageLength, level.rows as u32)?;
            directory.write_tag(Tag::BitsPerSample, &vec![form.samples.bits(); bands][..])?;
            directory.write_tag(Tag::Compression, 8u16)?;
            let photometric = match form.colours {
                Colours::Rgb => tags::RGB,
                Colours::Palette(_) => tags::PALETTE,
                Colours::Grey | Colours::Values => tags::BLACK_IS_ZERO,
            };
            directory.write_tag(Tag::PhotometricInterpretation, photometric)?;
            directory.write_tag(Tag::SamplesPerPixel, bands as u16)?;
            directory.write_tag(Tag::PlanarConfiguration, 1u16)?;
            let decimals = form.samples.has_decimals();
            directory.write_tag(Tag::Predictor, if decimals { 3u16 } else { 2 })?;
            directory.write_tag(Tag::TileWidth, TILE as u32)?;
            directory.write_tag(Tag::TileLength, TILE as u32)?;
            let form_of = match form.samples {
                SampleType::U8 | SampleType::U16 | SampleType::U32 => 1u16,
                SampleType::I8 | SampleType::I16 | SampleType::I32 => 2,
                SampleType::F32 | SampleType::F64 => 3,
            };
            directory.write_tag(Tag::SampleFormat, &vec![form_of; bands][..])?;
            if let Colours::Palette(list) = &form.colours {
                let figure = |band: usize| {
                    (0..256).map(move |at| {
                        list.get(at).map_or(0, |colour| u16::from(colour[band]) * 257)
                    })
                };
                let map: Vec<u16> = figure(0).chain(figure(1)).chain(figure(2)).collect();
                directory.write_tag(Tag::ColorMap, &map[..])?;
            }
            let extra = bands - form.colours.bands().unwrap_or(1).min(bands);
            if extra > 0 {
                // 0 is a band of values, 2 opacity that colours are not multiplied by.
                let mut kinds = vec![0u16; extra];
                if form.opacity {
                    kinds[extra - 1] = 2;
                }
                directory.write_tag(Tag::ExtraSamples, &kinds[..])?;
            }
            let mut offset = *begin;
            let offsets: Vec<u64> = level
                .tiles
                .iter()
                .map(|(_, length)| {
                    let at = offset;
                    offset += length;
                    at
                })
                .collect();
            let offsets: Vec<K::OffsetType> =
                offsets.into_iter().map(K::convert_offset).collect::<TiffResult<_>>()?;
            directory.write_tag(Tag::TileOffsets, &offsets[..])?;
            let lengths: Vec<u32> = level.tiles.iter().map(|(_, length)| *length as u32).collect();
            directory.write_tag(Tag::TileByteCounts, &lengths[..])?;
            if let Some(value) = form.no_data {
                let text = format!("{value}").to_ascii_lowercase();
                directory.write_tag(tags::NO_DATA, &text[..])?;
            }
            if number == 0 {
                self.place(&mut directory, keys.as_ref())?;
            }
            directory.finish()?;
        }
        Ok(bytes.into_inner())
    }

    fn place<K: TiffKind>(
        &self,
        directory: &mut tiff::encoder::DirectoryEncoder<'_, &mut Cursor<Vec<u8>>, K>,
        keys: Option<&KeyTags>,
    ) -> TiffResult<()> {
        let grid = &self.form.grid;
        let origin = grid.origin();
        if grid.is_upright() {
            let (width, height) = grid.pixel_size();
            directory.write_tag(Tag::ModelPixelScaleTag, &[width, height, 0.0][..])?;
            directory
                .write_tag(Tag::ModelTiepointTag, &[0.0, 0.0, 0.0, origin.0, origin.1, 0.0][..])?;
        } else {
            let (column, row) = (grid.column_step(), grid.row_step());
            let matrix = [
                column.0, row.0, 0.0, origin.0, column.1, row.1, 0.0, origin.1, 0.0, 0.0, 0.0, 0.0,
                0.0, 0.0, 0.0, 1.0,
            ];
            directory.write_tag(tags::MATRIX, &matrix[..])?;
        }
        if let Some(keys) = keys {
            directory.write_tag(Tag::GeoKeyDirectoryTag, &keys.directory[..])?;
            if !keys.doubles.is_empty() {
                directory.write_tag(Tag::GeoDoubleParamsTag, &keys.doubles[..])?;
            }
            if !keys.text.is_empty() {
                directory.write_tag(Tag::GeoAsciiParamsTag, &keys.text[..])?;
            }
        }
        Ok(())
    }

    fn assembled<K: TiffKind>(&self, levels: &[Level]) -> Result<()>
    where
        for<'a> &'a [K::OffsetType]: tiff::encoder::TiffValue,
    {
        let wrong = |error: tiff::TiffError| self.failed(std::io::Error::other(error));
        // As long as with the true offsets.
        let size =
            self.directories::<K>(levels, &vec![0; levels.len()]).map_err(wrong)?.len() as u64;
        // The smallest copy first, the picture itself last.
        let mut begin = vec![0; levels.len()];
        let mut at = size;
        for (number, level) in levels.iter().enumerate().rev() {
            begin[number] = at;
            at += level.tiles.iter().map(|(_, length)| length).sum::<u64>();
        }
        let directories = self.directories::<K>(levels, &begin).map_err(wrong)?;
        let mut file = BufWriter::with_capacity(1 << 20, new_file(&self.path)?);
        file.write_all(&directories).map_err(|e| self.failed(e))?;
        let mut tiles = BufReader::with_capacity(
            1 << 20,
            File::open(&self.tiles_path).map_err(|e| self.failed(e))?,
        );
        for level in levels.iter().rev() {
            let Some((first, _)) = level.tiles.first() else { continue };
            let length = level.tiles.iter().map(|(_, length)| length).sum::<u64>();
            tiles.seek(SeekFrom::Start(*first)).map_err(|e| self.failed(e))?;
            let copied = std::io::copy(&mut (&mut tiles).take(length), &mut file);
            let copied = copied.map_err(|e| self.failed(e))?;
            if copied != length {
                return Err(self.failed(std::io::ErrorKind::UnexpectedEof.into()));
            }
        }
        file.flush().map_err(|e| self.failed(e))
    }
}

impl RasterSink for TiffSink {
    fn block(&self) -> (usize, usize) {
        (TILE, TILE)
    }

    fn coder(&self) -> Box<Coder> {
        let bands = self.form.bands;
        let path = self.path.clone();
        Box::new(move |samples: &Samples, size| {
            packed(samples, size, bands).map_err(|e| Error::file(&path, "cannot be written", e))
        })
    }

    fn take(&mut self, bytes: &[u8]) -> Result<()> {
        self.add(bytes)
    }

    fn finish(mut self: Box<Self>) -> Result<()> {
        let mut levels = vec![std::mem::replace(
            &mut self.level,
            Level { columns: 0, rows: 0, tiles: Vec::new() },
        )];
        while self.overviews && levels.last().is_some_and(|last| last.columns.max(last.rows) > TILE)
        {
            let Some(last) = levels.last() else { break };
            let smaller =
                Level { columns: last.columns, rows: last.rows, tiles: last.tiles.clone() };
            levels.push(self.halved(&smaller)?);
        }
        self.tiles.flush().map_err(|e| self.failed(e))?;
        match self.end > MOST_STANDARD {
            true => self.assembled::<TiffKindBig>(&levels),
            false => self.assembled::<TiffKindStandard>(&levels),
        }
    }
}

/// A whole tile as bytes, packed; pixels beyond the picture repeat its edge.
fn packed(
    samples: &Samples,
    (columns, rows): (usize, usize),
    bands: usize,
) -> std::io::Result<Vec<u8>> {
    let size = usize::from(samples.kind().bits() / 8);
    let row_bytes = columns * bands * size;
    let bytes = samples.to_bytes();
    let mut whole = Vec::with_capacity(TILE * TILE * bands * size);
    for row in 0..TILE {
        let from = row.min(rows - 1) * row_bytes;
        let row = &bytes[from..from + row_bytes];
        whole.extend_from_slice(row);
        for _ in columns..TILE {
            whole.extend_from_slice(&row[row_bytes - bands * size..]);
        }
    }
    let kind = samples.kind();
    for row in whole.chunks_exact_mut(TILE * bands * size) {
        match kind.has_decimals() {
            true => floats_predicted(row, bands, size),
            false => differences(row, bands, size),
        }
    }
    let mut encoder = ZlibEncoder::new(Vec::new(), Compression::new(6));
    encoder.write_all(&whole)?;
    encoder.finish()
}

/// The numbers of a tile.
fn unpacked(bytes: &[u8], kind: SampleType, bands: usize) -> std::io::Result<Samples> {
    let size = usize::from(kind.bits() / 8);
    let mut whole = vec![0; TILE * TILE * bands * size];
    ZlibDecoder::new(bytes).read_exact(&mut whole)?;
    for row in whole.chunks_exact_mut(TILE * bands * size) {
        match kind.has_decimals() {
            true => floats_restored(row, bands, size),
            false => sums(row, bands, size),
        }
    }
    Ok(Samples::of_bytes(kind, &whole))
}

/// Each number less the one of the pixel before (TIFF 6.0, section 14); bytes with the lowest first.
fn differences(row: &mut [u8], bands: usize, size: usize) {
    let step = bands * size;
    for at in (step..row.len()).step_by(size).rev() {
        minus(row, at, at - step, size);
    }
}

fn minus(row: &mut [u8], at: usize, before: usize, size: usize) {
    let mut borrow = false;
    for byte in 0..size {
        let (first, under) = row[at + byte].overflowing_sub(row[before + byte]);
        let (second, again) = first.overflowing_sub(u8::from(borrow));
        row[at + byte] = second;
        borrow = under || again;
    }
}

fn sums(row: &mut [u8], bands: usize, size: usize) {
    let step = bands * size;
    for at in (step..row.len()).step_by(size) {
        let mut carry = false;
        for byte in 0..size {
            let (first, over) = row[at + byte].overflowing_add(row[at - step + byte]);
            let (second, again) = first.overflowing_add(u8::from(carry));
            row[at + byte] = second;
            carry = over || again;
        }
    }
}

/// The bytes of numbers with decimals put apart by their rank, the highest first, then differences of
/// bytes (TIFF Technical Note 3).
fn floats_predicted(row: &mut [u8], bands: usize, size: usize) {
    let count = row.len() / size;
    let mut apart = vec![0; row.len()];
    for (at, number) in row.chunks_exact(size).enumerate() {
        for (rank, byte) in number.iter().rev().enumerate() {
            apart[rank * count + at] = *byte;
        }
    }
    row.copy_from_slice(&apart);
    for at in (bands..row.len()).rev() {
        row[at] = row[at].wrapping_sub(row[at - bands]);
    }
}

fn floats_restored(row: &mut [u8], bands: usize, size: usize) {
    for at in bands..row.len() {
        row[at] = row[at].wrapping_add(row[at - bands]);
    }
    let count = row.len() / size;
    let apart = row.to_vec();
    for (at, number) in row.chunks_exact_mut(size).enumerate() {
        for (rank, byte) in number.iter_mut().rev().enumerate() {
            *byte = apart[rank * count + at];
        }
    }
}
