//! Values of pixels from those of another raster: nearest, bilinear, cubic (Keys 1981, a = −1/2),
//! area-weighted average.

use super::footprint::covered;
use super::places::Places;
use super::window::{Sample, Window};
use std::fmt;

/// How values between pixels come about.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Resampling {
    /// The value of the pixel that the place lies in: for classes, palettes and all that must not mix.
    Nearest,
    /// A surface through the four nearest pixels' middles, for what changes steadily.
    Bilinear,
    /// Cubic convolution of the sixteen nearest pixels, sharper than the bilinear surface; it may go
    /// beyond the values that it joins.
    Cubic,
    /// The mean of all that the pixel covers, by area, for larger pixels than the source has.
    Average,
}

impl Resampling {
    /// All of them.
    pub const ALL: [Resampling; 4] =
        [Resampling::Nearest, Resampling::Bilinear, Resampling::Cubic, Resampling::Average];

    /// Its name.
    pub fn name(self) -> &'static str {
        match self {
            Resampling::Nearest => "nearest",
            Resampling::Bilinear => "bilinear",
            Resampling::Cubic => "cubic",
            Resampling::Average => "average",
        }
    }

    /// That of a name.
    pub fn named(name: &str) -> Option<Resampling> {
        Resampling::ALL.into_iter().find(|way| way.name() == name)
    }
}

impl fmt::Display for Resampling {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())
    }
}

/// What stands for no value.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Missing<T> {
    /// This number in a band is none; what is not a number is none in any case.
    pub value: Option<T>,
    /// The last band says how opaque a pixel is, from 0 to this number: colours count by it.
    pub opaque: Option<f64>,
}

impl<T: Sample> Missing<T> {
    /// Bands of values, without that of opacity.
    fn values(&self, bands: usize) -> usize {
        bands - usize::from(self.opaque.is_some())
    }

    fn is_none(&self, sample: T) -> bool {
        self.value == Some(sample) || sample.to_f64().is_nan()
    }

    /// How much a pixel counts in colours.
    fn weight(&self, pixel: &[T]) -> f64 {
        match (self.opaque, pixel.last()) {
            (Some(full), Some(last)) => last.to_f64() / full,
            _ => 1.0,
        }
    }
}

/// Sums of one pixel: of differences from the first value, so that what is level stays so to the last bit.
struct Sums {
    base: Vec<f64>,
    value: Vec<f64>,
    weight: Vec<f64>,
    opacity: f64,
    total: f64,
}

impl Sums {
    fn of(bands: usize) -> Sums {
        let none = vec![0.0; bands];
        Sums { base: none.clone(), value: none.clone(), weight: none, opacity: 0.0, total: 0.0 }
    }

    fn clear(&mut self) {
        self.base.fill(f64::NAN);
        self.value.fill(0.0);
        self.weight.fill(0.0);
        (self.opacity, self.total) = (0.0, 0.0);
    }

    fn add<T: Sample>(&mut self, pixel: &[T], weight: f64, missing: &Missing<T>) {
        let part = weight * missing.weight(pixel);
        self.opacity += part;
        self.total += weight;
        for (band, sample) in pixel.iter().take(self.value.len()).enumerate() {
            if !missing.is_none(*sample) {
                if self.base[band].is_nan() {
                    self.base[band] = sample.to_f64();
                }
                self.value[band] += part * (sample.to_f64() - self.base[band]);
                self.weight[band] += part;
            }
        }
    }

    fn mean(&self, band: usize) -> f64 {
        self.base[band] + self.value[band] / self.weight[band]
    }
}

/// Fills pixels, band beside band, with the values at places of a window. A pixel has a value where the
/// pixel of the source that its middle lies in has one (with averages: where at least half of its area
/// has); neighbours without a value take no part. What has none becomes `blank`.
///
/// # Panics
/// If `out` does not hold `blank.len()` numbers a place.
pub fn resample<T: Sample>(
    window: &Window<'_, T>,
    places: &Places,
    way: Resampling,
    missing: &Missing<T>,
    blank: &[T],
    out: &mut [T],
) {
    let bands = window.bands;
    assert_eq!(out.len(), places.columns * places.rows * bands);
    assert_eq!(blank.len(), bands);
    let values = missing.values(bands);
    let mut sums = Sums::of(values);
    for (at, pixel) in out.chunks_exact_mut(bands).enumerate() {
        pixel.copy_from_slice(blank);
        if way == Resampling::Average {
            average(window, places, at, missing, &mut sums, pixel);
            continue;
        }
        let (column, row) = places.middle_of(at);
        // What cannot be converted is no number, and lies in no pixel.
        if !(column.is_finite() && row.is_finite()) {
            continue;
        }
        let Some(own) = window.pixel(column.floor() as i64, row.floor() as i64) else { continue };
        if way == Resampling::Nearest {
            pixel.copy_from_slice(own);
            for (sample, blank) in pixel.iter_mut().zip(blank).take(values) {
                if missing.is_none(*sample) {
                    *sample = *blank;
                }
            }
            continue;
        }
        let (left, top) = ((column - 0.5).floor(), (row - 0.5).floor());
        let parts = (column - 0.5 - left, row - 0.5 - top);
        let first = (left as i64, top as i64);
        let done = match way {
            Resampling::Cubic => {
                let weights = (cubic(parts.0), cubic(parts.1));
                surface(window, (first.0 - 1, first.1 - 1), weights, missing, pixel)
            }
            _ => {
                let weights = ([1.0 - parts.0, parts.0], [1.0 - parts.1, parts.1]);
                surface(window, first, weights, missing, pixel)
            }
        };
        if done {
            continue;
        }
        pixel.copy_from_slice(blank);
        let whole = way == Resampling::Cubic
            && spread(window, (column, row), cubic, -1..3, missing, &mut sums);
        if !whole {
            // At edges, and beside what has no value, the four nearest serve.
            spread(window, (column, row), linear, 0..2, missing, &mut sums);
        }
        settle(&sums, own, missing, pixel);
    }
}

