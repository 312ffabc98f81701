//! Several doubles in one wide register of the processor.

use super::number::Number;
use pulp::{Simd, bytemuck};
use std::ops::{Add, Div, Mul, Neg, Sub};

/// Doubles in one register of an instruction set.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Wide<S: Simd> {
    simd: S,
    values: S::f64s,
}

impl<S: Simd> Wide<S> {
    /// As many values of a slice as there are bytes to them.
    #[inline(always)]
    pub(crate) fn read(simd: S, values: &[f64]) -> Wide<S> {
        let bytes: &[u8] = bytemuck::cast_slice(&values[..S::F64_LANES]);
        Wide { simd, values: bytemuck::pod_read_unaligned(bytes) }
    }

    #[inline(always)]
    pub(crate) fn write(self, values: &mut [f64]) {
        let bytes: &mut [u8] = bytemuck::cast_slice_mut(values);
        bytes.copy_from_slice(bytemuck::bytes_of(&self.values));
    }

    #[inline(always)]
    fn with(self, values: S::f64s) -> Wide<S> {
        Wide { values, ..self }
    }

    /// Its sign alone.
    #[inline(always)]
    fn sign(self) -> S::f64s {
        self.simd.and_f64s(self.values, self.simd.splat_f64s(-0.0))
    }
}

impl<S: Simd> Number for Wide<S> {
    type Mask = (S, S::m64s);

    #[inline(always)]
    fn like(self, value: f64) -> Wide<S> {
        self.with(self.simd.splat_f64s(value))
    }

    #[inline(always)]
    fn sqrt(self) -> Wide<S> {
        self.with(self.simd.sqrt_f64s(self.values))
    }

    #[inline(always)]
    fn abs(self) -> Wide<S> {
        self.with(self.simd.abs_f64s(self.values))
    }

    #[inline(always)]
    fn copysign(self, sign: Wide<S>) -> Wide<S> {
        self.with(self.simd.or_f64s(self.abs().values, sign.sign()))
    }

    #[inline(always)]
    fn less(self, other: Wide<S>) -> (S, S::m64s) {
        (self.simd, self.simd.less_than_f64s(self.values, other.values))
    }

    #[inline(always)]
    fn select((simd, mask): (S, S::m64s), yes: Wide<S>, no: Wide<S>) -> Wide<S> {
        yes.with(simd.select_f64s(mask, yes.values, no.values))
    }

    #[inline(always)]
    fn negate_if(self, (simd, mask): (S, S::m64s)) -> Wide<S> {
        let sign = simd.select_f64s(mask, simd.splat_f64s(-0.0), simd.splat_f64s(0.0));
        self.with(simd.xor_f64s(self.values, sign))
    }

    fn each(self, of: fn(f64) -> f64) -> Wide<S> {
        let mut values = self.values;
        for value in bytemuck::cast_slice_mut::<_, f64>(std::slice::from_mut(&mut values)) {
            *value = of(*value);
        }
        self.with(values)
    }

    #[inline(always)]
    fn greatest(self) -> f64 {
        self.simd.reduce_max_f64s(self.values)
    }
}

impl<S: Simd> Neg for Wide<S> {
    type Output = Wide<S>;
    #[inline(always)]
    fn neg(self) -> Wide<S> {
        self.with(self.simd.neg_f64s(self.values))
    }
}

macro_rules! operator {
    ($name:ident, $method:ident, $instruction:ident) => {
        impl<S: Simd> $name for Wide<S> {
            type Output = Wide<S>;
            #[inline(always)]
            fn $method(self, other: Wide<S>) -> Wide<S> {
                self.with(self.simd.$instruction(self.values, other.values))
            }
        }

        impl<S: Simd> $name<f64> for Wide<S> {
            type Output = Wide<S>;
            #[inline(always)]
            fn $method(self, other: f64) -> Wide<S> {
                self.with(self.simd.$instruction(self.values, self.simd.splat_f64s(other)))
            }
        }
    };
}

operator!(Add, add, add_f64s);
operator!(Sub, sub, sub_f64s);
operator!(Mul, mul, mul_f64s);
operator!(Div, div, div_f64s);
