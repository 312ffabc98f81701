//! Operations on many places at a time.
//!
//! What is run here gives the same bits as [`Operation::run`] on each place.

use super::similarity::{Domain, Similarity};
use super::{Method, Operation, State};
use crate::crs::Side;
use crate::geocentric::{in_space, near_surface};
use crate::math::blocks::{Replacement, replace, replace_singly};
use crate::math::functions::wrap;
use crate::math::number::Number;

/// Rounds of the way back that are always run.
pub(super) const ROUNDS: usize = 3;

/// What a round of the way back may leave, degrees of longitude and latitude together.
pub(super) const LEFT_DEG: f64 = 1e-12;

impl Operation {
    /// As [`Operation::run`] of many longitudes, latitudes and heights in place; all NaN where there is no
    /// result.
    pub(crate) fn run_block(
        &self,
        [lon, lat, h]: [&mut [f64]; 3],
        from: &Side,
        to: &Side,
        heights: bool,
    ) {
        let Method::Similarity(similarity) = &self.method else {
            let single = |[lon, lat, h]: [f64; 3]| {
                let to = self.run(State { lon, lat, h }, from, to, heights)?;
                Some([to.lon, to.lat, to.h])
            };
            return replace_singly([lon, lat, h], single);
        };
        if similarity.is_null() && from.ellipsoid == to.ellipsoid {
            return;
        }
        let domain = if heights { Domain::Spatial } else { similarity.domain };
        replace([lon, lat, h], &Shift { operation: self, similarity, domain, from, to });
    }
}

/// A similarity between two datums.
struct Shift<'a> {
    operation: &'a Operation,
    similarity: &'a Similarity,
    domain: Domain,
    from: &'a Side,
    to: &'a Side,
}

impl Replacement<3> for Shift<'_> {
    #[inline(always)]
    fn several<N: Number>(&self, [lon, lat, h]: [N; 3]) -> Option<[N; 3]> {
        let Shift { similarity, from, to, .. } = *self;
        match (self.domain, self.operation.reversed) {
            (Domain::Spatial, reversed) => shifted(similarity, reversed, [lon, lat, h], from, to),
            (Domain::Geographic2D, false) => {
                let flat = [lon, lat, lat.like(0.0)];
                let [lon, lat, _] = shifted(similarity, false, flat, from, to)?;
                Some([lon, lat, h])
            }
            (Domain::Geographic2D, true) => {
                let [lon, lat] = flat_back(similarity, [lon, lat], from, to)?;
                Some([lon, lat, h])
            }
        }
    }

    #[inline(always)]
    fn single(&self, [lon, lat, h]: [f64; 3]) -> Option<[f64; 3]> {
        let heights = self.domain == Domain::Spatial;
        let to = self.operation.run(State { lon, lat, h }, self.from, self.to, heights)?;
        Some([to.lon, to.lat, to.h])
    }
}

/// Through geocentric space; none if any place lies far from the surface.
#[inline(always)]
fn shifted<N: Number>(
    similarity: &Similarity,
    reversed: bool,
    [lon, lat, h]: [N; 3],
    from: &Side,
    to: &Side,
) -> Option<[N; 3]> {
    let p = in_space(&from.ellipsoid, [wrap(lon + from.prime_meridian_deg), lat, h]);
    let moved = if reversed { similarity.apply_inverse(p) } else { similarity.apply(p) };
    let [lon, lat, h] = near_surface(&to.ellipsoid, moved)?;
    Some([wrap(lon - to.prime_meridian_deg), lat, h])
}

/// As the way back of one place, where its usual rounds are enough for all.
#[inline(always)]
fn flat_back<N: Number>(
    similarity: &Similarity,
    [lon, lat]: [N; 2],
    from: &Side,
    to: &Side,
) -> Option<[N; 2]> {
    let zero = lat.like(0.0);
    let [mut found_lon, mut found_lat, _] = shifted(similarity, true, [lon, lat, zero], from, to)?;
    let mut left = zero;
    for _ in 0..ROUNDS {
        let image = shifted(similarity, false, [found_lon, found_lat, zero], to, from)?;
        let off = (wrap(lon - image[0]), lat - image[1]);
        found_lon = found_lon + off.0;
        found_lat = found_lat + off.1;
        left = off.0.abs() + off.1.abs();
    }
    (left.greatest() < LEFT_DEG).then_some([found_lon, found_lat])
}
