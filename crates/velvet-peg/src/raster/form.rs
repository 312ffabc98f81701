//! The form in which a raster is written: bands, what stands for no value, and how the numbers that are
//! read become such.

use super::colours::Colours;
use super::info::RasterInfo;
use super::raster_format::RasterFormat;
use super::reader::RasterReader;
use super::samples::{SampleType, Samples, each_type};
use super::sink::Form;
use crate::error::Result;
use crate::notice::{Notice, NoticeKind};
use velvet_peg_core::raster::{PixelGrid, Sample};

/// What is done with numbers between reading and resampling.
#[derive(Clone, Debug, PartialEq)]
pub(super) enum Widening {
    /// Nothing.
    None,
    /// A band of opacity is added: none where all bands are the number that stands for no value.
    Opacity(Option<f64>),
    /// The band of opacity that is there becomes none where all others are this number.
    Cleared(f64),
    /// Places in a list of colours become red, green, blue and opacity.
    Painted(Vec<[u8; 4]>),
    /// Numbers of another type, those that are none (NaN) as a number that stands for it.
    Numbers(SampleType, Option<f64>),
    /// Numbers of 64 bits with decimals; the number that stands for no value becomes none (NaN).
    Decimals(Option<f64>),
}

/// What was seen in all numbers of a raster.
struct Seen {
    lowest: f64,
    highest: f64,
    /// Of numbers of 8 bits: which there are.
    used: Vec<bool>,
    /// Some are none (NaN).
    none: bool,
}

impl Seen {
    fn nothing() -> Seen {
        Seen {
            lowest: f64::INFINITY,
            highest: f64::NEG_INFINITY,
            used: vec![false; 256],
            none: false,
        }
    }

    fn of(reader: &RasterReader) -> Result<Seen> {
        let look = |samples: Samples| {
            let mut seen = Seen::nothing();
            if let Samples::U8(numbers) = &samples {
                numbers.iter().for_each(|number| seen.used[usize::from(*number)] = true);
            }
            each_type!(&samples, numbers => for number in numbers {
                let number = number.to_f64();
                seen.lowest = seen.lowest.min(number);
                seen.highest = seen.highest.max(number);
                seen.none |= number.is_nan();
            });
            seen
        };
        let mut seen = Seen::nothing();
        reader.each_block(look, |part| {
            seen.lowest = seen.lowest.min(part.lowest);
            seen.highest = seen.highest.max(part.highest);
            seen.none |= part.none;
            seen.used.iter_mut().zip(part.used).for_each(|(used, also)| *used |= also);
        })?;
        Ok(seen)
    }
}

