//! Plain numbers, one or several at a time: what the inner loops of blocks are written for.
//!
//! A formula that is written for any [`Number`] gives the same bits for one place as for several at a
//! time: nothing is fused, and nothing is taken from the mathematical library of the system but what
//! [`Number::each`] is asked for. Choices are made by [`Number::select`] in place of branches.

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
    /// What a function of one makes of each.
    fn each(self, of: fn(f64) -> f64) -> Self;
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

    /// Whether it is below a limit; none where there are several and they differ.
    #[inline(always)]
    fn all_below(self, limit: f64) -> Option<bool> {
        let (some_is_not, some_is) = (self.greatest() >= limit, (-self).greatest() > -limit);
        match (some_is, some_is_not) {
            (true, true) => None,
            (some_is, _) => Some(some_is),
        }
    }

    /// True if all are numbers, none of them infinite.
    #[inline(always)]
    fn are_finite(self) -> bool {
        let (zero, one) = (self.like(0.0), self.like(1.0));
        let is_finite = self.abs().less(self.like(f64::INFINITY));
        Self::select(is_finite, zero, one).greatest() < 0.5
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
    fn each(self, of: fn(f64) -> f64) -> f64 {
        of(self)
    }

    #[inline(always)]
    fn greatest(self) -> f64 {
        self
    }
}
