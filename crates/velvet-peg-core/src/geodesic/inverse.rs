//! The inverse problem: distance and azimuths between two places.
//!
//! Source: Karney (2013) section 4. The azimuth at the first place is found by Newton's
//! method on the longitude difference, kept between bounds that only ever close in, so that
//! it converges for every pair; nearly antipodal pairs start from the astroid (eq. 53-57).

use super::Geodesic;
use super::integrals::{Integral, Span, Which};
use crate::math::degrees;
use crate::math::elementary::{norm, unit};
use crate::math::functions::{atan2_degrees, sin_cos_degrees};
use crate::position::Geographic;
use std::f64::consts::PI;

/// A solved line with what the area under it needs. Azimuths as (sin, cos); latitudes are
/// reduced latitudes β.
pub(crate) struct Line {
    pub(crate) distance_m: f64,
    pub(crate) azimuth_from_deg: f64,
    pub(crate) azimuth_to_deg: f64,
    /// Longitude difference, degrees, as travelled (east positive).
    pub(crate) lon12_deg: f64,
    pub(crate) canonical: Canonical,
}

/// The problem turned so that point 1 is the one farther from the equator, in the south,
/// and the line runs east.
#[derive(Clone, Copy)]
pub(crate) struct Canonical {
    pub(crate) beta1: (f64, f64),
    pub(crate) beta2: (f64, f64),
    pub(crate) azimuth1: (f64, f64),
    pub(crate) azimuth2: (f64, f64),
    /// Sine and cosine of the longitude difference on the auxiliary sphere.
    pub(crate) omega: (f64, f64),
    /// Arc on the auxiliary sphere, radians.
    pub(crate) sigma12: f64,
    /// Sign that the area of the canonical line has in the problem as given.
    pub(crate) sign: f64,
    pub(crate) meridional: bool,
}

/// Longitude, radians, that a trial misses by before the last: Newton's method squares it.
const NEARLY: f64 = 3e-9;

/// Arcs up to here, radians, are far from the antipode, near which the method goes slower.
const ORDINARY: f64 = 2.7;

/// Sine of the longest arc (some 64 km) that plain iteration is used for.
const SHORT: f64 = 0.01;

struct Trial {
    /// Longitude difference computed minus the one wanted, radians.
    miss: f64,
    slope: f64,
    azimuth2: (f64, f64),
    sigma12: f64,
    /// Sine and cosine of the longitude difference on the auxiliary sphere.
    omega: (f64, f64),
    k2: f64,
    span: Span,
}

