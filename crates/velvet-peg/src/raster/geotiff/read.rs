//! Reading GeoTIFF.

use super::directories::{Directories, Overlaid};
use super::keys::Keys;
use super::place::Said;
use super::tags;
use crate::error::{Error, Kind, Result};
use crate::format_support::guard::guarded;
use crate::notice::{Notice, NoticeKind};
use crate::raster::blocks::{BlockSource, Blocks, Layout, copy};
use crate::raster::colours::Colours;
use crate::raster::info::RasterInfo;
use crate::raster::raster_format::RasterFormat;
use crate::raster::samples::{SampleType, Samples};
use std::fs::File;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use tiff::TiffError;
use tiff::decoder::{Decoder, DecodingResult, Limits};
use tiff::tags::{SampleFormat, Tag};

/// What numbers are turned into as they are read.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Turn {
    /// Nothing.
    None,
    /// Shades from white to black: the other way round.
    Inverted,
    /// Luma and chroma: red, green and blue, by the share of red and blue in luma.
    LumaChroma(f64, f64),
}

/// A file, and how its blocks are read.
struct Facts {
    path: PathBuf,
    directories: Directories,
    layout: Layout,
    bits: u16,
    planar: bool,
    turn: Turn,
    /// What a block that the file leaves out is filled with.
    absent: f64,
    /// Blocks that the file leaves out.
    left_out: Vec<bool>,
    tiled: bool,
}

/// A strip or tile takes no more memory, bytes: a header of a hundred bytes may leave out one of any size.
const MOST_BLOCK: usize = 512 << 20;

/// Opens handles on a file.
struct Source(Arc<Facts>);

type Opened = (RasterInfo, Box<dyn BlockSource>);

fn unread(path: &Path, error: &TiffError) -> Error {
    let text = match error {
        TiffError::IoError(error) => return Error::file(path, "cannot be read", copy_of(error)),
        TiffError::LimitsExceeded => {
            "its strips or tiles are too large to be held in memory, or it claims more than it has; write \
             it with tiles"
                .to_string()
        }
        other => format!("cannot be read as TIFF: {other}"),
    };
    Error::data(text).in_file(path)
}

fn copy_of(error: &std::io::Error) -> std::io::Error {
    match error.kind() {
        std::io::ErrorKind::UnexpectedEof => {
            std::io::Error::new(error.kind(), "the file ends before its content does")
        }
        kind => std::io::Error::new(kind, error.to_string()),
    }
}

fn decoder(path: &Path, directories: &Directories) -> Result<Decoder<Overlaid>> {
    let file = File::open(path).map_err(|e| Error::file(path, "cannot be read", e))?;
    let overlaid = Overlaid::new(file, directories);
    let mut limits = Limits::default();
    // Of large rasters the places of all blocks.
    limits.ifd_value_size = 64 << 20;
    let decoder = guarded(path, "cannot be read as TIFF", || {
        Decoder::new(overlaid).map_err(|error| unread(path, &error))
    })?;
    Ok(decoder.with_limits(limits))
}

/// Opens a file.
pub(in crate::raster) fn open(path: &Path) -> Result<Opened> {
    let file = File::open(path).map_err(|e| Error::file(path, "cannot be read", e))?;
    let directories = Directories::read(file)
        .map_err(|error| Error::file(path, "cannot be read as TIFF", copy_of(&error)))?;
    let mut decoder = decoder(path, &directories)?;
    guarded(path, "cannot be read as TIFF", || opened(path, &mut decoder, directories.clone()))
}

