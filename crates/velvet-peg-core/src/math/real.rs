//! Numbers that a projection's formulas can be run with: doubles, one or several at a time, and doubles
//! that carry their derivatives.
//!
//! The formulas of a method stand once, for any [`Real`]. Run with doubles they give the
//! coordinates; run with [`Dual`] they give the exact partial derivatives too (forward
//! differentiation, Wengert 1964), from which scale factors, convergence and Newton's method
//! follow for every method alike.
//!
//! Where a formula has to choose, [`Real::below`] answers for all places that are computed together, or
//! not at all: then they are taken one by one.

use super::arithmetic::Arithmetic;
use super::functions;
use super::number::Number;
use std::ops::{Add, Div, Mul, Neg, Sub};

/// What formulas need of a number.
pub(crate) trait Real: Arithmetic {
    /// The numbers that it is made of.
    type Plain: Number;

    /// As many of one value as this has.
    fn constant(self, value: f64) -> Self;
    fn plain(self) -> Self::Plain;
    /// The function value and derivative at this number's value, by the chain rule.
    fn chain(self, value: Self::Plain, derivative: Self::Plain) -> Self;

    /// Whether it is below a limit; none where there are several and they differ.
    #[inline(always)]
    fn below(self, limit: f64) -> Option<bool> {
        self.plain().all_below(limit)
    }

    #[inline(always)]
    fn sqrt(self) -> Self {
        let root = Number::sqrt(self.plain());
        self.chain(root, root.like(0.5) / root)
    }

    #[inline(always)]
    fn square(self) -> Self {
        self * self
    }

    #[inline(always)]
    fn sin_cos(self) -> (Self, Self) {
        let (sin, cos) = functions::sin_cos(self.plain());
        (self.chain(sin, cos), self.chain(cos, -sin))
    }

    #[inline(always)]
    fn exp(self) -> Self {
        let value = functions::exp(self.plain());
        self.chain(value, value)
    }

    /// e^x − 1.
    #[inline(always)]
    fn exp_m1(self) -> Self {
        let value = functions::exp_m1(self.plain());
        self.chain(value, value + 1.0)
    }

    /// Hyperbolic sine and cosine.
    #[inline(always)]
    fn sinh_cosh(self) -> (Self, Self) {
        let (sinh, cosh) = functions::sinh_cosh(self.plain());
        (self.chain(sinh, cosh), self.chain(cosh, sinh))
    }

    #[inline(always)]
    fn asinh(self) -> Self {
        let x = self.plain();
        self.chain(functions::asinh(x), Number::sqrt(x * x + 1.0).reciprocal())
    }

    #[inline(always)]
    fn atanh(self) -> Self {
        let x = self.plain();
        self.chain(functions::atanh(x), ((-x + 1.0) * (x + 1.0)).reciprocal())
    }

    /// Its size.
    #[inline(always)]
    fn magnitude(self) -> Self {
        let x = self.plain();
        self.chain(Number::abs(x), x.like(1.0).copysign(x))
    }

    /// What is no number: the places are then taken one by one.
    #[inline(always)]
    fn undecided(self) -> Self {
        self.constant(f64::NAN)
    }

    /// atanh x / x, by its power series where x is no larger than the Earth's eccentricity.
    #[inline(always)]
    fn atanhc(self) -> Self {
        const ODD: [f64; 7] = [13.0, 11.0, 9.0, 7.0, 5.0, 3.0, 1.0];
        let q = self.square();
        match q.below(0.009) {
            Some(true) => {}
            Some(false) => return self.atanh() / self,
            None => return self.undecided(),
        }
        let mut sum = self.constant(1.0 / 15.0);
        for odd in ODD {
            sum = sum * q + 1.0 / odd;
        }
        sum
    }

    #[inline(always)]
    fn asin(self) -> Self {
        let x = self.plain();
        let cos = Number::sqrt((-x + 1.0) * (x + 1.0));
        self.chain(functions::atan2(x, cos), cos.reciprocal())
    }

    /// Angle of the direction (`x`, self), radians.
    fn atan2(self, x: Self) -> Self;

    /// sin x / x.
    #[inline(always)]
    fn sinc(self) -> Self {
        let square = self.square();
        match square.below(1e-8) {
            Some(true) => square * (square / 120.0 - 1.0 / 6.0) + 1.0,
            Some(false) => self.sin_cos().0 / self,
            None => self.undecided(),
        }
    }

    /// √(self² + other²).
    #[inline(always)]
    fn norm(self, other: Self) -> Self {
        (self.square() + other.square()).sqrt()
    }
}

