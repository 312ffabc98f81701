//! A plane turned, scaled and shifted, EPSG method 9621 (similarity transformation):
//!
//! ```text
//! X = X₀ + M (cos θ · x + sin θ · y)
//! Y = Y₀ + M (cos θ · y − sin θ · x)
//! ```
//!
//! The new axes lie θ anticlockwise from the old ones.

use super::kernel::Factors;
use crate::error::{Error, Result};
use crate::math::degrees;

/// A similarity from one plane to another.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PlaneSimilarity {
    /// Easting and northing of the old origin in the new plane, in the unit of both.
    pub origin: (f64, f64),
    /// New lengths divided by old ones.
    pub scale: f64,
    /// Degrees by which the new axes lie anticlockwise from the old ones.
    pub rotation_deg: f64,
}

impl PlaneSimilarity {
    /// A similarity from its parameters.
    ///
    /// # Errors
    /// If the scale is not a number above 0, or another is none.
    pub fn new(origin: (f64, f64), scale: f64, rotation_deg: f64) -> Result<PlaneSimilarity> {
        let sound = origin.0.is_finite()
            && origin.1.is_finite()
            && (1e-6..=1e6).contains(&scale)
            && rotation_deg.abs() <= 360.0;
        match sound {
            true => Ok(PlaneSimilarity { origin, scale, rotation_deg }),
            false => Err(Error::malformed(format!(
                "a plane cannot be scaled by {scale} and turned by {rotation_deg}°"
            ))),
        }
    }

    /// The one that scales, turns and shifts about a point: what lies there comes to lie at the point
    /// and the shift together.
    ///
    /// # Errors
    /// As [`PlaneSimilarity::new`].
    pub fn about(
        point: (f64, f64),
        scale: f64,
        rotation_deg: f64,
        shift: (f64, f64),
    ) -> Result<PlaneSimilarity> {
        let turned = PlaneSimilarity::new((0.0, 0.0), scale, rotation_deg)?.apply(point);
        let origin = (point.0 - turned.0 + shift.0, point.1 - turned.1 + shift.1);
        PlaneSimilarity::new(origin, scale, rotation_deg)
    }

    /// The same with lengths in metres, of one in units of so many metres.
    pub(crate) fn in_metres(self, unit_m: f64) -> PlaneSimilarity {
        PlaneSimilarity { origin: (self.origin.0 * unit_m, self.origin.1 * unit_m), ..self }
    }

    /// A place of the old plane in the new one.
    pub fn apply(&self, (x, y): (f64, f64)) -> (f64, f64) {
        let (sin, cos) = degrees::sin_cos(self.rotation_deg);
        (
            self.origin.0 + self.scale * (cos * x + sin * y),
            self.origin.1 + self.scale * (cos * y - sin * x),
        )
    }

    /// A place of the new plane in the old one.
    pub fn apply_inverse(&self, (x, y): (f64, f64)) -> (f64, f64) {
        let (sin, cos) = degrees::sin_cos(self.rotation_deg);
        let (x, y) = ((x - self.origin.0) / self.scale, (y - self.origin.1) / self.scale);
        (cos * x - sin * y, cos * y + sin * x)
    }

    /// Factors of the old plane in the new one.
    pub(crate) fn factors(&self, old: Factors) -> Factors {
        Factors {
            meridian_scale: old.meridian_scale * self.scale,
            parallel_scale: old.parallel_scale * self.scale,
            convergence_deg: degrees::wrap(old.convergence_deg - self.rotation_deg),
        }
    }
}
