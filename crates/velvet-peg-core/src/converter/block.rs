//! Many coordinates at a time: whole blocks go through each step, and each step sees to several places at
//! once where it can. The results are the same bits as those of one coordinate.

use super::Converter;
use crate::crs::{Mapping, Side};
use crate::geocentric;
use crate::height_plan::HeightPlan;
use crate::math::blocks::{Replacement, replace};
use crate::math::number::Number;
use crate::math::{degrees, functions};
use crate::position::Geographic;

/// Coordinates of a block: a few columns of so many stay in the nearest cache.
const BLOCK: usize = 256;

impl Converter {
    /// Converts columns block by block; the number of rows that became NaN.
    pub(super) fn convert_blocks(
        &self,
        x: &mut [f64],
        y: &mut [f64],
        z: Option<&mut [f64]>,
    ) -> usize {
        let many = x.len().min(y.len()).min(z.as_ref().map_or(usize::MAX, |z| z.len()));
        let (x, y) = (&mut x[..many], &mut y[..many]);
        let blocks = x.chunks_mut(BLOCK).zip(y.chunks_mut(BLOCK));
        match z {
            Some(z) => {
                let blocks = blocks.zip(z[..many].chunks_mut(BLOCK));
                blocks.map(|((x, y), z)| self.convert_block(x, y, z)).sum()
            }
            None => {
                // Unknown heights, which no model of heights is asked for; in space there is none.
                let in_space = self.source.is_geocentric() || self.target.is_geocentric();
                let none = if in_space { 0.0 } else { f64::NAN };
                blocks
                    .map(|(x, y)| {
                        let mut z = [none; BLOCK];
                        let z = &mut z[..x.len()];
                        self.convert_block(x, y, z)
                    })
                    .sum()
            }
        }
    }

    /// Of columns of one length, up to [`BLOCK`].
    fn convert_block(&self, x: &mut [f64], y: &mut [f64], z: &mut [f64]) -> usize {
        let before = numbers(x, y);
        let mut h = [0.0; BLOCK];
        let h = &mut h[..z.len()];
        only_finite(x, y);
        self.begin_block(x, y, z, h);
        let heights = self.height.is_ellipsoidal();
        for step in &self.route.steps {
            step.operation.run_block([x, y, h], &step.from, &step.to, heights);
        }
        if !self.route.steps.is_empty() {
            only_places(x, y);
        }
        self.end_block(x, y, z, h);
        before - numbers(x, y)
    }

    /// Longitude, latitude and height on the source's datum, of heights that are 0 so far. What is no coordinate
    /// becomes NaN.
    fn begin_block(&self, x: &mut [f64], y: &mut [f64], z: &[f64], h: &mut [f64]) {
        if self.height.is_ellipsoidal() {
            for (h, z) in h.iter_mut().zip(z) {
                *h = self.height.metres(*z);
            }
        }
        match &self.from {
            Mapping::Geographic(unit) => {
                let degrees = unit.degrees();
                scale(x, degrees);
                scale(y, degrees);
                only_places(x, y);
            }
            Mapping::Projected { projection, unit, x_sense, y_sense } => {
                let metres = unit.metres();
                scale(x, *x_sense);
                scale(x, metres);
                scale(y, *y_sense);
                scale(y, metres);
                projection.to_geographic_block(x, y);
            }
            Mapping::Geocentric(unit) => {
                let Some(side) = self.source.datum().map(|datum| datum.side()) else {
                    return nothing(x, y);
                };
                h.copy_from_slice(z);
                let metres = unit.metres();
                replace([x, y, h], &FromSpace { side: &side, metres });
            }
        }
        if !self.height.is_ellipsoidal() {
            return;
        }
        for (((lon, lat), h), z) in x.iter_mut().zip(y.iter()).zip(h.iter_mut()).zip(z) {
            if !z.is_finite() || lon.is_nan() {
                continue;
            }
            match self.height.rise(Geographic { lat: *lat, lon: *lon }) {
                Some(up) => *h += up,
                None => *lon = f64::NAN,
            }
        }
    }

    /// To the coordinates of the target, with heights where they are known. What is no place becomes NaN,
    /// and its height stays as it was.
    fn end_block(&self, x: &mut [f64], y: &mut [f64], z: &mut [f64], h: &mut [f64]) {
        let mut heights = [f64::NAN; BLOCK];
        let to_z = &mut heights[..z.len()];
        self.heights_of_block([x, y], z, h, to_z);
        match &self.to {
            Mapping::Geographic(unit) => {
                divide(x, unit.degrees());
                divide(y, unit.degrees());
            }
            Mapping::Projected { projection, unit, x_sense, y_sense } => {
                let metres = unit.metres();
                projection.to_grid_block(x, y);
                divide(x, metres);
                scale(x, *x_sense);
                divide(y, metres);
                scale(y, *y_sense);
            }
            Mapping::Geocentric(unit) => {
                let Some(side) = self.target.datum().map(|datum| datum.side()) else {
                    return nothing(x, y);
                };
                let metres = unit.metres();
                replace([x, y, h], &ToSpace { side: &side, metres });
                to_z.copy_from_slice(h);
            }
        }
        only_finite(x, y);
        if !matches!(self.height, HeightPlan::Carry) {
            for ((x, z), to_z) in x.iter().zip(z).zip(to_z) {
                *z = if x.is_nan() { *z } else { *to_z };
            }
        }
    }

