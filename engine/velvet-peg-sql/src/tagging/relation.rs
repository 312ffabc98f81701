//! What a point has to do with a polygon.

use crate::error::refused;
use datafusion::error::Result;
use serde::{Deserialize, Serialize};
use velvet_peg_core::planar::{Placing, Region};
use velvet_peg_core::{Crs, metres_per_unit};

/// A relation of points to polygons.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub(crate) enum Relation {
    /// In the interior (ISO 19125-1, "within").
    Within,
    /// In the interior or on the boundary (ISO 19125-1, "intersects").
    Intersects,
    /// In the interior, on the boundary, or as near to it as a tolerance: how the library tags points.
    FallsIn,
}

/// The name of the function whose first argument is the polygon.
pub(crate) const POLYGON_FIRST: &str = "st_contains";

/// Metres from the boundary within which a point counts as on it, where nothing else is said.
pub(crate) const TOLERANCE_M: f64 = 0.001;

/// A relation with its tolerance in metres, which is 0 where there is none.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub(crate) struct Test {
    pub(crate) relation: Relation,
    pub(crate) tolerance_m: f64,
}

impl Relation {
    pub(crate) const ALL: [Relation; 3] =
        [Relation::Within, Relation::Intersects, Relation::FallsIn];

    /// The name of its function.
    pub(crate) fn name(self) -> &'static str {
        match self {
            Relation::Within => "st_within",
            Relation::Intersects => "st_intersects",
            Relation::FallsIn => "falls_in",
        }
    }

    /// The relation of a function's name.
    pub(crate) fn named(name: &str) -> Option<Relation> {
        Relation::ALL.into_iter().find(|relation| relation.name() == name)
    }
}

impl Test {
    /// # Errors
    /// If the tolerance is no length.
    pub(crate) fn new(relation: Relation, tolerance_m: f64) -> Result<Test> {
        match tolerance_m.is_finite() && tolerance_m >= 0.0 {
            true => Ok(Test { relation, tolerance_m }),
            false => Err(refused(format!("a tolerance of {tolerance_m} m is none"))),
        }
    }

    /// The tolerance in the unit of a system near a place: of degrees, those of the longer side.
    pub(crate) fn tolerance(self, crs: &Crs, near: (f64, f64)) -> f64 {
        if self.tolerance_m == 0.0 {
            return 0.0;
        }
        let unit = crs.length_unit().map_or(1.0, |unit| unit.metres());
        let (x, y) = metres_per_unit(crs, near).unwrap_or((unit, unit));
        self.tolerance_m / x.max(y)
    }

    /// Whether a place has the relation to a region; the tolerance is in the unit of both.
    pub(crate) fn holds(self, region: &Region, at: (f64, f64), tolerance: f64) -> bool {
        match self.relation {
            Relation::Within => region.place(at) == Placing::Inside,
            Relation::Intersects => region.place(at) != Placing::Outside,
            Relation::FallsIn => region.place_within(at, tolerance) != Placing::Outside,
        }
    }
}

/// The middle of the boxes of regions.
pub(crate) fn middle<'a>(regions: impl Iterator<Item = &'a Region> + Clone) -> (f64, f64) {
    let count = regions.clone().count() as f64;
    let mean = |low: usize, high: usize| {
        regions.clone().map(|r| (r.bounds()[low] + r.bounds()[high]) / 2.0).sum::<f64>() / count
    };
    (mean(0, 2), mean(1, 3))
}
