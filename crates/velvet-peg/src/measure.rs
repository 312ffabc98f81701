//! Lengths, perimeters and areas of a layer: on the ellipsoid, on the grid and on the ground,
//! side by side.

use crate::checks::home_system;
use crate::error::{Error, Result};
use crate::format::LayerReader;
use crate::layer::{Batch, GeometryColumn, GeometryKind, Value, no_system};
use crate::notice::Notice;
use crate::watch::Watch;
use velvet_peg_core::{Converter, Crs, Geodesic, Geographic, LengthUnit, planar};

/// How to measure.
#[derive(Clone, Debug, Default)]
pub struct MeasureOptions {
    /// Grid for the plane figures; the layer's own system if it is projected.
    pub grid: Option<Crs>,
    /// Ellipsoidal height of the ground in metres, for figures on the ground.
    pub ground_height_m: Option<f64>,
}

/// Figures of one feature. Lengths of polygons are perimeters, holes included.
#[derive(Clone, Debug)]
pub struct Measured {
    /// Number in the layer, from 1.
    pub number: u64,
    /// The feature's first attribute, to know it by.
    pub label: String,
    /// Kind; none for a feature without geometry.
    pub kind: Option<GeometryKind>,
    /// Vertices.
    pub vertices: usize,
    /// Along geodesics, metres.
    pub length_m: f64,
    /// Bounded by geodesics, square metres; 0 for points and lines.
    pub area_m2: f64,
    /// On the grid, metres.
    pub grid_length_m: Option<f64>,
    /// On the grid, square metres.
    pub grid_area_m2: Option<f64>,
    /// On the ground at the given height, metres.
    pub ground_length_m: Option<f64>,
    /// On the ground at the given height, square metres.
    pub ground_area_m2: Option<f64>,
}

/// Figures of a layer.
#[derive(Clone, Debug)]
pub struct Measures {
    /// System of the data.
    pub crs: Crs,
    /// Ellipsoid of the geodesic figures.
    pub ellipsoid: &'static str,
    /// System of the plane figures.
    pub grid: Option<Crs>,
    /// Height of the figures on the ground.
    pub ground_height_m: Option<f64>,
    /// One entry a feature.
    pub features: Vec<Measured>,
    /// What was noticed.
    pub notices: Vec<Notice>,
}

impl Measures {
    /// Sum of a figure over all features; none if no feature has it.
    pub fn total(&self, figure: impl Fn(&Measured) -> Option<f64>) -> Option<f64> {
        let mut values = self.features.iter().filter_map(figure).peekable();
        values.peek()?;
        Some(values.sum())
    }

    /// Unit of the grid's coordinates.
    pub fn grid_unit(&self) -> Option<LengthUnit> {
        self.grid.as_ref()?.length_unit()
    }
}

/// Measures every feature of a layer.
///
/// ```
/// # let folder = tempfile::tempdir()?;
/// # velvet_peg::demo::lay_out(folder.path(), false)?;
/// # let file = |name: &str| folder.path().join(name);
/// use velvet_peg::{measure, LayerReader, MeasureOptions, Unwatched};
/// let reader = LayerReader::open(&file("fields.geojson"), None)?;
/// let measures = measure(&reader, &MeasureOptions::default(), &mut Unwatched)?;
/// assert_eq!(measures.ellipsoid, "WGS 84");
/// assert!((measures.features[0].area_m2 - 122_958.0).abs() < 1.0);
/// # Ok::<(), velvet_peg::Error>(())
/// ```
///
/// # Errors
/// If the layer has no reference system, or a vertex is out of range for it.
pub fn measure(
    reader: &LayerReader,
    options: &MeasureOptions,
    watch: &mut dyn Watch,
) -> Result<Measures> {
    let info = reader.info();
    let crs = info.crs.as_ref().ok_or_else(|| no_system(&info.name).in_file(reader.path()))?;
    let meter = Meter::new(crs, options)?;
    let mut measures = Measures {
        crs: crs.clone(),
        ellipsoid: meter.geodesic.ellipsoid().name(),
        grid: meter.grid.as_ref().map(|(grid, _)| grid.clone()),
        ground_height_m: options.ground_height_m,
        features: Vec::new(),
        notices: reader.notices.clone(),
    };
    reader.for_each_batch(&mut |batch| {
        watch.at(batch.first, info.count);
        meter.batch(&batch, &mut measures.features).map_err(|e| e.in_file(reader.path()))
    })?;
    measures.notices.extend(distortion(&measures));
    Ok(measures)
}