fn opened(
    path: &Path,
    decoder: &mut Decoder<Overlaid>,
    directories: Directories,
) -> Result<Opened> {
    let failed = |error: TiffError| unread(path, &error);
    let wrong = |text: String| Error::data(text).in_file(path);
    let [columns, rows] = directories.found.first().map_or([0; 2], |first| first.size);
    let (Ok(columns), Ok(rows)) = (u32::try_from(columns), u32::try_from(rows)) else {
        return Err(wrong(format!("its header says {columns} × {rows} pixels")));
    };
    let number = |decoder: &mut Decoder<Overlaid>, tag: Tag| {
        decoder.find_tag_unsigned::<u16>(tag).map_err(|error| unread(path, &error))
    };
    let bands = number(decoder, Tag::SamplesPerPixel)?.unwrap_or(1);
    let bits = decoder
        .find_tag_unsigned_vec::<u16>(Tag::BitsPerSample)
        .map_err(failed)?
        .and_then(|bits| bits.first().copied())
        .unwrap_or(1);
    let form = decoder
        .find_tag_unsigned_vec::<u16>(Tag::SampleFormat)
        .map_err(failed)?
        .and_then(|forms| forms.first().copied())
        .map_or(SampleFormat::Uint, SampleFormat::from_u16_exhaustive);
    let samples = match (form, bits) {
        (SampleFormat::Uint, 1 | 2 | 4 | 8) => SampleType::U8,
        (SampleFormat::Uint, 16) => SampleType::U16,
        (SampleFormat::Uint, 32) => SampleType::U32,
        (SampleFormat::Int, 8) => SampleType::I8,
        (SampleFormat::Int, 16) => SampleType::I16,
        (SampleFormat::Int, 32) => SampleType::I32,
        (SampleFormat::IEEEFP, 16 | 32) => SampleType::F32,
        (SampleFormat::IEEEFP, 64) => SampleType::F64,
        (form, bits) => {
            return Err(wrong(format!(
                "its numbers have {bits} bits and are {}: 1, 2, 4, 8, 16 and 32 bits of whole numbers are \
                 read, 16, 32 and 64 of numbers with decimals",
                match form {
                    SampleFormat::Uint => "whole",
                    SampleFormat::Int => "whole with a sign",
                    SampleFormat::IEEEFP => "with decimals",
                    _ => "of no kind that is known",
                }
            )));
        }
    };
    let photometric = directories.found.first().and_then(|found| found.photometric);
    let compression = number(decoder, Tag::Compression)?.unwrap_or(1);
    let mut notices = Vec::new();
    let (colours, turn) = meaning(path, decoder, photometric, bits, samples, compression)?;
    let extra = decoder.find_tag_unsigned_vec::<u16>(Tag::ExtraSamples).map_err(failed)?;
    // 1 and 2 are opacity, 1 with colours that are multiplied by it already.
    let opacity =
        extra.as_ref().and_then(|kinds| kinds.last()).is_some_and(|kind| matches!(kind, 1 | 2))
            && bands > 1;
    if let (Some(1), true) = (extra.as_ref().and_then(|kinds| kinds.last()), opacity) {
        notices.push(Notice::note(
            NoticeKind::FormatLimit,
            "colours are multiplied by the opacity in this file (associated alpha), and are taken as they \
             are",
        ));
    }
    let needed = colours.bands().unwrap_or(1) + usize::from(opacity);
    if usize::from(bands) < needed {
        return Err(wrong(format!("it has {bands} bands, and {} takes {needed}", colours.name())));
    }
    // Colours with further bands are bands of values; so is one shade with others.
    let more = usize::from(bands) > needed;
    let colours = match colours {
        Colours::Palette(_) if more => {
            return Err(wrong(format!("it has a list of colours and {bands} bands")));
        }
        // Shades of few bits are a list of as many.
        Colours::Grey if bits < 8 && !more => {
            let largest = (1u32 << bits) - 1;
            let shade = |at: u32| (at * 255 / largest) as u8;
            Colours::Palette(
                (0..=largest).map(|at| [shade(at), shade(at), shade(at), 255]).collect(),
            )
        }
        Colours::Grey if more || samples != SampleType::U8 && bits > 16 => Colours::Values,
        Colours::Grey if samples.has_decimals() || matches!(samples, SampleType::I16) => {
            Colours::Values
        }
        other => other,
    };
    let planar = number(decoder, Tag::PlanarConfiguration)?.unwrap_or(1) == 2;
    let block = decoder.chunk_dimensions();
    let layout = Layout {
        columns: columns as usize,
        rows: rows as usize,
        bands: usize::from(bands),
        samples,
        block: (block.0.min(columns) as usize, block.1.min(rows) as usize),
    };
    // Tiles may be wider than the raster; blocks are counted by their own size.
    let tiled = decoder.get_chunk_type() == tiff::decoder::ChunkType::Tile;
    let layout = match tiled {
        true => Layout { block: (block.0 as usize, block.1 as usize), ..layout },
        false => layout,
    };
    let no_data = no_data(path, decoder, samples, &mut notices)?;
    let counts = [Tag::TileByteCounts, Tag::StripByteCounts]
        .into_iter()
        .find_map(|tag| decoder.find_tag_unsigned_vec::<u64>(tag).ok().flatten());
    let left_out: Vec<bool> = counts.unwrap_or_default().iter().map(|count| *count == 0).collect();
    let (grid, placed_by, at_middles, (crs, vertical)) =
        placed(path, decoder, &layout, &mut notices)?;
    let overviews = directories.found.iter().skip(1).filter(|found| found.kind & 1 != 0).count();
    let pages = directories.found.iter().skip(1).filter(|found| found.kind & 5 == 0).count();
    if pages > 0 {
        notices.push(
            Notice::warning(
                NoticeKind::FormatLimit,
                format!("the file has {} pictures of full size: the first is taken", pages + 1),
            )
            .count(pages as u64 + 1),
        );
    }
    if directories.found.iter().any(|found| found.kind & 4 != 0) {
        notices.push(Notice::warning(
            NoticeKind::FormatLimit,
            "the file has a mask of its own for pixels without a value: it is not read, and they count as \
             values",
        ));
    }
    let packing = packing(compression, planar, decoder, &layout);
    let info = RasterInfo {
        bits,
        colours,
        opacity,
        no_data,
        grid,
        placed_by,
        at_middles,
        crs,
        vertical,
        packing,
        overviews,
        notices,
        ..RasterInfo::plain(path, RasterFormat::GeoTiff, &layout)
    };
    let absent = no_data.unwrap_or(0.0);
    let facts = Facts {
        path: path.to_path_buf(),
        directories,
        layout,
        bits,
        planar,
        turn,
        absent,
        left_out,
        tiled,
    };
    Ok((info, Box::new(Source(Arc::new(facts)))))
}