/// A surface through the N × N pixels from `first` on, where all have values and are opaque; false, with the
/// pixel undefined, where not. The weights of a row and of a column add up to 1.
fn surface<T: Sample, const N: usize>(
    window: &Window<'_, T>,
    first: (i64, i64),
    (across, down): ([f64; N], [f64; N]),
    missing: &Missing<T>,
    pixel: &mut [T],
) -> bool {
    let Some(lines) = window.square::<N>(first) else { return false };
    let bands = window.bands;
    if let Some(full) = missing.opaque {
        let full = T::from_f64(full);
        let seen = |line: &&[T]| (1..=N).all(|at| line[at * bands - 1] == full);
        if !lines.iter().all(seen) {
            return false;
        }
        pixel[bands - 1] = full;
    }
    for (band, sample) in pixel.iter_mut().take(missing.values(bands)).enumerate() {
        // Differences from one of them, so that what is level stays so to the last bit.
        let base = lines[0][band].to_f64();
        let (mut sum, mut none) = (0.0, false);
        for (line, down) in lines.iter().zip(down) {
            for (at, across) in across.iter().enumerate() {
                let own = line[at * bands + band];
                none |= missing.is_none(own);
                sum += down * across * (own.to_f64() - base);
            }
        }
        if none {
            return false;
        }
        *sample = landed(base + sum, missing);
    }
    true
}

/// Sums over the pixels around a place; false if one has no value.
fn spread<T: Sample>(
    window: &Window<'_, T>,
    (column, row): (f64, f64),
    weights: fn(f64) -> [f64; 4],
    reach: std::ops::Range<i64>,
    missing: &Missing<T>,
    sums: &mut Sums,
) -> bool {
    sums.clear();
    let (left, top) = ((column - 0.5).floor(), (row - 0.5).floor());
    let (across, down) = (weights(column - 0.5 - left), weights(row - 0.5 - top));
    let mut whole = true;
    for y in reach.clone() {
        for x in reach.clone() {
            let weight = across[(x + 1) as usize] * down[(y + 1) as usize];
            match window.pixel(left as i64 + x, top as i64 + y) {
                Some(pixel) => {
                    whole &= !pixel.iter().take(sums.value.len()).any(|s| missing.is_none(*s));
                    sums.add(pixel, weight, missing);
                }
                None => whole = false,
            }
        }
    }
    whole
}

/// Weights of the two pixels around a place, as those of four.
fn linear(part: f64) -> [f64; 4] {
    [0.0, 1.0 - part, part, 0.0]
}

/// Weights of four pixels in a row (Keys 1981, equation 15).
fn cubic(part: f64) -> [f64; 4] {
    let (p, q, r) = (part, part * part, part * part * part);
    [
        0.5 * (-r + 2.0 * q - p),
        0.5 * (3.0 * r - 5.0 * q + 2.0),
        0.5 * (-3.0 * r + 4.0 * q + p),
        0.5 * (r - q),
    ]
}

/// The pixel of sums; bands in which `own` has no value stay as they are.
fn settle<T: Sample>(sums: &Sums, own: &[T], missing: &Missing<T>, pixel: &mut [T]) {
    for (band, sample) in pixel.iter_mut().take(sums.value.len()).enumerate() {
        if !missing.is_none(own[band]) && sums.weight[band] > 1e-9 {
            *sample = landed(sums.mean(band), missing);
        }
    }
    if let (Some(full), Some(last)) = (missing.opaque, pixel.last_mut())
        && sums.total > 1e-9
    {
        *last = T::from_f64((full * sums.opacity / sums.total).clamp(0.0, full));
    }
}

/// A value as a sample; one that would be taken for none goes to its neighbour.
fn landed<T: Sample>(value: f64, missing: &Missing<T>) -> T {
    let sample = T::from_f64(value);
    match missing.is_none(sample) {
        true => sample.beside(value),
        false => sample,
    }
}

fn average<T: Sample>(
    window: &Window<'_, T>,
    places: &Places,
    at: usize,
    missing: &Missing<T>,
    sums: &mut Sums,
    pixel: &mut [T],
) {
    let corners = places.corners_of(at);
    if corners.iter().any(|at| !(at.0.is_finite() && at.1.is_finite())) {
        return;
    }
    sums.clear();
    let whole = covered(corners, |column, row, part| {
        // Beyond a seam the columns begin again.
        let again = || window.pixel(column.rem_euclid(places.around? as i64), row);
        if let Some(found) = window.pixel(column, row).or_else(again) {
            sums.add(found, part, missing);
        }
    });
    if sums.total < 0.5 * whole {
        return;
    }
    // Of each band at least half; colours that nobody sees do not count.
    let needed = if missing.opaque.is_some() { 1e-9 } else { 0.5 * whole };
    for (band, sample) in pixel.iter_mut().take(sums.value.len()).enumerate() {
        if sums.weight[band] >= needed && sums.weight[band] > 0.0 {
            *sample = landed(sums.mean(band), missing);
        }
    }
    if let (Some(full), Some(last)) = (missing.opaque, pixel.last_mut()) {
        *last = T::from_f64((full * sums.opacity / whole).clamp(0.0, full));
    }
}
