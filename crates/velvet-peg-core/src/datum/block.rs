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

/// The height that a place found on the way back may have, metres: it moves it by the tilt of the
/// ellipsoids, a thousandth of that at most.
pub(super) const LEFT_M: f64 = 1e-6;

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
        let Method::Similarity(similarity) = &self.row.method else {
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

/// The way back of a method that drops the height: the place without one whose forward image this is.
/// It is the image of a place over or under this one, at the height of which it has none itself. What the
/// first round misses by falls with the square of the tilt; none where that is too much for any place.
#[inline(always)]
pub(super) fn flat_back<N: Number>(
    similarity: &Similarity,
    [lon, lat]: [N; 2],
    from: &Side,
    to: &Side,
) -> Option<[N; 2]> {
    let [_, _, rise] = shifted(similarity, true, [lon, lat, lat.like(0.0)], from, to)?;
    let [lon, lat, left] = shifted(similarity, true, [lon, lat, -rise], from, to)?;
    left.within(LEFT_M).then_some([lon, lat])
}
