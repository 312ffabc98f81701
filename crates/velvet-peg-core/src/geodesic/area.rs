//! Area of polygons whose sides are geodesics.
//!
//! Source: Karney (2013) section 6: the area between a side and the equator is
//! S₁₂ = c² (α₂ − α₁) + e² a² cos α₀ sin α₀ (I₄(σ₂) − I₄(σ₁)) (eq. 58-60). The integrand of
//! I₄ is sampled and transformed like the other integrals; its divided difference (eq. 62)
//! is summed as a power series so that it never cancels. Differences over short sides are
//! formed as products, so a parcel keeps its digits.

use super::integrals::Samples;
use super::inverse::Line;
use super::{EllipsoidalArea, Geodesic};
use crate::math::Sum;
use crate::math::elementary::{norm, unit};
use crate::position::Geographic;
use std::f64::consts::PI;

/// Polygons all of whose vertices lie beyond this latitude are reckoned from the pole.
const POLAR_DEG: f64 = 80.0;

impl Geodesic {
    /// Area and perimeter of the polygon with these vertices, joined by geodesics and
    /// closed implicitly (a repeated first vertex at the end changes nothing).
    ///
    /// The area is signed: positive if the vertices run counter-clockwise seen from above.
    /// Of the two regions that the boundary separates it is the smaller one. Polygons
    /// round a pole and across the 180° meridian need no special care.
    ///
    /// ```
    /// use velvet_peg_core::{Ellipsoid, Geodesic, Geographic};
    /// let octant = [(0.0, 0.0), (0.0, 90.0), (90.0, 0.0)]
    ///     .map(|(lat, lon)| Geographic { lat, lon });
    /// let wgs84 = Ellipsoid::from_epsg(7030)?;
    /// let area = Geodesic::new(&wgs84).polygon(&octant).area_m2;
    /// assert!((area / (wgs84.surface_area_m2() / 8.0) - 1.0).abs() < 1e-15);
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    pub fn polygon(&self, vertices: &[Geographic]) -> EllipsoidalArea {
        let (mut area, mut perimeter, mut turn) = (Sum::default(), Sum::default(), Sum::default());
        // What lies between the sides and the pole, for polygons near one or round it: what lies
        // between them and the equator is half the ellipsoid, of which the digits would be lost.
        let mut polar = Sum::default();
        let lowest = vertices.iter().map(|at| at.lat.abs()).fold(f64::INFINITY, f64::min);
        let highest = vertices.iter().map(|at| at.lat.abs()).fold(0.0, f64::max);
        let one_side = vertices.windows(2).all(|pair| pair[0].lat * pair[1].lat > 0.0);
        let following = vertices.iter().cycle().skip(1);
        for (from, to) in vertices.iter().zip(following) {
            let line = self.solve(*from, *to);
            perimeter.add(line.distance_m);
            turn.add(line.lon12_deg);
            area.add(self.under(&line));
            if one_side {
                polar.add(self.beyond(&line));
            }
        }
        let round = (turn.value() / 360.0).round().rem_euclid(2.0) == 1.0;
        if one_side && lowest > 0.0 && (lowest >= POLAR_DEG || highest == 90.0 || round) {
            return EllipsoidalArea { area_m2: polar.value(), perimeter_m: perimeter.value() };
        }
        let whole = self.ellipsoid.surface_area_m2();
        let mut signed = -area.value();
        // Sides that run round the pole leave half the ellipsoid out of account.
        let turns = (turn.value() / 360.0).round();
        if turns.rem_euclid(2.0) == 1.0 {
            signed += whole / 2.0;
        }
        signed -= whole * (signed / whole).round();
        EllipsoidalArea { area_m2: signed, perimeter_m: perimeter.value() }
    }

    /// Length of the line through these vertices along geodesics, metres.
    ///
    /// ```
    /// use velvet_peg_core::{Ellipsoid, Geodesic, Geographic};
    /// let geodesic = Geodesic::new(&Ellipsoid::from_epsg(7030)?);
    /// let quarter = [0.0, 30.0, 90.0].map(|lat| Geographic { lat, lon: 7.0 });
    /// assert!((geodesic.line_length_m(&quarter) - 10_001_965.729_3).abs() < 1e-4);
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    pub fn line_length_m(&self, vertices: &[Geographic]) -> f64 {
        let lon: Vec<f64> = vertices.iter().map(|at| at.lon).collect();
        let lat: Vec<f64> = vertices.iter().map(|at| at.lat).collect();
        let legs = lon.len().saturating_sub(1);
        let later = [lon.get(1..).unwrap_or_default(), lat.get(1..).unwrap_or_default()];
        let solved = self.inverse_columns([&lon[..legs], &lat[..legs]], later);
        solved.distance_m.into_iter().collect::<Sum>().value()
    }

