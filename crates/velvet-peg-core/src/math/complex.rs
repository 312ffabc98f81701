//! Complex numbers of any [`Real`], for the conformal polynomials.

use super::real::Real;

#[derive(Clone, Copy, Debug)]
pub(crate) struct Complex<T> {
    pub(crate) re: T,
    pub(crate) im: T,
}

impl<T: Real> Complex<T> {
    #[inline(always)]
    pub(crate) fn times(self, other: Complex<T>) -> Complex<T> {
        Complex {
            re: self.re * other.re - self.im * other.im,
            im: self.re * other.im + self.im * other.re,
        }
    }

    #[inline(always)]
    pub(crate) fn scaled(self, factor: Complex<f64>) -> Complex<T> {
        Complex {
            re: self.re * factor.re - self.im * factor.im,
            im: self.re * factor.im + self.im * factor.re,
        }
    }

    #[inline(always)]
    pub(crate) fn plus(self, other: Complex<T>) -> Complex<T> {
        Complex { re: self.re + other.re, im: self.im + other.im }
    }
}

/// c₁ z + c₂ z² + …
#[inline(always)]
pub(crate) fn polynomial<T: Real>(coefficients: &[Complex<f64>], z: Complex<T>) -> Complex<T> {
    let mut sum = Complex { re: z.re.constant(0.0), im: z.re.constant(0.0) };
    for at in (0..coefficients.len()).rev() {
        let c = coefficients[at];
        sum = Complex { re: sum.re + c.re, im: sum.im + c.im }.times(z);
    }
    sum
}
