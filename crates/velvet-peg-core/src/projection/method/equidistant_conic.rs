//! Equidistant Conic, EPSG method 1119.
//!
//! Source: Snyder (1987) eq. 16-1 to 16-11, rearranged around the false origin's parallel so that it holds
//! for every cone constant, zero included (the equidistant cylindrical limit). With the meridian distance
//! D from that parallel, longitude difference λ, cone constant n and c = a m₁ + n (M₁ − M_F):
//!
//! ```text
//! E = (c − nD) λ sinc(nλ)
//! N = (c − nD) λ sin(nλ/2) sinc(nλ/2) + D
//! ```
//!
//! The cone constant is the mean of sin φ along the meridian between the parallels, taken by integration,
//! so that close parallels lose no digits.

use super::Method;
use crate::auxiliary::Meridian;
use crate::ellipsoid::Ellipsoid;
use crate::error::{Error, Result};
use crate::math::functions::{DEGREE, atan2_degrees};
use crate::math::number::Number;
use crate::math::{LonLat, Real, degrees};
use crate::position::Geographic;
use crate::projection::kernel::Formula;
use crate::projection::parameter_code as code;
use std::sync::Arc;

/// The methods of this file.
pub(super) const METHODS: &[Method] = &[Method {
    code: 1119,
    parameters: code::TWO_PARALLELS,
    words: &["Equidistant_Conic"],
    false_origin: code::FALSE,
    build: |given, ellipsoid| {
        Ok(Arc::new(EquidistantConic::new(
            ellipsoid,
            given.degrees(code::LATITUDE_OF_FALSE_ORIGIN)?,
            given.degrees(code::LONGITUDE_OF_FALSE_ORIGIN)?,
            given.degrees(code::LATITUDE_OF_FIRST_STANDARD_PARALLEL)?,
            given.degrees(code::LATITUDE_OF_SECOND_STANDARD_PARALLEL)?,
        )?))
    },
    ..Method::PLAIN
}];

#[derive(Debug)]
pub(crate) struct EquidistantConic {
    ellipsoid: Ellipsoid,
    meridian: Meridian,
    lon0: f64,
    /// Cone constant n.
    cone: f64,
    /// Metres along the false origin's parallel for a radian of longitude.
    c: f64,
}

impl EquidistantConic {
    pub(crate) fn new(
        ellipsoid: &Ellipsoid,
        lat0: f64,
        lon0: f64,
        lat1: f64,
        lat2: f64,
    ) -> Result<EquidistantConic> {
        let sound = [lat0, lat1, lat2].iter().all(|lat| lat.abs() <= 90.0);
        if !sound || lat1.abs() == 90.0 && lat2 == lat1 || lat1 == -lat2 && lat1.abs() == 90.0 {
            return Err(Error::malformed(format!(
                "parallels of {lat1}° and {lat2}° make no equidistant cone"
            )));
        }
        let meridian = Meridian::new(ellipsoid, lat0);
        let cone = mean_sine(ellipsoid, lat1, lat2);
        let (sin1, cos1) = degrees::sin_cos(lat1);
        let m1 = cos1 / (1.0 - ellipsoid.eccentricity_squared() * sin1 * sin1).sqrt();
        let to_first = meridian.distance(&LonLat::of(0.0, Geographic { lat: lat1, lon: 0.0 }));
        let c = ellipsoid.semi_major_m() * m1 + cone * to_first;
        Ok(EquidistantConic { ellipsoid: *ellipsoid, meridian, lon0, cone, c })
    }
}

/// ∫ρ sin φ dφ / ∫ρ dφ between two latitudes, by five Gaussian nodes in each piece of six degrees.
fn mean_sine(ellipsoid: &Ellipsoid, lat1: f64, lat2: f64) -> f64 {
    const NODES: [(f64, f64); 3] = [
        (0.0, 0.568_888_888_888_888_9),
        (0.538_469_310_105_683_1, 0.478_628_670_499_366_47),
        (0.906_179_845_938_664, 0.236_926_885_056_189_08),
    ];
    let pieces = ((lat2 - lat1).abs() / 6.0).ceil().max(1.0);
    let half = (lat2 - lat1) / pieces / 2.0;
    let (mut sines, mut all) = (0.0, 0.0);
    let mut piece = 0.0;
    while piece < pieces {
        let middle = lat1 + half * (2.0 * piece + 1.0);
        for (node, weight) in NODES {
            let sides: &[f64] = if node == 0.0 { &[1.0] } else { &[-1.0, 1.0] };
            for side in sides {
                let lat = middle + side * node * half;
                let rho = ellipsoid.meridian_radius_m(lat) * weight;
                sines += rho * degrees::sin_cos(lat).0;
                all += rho;
            }
        }
        piece += 1.0;
    }
    sines / all
}

impl Formula for EquidistantConic {
    fn frame(&self) -> (f64, &Ellipsoid) {
        (self.lon0, &self.ellipsoid)
    }

    #[inline(always)]
    fn plane<T: Real>(&self, at: &LonLat<T>) -> Option<(T, T)> {
        let distance = self.meridian.distance(at);
        let theta = at.lambda * self.cone;
        let half = theta * 0.5;
        let length = (-(distance * self.cone) + self.c) * at.lambda;
        let east = length * theta.sinc();
        let north = length * half.sin_cos().0 * half.sinc() + distance;
        Some((east, north))
    }

    #[inline(always)]
    fn place<N: Number>(&self, e: N, n: N) -> Option<(N, N)> {
        let across = -(n * self.cone) + self.c;
        // n r, on the side of the apex where the cone is.
        let radius = (e * self.cone).norm(across);
        let way = n * (2.0 * self.c) - (e * e + n * n) * self.cone;
        let lambda = match self.cone == 0.0 {
            true => e / self.c * DEGREE,
            false => atan2_degrees(e * self.cone, across) / self.cone,
        };
        Some((lambda, self.meridian.latitude(way / (radius + self.c))))
    }
}
