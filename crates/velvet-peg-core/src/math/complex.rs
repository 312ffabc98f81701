//! Complex numbers of any [`Real`], for the conformal polynomials.

use super::real::Real;

#[derive(Clone, Copy, Debug)]
pub(crate) struct Complex<T> {
    pub(crate) re: T,
    pub(crate) im: T,
}

impl<T: Real> Complex<T> {
    pub(crate) fn times(self, other: Complex<T>) -> Complex<T> {
        Complex {
            re: self.re * other.re - self.im * other.im,
            im: self.re * other.im + self.im * other.re,
        }
    }

    pub(crate) fn scaled(self, factor: Complex<f64>) -> Complex<T> {
        Complex {
            re: self.re * factor.re - self.im * factor.im,
            im: self.re * factor.im + self.im * factor.re,
        }
    }

    pub(crate) fn plus(self, other: Complex<T>) -> Complex<T> {
        Complex { re: self.re + other.re, im: self.im + other.im }
    }
}

/// c₁ z + c₂ z² + …
pub(crate) fn polynomial<T: Real>(coefficients: &[Complex<f64>], z: Complex<T>) -> Complex<T> {
    let zero = Complex { re: T::constant(0.0), im: T::constant(0.0) };
    coefficients.iter().rev().fold(zero, |sum, c| {
        let next = Complex { re: sum.re + c.re, im: sum.im + c.im };
        next.times(z)
    })
}
