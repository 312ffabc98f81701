//! Numbers that a projection's formulas can be run with: plain doubles, and doubles that
//! carry their derivatives.
//!
//! The formulas of a method stand once, for any [`Real`]. Run with `f64` they give the
//! coordinates; run with [`Dual`] they give the exact partial derivatives too (forward
//! differentiation, Wengert 1964), from which scale factors, convergence and Newton's method
//! follow for every method alike.

use super::arithmetic::Arithmetic;
use std::ops::{Add, Div, Mul, Neg, Sub};

/// What formulas need of a number.
pub(crate) trait Real: Arithmetic + Div<f64, Output = Self> {
    fn constant(value: f64) -> Self;
    fn value(self) -> f64;
    /// The function value and derivative at this number's value, by the chain rule.
    fn chain(self, value: f64, derivative: f64) -> Self;

    fn sqrt(self) -> Self {
        let root = self.value().sqrt();
        self.chain(root, 0.5 / root)
    }

    fn square(self) -> Self {
        self * self
    }

    fn sin_cos(self) -> (Self, Self) {
        let (sin, cos) = self.value().sin_cos();
        (self.chain(sin, cos), self.chain(cos, -sin))
    }

    fn exp(self) -> Self {
        let value = self.value().exp();
        self.chain(value, value)
    }

    fn sinh(self) -> Self {
        self.chain(self.value().sinh(), self.value().cosh())
    }

    fn cosh(self) -> Self {
        self.chain(self.value().cosh(), self.value().sinh())
    }

    fn asinh(self) -> Self {
        let x = self.value();
        self.chain(crate::math::elementary::asinh(x), 1.0 / (1.0 + x * x).sqrt())
    }

    fn atanh(self) -> Self {
        let x = self.value();
        self.chain(x.atanh(), 1.0 / ((1.0 - x) * (1.0 + x)))
    }

    /// atanh x / x, by its power series where x is no larger than the Earth's eccentricity.
    fn atanhc(self) -> Self {
        let q = self.square();
        if q.value() > 0.009 {
            return self.atanh() / self;
        }
        let sum = [13.0, 11.0, 9.0, 7.0, 5.0, 3.0, 1.0];
        sum.iter().fold(Self::constant(1.0 / 15.0), |tail, odd| tail * q + 1.0 / odd)
    }

    fn asin(self) -> Self {
        let x = self.value();
        self.chain(x.asin(), 1.0 / ((1.0 - x) * (1.0 + x)).sqrt())
    }

    /// Angle of the direction (`x`, self), radians.
    fn atan2(self, x: Self) -> Self;

    /// sin x / x.
    fn sinc(self) -> Self {
        let x = self.value();
        if x.abs() < 1e-4 {
            let square = self.square();
            return square * (square / 120.0 - 1.0 / 6.0) + 1.0;
        }
        self.sin_cos().0 / self
    }

    /// √(self² + other²).
    fn norm(self, other: Self) -> Self {
        (self.square() + other.square()).sqrt()
    }
}

impl Real for f64 {
    fn constant(value: f64) -> f64 {
        value
    }

    fn value(self) -> f64 {
        self
    }

    fn chain(self, value: f64, _: f64) -> f64 {
        value
    }

    fn atan2(self, x: f64) -> f64 {
        f64::atan2(self, x)
    }

    fn norm(self, other: f64) -> f64 {
        crate::math::elementary::norm(self, other)
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
    fn constant(value: f64) -> Dual {
        Dual { value, by_lon: 0.0, by_lat: 0.0 }
    }

    fn value(self) -> f64 {
        self.value
    }

    fn chain(self, value: f64, derivative: f64) -> Dual {
        Dual { value, by_lon: derivative * self.by_lon, by_lat: derivative * self.by_lat }
    }

    fn atan2(self, x: Dual) -> Dual {
        let square = self.value * self.value + x.value * x.value;
        let by = |y: f64, along: f64| (x.value * y - self.value * along) / square;
        Dual {
            value: self.value.atan2(x.value),
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
