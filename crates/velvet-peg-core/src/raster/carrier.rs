//! What leads from the places of one plane to those of another.

use super::turn::Turn;
use crate::converter::Converter;
use crate::fit::{InverseMapping, Mapping};

/// What leads from the places of one plane to those of another, column by column.
pub trait Carrier: Sync {
    /// Takes first and second coordinates of the one plane, and leaves those of the other; what has none
    /// there becomes not a number.
    fn carry(&self, x: &mut [f64], y: &mut [f64]);

    /// Where first coordinates of the other plane are longitudes: a full turn.
    fn turn(&self) -> Option<Turn> {
        None
    }
}

impl Carrier for Converter {
    fn carry(&self, x: &mut [f64], y: &mut [f64]) {
        self.convert_columns(x, y, None);
    }

    fn turn(&self) -> Option<Turn> {
        Turn::of(self.target())
    }
}

/// From a plane to itself.
#[derive(Clone, Copy, Debug)]
pub struct Unmoved;

impl Carrier for Unmoved {
    fn carry(&self, _: &mut [f64], _: &mut [f64]) {}
}

impl Carrier for Mapping {
    fn carry(&self, x: &mut [f64], y: &mut [f64]) {
        for (x, y) in x.iter_mut().zip(y) {
            (*x, *y) = self.apply((*x, *y));
        }
    }
}

impl Carrier for InverseMapping<'_> {
    fn carry(&self, x: &mut [f64], y: &mut [f64]) {
        for (x, y) in x.iter_mut().zip(y) {
            (*x, *y) = self.0.apply_inverse((*x, *y)).unwrap_or((f64::NAN, f64::NAN));
        }
    }
}