/// What the numbers stand for, and what they are turned into.
fn meaning(
    path: &Path,
    decoder: &mut Decoder<Overlaid>,
    photometric: Option<u16>,
    bits: u16,
    samples: SampleType,
    compression: u16,
) -> Result<(Colours, Turn)> {
    let failed = |error: TiffError| unread(path, &error);
    match photometric {
        Some(tags::WHITE_IS_ZERO) => Ok((Colours::Grey, Turn::Inverted)),
        Some(tags::BLACK_IS_ZERO) => Ok((Colours::Grey, Turn::None)),
        Some(tags::RGB) => Ok((Colours::Rgb, Turn::None)),
        Some(tags::PALETTE) => {
            let list = decoder.get_tag_u16_vec(Tag::ColorMap).map_err(failed)?;
            let size = 1usize << bits.min(16);
            if list.len() < 3 * size || samples != SampleType::U8 {
                return Err(Error::data(format!(
                    "its list of colours has {} figures for numbers of {bits} bits: 8 bits at most, and three \
                     figures for each number are read",
                    list.len()
                ))
                .in_file(path));
            }
            // Some writers have put figures of 8 bits into those of 16.
            let eight = list.iter().all(|figure| *figure < 256);
            let byte = |figure: u16| if eight { figure as u8 } else { (figure >> 8) as u8 };
            let colour = |at: usize| {
                [byte(list[at]), byte(list[size + at]), byte(list[2 * size + at]), 255]
            };
            Ok((Colours::Palette((0..size).map(colour).collect()), Turn::None))
        }
        Some(tags::LUMA_CHROMA) => {
            let sub = decoder.find_tag_unsigned_vec::<u16>(tags::SUBSAMPLING).map_err(failed)?;
            let whole = sub.as_deref() == Some(&[1, 1]);
            // A JPEG codec fills in what is left out.
            if !whole && compression != 7 {
                return Err(Error::data(
                    "its colours are luma and chroma that several pixels share, which is read where they \
                     are packed as JPEG",
                )
                .in_file(path));
            }
            let luma = decoder.get_tag_f64_vec(tags::LUMA).unwrap_or_default();
            let (red, blue) = match luma[..] {
                [red, _, blue] => (red, blue),
                _ => (0.299, 0.114),
            };
            Ok((Colours::Rgb, Turn::LumaChroma(red, blue)))
        }
        Some(other) => Err(Error::data(format!(
            "its numbers stand for colours of kind {other} (photometric interpretation): shades of grey, \
             red, green and blue, lists of colours, and luma and chroma are read"
        ))
        .in_file(path)),
        None => Err(Error::data(
            "it does not say what its numbers stand for (no photometric interpretation)",
        )
        .in_file(path)),
    }
}