impl Geodesic {
    pub(crate) fn solve(&self, from: Geographic, to: Geographic) -> Line {
        let (lon12, lon12_error) = degrees::difference(from.lon, to.lon);
        let east = if lon12 < 0.0 || (lon12 == 0.0 && lon12_error < 0.0) { -1.0 } else { 1.0 };
        let (lon12, lon12_error) = (lon12 * east, lon12_error * east);
        let lambda12 = lon12.to_radians() + lon12_error.to_radians();
        let (sin_l, cos_l) = sin_cos_degrees(lon12);
        let error = lon12_error.to_radians();
        let lambda = (sin_l + error * cos_l, cos_l - error * sin_l);

        let swap = from.lat.abs() < to.lat.abs();
        let (lat1, lat2) = if swap { (to.lat, from.lat) } else { (from.lat, to.lat) };
        let south = if lat1 < 0.0 { 1.0 } else { -1.0 };
        let (mut beta1, norm1) = self.reduced(lat1 * south);
        let (mut beta2, norm2) = self.reduced(lat2 * south);
        // Points on one parallel: make that exact.
        if beta1.1 < -beta1.0 {
            if beta2.1 == beta1.1 {
                beta2.0 = beta1.0.abs().copysign(beta2.0);
            }
        } else if beta2.0.abs() == -beta1.0 {
            beta2.1 = beta1.1;
        }
        // A pole has no cosine left; a tiny one keeps the azimuths defined.
        beta1.1 = beta1.1.max(f64::MIN_POSITIVE.sqrt());
        beta2.1 = beta2.1.max(f64::MIN_POSITIVE.sqrt());

        let (s12, mut az1, mut az2, omega, sigma12, meridional);
        let meridian = self.meridian(beta1, beta2, lambda);
        if let Some((length, first, second)) = meridian {
            (s12, az1, az2) = (length, first, second);
            // A meridian bounds no excess: the arc does not matter.
            (omega, sigma12, meridional) = (lambda, 0.0, true);
        } else if beta1.0 == 0.0 && lambda12 <= PI * (1.0 - self.f) {
            // Along the equator.
            let omega12 = lambda12 / (1.0 - self.f);
            s12 = self.ellipsoid.semi_major_m() * lambda12;
            (az1, az2) = ((1.0, 0.0), (1.0, 0.0));
            (omega, sigma12, meridional) = (omega12.sin_cos(), omega12, false);
        } else {
            // sin(β₂ − β₁) from the exact difference of the latitudes.
            let (sin, _) = sin_cos_degrees((lat2 - lat1) * south);
            let sin_rise = (1.0 - self.f) * sin / (norm1 * norm2);
            let found = self.newton(beta1, beta2, sin_rise, lambda, lambda12);
            s12 = found.0;
            az1 = found.1;
            az2 = found.2.azimuth2;
            (omega, sigma12, meridional) = (found.2.omega, found.2.sigma12, false);
        }

        let canonical = Canonical {
            beta1,
            beta2,
            azimuth1: az1,
            azimuth2: az2,
            omega,
            sigma12,
            sign: south * east,
            meridional,
        };
        if swap {
            std::mem::swap(&mut az1, &mut az2);
        }
        let flip = if swap { -1.0 } else { 1.0 };
        // Swapped ends and mirrored axes change signs alone; adding 0 clears a negative zero.
        let turn =
            |(sin, cos): (f64, f64)| atan2_degrees(sin * east + 0.0, cos * flip * south + 0.0);
        let (azimuth_from_deg, azimuth_to_deg) = (turn(az1), turn(az2));
        Line {
            distance_m: s12,
            azimuth_from_deg,
            azimuth_to_deg,
            lon12_deg: (lon12 + lon12_error) * east,
            canonical,
        }
    }

    /// Reduced length of a solved line, metres: how far apart two lines are at its end that
    /// left its start a radian apart (Karney (2013) eq. 38). Short lines by the curvature in
    /// their middle, whose latitude is given, as the closed form cancels there.
    pub(crate) fn reduced_length_m(&self, line: &Line, middle_lat_deg: f64) -> f64 {
        let canonical = &line.canonical;
        let (beta1, beta2) = (canonical.beta1, canonical.beta2);
        let sigma1 = unit(beta1.0, canonical.azimuth1.1 * beta1.1);
        let sigma2 = unit(beta2.0, canonical.azimuth2.1 * beta2.1);
        let arc = arc(sigma1, sigma2);
        if arc < 0.003 {
            let curvature = 1.0
                / (self.ellipsoid.meridian_radius_m(middle_lat_deg)
                    * self.ellipsoid.prime_vertical_radius_m(middle_lat_deg));
            let s2 = curvature * line.distance_m * line.distance_m;
            return line.distance_m * (1.0 - s2 / 6.0 * (1.0 - s2 / 20.0));
        }
        let cos_az0 = norm(canonical.azimuth1.1, canonical.azimuth1.0 * beta1.0);
        let k2 = cos_az0 * cos_az0 * self.ep2;
        self.lengths(k2, arc, sigma1, sigma2).1 * self.ellipsoid.semi_minor_m()
    }

    /// Sine and cosine of the reduced latitude, tan β = (1 − f) tan φ, and what they were divided by
    /// for it.
    pub(crate) fn reduced(&self, lat: f64) -> ((f64, f64), f64) {
        let (sin, cos) = sin_cos_degrees(lat);
        let sin = (1.0 - self.f) * sin;
        let norm = norm(sin, cos);
        ((sin / norm, cos / norm), norm)
    }

