//! PNG (ISO/IEC 15948), read and written row by row.

use super::blocks::{BlockSource, Layout};
use super::colours::Colours;
use super::info::RasterInfo;
use super::raster_format::RasterFormat;
use super::samples::{SampleType, Samples};
use super::spool::{Spooled, rows_of_block};
use crate::error::{Error, Result};
use png::{BitDepth, ColorType, Decoder, DecodingError, Transformations};
use std::fs::File;
use std::io::BufReader;
use std::path::Path;

/// Pixels of an interlaced picture, which has to be held in memory, at most.
const MOST_INTERLACED: u64 = 200_000_000;

/// Bytes that one packed byte can become at most, about.
const MOST_PACKED: u64 = 1100;

fn unread(path: &Path, error: &DecodingError) -> Error {
    match error {
        DecodingError::IoError(error) if error.kind() == std::io::ErrorKind::UnexpectedEof => {
            Error::data("cannot be read as PNG: the file ends before its content does")
                .in_file(path)
        }
        other => Error::data(format!("cannot be read as PNG: {other}")).in_file(path),
    }
}

type Reader = png::Reader<BufReader<File>>;

fn reader(path: &Path) -> Result<Reader> {
    let file = File::open(path).map_err(|e| Error::file(path, "cannot be read", e))?;
    let mut decoder = Decoder::new(BufReader::new(file));
    decoder.set_transformations(Transformations::IDENTITY);
    decoder.read_info().map_err(|error| unread(path, &error))
}

pub(super) fn open(path: &Path) -> Result<(RasterInfo, Box<dyn BlockSource>)> {
    let reader = reader(path)?;
    let header = reader.info();
    let (columns, rows) = (header.width as usize, header.height as usize);
    let length = std::fs::metadata(path).map_or(0, |file| file.len());
    let row_bytes = header.raw_row_length() as u64;
    if row_bytes * u64::from(header.height) > length * MOST_PACKED + (1 << 20) {
        return Err(Error::data(format!(
            "its header says {columns} × {rows} pixels, more than {length} bytes can hold"
        ))
        .in_file(path));
    }
    if header.interlaced && u64::from(header.width) * u64::from(header.height) > MOST_INTERLACED {
        return Err(Error::data(format!(
            "is interlaced, and with {columns} × {rows} pixels too large to be held in memory: write it \
             without interlacing"
        ))
        .in_file(path));
    }
    let depth = header.bit_depth;
    let sixteen = depth == BitDepth::Sixteen;
    let mut no_data = None;
    let mut keyed = None;
    let (colours, opacity) = match header.color_type {
        ColorType::Grayscale if (depth as u8) < 8 => {
            (Colours::Palette(shades(depth as u16, header.trns.as_deref())), false)
        }
        ColorType::Grayscale => {
            no_data = header.trns.as_deref().and_then(|key| match key {
                [high, low] => Some(f64::from(u16::from_be_bytes([*high, *low]))),
                _ => None,
            });
            (Colours::Grey, false)
        }
        ColorType::GrayscaleAlpha => (Colours::Grey, true),
        ColorType::Rgb => {
            keyed = header
                .trns
                .as_deref()
                .filter(|key| key.len() == 6)
                .map(|key| [0, 2, 4].map(|at| u16::from_be_bytes([key[at], key[at + 1]])));
            (Colours::Rgb, keyed.is_some())
        }
        ColorType::Rgba => (Colours::Rgb, true),
        ColorType::Indexed => {
            let list = header.palette.as_deref().unwrap_or_default();
            let clear = header.trns.as_deref().unwrap_or_default();
            let colour = |(at, rgb): (usize, &[u8])| {
                [rgb[0], rgb[1], rgb[2], clear.get(at).copied().unwrap_or(255)]
            };
            (Colours::Palette(list.chunks_exact(3).enumerate().map(colour).collect()), false)
        }
    };
    if let Colours::Palette(list) = &colours {
        no_data = list.iter().position(|colour| colour[3] == 0).map(|at| at as f64);
    }
    let bands = colours.bands().unwrap_or(1) + usize::from(opacity);
    let samples = if sixteen { SampleType::U16 } else { SampleType::U8 };
    let row = columns * bands * usize::from(samples.bits() / 8);
    let layout =
        Layout { columns, rows, bands, samples, block: (columns, rows_of_block(row).min(rows)) };
    let info = RasterInfo {
        bits: depth as u16,
        colours,
        opacity,
        no_data,
        packing: if header.interlaced { "deflate, interlaced" } else { "deflate, row by row" }
            .into(),
        ..RasterInfo::plain(path, RasterFormat::Png, &layout)
    };
    let from = path.to_path_buf();
    let read_all =
        move |each: &mut dyn FnMut(&Samples) -> Result<()>| rows_of(&from, layout, keyed, each);
    Ok((info, Box::new(Spooled::new(path, layout, Box::new(read_all)))))
}

