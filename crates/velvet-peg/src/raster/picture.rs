//! A raster as it is seen in the frame of a map.

use super::colours::Colours;
use super::form::{Widening, opaque};
use super::output_blocks::Work;
use super::reader::RasterReader;
use super::samples::{SampleType, Samples, each_type};
use super::sink::{Coder, Form, RasterSink, Rectangle, rectangles};
use super::ways::{TOLERANCE, ways};
use crate::error::{Error, Kind, Result};
use crate::progress::Progress;
use crate::reproject::Way;
use velvet_peg_core::raster::{At, Carrier, PixelGrid, Resampling, Sample, SourcePlaces, Unmoved};
use velvet_peg_core::{Converter, Crs};

/// What is shown of a raster.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Shown {
    /// Its own colours.
    Colours,
    /// The numbers of its first band, from the lowest to the highest that is seen.
    Values(f64, f64),
}

/// A raster as it is seen in the frame of a map, cut to where it has pixels.
#[derive(Clone, Debug)]
pub(crate) struct Picture {
    /// First column and row in the frame.
    pub(crate) first: (usize, usize),
    /// Columns and rows.
    pub(crate) size: (usize, usize),
    /// Red, green, blue and opacity of each pixel, row by row.
    pixels: Vec<[u8; 4]>,
    pub(crate) shown: Shown,
}

/// Rows and columns that are made at a time.
const BLOCK: usize = 256;

impl Picture {
    /// Sees a raster in the pixels of a frame, which are in the system `target`, or in none as the raster
    /// itself. `ramp` gives the colour of a number, 0 for the lowest and 1 for the highest. None if no
    /// pixel of the raster lies in the frame.
    pub(crate) fn of(
        reader: &RasterReader,
        frame: PixelGrid,
        target: Option<&Crs>,
        ramp: &dyn Fn(f64) -> [u8; 3],
        watch: &mut dyn Progress,
    ) -> Result<Option<Picture>> {
        let info = reader.info();
        let Some(source) = info.grid else { return Ok(None) };
        let between: Option<(Converter, Converter)> = match target {
            Some(target) => Some(ways(reader, &source, Some(target), &Way::default())?),
            None => None,
        };
        let back: &dyn Carrier = between.as_ref().map_or(&Unmoved, |(_, back)| back);
        let places = SourcePlaces::new(back, frame, source, TOLERANCE);
        let mut form = Form {
            grid: frame,
            bands: info.bands,
            samples: info.samples,
            colours: info.colours.clone(),
            opacity: info.opacity,
            no_data: info.no_data,
            crs: None,
            vertical: None,
        };
        let own_colours = match info.colours {
            Colours::Palette(_) | Colours::Rgb => true,
            // Shades of more bits are figures as often as pictures: they are shown from the lowest on.
            Colours::Grey => info.samples == SampleType::U8 && info.bits == 8,
            Colours::Values => false,
        };
        let widening = match &info.colours {
            Colours::Palette(list) => {
                let mut list = list.clone();
                if let Some(none) = info.no_data.and_then(|at| list.get_mut(at as usize)) {
                    none[3] = 0;
                }
                (form.colours, form.bands, form.opacity) = (Colours::Rgb, 4, true);
                form.no_data = None;
                Widening::Painted(list)
            }
            Colours::Rgb => opaque(&mut form, info),
            Colours::Grey if own_colours => opaque(&mut form, info),
            _ if info.opacity => opaque(&mut form, info),
            _ => {
                form.samples = SampleType::F64;
                form.no_data = Some(f64::NAN);
                Widening::Decimals(info.no_data)
            }
        };
        let brightest = match (&info.colours, info.samples) {
            (_, SampleType::U8) => f64::from(u8::MAX),
            (Colours::Rgb, _) => brightest(reader)?,
            _ => info.samples.largest(),
        };
        let mut sink = Canvas::new(frame, coder(&form, own_colours.then_some(brightest)));
        Work {
            reader,
            cache: reader.cache(),
            way: way(&places, &source, &frame, between.as_ref().map(|(there, _)| there)),
            places: Some(places),
            form: &form,
            widening,
            round: info.goes_around(),
        }
        .run(&mut sink, watch)?;
        Ok(sink.picture(own_colours, ramp))
    }