/// The form in which a raster is written, and what its numbers become on the way. `blanks` says that the
/// frame may reach beyond the raster, so that something has to stand for no value.
pub(super) fn form(
    reader: &RasterReader,
    grid: PixelGrid,
    output: RasterFormat,
    blanks: bool,
    notices: &mut Vec<Notice>,
) -> Result<(Form, Widening)> {
    let info = reader.info();
    let mut form = Form {
        grid,
        bands: info.bands,
        samples: info.samples,
        colours: info.colours.clone(),
        opacity: info.opacity,
        no_data: info.no_data,
        crs: info.crs.clone(),
        vertical: info.vertical.clone(),
    };
    // In colours a number stands for none only where all of them are it, which neither resampling nor PNG
    // keeps.
    let of_colours = info.colours == Colours::Rgb && (blanks || output == RasterFormat::Png);
    let widening = match (&info.colours, info.samples) {
        _ if output == RasterFormat::AsciiGrid => text(reader, info, &mut form, blanks)?,
        _ if of_colours && info.no_data.is_some() => opaque(&mut form, info),
        _ if info.opacity => Widening::None,
        (Colours::Palette(_), _) if blanks && info.no_data.is_none() => {
            unused_colour(reader, &mut form, notices)?
        }
        _ if !blanks || info.no_data.is_some() => Widening::None,
        (_, SampleType::F32 | SampleType::F64) => {
            form.no_data = Some(f64::NAN);
            Widening::None
        }
        (Colours::Values, _) => unused_number(reader, info, &mut form)?,
        (Colours::Grey | Colours::Rgb | Colours::Palette(_), _) => opaque(&mut form, info),
    };
    if let (Colours::Palette(list), Some(value)) = (&mut form.colours, form.no_data) {
        let at = value as usize;
        while list.len() <= at {
            list.push([255, 255, 255, 0]);
        }
        list[at][3] = 0;
    }
    if let Colours::Palette(list) = &form.colours
        && output == RasterFormat::GeoTiff
    {
        let none = form.no_data.map(|at| at as usize);
        let lost = |(at, colour): (usize, &[u8; 4])| colour[3] < 255 && Some(at) != none;
        let count = list.iter().enumerate().filter(|colour| lost(*colour)).count() as u64;
        if count > 0 {
            notices.push(
                Notice::warning(
                    NoticeKind::FormatLimit,
                    format!(
                        "{count} transparent colours of the list become opaque: GeoTIFF has one at most that \
                         stands for no value"
                    ),
                )
                .count(count),
            );
        }
    }
    if form.opacity && !info.opacity {
        notices.push(Notice::note(
            NoticeKind::FormatLimit,
            "a band of opacity is added: what lies beyond the raster is transparent",
        ));
    } else if form.no_data.is_some()
        && info.no_data.is_none()
        && !matches!(form.colours, Colours::Palette(_))
    {
        let value = form.no_data.unwrap_or(f64::NAN);
        notices.push(
            Notice::note(
                NoticeKind::FormatLimit,
                format!(
                    "{value} stands for what lies beyond the raster: no pixel of it has this value"
                ),
            )
            .with("no_data", value, ""),
        );
    }
    Ok((form, widening))
}

/// Opacity says where there is no value.
pub(super) fn opaque(form: &mut Form, info: &RasterInfo) -> Widening {
    form.no_data = None;
    match (info.opacity, info.no_data) {
        (true, Some(none)) => Widening::Cleared(none),
        (true, None) => Widening::None,
        (false, none) => {
            form.opacity = true;
            form.bands += 1;
            Widening::Opacity(none)
        }
    }
}

/// A number that no pixel has, at an end of the type; a band of opacity where there is none.
fn unused_number(reader: &RasterReader, info: &RasterInfo, form: &mut Form) -> Result<Widening> {
    let seen = Seen::of(reader)?;
    let lowest = match info.samples {
        SampleType::I8 => f64::from(i8::MIN),
        SampleType::I16 => f64::from(i16::MIN),
        SampleType::I32 => f64::from(i32::MIN),
        _ => 0.0,
    };
    let ends = match lowest < 0.0 {
        true => [lowest, info.samples.largest()],
        false => [info.samples.largest(), lowest],
    };
    let free = ends.into_iter().find(|end| !(seen.lowest..=seen.highest).contains(end));
    match free {
        Some(value) => {
            form.no_data = Some(value);
            Ok(Widening::None)
        }
        None => Ok(opaque(form, info)),
    }
}

fn unused_colour(
    reader: &RasterReader,
    form: &mut Form,
    notices: &mut Vec<Notice>,
) -> Result<Widening> {
    let Colours::Palette(list) = &form.colours else { return Ok(Widening::None) };
    if list.len() < 256 {
        form.no_data = Some(list.len() as f64);
        return Ok(Widening::None);
    }
    let seen = Seen::of(reader)?;
    match seen.used.iter().rposition(|used| !used) {
        Some(free) => {
            form.no_data = Some(free as f64);
            Ok(Widening::None)
        }
        None => {
            notices.push(Notice::note(
                NoticeKind::FormatLimit,
                "every place in the list of 256 colours is used: the pixels become red, green and blue, so \
                 that what lies beyond the raster can be transparent",
            ));
            let list = list.clone();
            form.colours = Colours::Rgb;
            form.bands = 4;
            form.opacity = true;
            form.no_data = None;
            Ok(Widening::Painted(list))
        }
    }
}