fn no_data(
    path: &Path,
    decoder: &mut Decoder<Overlaid>,
    samples: SampleType,
    notices: &mut Vec<Notice>,
) -> Result<Option<f64>> {
    if decoder.find_tag(tags::NO_DATA).map_err(|error| unread(path, &error))?.is_none() {
        return Ok(None);
    }
    let text = decoder.get_tag_ascii_string(tags::NO_DATA).unwrap_or_default();
    let text = text.trim_matches(|c: char| c == '\0' || c.is_whitespace());
    match text.parse::<f64>() {
        Ok(value) if samples.has_decimals() || samples.holds(value) => {
            // As the numbers themselves are rounded.
            let value = if samples == SampleType::F32 { f64::from(value as f32) } else { value };
            Ok(Some(value))
        }
        Ok(value) => {
            notices.push(
                Notice::note(
                    NoticeKind::FormatLimit,
                    format!("{value} stands for no value, and {samples} cannot be it: every pixel has one"),
                )
                .with("value", value, ""),
            );
            Ok(None)
        }
        Err(_) => {
            notices.push(Notice::warning(
                NoticeKind::FormatLimit,
                format!("what stands for no value cannot be read: \"{text}\" is no number"),
            ));
            Ok(None)
        }
    }
}

type Placed = (
    Option<velvet_peg_core::raster::PixelGrid>,
    Option<crate::raster::info::PlacedBy>,
    bool,
    (Option<velvet_peg_core::Crs>, Option<velvet_peg_core::Crs>),
);

fn placed(
    path: &Path,
    decoder: &mut Decoder<Overlaid>,
    layout: &Layout,
    notices: &mut Vec<Notice>,
) -> Result<Placed> {
    let mut figures = |tag: Tag| -> Result<Vec<f64>> {
        match decoder.find_tag(tag).map_err(|error| unread(path, &error))? {
            Some(_) => decoder.get_tag_f64_vec(tag).map_err(|error| unread(path, &error)),
            None => Ok(Vec::new()),
        }
    };
    let mut said = Said {
        scale: figures(Tag::ModelPixelScaleTag)?,
        ties: figures(Tag::ModelTiepointTag)?,
        matrix: figures(tags::MATRIX)?,
        at_middles: false,
    };
    let doubles = figures(Tag::GeoDoubleParamsTag)?;
    let directory = match decoder.find_tag(Tag::GeoKeyDirectoryTag).map_err(|e| unread(path, &e))? {
        Some(_) => {
            decoder.get_tag_u16_vec(Tag::GeoKeyDirectoryTag).map_err(|e| unread(path, &e))?
        }
        None => Vec::new(),
    };
    let text = match decoder.find_tag(Tag::GeoAsciiParamsTag).map_err(|e| unread(path, &e))? {
        Some(_) => decoder.get_tag_ascii_string(Tag::GeoAsciiParamsTag).unwrap_or_default(),
        None => String::new(),
    };
    let keys = Keys::read(&directory, doubles, &text);
    said.at_middles = keys.number(tags::key::RASTER) == Some(tags::AT_MIDDLES);
    let placed = said.grid(layout.columns, layout.rows).map_err(|error| error.in_file(path))?;
    let crs = match keys.is_empty() {
        true => None,
        false => match keys.system() {
            Ok(crs) => crs,
            Err(error) => {
                notices.push(Notice::warning(
                    NoticeKind::System,
                    format!("the reference system that its keys describe cannot be used: {error}"),
                ));
                None
            }
        },
    };
    let at_middles = said.at_middles;
    let (grid, by) = placed.unzip();
    Ok((grid, by, at_middles, (crs, keys.vertical())))
}

fn packing(compression: u16, planar: bool, decoder: &Decoder<Overlaid>, layout: &Layout) -> String {
    let how = match compression {
        1 => "not packed".to_string(),
        4 => "fax group 4".to_string(),
        5 => "LZW".to_string(),
        7 => "JPEG".to_string(),
        8 | 32946 => "deflate".to_string(),
        32773 => "PackBits".to_string(),
        50000 => "Zstandard".to_string(),
        other => format!("compression {other}"),
    };
    let pieces = match decoder.get_chunk_type() {
        tiff::decoder::ChunkType::Tile => {
            format!("tiles of {} × {} pixels", layout.block.0, layout.block.1)
        }
        tiff::decoder::ChunkType::Strip => match layout.block.1 {
            1 => "strips of 1 row".to_string(),
            rows => format!("strips of {rows} rows"),
        },
    };
    let planes = if planar && layout.bands > 1 { ", band after band" } else { "" };
    format!("{how}, {pieces}{planes}")
}