    /// Heights above the surface of the target at places on its datum. Where a model has none, the place
    /// becomes NaN.
    fn heights_of_block(&self, [x, y]: [&mut [f64]; 2], z: &[f64], h: &[f64], to_z: &mut [f64]) {
        if matches!(self.height, HeightPlan::Carry) {
            return;
        }
        for (at, to_z) in to_z.iter_mut().enumerate() {
            let place = Geographic { lat: y[at], lon: x[at] };
            match self.height.height(place, z[at], h[at]) {
                Some(found) => *to_z = found,
                None => x[at] = f64::NAN,
            }
        }
    }
}

/// Pairs of which neither is NaN.
fn numbers(x: &[f64], y: &[f64]) -> usize {
    x.iter().zip(y).map(|(x, y)| usize::from(!(x.is_nan() | y.is_nan()))).sum()
}

/// Makes both NaN where one is not finite.
fn only_finite(x: &mut [f64], y: &mut [f64]) {
    for (x, y) in x.iter_mut().zip(y) {
        let is_finite = x.is_finite() & y.is_finite();
        *x = if is_finite { *x } else { f64::NAN };
        *y = if is_finite { *y } else { f64::NAN };
    }
}

/// Makes both NaN where they are no longitude and latitude.
fn only_places(lon: &mut [f64], lat: &mut [f64]) {
    for (lon, lat) in lon.iter_mut().zip(lat) {
        let is_place = (lat.abs() <= 90.0) & (lon.abs() <= 360.0);
        *lon = if is_place { *lon } else { f64::NAN };
        *lat = if is_place { *lat } else { f64::NAN };
    }
}

fn scale(values: &mut [f64], factor: f64) {
    if factor != 1.0 {
        values.iter_mut().for_each(|value| *value *= factor);
    }
}

fn divide(values: &mut [f64], divisor: f64) {
    if divisor != 1.0 {
        values.iter_mut().for_each(|value| *value /= divisor);
    }
}

fn nothing(x: &mut [f64], y: &mut [f64]) {
    x.fill(f64::NAN);
    y.fill(f64::NAN);
}

/// Geocentric coordinates to longitude from the datum's meridian, latitude and height.
struct FromSpace<'a> {
    side: &'a Side,
    /// Metres of the unit.
    metres: f64,
}

impl Replacement<3> for FromSpace<'_> {
    #[inline(always)]
    fn several<N: Number>(&self, [x, y, z]: [N; 3]) -> Option<[N; 3]> {
        let p = [x * self.metres, y * self.metres, z * self.metres];
        let [lon, lat, h] = geocentric::near_surface(&self.side.ellipsoid, p)?;
        Some([functions::wrap(lon - self.side.prime_meridian_deg), lat, h])
    }

    #[inline(always)]
    fn single(&self, p: [f64; 3]) -> Option<[f64; 3]> {
        let p = p.map(|axis| axis * self.metres);
        let (at, h) = geocentric::to_geographic(&self.side.ellipsoid, p);
        Some([degrees::wrap(at.lon - self.side.prime_meridian_deg), at.lat, h])
    }
}

/// Longitude from the datum's meridian, latitude and height to geocentric coordinates.
struct ToSpace<'a> {
    side: &'a Side,
    /// Metres of the unit.
    metres: f64,
}

impl Replacement<3> for ToSpace<'_> {
    #[inline(always)]
    fn several<N: Number>(&self, [lon, lat, h]: [N; 3]) -> Option<[N; 3]> {
        let lon = functions::wrap(lon + self.side.prime_meridian_deg);
        let [x, y, z] = geocentric::in_space(&self.side.ellipsoid, [lon, lat, h]);
        let metres = x.like(self.metres);
        Some([x / metres, y / metres, z / metres])
    }

    #[inline(always)]
    fn single(&self, [lon, lat, h]: [f64; 3]) -> Option<[f64; 3]> {
        let at = Geographic { lat, lon: lon + self.side.prime_meridian_deg };
        let p = geocentric::from_geographic(&self.side.ellipsoid, at, h);
        Some(p.map(|axis| axis / self.metres))
    }
}
