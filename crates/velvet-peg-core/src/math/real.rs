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
pub(crate) struct Dual {
    pub(crate) value: f64,
    pub(crate) by_lon: f64,
    pub(crate) by_lat: f64,
}

impl Real for Dual {
    type Plain = f64;

    fn constant(self, value: f64) -> Dual {
        Dual { value, by_lon: 0.0, by_lat: 0.0 }
    }

    fn plain(self) -> f64 {
        self.value
    }

    fn chain(self, value: f64, derivative: f64) -> Dual {
        Dual { value, by_lon: derivative * self.by_lon, by_lat: derivative * self.by_lat }
    }

    fn atan2(self, x: Dual) -> Dual {
        let square = self.value * self.value + x.value * x.value;
        let by = |y: f64, along: f64| (x.value * y - self.value * along) / square;
        Dual {
            value: functions::atan2(self.value, x.value),
            by_lon: by(self.by_lon, x.by_lon),
            by_lat: by(self.by_lat, x.by_lat),
        }
    }
}

impl Neg for Dual {
    type Output = Dual;
    fn neg(self) -> Dual {
        Dual { value: -self.value, by_lon: -self.by_lon, by_lat: -self.by_lat }
    }
}

impl Add for Dual {
    type Output = Dual;
    fn add(self, other: Dual) -> Dual {
        Dual {
            value: self.value + other.value,
            by_lon: self.by_lon + other.by_lon,
            by_lat: self.by_lat + other.by_lat,
        }
    }
}

impl Sub for Dual {
    type Output = Dual;
    fn sub(self, other: Dual) -> Dual {
        self + -other
    }
}

impl Mul for Dual {
    type Output = Dual;
    fn mul(self, other: Dual) -> Dual {
        Dual {
            value: self.value * other.value,
            by_lon: self.by_lon * other.value + self.value * other.by_lon,
            by_lat: self.by_lat * other.value + self.value * other.by_lat,
        }
    }
}

impl Div for Dual {
    type Output = Dual;
    fn div(self, other: Dual) -> Dual {
        let value = self.value / other.value;
        Dual {
            value,
            by_lon: (self.by_lon - value * other.by_lon) / other.value,
            by_lat: (self.by_lat - value * other.by_lat) / other.value,
        }
    }
}

impl Add<f64> for Dual {
    type Output = Dual;
    fn add(self, other: f64) -> Dual {
        Dual { value: self.value + other, ..self }
    }
}

impl Sub<f64> for Dual {
    type Output = Dual;
    fn sub(self, other: f64) -> Dual {
        Dual { value: self.value - other, ..self }
    }
}

impl Mul<f64> for Dual {
    type Output = Dual;
    fn mul(self, other: f64) -> Dual {
        self.chain(self.value * other, other)
    }
}

impl Div<f64> for Dual {
    type Output = Dual;
    fn div(self, other: f64) -> Dual {
        self.chain(self.value / other, 1.0 / other)
    }
}