    /// The line along a meridian, where that is the shortest.
    #[allow(clippy::type_complexity)]
    fn meridian(
        &self,
        beta1: (f64, f64),
        beta2: (f64, f64),
        lambda: (f64, f64),
    ) -> Option<(f64, (f64, f64), (f64, f64))> {
        let at_pole = beta1.1 <= f64::MIN_POSITIVE.sqrt();
        if !(at_pole || lambda.0 == 0.0) {
            return None;
        }
        // Head along the meridian towards the other point.
        let azimuth1 = (lambda.0, lambda.1);
        let azimuth2 = (0.0, 1.0);
        let sigma1 = (beta1.0, azimuth1.1 * beta1.1);
        let sigma2 = (beta2.0, azimuth2.1 * beta2.1);
        let sigma12 = arc(sigma1, sigma2);
        let (distance, reduced) = self.lengths(self.ep2, sigma12, sigma1, sigma2);
        // Beyond the conjugate point the meridian is no longer the shortest line.
        (sigma12 < 1.0 || reduced >= 0.0).then_some((distance, azimuth1, azimuth2))
    }

    /// Distance in metres and reduced length over b, for k² = e′² cos²α₀.
    fn lengths(&self, k2: f64, arc: f64, from: (f64, f64), to: (f64, f64)) -> (f64, f64) {
        let (from, to) = (unit(from.0, from.1), unit(to.0, to.1));
        let span = Span::new(arc, from, to);
        let distance = arc + self.nodes.over(Which::Distance, k2, &span);
        let j = self.nodes.over(Which::Reduced, k2, &span);
        (distance * self.ellipsoid.semi_minor_m(), reduced_length(k2, from, to, j))
    }

    /// Newton's method between closing bounds. Gives the distance, the azimuth at point 1
    /// and the last trial.
    fn newton(
        &self,
        beta1: (f64, f64),
        beta2: (f64, f64),
        sin_rise: f64,
        lambda: (f64, f64),
        lambda12: f64,
    ) -> (f64, (f64, f64), Trial) {
        let (mut azimuth1, short) = self.start(beta1, beta2, sin_rise, lambda, lambda12);
        if let Some(short) = short {
            return (short.0, azimuth1, short.1);
        }
        let tiny = f64::MIN_POSITIVE.sqrt();
        // Bounds as (sin, cos): the azimuth lies between 0 and π.
        let (mut low, mut high) = ((tiny, 1.0), (tiny, -1.0));
        let mut settled = false;
        let mut trial = self.trial(beta1, beta2, azimuth1, lambda, false);
        for round in 0..120 {
            // A step from so near leaves less than can be told.
            let is_last = trial.miss.abs() < NEARLY && trial.sigma12 < ORDINARY;
            let tolerance = if settled { 8.0 } else { 1.0 } * f64::EPSILON;
            if !(trial.miss.abs() >= tolerance) || round == 119 {
                break;
            }
            let cot = azimuth1.1 / azimuth1.0;
            if trial.miss > 0.0 && (round > 16 || cot > high.1 / high.0) {
                high = azimuth1;
            } else if trial.miss < 0.0 && (round > 16 || cot < low.1 / low.0) {
                low = azimuth1;
            }
            let mut stepped = false;
            if round < 16 && trial.slope > 0.0 {
                let step = -trial.miss / trial.slope;
                if step.abs() < PI {
                    let (sin, cos) = step.sin_cos();
                    let next = azimuth1.0 * cos + azimuth1.1 * sin;
                    if next > 0.0 {
                        azimuth1 = unit(next, azimuth1.1 * cos - azimuth1.0 * sin);
                        // Once steps are tiny, the next evaluation settles it.
                        settled = trial.miss.abs() <= 16.0 * f64::EPSILON;
                        stepped = true;
                    }
                }
            }
            if !stepped {
                azimuth1 = unit((low.0 + high.0) / 2.0, (low.1 + high.1) / 2.0);
                let closed = (low.0 - azimuth1.0).abs() + (low.1 - azimuth1.1)
                    < f64::EPSILON / 128.0
                    || (azimuth1.0 - high.0).abs() + (azimuth1.1 - high.1) < f64::EPSILON / 128.0;
                settled = false;
                if closed {
                    trial = self.trial(beta1, beta2, azimuth1, lambda, true);
                    break;
                }
            }
            let is_last = is_last && stepped;
            trial = self.trial(beta1, beta2, azimuth1, lambda, is_last);
            if is_last {
                break;
            }
        }
        let distance = trial.sigma12 + self.nodes.over(Which::Distance, trial.k2, &trial.span);
        (distance * self.ellipsoid.semi_minor_m(), azimuth1, trial)
    }

