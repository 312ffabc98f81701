//! A plane shifted, turned, stretched along both axes by different factors and skewed, EPSG method 9624
//! (affine parametric transformation):
//!
//! ```text
//! X = A₀ + A₁ x + A₂ y
//! Y = B₀ + B₁ x + B₂ y
//! ```

use super::kernel::Factors;
use crate::error::{Error, Result};
use crate::math::degrees;

/// An affine mapping from one plane to another.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PlaneAffine {
    /// Easting and northing of the old origin in the new plane (A₀, B₀), in the unit of both.
    pub origin: (f64, f64),
    /// What a step of 1 along the old first axis is in the new plane (A₁, B₁).
    pub first: (f64, f64),
    /// The same of the old second axis (A₂, B₂).
    pub second: (f64, f64),
}

impl PlaneAffine {
    /// An affine mapping from its coefficients.
    ///
    /// # Errors
    /// If one is no number, or the mapping turns the plane over or nearly makes a line of it.
    pub fn new(origin: (f64, f64), first: (f64, f64), second: (f64, f64)) -> Result<PlaneAffine> {
        let affine = PlaneAffine { origin, first, second };
        let lengths = (first.0.hypot(first.1), second.0.hypot(second.1));
        let sound = origin.0.is_finite()
            && origin.1.is_finite()
            && (1e-6..=1e6).contains(&lengths.0)
            && (1e-6..=1e6).contains(&lengths.1)
            && affine.area() > 1e-3 * lengths.0 * lengths.1;
        match sound {
            true => Ok(affine),
            false => Err(Error::malformed(
                "a plane cannot be carried by coefficients that turn it over, make a line of it or are no \
                 numbers",
            )),
        }
    }

    /// The way back.
    pub fn inverse(&self) -> PlaneAffine {
        let area = self.area();
        let first = (self.second.1 / area, -self.first.1 / area);
        let second = (-self.second.0 / area, self.first.0 / area);
        let back = PlaneAffine { origin: (0.0, 0.0), first, second };
        let at = back.apply(self.origin);
        PlaneAffine { origin: (-at.0, -at.1), ..back }
    }

    /// New area of an old area of 1.
    fn area(&self) -> f64 {
        self.first.0 * self.second.1 - self.first.1 * self.second.0
    }

    /// A place of the old plane in the new one.
    pub fn apply(&self, (x, y): (f64, f64)) -> (f64, f64) {
        (
            self.origin.0 + (self.first.0 * x + self.second.0 * y),
            self.origin.1 + (self.first.1 * x + self.second.1 * y),
        )
    }

    /// A place of the new plane in the old one.
    pub fn apply_inverse(&self, (x, y): (f64, f64)) -> (f64, f64) {
        let (x, y) = (x - self.origin.0, y - self.origin.1);
        let area = self.area();
        (
            (self.second.1 * x - self.second.0 * y) / area,
            (self.first.0 * y - self.first.1 * x) / area,
        )
    }

    /// Factors of the old plane, whose meridians and parallels cross at right angles, in the new one.
    pub(crate) fn factors(&self, old: Factors) -> Factors {
        let (sin, cos) = degrees::sin_cos(old.convergence_deg);
        let along = |x: f64, y: f64| {
            (self.first.0 * x + self.second.0 * y, self.first.1 * x + self.second.1 * y)
        };
        // True north lies anticlockwise of grid north by the convergence, east at right angles to it.
        let (north, east) = (along(-sin, cos), along(cos, sin));
        Factors {
            meridian_scale: old.meridian_scale * north.0.hypot(north.1),
            parallel_scale: old.parallel_scale * east.0.hypot(east.1),
            convergence_deg: degrees::wrap((-north.0).atan2(north.1).to_degrees()),
        }
    }
}