struct Meter {
    geodesic: Geodesic,
    to_degrees: Converter,
    grid: Option<(Crs, Option<Converter>)>,
    height: Option<f64>,
}

impl Meter {
    fn new(crs: &Crs, options: &MeasureOptions) -> Result<Meter> {
        let home = home_system(crs).ok_or_else(|| {
            Error::usage(format!("{} has no places on an ellipsoid to measure", crs.label()))
        })?;
        let ellipsoid = home
            .ellipsoid()
            .ok_or_else(|| Error::usage(format!("{} has no ellipsoid", crs.label())))?;
        let grid = match &options.grid {
            Some(grid) if !grid.is_projected() => {
                return Err(Error::usage(format!(
                    "{} is not a grid: --grid wants a projected system",
                    grid.label()
                )));
            }
            Some(grid) => Some((grid.clone(), Some(Converter::new(crs, grid)?))),
            None if crs.is_projected() => Some((crs.clone(), None)),
            None => None,
        };
        Ok(Meter {
            geodesic: Geodesic::new(ellipsoid),
            to_degrees: Converter::new(crs, &home)?,
            grid,
            height: options.ground_height_m,
        })
    }

    fn batch(&self, batch: &Batch, measured: &mut Vec<Measured>) -> Result<()> {
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
            let ground = self.height.map(|h| {
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
            });
            let label = batch.values(feature).into_iter().find(|value| *value != Value::Null);
            measured.push(Measured {
                number: batch.first + feature as u64,
                label: label.map_or(String::new(), |value| value.to_text()),
                kind,
                vertices: geometry.vertices(feature).len(),
                length_m: length,
                area_m2: area,
                grid_length_m: on_grid.map(|(length, _)| length),
                grid_area_m2: on_grid.map(|(_, area)| area),
                ground_length_m: ground.map(|(length, _)| length),
                ground_area_m2: ground.map(|(_, area)| area),
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

/// A warning where plane areas or lengths are off the ellipsoid's by more than surveyors
/// overlook: one part in ten thousand for lengths, twice that for areas.
fn distortion(measures: &Measures) -> Option<Notice> {
    let grid = measures.grid.as_ref()?;
    let worst = |pairs: &dyn Fn(&Measured) -> Option<(f64, f64)>| {
        measures
            .features
            .iter()
            .filter_map(pairs)
            .filter(|(plane, truth)| *truth > 0.0 && plane.is_finite())
            .map(|(plane, truth)| plane / truth - 1.0)
            .fold(0.0, |worst: f64, off| if off.abs() > worst.abs() { off } else { worst })
    };
    let length = worst(&|m| Some((m.grid_length_m?, m.length_m)));
    let area = worst(&|m| Some((m.grid_area_m2?, m.area_m2)));
    if length.abs() < 1e-4 && area.abs() < 2e-4 {
        return None;
    }
    let (what, off) = if area.abs() > 0.0 { ("area", area) } else { ("length", length) };
    Some(Notice::warning(format!(
        "the grid of {} distorts: the worst {what} on it is {:.3} % {} than on the ellipsoid. Quote \
         the ellipsoid's figures, or the ground's (--height), where true size matters",
        grid.label(),
        off.abs() * 100.0,
        if off > 0.0 { "larger" } else { "smaller" }
    )))
}
