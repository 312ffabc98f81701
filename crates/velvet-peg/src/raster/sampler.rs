//! Values of a raster at single places.

use super::blocks::BlockCache;
use super::info::{no_place, no_system};
use super::reader::RasterReader;
use super::samples::Samples;
use crate::error::Result;
use velvet_peg_core::Crs;
use velvet_peg_core::raster::{
    At, Missing, PixelGrid, Places, Resampling, Sample, Turn, Window, resample,
};

/// Values of a raster at single places, for several threads.
pub struct Sampler {
    reader: RasterReader,
    cache: BlockCache,
    grid: PixelGrid,
    way: Resampling,
    /// Where x is a longitude.
    turn: Option<Turn>,
    round: bool,
}

impl RasterReader {
    /// The system that its pixels lie in, without what its values may be of.
    ///
    /// # Errors
    /// If it says none.
    pub fn system(&self) -> Result<Crs> {
        let info = self.info();
        let crs = info.crs.as_ref().ok_or_else(|| no_system(info).in_file(self.path()))?;
        Ok(crs.horizontal().unwrap_or_else(|| crs.clone()))
    }

    /// Values at single places, by nearest or bilinear.
    ///
    /// ```
    /// # let folder = tempfile::tempdir()?;
    /// # let path = folder.path().join("heights.asc");
    /// use velvet_peg::raster::{RasterReader, Resampling};
    /// std::fs::write(&path, "ncols 2\nnrows 1\nxllcorner 0\nyllcorner 0\ncellsize 10\n300 310\n")?;
    /// let heights = RasterReader::open(&path)?.sampler(Resampling::Bilinear)?;
    /// assert_eq!(heights.at((10.0, 5.0))?, Some(vec![Some(305.0)]));
    /// assert_eq!(heights.at((30.0, 5.0))?, None); // beyond
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// # Errors
    /// If nothing says where its pixels lie.
    pub fn sampler(self, way: Resampling) -> Result<Sampler> {
        let info = self.info();
        let grid = info.grid.ok_or_else(|| no_place(info).in_file(self.path()))?;
        let turn = info.crs.as_ref().and_then(Turn::of);
        let round = info.goes_around();
        let cache = self.cache();
        Ok(Sampler { reader: self, cache, grid, way, turn, round })
    }
}

impl Sampler {
    /// The value of each band at a place of the raster's system, in its unit; none for the whole where the
    /// place is beyond the raster, and none for a band where it has no value there.
    ///
    /// # Errors
    /// If the file cannot be read.
    pub fn at(&self, (x, y): (f64, f64)) -> Result<Option<Vec<Option<f64>>>> {
        let x = self.turn.map_or(x, |turn| turn.near(x, self.grid.middle().0));
        let (column, row) = self.grid.pixel((x, y));
        let inside = |value: f64, end: usize| value >= 0.0 && value < end as f64;
        // The lower and right edge belong to the raster.
        let settle = |value: f64, end: usize| {
            if value == end as f64 { value.next_down() } else { value }
        };
        let info = self.reader.info();
        let (column, row) = (settle(column, info.columns), settle(row, info.rows));
        if !inside(column, info.columns) || !inside(row, info.rows) {
            return Ok(None);
        }
        let (top, bottom) = ((row as usize).saturating_sub(1), (row as usize + 2).min(info.rows));
        let (left, right) = (column as i64 - 1, column as i64 + 2);
        let samples = self.reader.with_blocks(|blocks| {
            self.cache.across(blocks, (left, top, right, bottom), self.round)
        })?;
        let (samples, left, right) = samples;
        let places = Places {
            columns: 1,
            rows: 1,
            at: At::Middles,
            positions: vec![(column, row)],
            around: None,
            error: 0.0,
        };
        let values = info.value_bands();
        let size = ((right - left) as usize, bottom - top);
        macro_rules! each {
            ($($kind:ident),+) => {
                match &samples {
                    $(Samples::$kind(samples) => {
                        let window = Window {
                            samples,
                            first_column: left,
                            first_row: top as i64,
                            columns: size.0,
                            rows: size.1,
                            bands: info.bands,
                        };
                        value_at(&window, &places, self.way, info.no_data, info.opacity, values)
                    })+
                }
            };
        }
        Ok(Some(each!(U8, I8, U16, I16, U32, I32, F32, F64)))
    }
}

fn value_at<T: Sample>(
    window: &Window<'_, T>,
    places: &Places,
    way: Resampling,
    no_data: Option<f64>,
    opacity: bool,
    values: usize,
) -> Vec<Option<f64>> {
    let none = no_data.map(T::from_f64);
    let (column, row) = places.middle_of(0);
    let own = window.pixel(column.floor() as i64, row.floor() as i64);
    let Some(own) = own else { return vec![None; values] };
    // What cannot be seen has no value.
    if opacity && own.last().is_some_and(|last| last.to_f64() == 0.0) {
        return vec![None; values];
    }
    // As numbers with decimals: a value between whole numbers stays between them.
    let decimals: Vec<f64> = window
        .samples
        .iter()
        .map(|sample| if none == Some(*sample) { f64::NAN } else { sample.to_f64() })
        .collect();
    let window = Window {
        samples: &decimals,
        first_column: window.first_column,
        first_row: window.first_row,
        columns: window.columns,
        rows: window.rows,
        bands: window.bands,
    };
    let mut found = vec![f64::NAN; window.bands];
    let missing = Missing { value: None, opaque: None };
    resample(&window, places, way, &missing, &vec![f64::NAN; window.bands], &mut found);
    found
        .into_iter()
        .take(values)
        .map(|value| Some(value).filter(|value| !value.is_nan()))
        .collect()
}