/// Numbers as text have no type: whole ones get room for a number that stands for none, and what is not a
/// number becomes one.
fn text(
    reader: &RasterReader,
    info: &RasterInfo,
    form: &mut Form,
    blanks: bool,
) -> Result<Widening> {
    const USUAL: f64 = -9999.0;
    form.colours = Colours::Values;
    if form.bands != 1 {
        return Ok(Widening::None);
    }
    form.samples = match info.samples {
        kind if kind.has_decimals() => kind,
        SampleType::U32 => SampleType::F64,
        _ => SampleType::I32,
    };
    if info.no_data.is_none_or(f64::is_nan) && (blanks || info.samples.has_decimals()) {
        let seen = Seen::of(reader)?;
        form.no_data = None;
        if blanks || seen.none {
            let free = !(seen.lowest..=seen.highest).contains(&USUAL);
            form.no_data = Some(if free { USUAL } else { f64::from(i32::MIN) });
        }
    }
    Ok(Widening::Numbers(form.samples, form.no_data))
}

/// Numbers as they are resampled.
pub(super) fn widened(samples: Samples, widening: &Widening, bands: usize) -> Samples {
    match widening {
        Widening::None => samples,
        Widening::Numbers(kind, stand_in) => {
            let mut numbers = samples.into_kind(*kind);
            if let Some(value) = stand_in {
                each_type!(&mut numbers, numbers => for number in numbers {
                    if number.to_f64().is_nan() {
                        *number = Sample::from_f64(*value);
                    }
                });
            }
            numbers
        }
        Widening::Decimals(none) => {
            let narrow = samples.kind() == SampleType::F32;
            let mut numbers = samples.into_kind(SampleType::F64);
            if let (Samples::F64(numbers), Some(none)) = (&mut numbers, none) {
                // It is written in more digits than a number of 32 bits has.
                let none = if narrow { f64::from(*none as f32) } else { *none };
                for number in numbers.iter_mut().filter(|number| **number == none) {
                    *number = f64::NAN;
                }
            }
            numbers
        }
        Widening::Painted(list) => match samples {
            Samples::U8(numbers) => Samples::U8(
                numbers
                    .iter()
                    .flat_map(|at| list.get(usize::from(*at)).copied().unwrap_or([0; 4]))
                    .collect(),
            ),
            other => other,
        },
        Widening::Opacity(none) => {
            let full = samples.kind().largest();
            macro_rules! each {
                ($($kind:ident),+) => {
                    match &samples {
                        $(Samples::$kind(numbers) => {
                            Samples::$kind(with_opacity(numbers, bands, *none, full))
                        })+
                    }
                };
            }
            each!(U8, I8, U16, I16, U32, I32, F32, F64)
        }
        Widening::Cleared(none) => {
            let mut samples = samples;
            each_type!(&mut samples, numbers => clear(numbers, bands, *none));
            samples
        }
    }
}

/// True if all numbers are the one that stands for none.
fn are_none<T: Sample>(numbers: &[T], none: f64) -> bool {
    let none = T::from_f64(none);
    numbers.iter().all(|number| *number == none)
}

fn with_opacity<T: Sample>(numbers: &[T], bands: usize, none: Option<f64>, full: f64) -> Vec<T> {
    let (full, clear) = (T::from_f64(full), T::from_f64(0.0));
    let mut wide = Vec::with_capacity(numbers.len() / bands * (bands + 1));
    for pixel in numbers.chunks_exact(bands) {
        wide.extend_from_slice(pixel);
        wide.push(if none.is_some_and(|none| are_none(pixel, none)) { clear } else { full });
    }
    wide
}

fn clear<T: Sample>(numbers: &mut [T], bands: usize, none: f64) {
    for pixel in numbers.chunks_exact_mut(bands) {
        if let Some((opacity, colours)) = pixel.split_last_mut()
            && are_none(colours, none)
        {
            *opacity = T::from_f64(0.0);
        }
    }
}
