//! Measuring features one by one.

use super::{MeasureOptions, Measured};
use crate::advice::Advice;
use crate::error::{Error, Result};
use crate::layer::column_names::position;
use crate::layer::{Batch, GeometryColumn, GeometryKind, LayerInfo};
use velvet_peg_core::{Converter, Crs, Geodesic, Geographic, LengthUnit, planar};

/// Measures the features of a layer.
pub(super) struct Meter {
    geodesic: Geodesic,
    to_degrees: Converter,
    grid: Option<(Crs, Option<Converter>)>,
    /// Projection of the grid, and the way from the layer to degrees on its datum.
    projection: Option<(Crs, Converter)>,
    height: Option<f64>,
    combined_factor: Option<f64>,
    label: Option<usize>,
    by: Option<usize>,
}

impl Meter {
    pub(super) fn new(info: &LayerInfo, crs: &Crs, options: &MeasureOptions) -> Result<Meter> {
        let home = crs.in_degrees().ok_or_else(|| {
            Error::usage(format!("{} has no places on an ellipsoid to measure", crs.label()))
        })?;
        let ellipsoid = home
            .ellipsoid()
            .ok_or_else(|| Error::usage(format!("{} has no ellipsoid", crs.label())))?;
        let grid = match &options.grid {
            Some(grid) if !grid.is_projected() => {
                return Err(Error::usage(format!(
                    "{} has no plane figures: its coordinates are {}, which have no length, and an \
                     area of them means nothing. Take the figures on the ellipsoid",
                    grid.label(),
                    grid.unit_plural()
                ))
                .advise(Advice::NameGrid));
            }
            Some(grid) => Some((grid.clone(), Some(Converter::new(crs, grid)?))),
            None if crs.is_projected() => Some((crs.clone(), None)),
            None => None,
        };
        let projection = match &grid {
            Some((grid, _)) => {
                let degrees = grid.in_degrees().unwrap_or_else(|| home.clone());
                Some((grid.clone(), Converter::new(crs, &degrees)?))
            }
            None => None,
        };
        if let Some(factor) = options.combined_factor {
            if !(factor > 0.9 && factor < 1.1) {
                return Err(Error::usage(format!(
                    "a combined factor of {factor} is none: it is near 1, such as 0.99994"
                )));
            }
            if grid.is_none() {
                let none = "a combined factor takes grid figures to the ground, and there is no \
                            grid: give the height of the ground instead";
                return Err(Error::usage(none).advise(Advice::NameGrid));
            }
            if options.ground_height_m.is_some() {
                return Err(Error::usage(
                    "give the height of the ground or a combined factor, not both",
                ));
            }
        }
        let names: Vec<String> = info.schema.fields().iter().map(|f| f.name().clone()).collect();
        let place = |name: &Option<String>| {
            name.as_ref().map(|name| position(&names, name, None)).transpose()
        };
        Ok(Meter {
            geodesic: Geodesic::new(ellipsoid),
            to_degrees: Converter::new(crs, &home)?,
            grid,
            projection,
            height: options.ground_height_m,
            combined_factor: options.combined_factor,
            label: place(&options.label)?,
            by: place(&options.by)?,
        })
    }