/// Shades of few bits as a list of colours.
fn shades(bits: u16, key: Option<&[u8]>) -> Vec<[u8; 4]> {
    let largest = (1u16 << bits) - 1;
    let clear = key.and_then(|key| key.get(1).copied());
    (0..=largest)
        .map(|shade| {
            let grey = (u32::from(shade) * 255 / u32::from(largest)) as u8;
            [grey, grey, grey, if clear == Some(shade as u8) { 0 } else { 255 }]
        })
        .collect()
}

fn rows_of(
    path: &Path,
    layout: Layout,
    keyed: Option<[u16; 3]>,
    each: &mut dyn FnMut(&Samples) -> Result<()>,
) -> Result<()> {
    let mut reader = reader(path)?;
    let failed = |error: DecodingError| unread(path, &error);
    let bits = reader.info().bit_depth as usize;
    let bands = layout.bands - usize::from(keyed.is_some());
    let mut hand_on = |bytes: &[u8]| -> Result<()> {
        let samples = match bits {
            8 => Samples::U8(bytes.to_vec()),
            16 => {
                let pair = |two: &[u8]| u16::from_be_bytes([two[0], two[1]]);
                Samples::U16(bytes.chunks_exact(2).map(pair).collect())
            }
            bits => {
                let mask = (1u16 << bits) - 1;
                let number = |at: usize| {
                    let bit = at * bits;
                    (u16::from(bytes[bit / 8]) >> (8 - bits - bit % 8) & mask) as u8
                };
                Samples::U8((0..layout.columns * bands).map(number).collect())
            }
        };
        each(&match (keyed, samples) {
            // The colour that stands for nothing becomes one that cannot be seen.
            (Some(key), Samples::U8(numbers)) => {
                Samples::U8(with_opacity(&numbers, &key.map(|k| k as u8), u8::MAX))
            }
            (Some(key), Samples::U16(numbers)) => {
                Samples::U16(with_opacity(&numbers, &key, u16::MAX))
            }
            (_, samples) => samples,
        })
    };
    if reader.info().interlaced {
        let size = reader.output_buffer_size().unwrap_or(0);
        let mut frame = vec![0; size];
        let done = reader.next_frame(&mut frame).map_err(failed)?;
        return frame.chunks(done.line_size).take(layout.rows).try_for_each(hand_on);
    }
    while let Some(row) = reader.next_row().map_err(failed)? {
        hand_on(row.data())?;
    }
    Ok(())
}

fn with_opacity<T: Copy + PartialEq + Default>(numbers: &[T], key: &[T; 3], full: T) -> Vec<T> {
    let pixels = numbers.chunks_exact(3);
    pixels
        .flat_map(|pixel| {
            let opacity = if pixel == key { T::default() } else { full };
            [pixel[0], pixel[1], pixel[2], opacity]
        })
        .collect()
}
