//! A part of a raster in memory, and what its samples are.

/// A number as rasters hold it.
pub trait Sample: Copy + PartialEq + Send + Sync + 'static {
    /// The number.
    fn to_f64(self) -> f64;
    /// The nearest number that the type can hold; halves go away from zero.
    fn from_f64(value: f64) -> Self;
    /// The neighbour of a number that is no place for a value, towards `value`.
    fn beside(self, value: f64) -> Self;
    /// True for whole numbers.
    const WHOLE: bool;
}

macro_rules! whole {
    ($($kind:ty),+) => {$(
        impl Sample for $kind {
            fn to_f64(self) -> f64 {
                f64::from(self)
            }
            fn from_f64(value: f64) -> $kind {
                value.round() as $kind // saturates
            }
            fn beside(self, value: f64) -> $kind {
                let up = value > f64::from(self) || self == <$kind>::MIN;
                if up && self != <$kind>::MAX { self + 1 } else { self - 1 }
            }
            const WHOLE: bool = true;
        }
    )+};
}

whole!(u8, i8, u16, i16, u32, i32);

impl Sample for f32 {
    fn to_f64(self) -> f64 {
        f64::from(self)
    }
    fn from_f64(value: f64) -> f32 {
        value as f32
    }
    fn beside(self, value: f64) -> f32 {
        if value > f64::from(self) { self.next_up() } else { self.next_down() }
    }
    const WHOLE: bool = false;
}

impl Sample for f64 {
    fn to_f64(self) -> f64 {
        self
    }
    fn from_f64(value: f64) -> f64 {
        value
    }
    fn beside(self, value: f64) -> f64 {
        if value > self { self.next_up() } else { self.next_down() }
    }
    const WHOLE: bool = false;
}

/// A rectangle of a raster: row by row, the bands of a pixel side by side.
#[derive(Clone, Copy, Debug)]
pub struct Window<'a, T> {
    /// `columns` × `rows` × `bands` numbers.
    pub samples: &'a [T],
    /// Column of the raster that the rectangle begins with.
    pub first_column: i64,
    /// Row of the raster that it begins with.
    pub first_row: i64,
    /// Columns.
    pub columns: usize,
    /// Rows.
    pub rows: usize,
    /// Bands.
    pub bands: usize,
}

impl<'a, T: Sample> Window<'a, T> {
    /// The bands of a pixel; none outside.
    pub fn pixel(&self, column: i64, row: i64) -> Option<&'a [T]> {
        let column = usize::try_from(column - self.first_column).ok()?;
        let row = usize::try_from(row - self.first_row).ok()?;
        if column >= self.columns || row >= self.rows {
            return None;
        }
        let at = (row * self.columns + column) * self.bands;
        self.samples.get(at..at + self.bands)
    }

    /// N rows of N pixels from a column and a row on; none if some are outside.
    pub(super) fn square<const N: usize>(&self, (column, row): (i64, i64)) -> Option<[&'a [T]; N]> {
        let column = usize::try_from(column - self.first_column).ok()?;
        let row = usize::try_from(row - self.first_row).ok()?;
        if column + N > self.columns || row + N > self.rows {
            return None;
        }
        let mut lines = [self.samples; N];
        for (at, line) in lines.iter_mut().enumerate() {
            let from = ((row + at) * self.columns + column) * self.bands;
            *line = self.samples.get(from..from + N * self.bands)?;
        }
        Some(lines)
    }
}