    /// Name of the ellipsoid.
    pub(super) fn ellipsoid_name(&self) -> &'static str {
        self.geodesic.ellipsoid().name()
    }

    /// System of the plane figures.
    pub(super) fn grid_system(&self) -> Option<&Crs> {
        self.grid.as_ref().map(|(grid, _)| grid)
    }

    pub(super) fn batch(&self, batch: &Batch, measured: &mut Vec<Measured>) -> Result<()> {
        let geometry = &batch.geometry;
        let carried = |converter: &Converter| -> Result<GeometryColumn> {
            let mut column = geometry.clone();
            match converter.convert_columns(&mut column.x, &mut column.y, None) {
                0 => Ok(column),
                failed => Err(Error::data(format!(
                    "{failed} vertices are out of range for {}: is the declared system right?",
                    converter.source().label()
                ))),
            }
        };
        let degrees = carried(&self.to_degrees)?;
        let grid = match &self.grid {
            None => None,
            Some((crs, None)) => Some((geometry.clone(), crs)),
            Some((crs, Some(converter))) => Some((carried(converter)?, crs)),
        };
        let on_base = match &self.projection {
            None => None,
            Some((crs, converter)) => Some((carried(converter)?, crs)),
        };
        let columns = batch.columns();
        for feature in 0..geometry.len() {
            let kind = geometry.kinds()[feature];
            let (length, area) = figures(&degrees, feature, &|x, y, closed| {
                let ring: Vec<Geographic> =
                    x.iter().zip(y).map(|(lon, lat)| Geographic { lat: *lat, lon: *lon }).collect();
                match closed {
                    true => {
                        let found = self.geodesic.polygon(&ring);
                        (found.perimeter_m, found.area_m2)
                    }
                    false => (self.geodesic.line_length_m(&ring), 0.0),
                }
            });
            let on_grid = grid.as_ref().map(|(column, crs)| {
                let metres = crs.length_unit().unwrap_or(LengthUnit::METRE).metres();
                let (length, area) = figures(column, feature, &|x, y, closed| {
                    let closing = match (closed, x.len()) {
                        (true, n) if n > 1 => (x[n - 1] - x[0]).hypot(y[n - 1] - y[0]),
                        _ => 0.0,
                    };
                    let area = if closed { planar::ring_area(x, y) } else { 0.0 };
                    (planar::length(x, y) + closing, area)
                });
                (length * metres, area * metres * metres)
            });
            let scale_factor =
                on_base.as_ref().and_then(|(column, crs)| mean_scale(column, feature, crs));
            let by_factor = self
                .combined_factor
                .zip(on_grid)
                .map(|(factor, (length, area))| (length / factor, area / (factor * factor)));
            let ground = by_factor.or_else(|| {
                self.height.map(|h| {
                    let vertices = degrees.vertices(feature);
                    let lat = vertices.clone().map(|at| degrees.y[at]).sum::<f64>()
                        / vertices.len().max(1) as f64;
                    let ellipsoid = self.geodesic.ellipsoid();
                    // Mean radius of curvature √(ρν) at the middle of the feature.
                    let radius = (ellipsoid.meridian_radius_m(lat)
                        * ellipsoid.prime_vertical_radius_m(lat))
                    .sqrt();
                    let factor = 1.0 + h / radius;
                    (length * factor, area * factor * factor)
                })
            });
            let value = |at: usize| columns.get(at).map(|column| column.value(feature));
            let label = match self.label {
                Some(at) => value(at),
                None => (0..columns.len()).filter_map(value).find(|value| !value.is_null()),
            };
            let group = self.by.and_then(value);
            measured.push(Measured {
                number: batch.first + feature as u64,
                label: label.map_or(String::new(), |label| label.to_string()),
                group: group.map_or(String::new(), |group| group.to_string()),
                kind,
                vertices: geometry.vertices(feature).len(),
                length_m: length,
                area_m2: area,
                grid_length_m: on_grid.map(|(length, _)| length),
                grid_area_m2: on_grid.map(|(_, area)| area),
                ground_length_m: ground.map(|(length, _)| length),
                ground_area_m2: ground.map(|(_, area)| area),
                scale_factor,
            });
        }
        Ok(())
    }
}

/// Length and area of a ring or line by its x, its y, and whether it closes.
type RingFigures<'a> = &'a dyn Fn(&[f64], &[f64], bool) -> (f64, f64);

/// Length and area of a feature from those of its rings; holes are taken off the area.
fn figures(column: &GeometryColumn, feature: usize, ring_figures: RingFigures<'_>) -> (f64, f64) {
    let Some(kind) = column.kinds()[feature] else {
        return (0.0, 0.0);
    };
    if kind.single() == GeometryKind::Point {
        return (0.0, 0.0);
    }
    let closed = kind.single() == GeometryKind::Polygon;
    let (mut length, mut area) = (0.0, 0.0);
    for part in column.parts(feature) {
        for (number, ring) in column.rings(part).enumerate() {
            let range = column.ring(ring);
            let (l, a) = ring_figures(&column.x[range.clone()], &column.y[range], closed);
            length += l;
            area += if number == 0 { a.abs() } else { -a.abs() };
        }
    }
    (length, area)
}

/// Mean scale factor of a grid along a feature whose vertices are in degrees on its datum.
fn mean_scale(column: &GeometryColumn, feature: usize, grid: &Crs) -> Option<f64> {
    let projection = grid.projection().ok()?;
    let at = |lon: f64, lat: f64| {
        let factors = projection.factors(Geographic { lat, lon }).ok()?;
        Some((factors.meridian_scale * factors.parallel_scale).sqrt())
    };
    let (mut sum, mut weights) = (0.0, 0.0);
    for part in column.parts(feature) {
        for ring in column.rings(part) {
            let range = column.ring(ring);
            for v in range.start + 1..range.end {
                let (a, b) = ((column.x[v - 1], column.y[v - 1]), (column.x[v], column.y[v]));
                let stretch = b.1.to_radians().cos();
                let weight = ((b.0 - a.0) * stretch).hypot(b.1 - a.1);
                let middle = at((a.0 + b.0) / 2.0, (a.1 + b.1) / 2.0)?;
                sum += weight * (at(a.0, a.1)? + 4.0 * middle + at(b.0, b.1)?) / 6.0;
                weights += weight;
            }
        }
    }
    (weights > 0.0).then(|| sum / weights)
}