impl<N: Number> Real for N {
    type Plain = N;

    #[inline(always)]
    fn constant(self, value: f64) -> N {
        self.like(value)
    }

    #[inline(always)]
    fn plain(self) -> N {
        self
    }

    #[inline(always)]
    fn chain(self, value: N, _: N) -> N {
        value
    }

    #[inline(always)]
    fn atan2(self, x: N) -> N {
        functions::atan2(self, x)
    }
}

/// A value with its derivatives by longitude and latitude (per radian).
#[derive(Clone, Copy, Debug)]
pub(crate) struct Dual<N> {
    pub(crate) value: N,
    pub(crate) by_lon: N,
    pub(crate) by_lat: N,
}

impl<N: Number> Dual<N> {
    #[inline(always)]
    fn scaled(self, value: N, factor: N) -> Dual<N> {
        Dual { value, by_lon: factor * self.by_lon, by_lat: factor * self.by_lat }
    }
}

impl<N: Number> Real for Dual<N> {
    type Plain = N;

    #[inline(always)]
    fn constant(self, value: f64) -> Dual<N> {
        let zero = self.value.like(0.0);
        Dual { value: zero.like(value), by_lon: zero, by_lat: zero }
    }

    #[inline(always)]
    fn plain(self) -> N {
        self.value
    }

    #[inline(always)]
    fn chain(self, value: N, derivative: N) -> Dual<N> {
        self.scaled(value, derivative)
    }

    #[inline(always)]
    fn atan2(self, x: Dual<N>) -> Dual<N> {
        let square = self.value * self.value + x.value * x.value;
        Dual {
            value: functions::atan2(self.value, x.value),
            by_lon: (x.value * self.by_lon - self.value * x.by_lon) / square,
            by_lat: (x.value * self.by_lat - self.value * x.by_lat) / square,
        }
    }
}

impl<N: Number> Neg for Dual<N> {
    type Output = Dual<N>;
    #[inline(always)]
    fn neg(self) -> Dual<N> {
        Dual { value: -self.value, by_lon: -self.by_lon, by_lat: -self.by_lat }
    }
}

impl<N: Number> Add for Dual<N> {
    type Output = Dual<N>;
    #[inline(always)]
    fn add(self, other: Dual<N>) -> Dual<N> {
        Dual {
            value: self.value + other.value,
            by_lon: self.by_lon + other.by_lon,
            by_lat: self.by_lat + other.by_lat,
        }
    }
}

impl<N: Number> Sub for Dual<N> {
    type Output = Dual<N>;
    #[inline(always)]
    fn sub(self, other: Dual<N>) -> Dual<N> {
        self + -other
    }
}

impl<N: Number> Mul for Dual<N> {
    type Output = Dual<N>;
    #[inline(always)]
    fn mul(self, other: Dual<N>) -> Dual<N> {
        Dual {
            value: self.value * other.value,
            by_lon: self.by_lon * other.value + self.value * other.by_lon,
            by_lat: self.by_lat * other.value + self.value * other.by_lat,
        }
    }
}

impl<N: Number> Div for Dual<N> {
    type Output = Dual<N>;
    #[inline(always)]
    fn div(self, other: Dual<N>) -> Dual<N> {
        let part = other.value.reciprocal();
        let value = self.value / other.value;
        Dual {
            value,
            by_lon: (self.by_lon - value * other.by_lon) * part,
            by_lat: (self.by_lat - value * other.by_lat) * part,
        }
    }
}

impl<N: Number> Add<f64> for Dual<N> {
    type Output = Dual<N>;
    #[inline(always)]
    fn add(self, other: f64) -> Dual<N> {
        Dual { value: self.value + other, ..self }
    }
}

impl<N: Number> Sub<f64> for Dual<N> {
    type Output = Dual<N>;
    #[inline(always)]
    fn sub(self, other: f64) -> Dual<N> {
        Dual { value: self.value - other, ..self }
    }
}

impl<N: Number> Mul<f64> for Dual<N> {
    type Output = Dual<N>;
    #[inline(always)]
    fn mul(self, other: f64) -> Dual<N> {
        self.scaled(self.value * other, self.value.like(other))
    }
}

impl<N: Number> Div<f64> for Dual<N> {
    type Output = Dual<N>;
    #[inline(always)]
    fn div(self, other: f64) -> Dual<N> {
        self.scaled(self.value / other, self.value.like(1.0 / other))
    }
}