    /// Follows a trial azimuth to the latitude of point 2 (Karney (2013) eq. 5, 9-12, 45-46); the last
    /// one needs no slope.
    fn trial(
        &self,
        beta1: (f64, f64),
        beta2: (f64, f64),
        azimuth1: (f64, f64),
        lambda: (f64, f64),
        is_last: bool,
    ) -> Trial {
        // A line from the equator due west of the node needs a nudge to be defined.
        let azimuth1 = match beta1.0 == 0.0 && azimuth1.1 == 0.0 {
            true => (azimuth1.0, -f64::MIN_POSITIVE.sqrt()),
            false => azimuth1,
        };
        let sin_az0 = azimuth1.0 * beta1.1;
        let cos_az0 = norm(azimuth1.1, azimuth1.0 * beta1.0);
        let omega1 = unit(sin_az0 * beta1.0, azimuth1.1 * beta1.1);
        let sigma1 = unit(beta1.0, azimuth1.1 * beta1.1);

        let sin_az2 = if beta2.1 != beta1.1 { sin_az0 / beta2.1 } else { azimuth1.0 };
        let cos_az2 = if beta2.1 != beta1.1 || beta2.0.abs() != -beta1.0 {
            let across = azimuth1.1 * beta1.1;
            let difference = match beta1.1 < -beta1.0 {
                true => (beta2.1 - beta1.1) * (beta1.1 + beta2.1),
                false => (beta1.0 - beta2.0) * (beta1.0 + beta2.0),
            };
            (across * across + difference).max(0.0).sqrt() / beta2.1
        } else {
            azimuth1.1.abs()
        };
        let sigma2 = unit(beta2.0, cos_az2 * beta2.1);
        let omega2 = unit(sin_az0 * beta2.0, cos_az2 * beta2.1);

        let sigma12 = arc(sigma1, sigma2);
        let sin_omega = (omega1.1 * omega2.0 - omega1.0 * omega2.1).max(0.0);
        let cos_omega = omega1.1 * omega2.1 + omega1.0 * omega2.0;
        let k2 = cos_az0 * cos_az0 * self.ep2;
        let span = Span::new(sigma12, sigma1, sigma2);
        let longitude = self.nodes.over(Which::Longitude, k2, &span);
        let correction = -self.f * sin_az0 * longitude;
        let eta = angle(
            sin_omega * lambda.1 - cos_omega * lambda.0,
            cos_omega * lambda.1 + sin_omega * lambda.0,
        );
        let slope = if is_last {
            1.0
        } else if cos_az2 == 0.0 {
            -2.0 * self.root_at(beta1) / beta1.0
        } else {
            let j = self.nodes.over(Which::Reduced, k2, &span);
            reduced_length(k2, sigma1, sigma2, j) * (1.0 - self.f) / (cos_az2 * beta2.1)
        };
        Trial {
            miss: eta + correction,
            slope,
            azimuth2: unit(sin_az2, cos_az2),
            sigma12,
            omega: (sin_omega, cos_omega),
            k2,
            span,
        }
    }

    /// √(1 − e² cos²β): b-normalised radius that turns arcs into longitudes.
    fn root_at(&self, beta: (f64, f64)) -> f64 {
        (1.0 - self.ellipsoid.eccentricity_squared() * beta.1 * beta.1).sqrt()
    }

