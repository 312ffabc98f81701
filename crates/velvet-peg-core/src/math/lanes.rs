//! Several doubles side by side, for processors whose registers hold no more than two: the compiler puts
//! them where they fit.

use super::number::Number;
use std::array::from_fn;
use std::ops::{Add, Div, Mul, Neg, Sub};

/// How many: they fit two registers of SSE2, which are computed with by turns.
pub(crate) const WIDTH: usize = 4;

/// Doubles side by side.
#[derive(Clone, Copy, Debug)]
#[repr(align(32))]
pub(crate) struct Lanes([f64; WIDTH]);

/// For each all bits, or none.
#[derive(Clone, Copy, Debug)]
#[repr(align(32))]
pub(crate) struct Mask([u64; WIDTH]);

const SIGN: u64 = 1 << 63;

impl Lanes {
    /// The first values of a slice, which has enough.
    #[inline(always)]
    pub(crate) fn read(values: &[f64]) -> Lanes {
        let mut lanes = [0.0; WIDTH];
        lanes.copy_from_slice(&values[..WIDTH]);
        Lanes(lanes)
    }

    #[inline(always)]
    pub(crate) fn write(self, values: &mut [f64]) {
        values.copy_from_slice(&self.0);
    }

    #[inline(always)]
    fn map(self, of: impl Fn(f64) -> f64) -> Lanes {
        Lanes(self.0.map(of))
    }

    #[inline(always)]
    fn zip(self, other: Lanes, of: impl Fn(f64, f64) -> f64) -> Lanes {
        Lanes(from_fn(|at| of(self.0[at], other.0[at])))
    }
}

impl Number for Lanes {
    type Mask = Mask;

    #[inline(always)]
    fn like(self, value: f64) -> Lanes {
        Lanes([value; WIDTH])
    }

    #[inline(always)]
    fn sqrt(self) -> Lanes {
        self.map(f64::sqrt)
    }

    #[inline(always)]
    fn abs(self) -> Lanes {
        self.map(|x| f64::from_bits(x.to_bits() & !SIGN))
    }

    #[inline(always)]
    fn copysign(self, sign: Lanes) -> Lanes {
        self.zip(sign, |x, sign| f64::from_bits((x.to_bits() & !SIGN) | (sign.to_bits() & SIGN)))
    }

    #[inline(always)]
    fn less(self, other: Lanes) -> Mask {
        Mask(from_fn(|at| if self.0[at] < other.0[at] { !0 } else { 0 }))
    }

    #[inline(always)]
    fn select(mask: Mask, yes: Lanes, no: Lanes) -> Lanes {
        let pick = |at: usize| {
            let mask = mask.0[at];
            f64::from_bits((yes.0[at].to_bits() & mask) | (no.0[at].to_bits() & !mask))
        };
        Lanes(from_fn(pick))
    }

    #[inline(always)]
    fn negate_if(self, mask: Mask) -> Lanes {
        Lanes(from_fn(|at| f64::from_bits(self.0[at].to_bits() ^ (mask.0[at] & SIGN))))
    }

    fn each(self, of: fn(f64) -> f64) -> Lanes {
        Lanes(self.0.map(of))
    }

    #[inline(always)]
    fn greatest(self) -> f64 {
        self.0.iter().fold(f64::NEG_INFINITY, |greatest, value| greatest.max(*value))
    }
}

impl Neg for Lanes {
    type Output = Lanes;
    #[inline(always)]
    fn neg(self) -> Lanes {
        self.map(|x| -x)
    }
}

macro_rules! operator {
    ($name:ident, $method:ident, $operator:tt) => {
        impl $name for Lanes {
            type Output = Lanes;
            #[inline(always)]
            fn $method(self, other: Lanes) -> Lanes {
                self.zip(other, |a, b| a $operator b)
            }
        }
    };
    ($name:ident, $method:ident, $operator:tt, f64) => {
        impl $name<f64> for Lanes {
            type Output = Lanes;
            #[inline(always)]
            fn $method(self, other: f64) -> Lanes {
                self.map(|a| a $operator other)
            }
        }
    };
}

operator!(Add, add, +);
operator!(Sub, sub, -);
operator!(Mul, mul, *);
operator!(Div, div, /);
operator!(Add, add, +, f64);
operator!(Sub, sub, -, f64);
operator!(Mul, mul, *, f64);
operator!(Div, div, /, f64);
