//! The two workhorses where almost all data lies, near their origin: short polynomials for any number of
//! places at a time. Elsewhere the methods' own formulas serve, which these are tested against.

mod conic;
mod meridian;

pub(super) use conic::{Cone, NearConic};
pub(super) use meridian::NearMeridian;

use super::kernel::Kernel;
use crate::math::blocks::{Replacement, replace};
use crate::math::number::Number;
use crate::position::Geographic;

/// The form of a method near its origin.
pub(super) trait NearForm {
    /// Easting and northing from the true origin, metres, of degrees; none if any place is out of reach.
    fn forward<N: Number>(&self, lon: N, lat: N) -> Option<(N, N)>;

    /// Longitude and latitude, degrees, of metres from the true origin; none if any is out of reach.
    fn inverse<N: Number>(&self, e: N, n: N) -> Option<(N, N)>;
}

/// A method that has such a form.
pub(super) trait HasNear: Kernel {
    type Form: NearForm;

    /// None where the parameters do not let it be.
    fn near(&self) -> Option<&Self::Form>;
}

/// [`Kernel::forward_block`] of such a method.
pub(super) fn forward_block(method: &impl HasNear, lon: &mut [f64], lat: &mut [f64]) {
    replace([lon, lat], &Forward(method));
}

/// [`Kernel::inverse_block`] of such a method.
pub(super) fn inverse_block(method: &impl HasNear, e: &mut [f64], n: &mut [f64]) {
    replace([e, n], &Inverse(method));
}

struct Forward<'a, M>(&'a M);

impl<M: HasNear> Replacement<2> for Forward<'_, M> {
    #[inline(always)]
    fn several<N: Number>(&self, [lon, lat]: [N; 2]) -> Option<[N; 2]> {
        self.0.near()?.forward(lon, lat).map(<[N; 2]>::from)
    }

    fn single(&self, [lon, lat]: [f64; 2]) -> Option<[f64; 2]> {
        self.0.forward(Geographic { lat, lon }).map(<[f64; 2]>::from)
    }
}

struct Inverse<'a, M>(&'a M);

impl<M: HasNear> Replacement<2> for Inverse<'_, M> {
    #[inline(always)]
    fn several<N: Number>(&self, [e, n]: [N; 2]) -> Option<[N; 2]> {
        self.0.near()?.inverse(e, n).map(<[N; 2]>::from)
    }

    fn single(&self, [e, n]: [f64; 2]) -> Option<[f64; 2]> {
        self.0.inverse(e, n).map(|at| [at.lon, at.lat])
    }
}
