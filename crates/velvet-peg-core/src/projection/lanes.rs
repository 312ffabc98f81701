//! Methods that map several places at a time.

use super::kernel::Kernel;
use crate::math::blocks::{Replacement, replace};
use crate::math::number::Number;
use crate::position::Geographic;

/// A method that maps several places at a time, where all of them go the same way.
pub(super) trait InLanes: Kernel {
    /// Easting and northing from the true origin, metres, of degrees; none if any place is out of reach, or
    /// they do not go the same way.
    fn forward_lanes<N: Number>(&self, lon: N, lat: N) -> Option<(N, N)>;

    /// Longitude and latitude, degrees, of metres from the true origin; none likewise.
    fn inverse_lanes<N: Number>(&self, e: N, n: N) -> Option<(N, N)>;
}

/// [`Kernel::forward_block`] of such a method.
pub(super) fn forward_in_lanes(method: &impl InLanes, lon: &mut [f64], lat: &mut [f64]) {
    replace([lon, lat], &Forward(method));
}

/// [`Kernel::inverse_block`] of such a method.
pub(super) fn inverse_in_lanes(method: &impl InLanes, e: &mut [f64], n: &mut [f64]) {
    replace([e, n], &Inverse(method));
}

struct Forward<'a, M>(&'a M);

impl<M: InLanes> Replacement<2> for Forward<'_, M> {
    #[inline(always)]
    fn several<N: Number>(&self, [lon, lat]: [N; 2]) -> Option<[N; 2]> {
        self.0.forward_lanes(lon, lat).map(<[N; 2]>::from)
    }

    fn single(&self, [lon, lat]: [f64; 2]) -> Option<[f64; 2]> {
        self.0.forward(Geographic { lat, lon }).map(<[f64; 2]>::from)
    }
}

struct Inverse<'a, M>(&'a M);

impl<M: InLanes> Replacement<2> for Inverse<'_, M> {
    #[inline(always)]
    fn several<N: Number>(&self, [e, n]: [N; 2]) -> Option<[N; 2]> {
        self.0.inverse_lanes(e, n).map(<[N; 2]>::from)
    }

    fn single(&self, [e, n]: [f64; 2]) -> Option<[f64; 2]> {
        self.0.inverse(e, n).map(|at| [at.lon, at.lat])
    }
}