    /// A line short enough for plain iteration on the longitude of the auxiliary sphere,
    /// which shrinks its error by about f a round (Bessel (1825)). Everything is formed from
    /// differences that are exact to rounding, so distance, azimuths and area keep their
    /// relative accuracy down to the shortest side.
    fn short(
        &self,
        beta1: (f64, f64),
        beta2: (f64, f64),
        sin_rise: f64,
        lambda12: f64,
        mut omega12: f64,
    ) -> (f64, (f64, f64), Trial) {
        let mut rounds = 0;
        loop {
            rounds += 1;
            let (sin, cos) = omega12.sin_cos();
            // 1 − cos ω₁₂, by the form that does not cancel: over a pole the cosine is negative.
            let across = if cos >= 0.0 { sin * sin / (1.0 + cos) } else { 1.0 - cos };
            let azimuth1 = (beta2.1 * sin, sin_rise + beta2.1 * beta1.0 * across);
            let azimuth2 = (beta1.1 * sin, sin_rise - beta1.1 * beta2.0 * across);
            let sin_arc = norm(azimuth1.0, azimuth1.1);
            let sigma12 = sin_arc.asin();
            let (azimuth1, azimuth2) = match sin_arc > 0.0 {
                true => (unit(azimuth1.0, azimuth1.1), unit(azimuth2.0, azimuth2.1)),
                false => ((0.0, 1.0), (0.0, 1.0)),
            };
            let sin_az0 = azimuth1.0 * beta1.1;
            let cos_az0 = norm(azimuth1.1, azimuth1.0 * beta1.0);
            let k2 = cos_az0 * cos_az0 * self.ep2;
            let equatorial = beta1.0 == 0.0 && azimuth1.1 == 0.0;
            let sigma1 = if equatorial { (0.0, 1.0) } else { unit(beta1.0, azimuth1.1 * beta1.1) };
            let (sin_arc, cos_arc) = (sin_arc, (1.0 - sin_arc * sin_arc).sqrt());
            let sigma2 =
                (sigma1.0 * cos_arc + sigma1.1 * sin_arc, sigma1.1 * cos_arc - sigma1.0 * sin_arc);
            let span = Span::new(sigma12, sigma1, sigma2);
            let longitude = self.nodes.over(Which::Longitude, k2, &span);
            let next = lambda12 + self.f * sin_az0 * longitude;
            let settled = (next - omega12).abs() <= f64::EPSILON * next;
            omega12 = next;
            if settled || rounds == 30 {
                let distance = sigma12 + self.nodes.over(Which::Distance, k2, &span);
                let omega = omega12.sin_cos();
                let trial = Trial { miss: 0.0, slope: 1.0, azimuth2, sigma12, omega, k2, span };
                return (distance * self.ellipsoid.semi_minor_m(), azimuth1, trial);
            }
        }
    }

    /// A first azimuth; with the whole answer when the line is short.
    #[allow(clippy::type_complexity)]
    fn start(
        &self,
        beta1: (f64, f64),
        beta2: (f64, f64),
        sin_rise: f64,
        lambda: (f64, f64),
        lambda12: f64,
    ) -> ((f64, f64), Option<(f64, Trial)>) {
        let sin_difference = sin_rise;
        let cos_difference = beta2.1 * beta1.1 + beta2.0 * beta1.0;
        let sin_sum = beta2.0 * beta1.1 + beta2.1 * beta1.0;
        let near = cos_difference >= 0.0 && sin_difference < 0.5 && beta2.1 * lambda12 < 0.5;
        let (omega, mean) = if near {
            let s = (beta1.0 + beta2.0).powi(2);
            let c = (beta1.1 + beta2.1).powi(2);
            let sin2_mean = s / (s + c);
            let mean = (1.0 - self.ellipsoid.eccentricity_squared() * (1.0 - sin2_mean)).sqrt();
            ((lambda12 / mean).sin_cos(), mean)
        } else {
            (lambda, 1.0)
        };
        let sin_az1 = beta2.1 * omega.0;
        let cos_az1 = match omega.1 >= 0.0 {
            true => sin_difference + beta2.1 * beta1.0 * omega.0 * omega.0 / (1.0 + omega.1),
            false => sin_sum - beta2.1 * beta1.0 * omega.0 * omega.0 / (1.0 - omega.1),
        };
        let sin_arc = norm(sin_az1, cos_az1);
        let cos_arc = beta1.0 * beta2.0 + beta1.1 * beta2.1 * omega.1;
        if near && sin_arc < SHORT {
            let omega12 = (lambda12 / mean).min(PI);
            let (distance, azimuth1, trial) = self.short(beta1, beta2, sin_rise, lambda12, omega12);
            return (azimuth1, Some((distance, trial)));
        }
        let antipodal =
            cos_arc < 0.0 && sin_arc < 6.0 * self.f.abs() * PI * beta1.1 * beta1.1 && self.f > 0.0;
        if antipodal && let Some(azimuth) = self.astroid_start(beta1, sin_sum, beta2, lambda) {
            return (azimuth, None);
        }
        let azimuth = if sin_az1 > 0.0 { unit(sin_az1, cos_az1) } else { (1.0, 0.0) };
        if near || cos_arc < ORDINARY.cos() {
            return (azimuth, None);
        }
        // The longitude on the auxiliary sphere is longer by what the sphere of the first guess says.
        let more = self.f * azimuth.0 * beta1.1 * sin_arc.atan2(cos_arc);
        let (sin, cos) = (lambda12 + more).sin_cos();
        let sin_az1 = beta2.1 * sin;
        let cos_az1 = beta2.0 * beta1.1 - beta1.0 * beta2.1 * cos;
        let better = sin_az1 > 0.0;
        (if better { unit(sin_az1, cos_az1) } else { azimuth }, None)
    }

