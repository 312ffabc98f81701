//! Lengths and areas of geometries: planar in a system's own unit, or geodesic where coordinates
//! are degrees, which have no length.

use crate::layer::GeometryColumn;
use std::ops::Range;
use velvet_peg_core::{Crs, Geodesic, Geographic, planar};

/// Measures in the plane, or on the ellipsoid where coordinates are degrees.
pub(crate) struct Ruler {
    geodesic: Option<Geodesic>,
}

impl Ruler {
    pub(crate) fn of(crs: Option<&Crs>) -> Ruler {
        let degrees = |crs: &&Crs| crs.is_geographic() && crs.unit_name() == "degree";
        let datum = crs.filter(degrees).and_then(Crs::datum);
        Ruler { geodesic: datum.map(|datum| Geodesic::new(datum.ellipsoid())) }
    }

    pub(crate) fn length(&self, column: &GeometryColumn, feature: usize, close: bool) -> f64 {
        let mut sum = 0.0;
        for part in column.parts(feature) {
            for ring in column.rings(part) {
                let range = column.ring(ring);
                let first = range.start;
                let mut order: Vec<usize> = range.collect();
                if close {
                    order.push(first);
                }
                sum += order.windows(2).map(|pair| self.leg(column, pair[0], pair[1])).sum::<f64>();
            }
        }
        sum
    }

    fn leg(&self, column: &GeometryColumn, from: usize, to: usize) -> f64 {
        let at = |n: usize| (column.x[n], column.y[n]);
        self.distance(at(from), at(to))
    }

    /// Between two positions.
    pub(crate) fn distance(&self, from: (f64, f64), to: (f64, f64)) -> f64 {
        let at = |(lon, lat): (f64, f64)| Geographic { lat, lon };
        match &self.geodesic {
            Some(geodesic) => geodesic.inverse(at(from), at(to)).distance_m,
            None => (to.0 - from.0).hypot(to.1 - from.1),
        }
    }

    pub(crate) fn area(&self, column: &GeometryColumn, feature: usize) -> f64 {
        let ring_area = |range: Range<usize>| match &self.geodesic {
            Some(geodesic) => {
                let ring: Vec<Geographic> =
                    range.map(|n| Geographic { lat: column.y[n], lon: column.x[n] }).collect();
                geodesic.polygon(&ring).area_m2.abs()
            }
            None => planar::ring_area(&column.x[range.clone()], &column.y[range]).abs(),
        };
        column
            .parts(feature)
            .map(|part| {
                column
                    .rings(part)
                    .enumerate()
                    // Holes take away.
                    .map(|(n, ring)| {
                        let area = ring_area(column.ring(ring));
                        if n == 0 { area } else { -area }
                    })
                    .sum::<f64>()
            })
            .sum()
    }
}
