//! Lengths and areas of geometries: planar in a system's own unit, or geodesic where coordinates
//! are degrees, which have no length.

use crate::error::{Error, Result};
use crate::layer::{GeometryColumn, GeometryKind};
use std::ops::Range;
use velvet_peg_core::{Converter, Coordinate, Crs, Geodesic, Geographic, planar};

/// Measures in the plane, or on the ellipsoid where coordinates are degrees.
pub(crate) struct Ruler {
    geodesic: Option<Geodesic>,
}

impl Ruler {
    pub(crate) fn of(crs: Option<&Crs>) -> Ruler {
        let degrees = |crs: &&Crs| crs.degrees_per_unit() == Some(1.0);
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

/// Lengths and areas on the ellipsoid, in metres and square metres, of geometries in any system that
/// has places on one.
#[derive(Debug)]
pub(crate) struct Ground {
    geodesic: Geodesic,
    to_degrees: Converter,
}

impl Ground {
    /// # Errors
    /// If the system has no places on an ellipsoid.
    pub(crate) fn of(crs: &Crs) -> Result<Ground> {
        let home = crs.in_degrees();
        let ellipsoid = home.as_ref().and_then(Crs::ellipsoid);
        match (&home, ellipsoid) {
            (Some(home), Some(ellipsoid)) => Ok(Ground {
                geodesic: Geodesic::new(ellipsoid),
                to_degrees: Converter::new(crs, home)?,
            }),
            _ => Err(Error::usage(format!(
                "{} has no places on an ellipsoid to measure",
                crs.label()
            ))),
        }
    }

    /// The same geometries in degrees; what is out of range has no number.
    pub(crate) fn degrees(&self, column: &GeometryColumn) -> GeometryColumn {
        let mut degrees = column.clone();
        let z = (!degrees.z.is_empty()).then_some(degrees.z.as_mut_slice());
        self.to_degrees.convert_columns(&mut degrees.x, &mut degrees.y, z);
        degrees
    }

    /// A place in degrees.
    pub(crate) fn place(&self, at: (f64, f64)) -> Option<Geographic> {
        let at = self.to_degrees.convert(Coordinate::xy(at.0, at.1)).ok()?;
        Some(Geographic { lat: at.y, lon: at.x })
    }

    pub(crate) fn geodesic(&self) -> &Geodesic {
        &self.geodesic
    }

    /// Length of the lines, or perimeter and area of the rings, of a feature in degrees; no number
    /// if a vertex is out of range.
    pub(crate) fn figures(&self, degrees: &GeometryColumn, feature: usize) -> (f64, f64) {
        let closed =
            degrees.kinds()[feature].map(GeometryKind::single) == Some(GeometryKind::Polygon);
        let (mut length, mut area) = (0.0, 0.0);
        for part in degrees.parts(feature) {
            for (number, ring) in degrees.rings(part).enumerate() {
                let places: Vec<Geographic> = degrees
                    .ring(ring)
                    .map(|at| Geographic { lat: degrees.y[at], lon: degrees.x[at] })
                    .collect();
                if places.iter().any(|at| !(at.lat.is_finite() && at.lon.is_finite())) {
                    return (f64::NAN, f64::NAN);
                }
                if !closed {
                    length += self.geodesic.line_length_m(&places);
                    continue;
                }
                let found = self.geodesic.polygon(&places);
                length += found.perimeter_m;
                // Holes take away.
                area += if number == 0 { found.area_m2.abs() } else { -found.area_m2.abs() };
            }
        }
        (length, area)
    }
}