impl BlockSource for Source {
    fn layout(&self) -> Layout {
        self.0.layout
    }

    fn open(&self) -> Result<Box<dyn Blocks>> {
        let decoder = decoder(&self.0.path, &self.0.directories)?;
        Ok(Box::new(TiffBlocks { decoder, facts: Arc::clone(&self.0) }))
    }
}

struct TiffBlocks {
    decoder: Decoder<Overlaid>,
    facts: Arc<Facts>,
}

impl Blocks for TiffBlocks {
    fn read(&mut self, block: (usize, usize)) -> Result<Samples> {
        let number = self.number(block);
        let across = self.facts.layout.blocks_across();
        let (wide, high) = self.facts.layout.size_of(block);
        if self.is_too_large(block) {
            return Err(unread(&self.facts.path, &TiffError::LimitsExceeded));
        }
        let bands = self.facts.layout.bands;
        let mut samples = match (self.facts.planar, bands) {
            (true, 2..) => {
                let planes = across * self.facts.layout.rows.div_ceil(self.facts.layout.block.1);
                let mut together = Samples::zeros(self.facts.layout.samples, wide * high * bands);
                for band in 0..bands {
                    let plane = self.chunk(number + band * planes, wide, high, 1)?;
                    for at in 0..wide * high {
                        copy(&plane, at, &mut together, at * bands + band, 1);
                    }
                }
                together
            }
            _ => self.chunk(number, wide, high, bands)?,
        };
        turn(&mut samples, self.facts.turn, self.facts.bits, bands);
        Ok(samples)
    }

    fn left_out(&self, block: (usize, usize)) -> Option<Samples> {
        let Facts { layout, planar, turn: way, bits, absent, .. } = *self.facts;
        let planes = layout.blocks_across() * layout.rows.div_ceil(layout.block.1);
        let number = self.number(block);
        let mut parts =
            (0..if planar { layout.bands } else { 1 }).map(|band| number + band * planes);
        if self.is_too_large(block)
            || !parts.all(|part| self.facts.left_out.get(part).copied().unwrap_or(false))
        {
            return None;
        }
        let mut pixel = Samples::zeros(layout.samples, layout.bands);
        fill(&mut pixel, absent);
        turn(&mut pixel, way, bits, layout.bands);
        Some(pixel)
    }
}

impl TiffBlocks {
    fn is_too_large(&self, block: (usize, usize)) -> bool {
        let layout = self.facts.layout;
        let stored = (layout.block.0, self.stored_rows(layout.size_of(block).1));
        (Layout { block: stored, ..layout }).block_bytes() > MOST_BLOCK
    }

    /// The number of a block's strip or tile; of several planes in the first.
    fn number(&self, block: (usize, usize)) -> usize {
        block.1 * self.facts.layout.blocks_across() + block.0
    }

    /// The numbers of a strip or tile, without what is beyond the picture.
    fn chunk(&mut self, number: usize, wide: usize, high: usize, bands: usize) -> Result<Samples> {
        let whole = self.whole_chunk(number, high, bands)?;
        // Rows of a tile are as wide as it is.
        let row = whole.len() / bands / self.stored_rows(high);
        if row == wide && whole.len() == wide * high * bands {
            return Ok(whole);
        }
        if row < wide {
            return Err(self.short(number, whole.len(), wide * high * bands));
        }
        let mut cut = Samples::zeros(self.facts.layout.samples, wide * high * bands);
        for line in 0..high {
            copy(&whole, line * row * bands, &mut cut, line * wide * bands, wide * bands);
        }
        Ok(cut)
    }

    /// Rows that the decoder gives of a strip or tile of which so many belong to the picture.
    fn stored_rows(&self, high: usize) -> usize {
        if self.facts.tiled { self.facts.layout.block.1 } else { high }
    }

    fn short(&self, number: usize, found: usize, needed: usize) -> Error {
        Error::data(format!("strip or tile {number} holds {found} numbers, {needed} are needed"))
            .in_file(&self.facts.path)
    }

