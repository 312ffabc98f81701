//! The four operations, among themselves and with doubles.

use std::ops::{Add, Div, Mul, Neg, Sub};

/// What can be computed with like a double.
pub(crate) trait Arithmetic:
    Copy
    + Neg<Output = Self>
    + Add<Output = Self>
    + Sub<Output = Self>
    + Mul<Output = Self>
    + Div<Output = Self>
    + Add<f64, Output = Self>
    + Sub<f64, Output = Self>
    + Mul<f64, Output = Self>
    + Div<f64, Output = Self>
{
}

impl<T> Arithmetic for T where
    T: Copy
        + Neg<Output = T>
        + Add<Output = T>
        + Sub<Output = T>
        + Mul<Output = T>
        + Div<Output = T>
        + Add<f64, Output = T>
        + Sub<f64, Output = T>
        + Mul<f64, Output = T>
        + Div<f64, Output = T>
{
}