    /// Signed area between a side and the equator, square metres, positive for a side in
    /// the north that runs east.
    fn under(&self, line: &Line) -> f64 {
        let side = &line.canonical;
        let (az1, az2) = (side.azimuth1, side.azimuth2);
        // Turn of the azimuth, from half-angles where that is well conditioned (eq. 64).
        let (sin_omega, cos_omega) = side.omega;
        let ordinary = !side.meridional && cos_omega > -0.7 && side.beta2.0 - side.beta1.0 < 1.75;
        let turn = if ordinary {
            let (one_cos, c1, c2) = (1.0 + cos_omega, 1.0 + side.beta1.1, 1.0 + side.beta2.1);
            2.0 * (sin_omega * (side.beta1.0 * c2 + side.beta2.0 * c1))
                .atan2(one_cos * (side.beta1.0 * side.beta2.0 + c1 * c2))
        } else {
            let sin = az2.0 * az1.1 - az2.1 * az1.0;
            let cos = az2.1 * az1.1 + az2.0 * az1.0;
            // Over the pole the turn is half a turn westward in the canonical south.
            if sin == 0.0 && cos < 0.0 { -PI } else { sin.atan2(cos) }
        };
        let spherical = self.ellipsoid.authalic_radius_squared_m2() * turn;
        side.sign * (spherical + self.excess(line))
    }

    /// Signed area of the triangle between a side and the nearer pole, square metres, positive for
    /// a side in the north that runs east. With ω the longitude on the auxiliary sphere and E the
    /// excess of the triangle on it, it is c² (E + λ₁₂ − ω₁₂) and what the ellipsoid adds; λ₁₂ − ω₁₂
    /// is Karney (2013) eq. 8, so that nothing large is subtracted.
    fn beyond(&self, line: &Line) -> f64 {
        let side = &line.canonical;
        if side.meridional || line.distance_m == 0.0 {
            return 0.0;
        }
        let half_colatitude = |beta: (f64, f64)| beta.1 / (1.0 - beta.0);
        let product = half_colatitude(side.beta1) * half_colatitude(side.beta2);
        let (sin, cos) = side.omega;
        let excess = 2.0 * (product * sin).atan2(1.0 + product * cos);
        let sin_az0 = side.azimuth1.0 * side.beta1.1;
        let cos_az0 = norm(side.azimuth1.1, side.azimuth1.0 * side.beta1.0);
        let k2 = cos_az0 * cos_az0 * self.ep2;
        let sigma1 = unit(side.beta1.0, side.azimuth1.1 * side.beta1.1);
        let (sin_arc, cos_arc) = side.sigma12.sin_cos();
        let sigma2 =
            (sigma1.0 * cos_arc + sigma1.1 * sin_arc, sigma1.1 * cos_arc - sigma1.0 * sin_arc);
        let longitude = self.nodes.longitude(k2).between(side.sigma12, sigma1, sigma2);
        let spherical = excess - self.f * sin_az0 * longitude;
        let authalic = self.ellipsoid.authalic_radius_squared_m2();
        -side.sign * (authalic * spherical + self.excess(line))
    }

    /// What the ellipsoid adds to the sphere of equal area under a canonical side.
    fn excess(&self, line: &Line) -> f64 {
        let side = &line.canonical;
        let sin_az0 = side.azimuth1.0 * side.beta1.1;
        let cos_az0 = norm(side.azimuth1.1, side.azimuth1.0 * side.beta1.0);
        if sin_az0 == 0.0 || cos_az0 == 0.0 || line.distance_m == 0.0 {
            return 0.0;
        }
        let k2 = self.ep2 * cos_az0 * cos_az0;
        let mut samples: Samples = self.nodes.roots(0.0);
        for (sample, (sin, sin2)) in
            samples.iter_mut().zip(self.nodes.sin.iter().zip(&self.nodes.sin2))
        {
            *sample = divided_difference(self.ep2, k2 * sin2) * sin / 2.0;
        }
        let coefficients = self.nodes.odd_coefficients(&samples);
        let sigma1 = unit(side.beta1.0, side.azimuth1.1 * side.beta1.1);
        let half = side.sigma12 / 2.0;
        let middle = sigma1.0.atan2(sigma1.1) + half;
        // cos mσ₂ − cos mσ₁ = −2 sin(m middle) sin(m half)
        let difference: f64 = (0..self.nodes.count)
            .map(|l| {
                let m = (2 * l + 1) as f64;
                -2.0 * coefficients[l] / m * (m * middle).sin() * (m * half).sin()
            })
            .sum();
        let a = self.ellipsoid.semi_major_m();
        self.ellipsoid.eccentricity_squared() * a * a * cos_az0 * sin_az0 * difference
    }
}

/// (t(x) − t(y))/(x − y) for t(x) = x + √(1/x + 1) asinh √x, by the power series of t, whose
/// terms from the second on are −(−1)^i (2i−2)!!/(2i+1)!! x^i.
fn divided_difference(x: f64, y: f64) -> f64 {
    let mut factor = 1.0 / 3.0;
    let mut symmetric = 1.0; // Σ x^p y^q over p + q = i − 1
    let mut power = 1.0;
    let mut sum = 1.0 + factor;
    for i in 1..60 {
        power *= y;
        symmetric = x * symmetric + power;
        factor *= -2.0 * f64::from(i) / (2.0 * f64::from(i) + 3.0);
        let term = factor * symmetric;
        sum += term;
        if term.abs() < 1e-18 {
            break;
        }
    }
    sum
}