    /// As a PNG file.
    pub(crate) fn png(&self) -> Result<Vec<u8>> {
        let failed = |error: png::EncodingError| {
            Error::new(Kind::Compute, format!("the raster cannot be made into a PNG: {error}"))
        };
        let mut bytes = Vec::new();
        let mut encoder = png::Encoder::new(&mut bytes, self.size.0 as u32, self.size.1 as u32);
        encoder.set_depth(png::BitDepth::Eight);
        let opaque = self.pixels.iter().all(|pixel| pixel[3] == 255);
        encoder.set_color(if opaque { png::ColorType::Rgb } else { png::ColorType::Rgba });
        let mut writer = encoder.write_header().map_err(failed)?;
        let parts = if opaque { 3 } else { 4 };
        let data: Vec<u8> = self.pixels.iter().flat_map(|pixel| &pixel[..parts]).copied().collect();
        writer.write_image_data(&data).map_err(failed)?;
        writer.finish().map_err(failed)?;
        Ok(bytes)
    }
}

/// Averages where pixels of the map are larger than those of the raster; where they are smaller, those of
/// the raster are seen.
fn way(
    places: &SourcePlaces<'_>,
    source: &PixelGrid,
    frame: &PixelGrid,
    there: Option<&Converter>,
) -> Resampling {
    let middle = source.middle();
    let (mut x, mut y) = ([middle.0], [middle.1]);
    if let Some(there) = there {
        there.carry(&mut x, &mut y);
    }
    let (column, row) = frame.pixel((x[0], y[0]));
    let within = |at: f64, count: usize| at.clamp(0.0, count.saturating_sub(2) as f64) as usize;
    let first = match column.is_finite() && row.is_finite() {
        true => (within(column, frame.columns()), within(row, frame.rows())),
        false => (frame.columns() / 2, frame.rows() / 2),
    };
    let four = places.of(first, (2, 2), At::Middles);
    let step = |to: usize| {
        let (from, to) = (four.middle_of(0), four.middle_of(to));
        (to.0 - from.0).hypot(to.1 - from.1)
    };
    if step(1).max(step(2)) < 1.0 { Resampling::Nearest } else { Resampling::Average }
}

/// Blocks that are looked at for the brightest colour, at most.
const LOOKED_AT: usize = 64;

/// The largest number of colours of more than 8 bits, which seldom use them all, in blocks from all over the
/// raster.
fn brightest(reader: &RasterReader) -> Result<f64> {
    let layout = reader.layout();
    let across = layout.blocks_across();
    let all = across * layout.rows.div_ceil(layout.block.1);
    let mut most = 0.0f64;
    for at in (0..all).step_by(all.div_ceil(LOOKED_AT).max(1)) {
        let samples = reader.with_blocks(|blocks| blocks.read((at % across, at / across)))?;
        each_type!(&samples, numbers => for pixel in numbers.chunks_exact(layout.bands) {
            for part in pixel.iter().take(3).map(|part| part.to_f64()) {
                if part.is_finite() {
                    most = most.max(part);
                }
            }
        });
    }
    Ok(if most > 0.0 { most } else { layout.samples.largest() })
}

