//! Plain numbers, one or several at a time: what the inner loops of blocks are written for.
//!
//! A formula that is written for any [`Number`] gives the same bits for one place as for several at a
//! time, on every machine: nothing is fused, and nothing is taken from the mathematical library of the
//! system. Choices are made by [`Number::select`] in place of branches.

use super::arithmetic::Arithmetic;
use std::fmt::Debug;

/// One double, or several side by side.
pub(crate) trait Number: Arithmetic + Debug {
    /// A yes or no for each.
    type Mask: Copy;

    /// As many of one value as this has.
    fn like(self, value: f64) -> Self;
    fn sqrt(self) -> Self;
    fn abs(self) -> Self;
    /// The magnitude of this with the sign of the other.
    fn copysign(self, sign: Self) -> Self;
    fn less(self, other: Self) -> Self::Mask;
    fn select(mask: Self::Mask, yes: Self, no: Self) -> Self;
    fn negate_if(self, mask: Self::Mask) -> Self;
    /// The greatest of all; where there are several, what is no number may be passed over.
    fn greatest(self) -> f64;
    /// The nearest whole number, of halves the even one; for magnitudes below 2^51.
    #[inline(always)]
    fn round(self) -> Self {
        (self + ROUNDER) - ROUNDER
    }

    /// True if all magnitudes are at most this.
    #[inline(always)]
    fn within(self, limit: f64) -> bool {
        self.abs().greatest() <= limit
    }

    /// One over it.
    #[inline(always)]
    fn reciprocal(self) -> Self {
        self.like(1.0) / self
    }
}

/// 1.5 · 2^52: what is added to it is rounded to a whole number.
const ROUNDER: f64 = 6_755_399_441_055_744.0;

impl Number for f64 {
    type Mask = bool;

    #[inline(always)]
    fn like(self, value: f64) -> f64 {
        value
    }

    #[inline(always)]
    fn sqrt(self) -> f64 {
        f64::sqrt(self)
    }

    #[inline(always)]
    fn abs(self) -> f64 {
        f64::abs(self)
    }

    #[inline(always)]
    fn copysign(self, sign: f64) -> f64 {
        f64::copysign(self, sign)
    }

    #[inline(always)]
    fn less(self, other: f64) -> bool {
        self < other
    }

    #[inline(always)]
    fn select(mask: bool, yes: f64, no: f64) -> f64 {
        if mask { yes } else { no }
    }

    #[inline(always)]
    fn negate_if(self, mask: bool) -> f64 {
        if mask { -self } else { self }
    }

    #[inline(always)]
    fn greatest(self) -> f64 {
        self
    }
}