    /// Start for a nearly antipodal pair (Karney (2013) eq. 51-57): x and y are the distance
    /// from the antipode in units of the astroid's size.
    fn astroid_start(
        &self,
        beta1: (f64, f64),
        sin_sum: f64,
        beta2: (f64, f64),
        lambda: (f64, f64),
    ) -> Option<(f64, f64)> {
        let from_antipode = (-lambda.0).atan2(-lambda.1); // λ12 − π
        let k2 = beta1.0 * beta1.0 * self.ep2;
        let half_turn = self.nodes.longitude(k2).half_turn();
        let lambda_scale = self.f * beta1.1 * half_turn;
        let beta_scale = lambda_scale * beta1.1;
        let x = from_antipode / lambda_scale;
        let y = sin_sum.atan2(beta2.1 * beta1.1 - beta2.0 * beta1.0) / beta_scale;
        if y > -100.0 * f64::EPSILON && x > -1.0 - 1e-5 {
            // On the strip itself every line leaves near due east or west.
            let sin = (-x).min(1.0);
            return Some(unit(
                sin.max(f64::MIN_POSITIVE.sqrt()),
                -(1.0 - sin * sin).max(0.0).sqrt(),
            ));
        }
        let mu = astroid(x, y);
        let omega = lambda_scale * (-x * mu / (1.0 + mu));
        let (sin_omega, cos_omega) = (omega.sin(), -omega.cos());
        let sin = beta2.1 * sin_omega;
        let cos = sin_sum - beta2.1 * beta1.0 * sin_omega * sin_omega / (1.0 - cos_omega);
        (sin > 0.0).then(|| unit(sin, cos))
    }
}

/// m₁₂/b (Karney (2013) eq. 38), from sines and cosines of the arcs and J between them.
fn reduced_length(k2: f64, from: (f64, f64), to: (f64, f64), j: f64) -> f64 {
    (1.0 + k2 * to.0 * to.0).sqrt() * from.1 * to.0
        - (1.0 + k2 * from.0 * from.0).sqrt() * from.0 * to.1
        - from.1 * to.1 * j
}

/// Arc from one point of the auxiliary sphere to the next, 0 to π.
fn arc(from: (f64, f64), to: (f64, f64)) -> f64 {
    (from.1 * to.0 - from.0 * to.1).max(0.0).atan2(from.1 * to.1 + from.0 * to.0)
}

/// Positive root μ of μ⁴ + 2μ³ + (1 − x² − y²)μ² − 2y²μ − y² = 0, by Newton's method from
/// above, where the quartic is convex and rising.
fn astroid(x: f64, y: f64) -> f64 {
    let (x2, y2) = (x * x, y * y);
    let mut mu = norm(x, y);
    for _ in 0..60 {
        let value = (((mu + 2.0) * mu + (1.0 - x2 - y2)) * mu - 2.0 * y2) * mu - y2;
        let slope = ((4.0 * mu + 6.0) * mu + 2.0 * (1.0 - x2 - y2)) * mu - 2.0 * y2;
        if slope <= 0.0 {
            break;
        }
        let step = value / slope;
        mu -= step;
        if step.abs() <= 1e-12 * mu {
            break;
        }
    }
    mu.max(0.0)
}

impl Integral {
    /// Value over half a turn.
    fn half_turn(&self) -> f64 {
        self.between(PI, (0.0, 1.0), (0.0, -1.0))
    }
}

/// The angle of a sine and cosine.
fn angle(sin: f64, cos: f64) -> f64 {
    if cos < 0.0 || sin.abs() > 0.01 {
        return sin.atan2(cos);
    }
    let square = sin * sin;
    sin + sin * square * (1.0 / 6.0 + square * (3.0 / 40.0 + square * (15.0 / 336.0)))
}
