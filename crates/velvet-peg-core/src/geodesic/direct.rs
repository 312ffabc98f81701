//! The direct problem: from a place along an azimuth for a distance.
//!
//! Source: Karney (2013) eq. 3, 5, 7-9. The arc is found from the distance by Newton's
//! method on I₁, whose derivative is known and near one.

use super::Geodesic;
use crate::math::degrees;
use crate::math::elementary::{norm, unit};
use crate::position::Geographic;

impl Geodesic {
    /// The place reached from `from` at `azimuth_deg` (clockwise from north) after
    /// `distance_m` metres, and the azimuth there in the direction of travel. A negative
    /// distance runs backwards.
    pub fn direct(&self, from: Geographic, azimuth_deg: f64, distance_m: f64) -> (Geographic, f64) {
        let azimuth1 = degrees::sin_cos(azimuth_deg);
        let (mut beta1, _) = self.reduced(from.lat);
        beta1.1 = beta1.1.max(f64::MIN_POSITIVE.sqrt());
        let sin_az0 = azimuth1.0 * beta1.1;
        let cos_az0 = norm(azimuth1.1, azimuth1.0 * beta1.0);
        let on_equator = beta1.0 == 0.0 && azimuth1.1 == 0.0;
        let start = if on_equator { (0.0, 1.0) } else { (beta1.0, beta1.1 * azimuth1.1) };
        let sigma1 = unit(start.0, start.1);
        let omega1 =
            if on_equator { (0.0, 1.0) } else { (sin_az0 * beta1.0, beta1.1 * azimuth1.1) };
        let k2 = self.ep2 * cos_az0 * cos_az0;
        let integral = self.nodes.distance(k2);
        let target = distance_m / self.ellipsoid.semi_minor_m();

        let end_of = |arc: f64| {
            let (sin, cos) = arc.sin_cos();
            unit(sigma1.0 * cos + sigma1.1 * sin, sigma1.1 * cos - sigma1.0 * sin)
        };
        let mut arc = target;
        let mut sigma2 = end_of(arc);
        for _ in 0..20 {
            let length = arc + integral.between(arc, sigma1, sigma2);
            let step = (target - length) / (1.0 + k2 * sigma2.0 * sigma2.0).sqrt();
            arc += step;
            sigma2 = end_of(arc);
            if step.abs() <= f64::EPSILON * arc.abs().max(1e-300) {
                break;
            }
        }
        let sin_beta2 = cos_az0 * sigma2.0;
        let cos_beta2 = norm(sin_az0, cos_az0 * sigma2.1);
        let lat = degrees::atan2(sin_beta2, (1.0 - self.f) * cos_beta2);
        // Longitude on the sphere is counted with the turns that the arc has made.
        let omega2 = (sin_az0 * sigma2.0, sigma2.1);
        let east = 1f64.copysign(sin_az0);
        let turns = arc - (sigma2.0.atan2(sigma2.1) - sigma1.0.atan2(sigma1.1))
            + ((east * omega2.0).atan2(omega2.1) - (east * omega1.0).atan2(omega1.1));
        let omega12 = east * turns;
        let longitude = self.nodes.longitude(k2);
        let lambda12 = omega12 - self.f * sin_az0 * longitude.between(arc, sigma1, sigma2);
        let lon = degrees::wrap(degrees::wrap(from.lon) + degrees::wrap(lambda12.to_degrees()));
        let azimuth2 = degrees::atan2(sin_az0, cos_az0 * sigma2.1);
        (Geographic { lat, lon }, azimuth2)
    }
}
