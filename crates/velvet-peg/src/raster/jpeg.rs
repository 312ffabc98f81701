//! JPEG (ISO/IEC 10918-1), read as a whole into memory.

use super::blocks::{BlockSource, Layout};
use super::colours::Colours;
use super::info::RasterInfo;
use super::raster_format::RasterFormat;
use super::samples::{SampleType, Samples};
use super::spool::{Spooled, rows_of_block};
use crate::error::{Error, Result};
use crate::format_support::guard::guarded;
use std::path::Path;
use zune_jpeg::JpegDecoder;
use zune_jpeg::zune_core::bytestream::ZCursor;
use zune_jpeg::zune_core::colorspace::ColorSpace;
use zune_jpeg::zune_core::options::DecoderOptions;

/// Pixels of a picture at most.
const MOST_PIXELS: usize = 400_000_000;

/// Pixels that one byte can hold at most, about: a block of 64 of one colour takes a few bits.
const MOST_PACKED: usize = 512;

fn unread(path: &Path, error: &dyn std::fmt::Display) -> Error {
    Error::data(format!("cannot be read as JPEG: {error}")).in_file(path)
}

fn decoder(path: &Path) -> Result<(JpegDecoder<ZCursor<Vec<u8>>>, usize)> {
    let bytes = std::fs::read(path).map_err(|e| Error::file(path, "cannot be read", e))?;
    let length = bytes.len();
    let options = DecoderOptions::default()
        .set_max_width(usize::from(u16::MAX))
        .set_max_height(usize::from(u16::MAX));
    let mut decoder = JpegDecoder::new_with_options(ZCursor::new(bytes), options);
    guarded(path, "cannot be read as JPEG", || {
        decoder.decode_headers().map_err(|error| unread(path, &error))
    })?;
    Ok((decoder, length))
}

pub(super) fn open(path: &Path) -> Result<(RasterInfo, Box<dyn BlockSource>)> {
    let (decoder, length) = decoder(path)?;
    let (columns, rows) =
        decoder.dimensions().ok_or_else(|| unread(path, &"its header has no size"))?;
    let colours = match decoder.input_colorspace() {
        Some(ColorSpace::Luma) => Colours::Grey,
        Some(ColorSpace::YCbCr | ColorSpace::RGB) => Colours::Rgb,
        other => {
            let what = other.map_or("unknown".to_string(), |space| format!("{space:?}"));
            return Err(Error::data(format!(
                "its colours are {what}: shades of grey, and red, green and blue are read"
            ))
            .in_file(path));
        }
    };
    let pixels = columns * rows;
    if pixels > MOST_PIXELS || pixels > length.saturating_mul(MOST_PACKED) + (1 << 16) {
        return Err(Error::data(format!(
            "its header says {columns} × {rows} pixels: {MOST_PIXELS} at most are read, and {length} bytes \
             can hold {} at most",
            length.saturating_mul(MOST_PACKED)
        ))
        .in_file(path));
    }
    let bands = colours.bands().unwrap_or(1);
    let row = columns * bands;
    let layout = Layout {
        columns,
        rows,
        bands,
        samples: SampleType::U8,
        block: (columns, rows_of_block(row).min(rows)),
    };
    let info = RasterInfo {
        colours,
        packing: "JPEG".into(),
        ..RasterInfo::plain(path, RasterFormat::Jpeg, &layout)
    };
    let from = path.to_path_buf();
    let read_all = move |each: &mut dyn FnMut(&Samples) -> Result<()>| {
        let (mut decoder, _) = self::decoder(&from)?;
        let colours = if bands == 1 { ColorSpace::Luma } else { ColorSpace::RGB };
        let options = decoder.options().jpeg_set_out_colorspace(colours);
        decoder.set_options(options);
        let whole = guarded(&from, "cannot be read as JPEG", || {
            decoder.decode().map_err(|error| unread(&from, &error))
        })?;
        whole.chunks(row).take(rows).try_for_each(|row| each(&Samples::U8(row.to_vec())))
    };
    Ok((info, Box::new(Spooled::new(path, layout, Box::new(read_all)))))
}
