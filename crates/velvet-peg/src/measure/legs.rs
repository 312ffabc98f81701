//! The courses along a feature, vertex by vertex.

use crate::error::{Error, Result};
use crate::layer::{GeometryColumn, GeometryKind, no_system};
use crate::layer_io::LayerReader;
use velvet_peg_core::geodesic::full_circle;
use velvet_peg_core::{Converter, Coordinate, Crs, Geodesic, Geographic};

/// The course from one vertex of a feature to the next.
#[derive(Clone, Debug)]
pub struct FeatureLeg {
    /// Part, ring (0 for the outer one) and vertex it begins at; parts and vertices from 1.
    pub place: (usize, usize, usize),
    /// Where it begins, in the layer's coordinates.
    pub from: (f64, f64),
    /// Where it ends.
    pub to: (f64, f64),
    /// Along the geodesic, metres.
    pub distance_m: f64,
    /// Azimuth of the geodesic at its beginning, degrees from true north.
    pub azimuth_deg: f64,
    /// On the grid, metres; none without a grid.
    pub grid_distance_m: Option<f64>,
    /// Direction on the grid, degrees from grid north.
    pub grid_bearing_deg: Option<f64>,
}

/// The courses of one feature, by its number in the layer from 1. The grid is the layer's own
/// system if it is projected and none is given.
///
/// ```
/// # let folder = tempfile::tempdir()?;
/// # velvet_peg::demo::lay_out(folder.path(), false)?;
/// # let file = |name: &str| folder.path().join(name);
/// use velvet_peg::LayerReader;
/// use velvet_peg::measure::feature_legs;
/// let fields = LayerReader::open(&file("fields.geojson"), None)?;
/// let legs = feature_legs(&fields, 1, None)?;
/// assert_eq!(legs.len(), 6);
/// assert!(legs[0].distance_m > 100.0 && legs[0].grid_distance_m.is_none());
/// # Ok::<(), velvet_peg::Error>(())
/// ```
///
/// # Errors
/// If there is no such feature, it is a point, or the layer has no reference system.
pub fn feature_legs(
    reader: &LayerReader,
    number: u64,
    grid: Option<&Crs>,
) -> Result<Vec<FeatureLeg>> {
    let info = reader.info();
    let crs = info.crs.as_ref().ok_or_else(|| no_system(info).in_file(reader.path()))?;
    let home = crs
        .in_degrees()
        .ok_or_else(|| Error::usage(format!("{} has no places on an ellipsoid", crs.label())))?;
    let ellipsoid = home
        .ellipsoid()
        .ok_or_else(|| Error::usage(format!("{} has no ellipsoid", crs.label())))?;
    let geodesic = Geodesic::new(ellipsoid);
    let to_degrees = Converter::new(crs, &home)?;
    let own = crs.is_projected().then_some(crs);
    let to_grid = match grid.or(own) {
        // On its own grid a layer's coordinates are taken as they are.
        Some(grid) if grid == crs => Some((None, grid.length_unit())),
        Some(grid) if grid.is_projected() => {
            Some((Some(Converter::new(crs, grid)?), grid.length_unit()))
        }
        Some(grid) => {
            return Err(Error::usage(format!("{} is not a grid", grid.label())));
        }
        None => None,
    };
    let mut found: Option<GeometryColumn> = None;
    reader.for_each_batch(&mut |batch| {
        let last = batch.first + batch.geometry.len() as u64;
        if number >= batch.first && number < last {
            let mut column = GeometryColumn::new();
            column.push_from(&batch.geometry, (number - batch.first) as usize);
            found = Some(column);
        }
        Ok(())
    })?;
    let column = found.ok_or_else(|| {
        let count = info.count.map_or(String::new(), |count| format!(" of {count}"));
        Error::usage(format!("there is no feature {number}{count}")).in_file(reader.path())
    })?;
    let closed = match column.kinds()[0].map(GeometryKind::single) {
        Some(GeometryKind::Polygon) => true,
        Some(GeometryKind::LineString) => false,
        _ => {
            return Err(Error::usage(format!(
                "feature {number} has no courses: it is no line or polygon"
            ))
            .in_file(reader.path()));
        }
    };
    let mut legs = Vec::new();
    for (part_number, part) in column.parts(0).enumerate() {
        for (ring_number, ring) in column.rings(part).enumerate() {
            let range = column.ring(ring);
            let mut order: Vec<usize> = range.clone().collect();
            let at = |v: usize| (column.x[v], column.y[v]);
            if closed && at(range.start) != at(range.end - 1) {
                order.push(range.start);
            }
            for (vertex, ends) in order.windows(2).enumerate() {
                let (from, to) = (at(ends[0]), at(ends[1]));
                let degrees = |(x, y): (f64, f64)| -> Result<Geographic> {
                    let at = to_degrees.convert(Coordinate::xy(x, y))?;
                    Ok(Geographic { lat: at.y, lon: at.x })
                };
                let course = geodesic.inverse(degrees(from)?, degrees(to)?);
                let mut leg = FeatureLeg {
                    place: (part_number + 1, ring_number, vertex + 1),
                    from,
                    to,
                    distance_m: course.distance_m,
                    azimuth_deg: full_circle(course.azimuth_from_deg),
                    grid_distance_m: None,
                    grid_bearing_deg: None,
                };
                if let Some((converter, unit)) = &to_grid {
                    let on_grid = |(x, y): (f64, f64)| match converter {
                        Some(converter) => converter.convert(Coordinate::xy(x, y)),
                        None => Ok(Coordinate::xy(x, y)),
                    };
                    let (a, b) = (on_grid(from)?, on_grid(to)?);
                    let (dx, dy) = (b.x - a.x, b.y - a.y);
                    let metres = unit.map_or(1.0, |unit| unit.metres());
                    leg.grid_distance_m = Some(dx.hypot(dy) * metres);
                    leg.grid_bearing_deg = Some(dx.atan2(dy).to_degrees().rem_euclid(360.0));
                }
                legs.push(leg);
            }
        }
    }
    Ok(legs)
}