/// What is kept of a pixel: its own colours, the brightest of which is given, or the number of its first band.
fn coder(
    form: &Form,
    brightest: Option<f64>,
) -> impl Fn(&Samples) -> Vec<[u8; 4]> + Clone + Send + Sync + 'static {
    let (bands, opacity) = (form.bands, form.opacity);
    let in_colours = form.colours == Colours::Rgb;
    move |samples: &Samples| {
        let full = samples.kind().largest();
        each_type!(samples, numbers => numbers
            .chunks_exact(bands)
            .map(|pixel| {
                let at = |band: usize| pixel[band].to_f64();
                let Some(brightest) = brightest else {
                    let clear = opacity && at(bands - 1) == 0.0;
                    return (if clear { f32::NAN } else { at(0) as f32 }).to_le_bytes();
                };
                let part = |value: f64, most: f64| {
                    (value / most * 255.0).round().clamp(0.0, 255.0) as u8
                };
                let colour = |band: usize| part(at(band), brightest);
                let own = if opacity { part(at(bands - 1), full) } else { 255 };
                match in_colours {
                    true => [colour(0), colour(1), colour(2), own],
                    false => [colour(0), colour(0), colour(0), own],
                }
            })
            .collect())
    }
}

/// The pixels of a frame in memory, as they come.
struct Canvas {
    grid: PixelGrid,
    rectangles: Box<dyn Iterator<Item = Rectangle>>,
    coder: Box<dyn Fn() -> Box<Coder>>,
    pixels: Vec<[u8; 4]>,
}

impl Canvas {
    fn new(
        grid: PixelGrid,
        coder: impl Fn(&Samples) -> Vec<[u8; 4]> + Clone + Send + Sync + 'static,
    ) -> Canvas {
        Canvas {
            grid,
            rectangles: Box::new(rectangles(grid, (BLOCK, BLOCK))),
            coder: Box::new(move || {
                let coder = coder.clone();
                Box::new(move |samples, _| Ok(coder(samples).into_iter().flatten().collect()))
            }),
            pixels: vec![[0; 4]; grid.columns() * grid.rows()],
        }
    }

    /// What is seen of them, cut to where there is something.
    fn picture(self, own_colours: bool, ramp: &dyn Fn(f64) -> [u8; 3]) -> Option<Picture> {
        let Canvas { grid, mut pixels, .. } = self;
        let mut shown = Shown::Colours;
        if !own_colours {
            let numbers = || pixels.iter().map(|bytes| f64::from(f32::from_le_bytes(*bytes)));
            let finite = || numbers().filter(|number| number.is_finite());
            let low = finite().fold(f64::INFINITY, f64::min);
            let high = finite().fold(f64::NEG_INFINITY, f64::max);
            shown = Shown::Values(low, high);
            let span = if high > low { high - low } else { 1.0 };
            for pixel in &mut pixels {
                let number = f64::from(f32::from_le_bytes(*pixel));
                *pixel = match number.is_finite() {
                    true => {
                        let [red, green, blue] = ramp((number - low) / span);
                        [red, green, blue, 255]
                    }
                    false => [0; 4],
                };
            }
        }
        let columns = grid.columns();
        let seen = || pixels.iter().enumerate().filter(|(_, pixel)| pixel[3] > 0);
        let top = seen().next()?.0 / columns;
        let bottom = seen().next_back()?.0 / columns;
        let left = seen().map(|(at, _)| at % columns).min()?;
        let right = seen().map(|(at, _)| at % columns).max()?;
        let rows = pixels.chunks_exact(columns).skip(top).take(bottom - top + 1);
        let cut = rows.flat_map(|row| &row[left..=right]).copied().collect();
        Some(Picture {
            first: (left, top),
            size: (right - left + 1, bottom - top + 1),
            pixels: cut,
            shown,
        })
    }
}

impl RasterSink for Canvas {
    fn block(&self) -> (usize, usize) {
        (BLOCK, BLOCK)
    }

    fn coder(&self) -> Box<Coder> {
        (self.coder)()
    }

    fn take(&mut self, bytes: &[u8]) -> Result<()> {
        if let Some((first, size)) = self.rectangles.next() {
            let columns = self.grid.columns();
            for (row, line) in bytes.chunks_exact(4 * size.0).enumerate() {
                let at = (first.1 + row) * columns + first.0;
                let (to, _) = line.as_chunks::<4>();
                self.pixels[at..at + size.0].copy_from_slice(to);
            }
        }
        Ok(())
    }

    fn finish(self: Box<Self>) -> Result<()> {
        Ok(())
    }
}