    fn whole_chunk(&mut self, number: usize, high: usize, bands: usize) -> Result<Samples> {
        let (wide, high) = (self.facts.layout.block.0, self.stored_rows(high));
        let count = wide * high * bands;
        if self.facts.left_out.get(number).copied().unwrap_or(false) {
            let mut blank = Samples::zeros(self.facts.layout.samples, count);
            fill(&mut blank, self.facts.absent);
            return Ok(blank);
        }
        let path = self.facts.path.clone();
        let chunk = u32::try_from(number).map_err(|_| {
            Error::new(Kind::Data, "it has too many strips or tiles").in_file(&path)
        })?;
        let decoder = &mut self.decoder;
        let read = guarded(&path, "cannot be read as TIFF", || {
            decoder.read_chunk(chunk).map_err(|error| unread(&path, &error))
        })?;
        let samples = match read {
            DecodingResult::U8(bytes) if self.facts.bits < 8 => {
                Samples::U8(unpacked(&bytes, self.facts.bits, wide * bands, high))
            }
            DecodingResult::U8(numbers) => Samples::U8(numbers),
            DecodingResult::I8(numbers) => Samples::I8(numbers),
            DecodingResult::U16(numbers) => Samples::U16(numbers),
            DecodingResult::I16(numbers) => Samples::I16(numbers),
            DecodingResult::U32(numbers) => Samples::U32(numbers),
            DecodingResult::I32(numbers) => Samples::I32(numbers),
            DecodingResult::F16(numbers) => {
                Samples::F32(numbers.into_iter().map(|half| half.to_f32()).collect())
            }
            DecodingResult::F32(numbers) => Samples::F32(numbers),
            DecodingResult::F64(numbers) => Samples::F64(numbers),
            DecodingResult::U64(_) | DecodingResult::I64(_) => {
                return Err(Error::data("its numbers have 64 bits").in_file(&path));
            }
        };
        match samples.len() == count && samples.kind() == self.facts.layout.samples {
            true => Ok(samples),
            false => Err(self.short(number, samples.len(), count)),
        }
    }
}

fn fill(samples: &mut Samples, value: f64) {
    use velvet_peg_core::raster::Sample;
    crate::raster::samples::each_type!(samples, numbers => {
        let blank = Sample::from_f64(value);
        numbers.fill(blank);
    });
}

/// Numbers of fewer than 8 bits, one a byte; rows begin with a byte.
fn unpacked(bytes: &[u8], bits: u16, wide: usize, high: usize) -> Vec<u8> {
    let row_bytes = (wide * usize::from(bits)).div_ceil(8);
    let mut numbers = Vec::with_capacity(wide * high);
    let mask = (1u16 << bits) - 1;
    for row in bytes.chunks(row_bytes).take(high) {
        for at in 0..wide {
            let bit = at * usize::from(bits);
            let shift = 8 - bits - (bit % 8) as u16;
            let byte = row.get(bit / 8).copied().unwrap_or(0);
            numbers.push((u16::from(byte) >> shift & mask) as u8);
        }
    }
    numbers
}

fn turn(samples: &mut Samples, how: Turn, bits: u16, bands: usize) {
    match (how, samples) {
        (Turn::None, _) => {}
        (Turn::Inverted, Samples::U8(numbers)) => {
            let largest = ((1u16 << bits.min(8)) - 1) as u8;
            // Bands after the first are no shades.
            numbers.iter_mut().step_by(bands).for_each(|number| *number = largest - *number);
        }
        (Turn::Inverted, Samples::U16(numbers)) => {
            numbers.iter_mut().step_by(bands).for_each(|number| *number = u16::MAX - *number);
        }
        // Larger numbers are figures, not shades.
        (Turn::Inverted, _) => {}
        (Turn::LumaChroma(red, blue), Samples::U8(numbers)) => {
            let green = 1.0 - red - blue;
            for pixel in numbers.chunks_exact_mut(bands) {
                let [luma, b, r] = [0, 1, 2].map(|at| f64::from(pixel[at]));
                let (b, r) = (b - 128.0, r - 128.0);
                let r = luma + 2.0 * (1.0 - red) * r;
                let b = luma + 2.0 * (1.0 - blue) * b;
                let g = (luma - red * r - blue * b) / green;
                for (number, value) in pixel.iter_mut().zip([r, g, b]) {
                    *number = value.round().clamp(0.0, 255.0) as u8;
                }
            }
        }
        (Turn::LumaChroma(..), _) => {}
    }
}
