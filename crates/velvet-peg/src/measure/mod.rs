//! Lengths, perimeters and areas of a layer: on the ellipsoid, on the grid and on the ground,
//! side by side.

mod columns;
mod figure;
mod figures;
mod gathering;
mod legs;
mod measure_warnings;
mod meter;
mod statistics;
mod summary;

pub use columns::MeasureColumns;
pub use figure::Figure;
pub use figures::{FigureColumn, FigureColumns, FigureUnits, Surface};
pub use legs::{FeatureLeg, feature_legs};
pub use statistics::{Statistic, Statistics};
pub use summary::{GroupSummary, ListOrder, Listing, MeasureSummary, measure_summary};

use crate::advice::Advice;
use crate::error::Result;
use crate::layer::{Batch, GeometryKind, Layer, no_system};
use crate::layer_io::LayerReader;
use crate::memory::{Work, afford};
use crate::notice::{Notice, NoticeKind};
use crate::plausibility::Evidence;
use crate::progress::{NoProgress, Progress};
use measure_warnings::MeasureWarnings;
use meter::Meter;
use std::collections::HashSet;
use std::path::Path;
use velvet_peg_core::{Crs, LengthUnit};

/// How to measure.
#[derive(Clone, Debug, Default)]
pub struct MeasureOptions {
    /// Grid for the plane figures; the layer's own system if it is projected.
    pub grid: Option<Crs>,
    /// Ellipsoidal height of the ground in metres, for figures on the ground.
    pub ground_height_m: Option<f64>,
    /// Combined factor of the grid, for figures on the ground: grid length = ground length ×
    /// factor.
    pub combined_factor: Option<f64>,
    /// Column whose values the features are known by; their first attribute if none.
    pub label: Option<String>,
    /// Column whose values group the statistics.
    pub by: Option<String>,
}

/// Figures of one feature. Lengths of polygons are perimeters, holes included.
#[derive(Clone, Debug)]
pub struct Measured {
    /// Number in the layer, from 1.
    pub number: u64,
    /// What it is known by.
    pub label: String,
    /// The group it is in; blank if none was asked for.
    pub group: String,
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
    /// Mean scale factor of the grid along the feature: the root of the product of the factors
    /// along the meridian and along the parallel, averaged over its legs (Simpson's rule
    /// on both ends and the middle of each). It is what grid lengths differ by from those on the
    /// ellipsoid, and its square what areas differ by.
    pub scale_factor: Option<f64>,
}

impl Measured {
    /// Lengths on the grid against the ellipsoid, parts in a million.
    pub fn length_ppm(&self) -> Option<f64> {
        ppm(self.grid_length_m?, self.length_m)
    }

    /// Areas on the grid against the ellipsoid, parts in a million; none of what hardly encloses
    /// anything (a boundary that crosses itself, a sliver), whose area is what edges make of it.
    pub fn area_ppm(&self) -> Option<f64> {
        let encloses = self.area_m2 > 1e-6 * self.length_m * self.length_m;
        ppm(self.grid_area_m2?, self.area_m2).filter(|_| encloses)
    }

    /// What the grid makes of it, parts in a million: of its area, or of its length if it has none; 0 without
    /// a grid.
    pub fn difference_ppm(&self) -> f64 {
        let area = self.area_ppm().filter(|_| self.area_m2 > 0.0);
        area.or(self.length_ppm()).unwrap_or(0.0)
    }
}

fn ppm(plane: f64, truth: f64) -> Option<f64> {
    (truth > 0.0).then(|| (plane / truth - 1.0) * 1e6)
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
    /// Combined factor of the figures on the ground.
    pub combined_factor: Option<f64>,
    /// One entry a feature.
    pub features: Vec<Measured>,
    /// What was noticed.
    pub notices: Vec<Notice>,
}

impl Measures {
    /// Sum of a figure over all features; none if no feature has it.
    pub fn total(&self, figure: impl Fn(&Measured) -> Option<f64>) -> Option<f64> {
        let statistics = Statistics::of(self.features.iter().filter_map(figure));
        (statistics.count > 0).then_some(statistics.sum)
    }

    /// The names of the groups, in the order in which they came.
    pub fn groups(&self) -> Vec<&str> {
        let mut seen = HashSet::new();
        let groups = self.features.iter().map(|measured| measured.group.as_str());
        groups.filter(|group| seen.insert(*group)).collect()
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
/// use velvet_peg::{measure, LayerReader};
/// use velvet_peg::measure::MeasureOptions;
/// let reader = LayerReader::open(&file("fields.geojson"), None)?;
/// let measures = measure(&reader, &MeasureOptions::default())?;
/// assert_eq!(measures.ellipsoid, "WGS 84");
/// assert!((measures.features[0].area_m2 - 122_958.0).abs() < 1.0);
/// # Ok::<(), velvet_peg::Error>(())
/// ```
///
/// # Errors
/// If the layer has no reference system, or a vertex is out of range for it.
pub fn measure(reader: &LayerReader, options: &MeasureOptions) -> Result<Measures> {
    measure_watched(reader, options, &mut NoProgress)
}

impl Layer {
    /// The lengths, perimeters and areas of its features: on the ellipsoid, and on the grid if its
    /// system is projected.
    ///
    /// ```
    /// use velvet_peg::{Crs, Geometry, Layer};
    /// use velvet_peg::measure::MeasureOptions;
    /// let mut fields = Layer::new("fields", Some(Crs::from_epsg(32610)?));
    /// let square = [(6e5, 5.25e6), (6.01e5, 5.25e6), (6.01e5, 5.251e6), (6e5, 5.251e6)];
    /// fields.push(Geometry::polygon(square), [("no", 1.into())])?;
    /// let measures = fields.measure(&MeasureOptions::default())?;
    /// assert_eq!(measures.features[0].grid_area_m2, Some(1e6));
    /// assert!((measures.features[0].area_m2 - 1_000_547.0).abs() < 10.0);
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// As [`measure()`].
    pub fn measure(&self, options: &MeasureOptions) -> Result<Measures> {
        let reader = LayerReader::of_layer(self, Path::new(&self.info().name));
        measure(&reader, options).map_err(|error| error.without_file())
    }
}

/// As [`measure()`], telling `watch` how far it has come.
///
/// # Errors
/// As [`measure()`].
pub fn measure_watched(
    reader: &LayerReader,
    options: &MeasureOptions,
    watch: &mut dyn Progress,
) -> Result<Measures> {
    let mut features = Vec::new();
    let measures = measure_each(reader, options, watch, &mut |measured| {
        features.extend(measured);
        Ok(())
    })?;
    Ok(Measures { features, ..measures })
}

/// Measures every feature of a layer and hands the figures to `each`, in order; none are left in what comes
/// back.
fn measure_each(
    reader: &LayerReader,
    options: &MeasureOptions,
    watch: &mut dyn Progress,
    each: &mut dyn FnMut(Vec<Measured>) -> Result<()>,
) -> Result<Measures> {
    let info = reader.info();
    let crs = info.crs.clone().ok_or_else(|| no_system(info).in_file(reader.path()))?;
    let meter = Meter::new(info, &crs, options).map_err(|error| error.in_file(reader.path()))?;
    let mut measures = Measures {
        ellipsoid: meter.ellipsoid_name(),
        crs,
        grid: meter.grid_system().cloned(),
        ground_height_m: options.ground_height_m,
        combined_factor: options.combined_factor,
        features: Vec::new(),
        notices: reader.notices.clone(),
    };
    let mut doubts = MeasureWarnings::default();
    let mut evidence = Evidence::new(info, info.crs.as_ref());
    // Points have no figures on any surface.
    let mut figures = false;
    let path = reader.path();
    reader.for_each_made(
        watch,
        |batch| {
            afford(Work::Flaws, &batch.geometry, batch.first, path)?;
            let mut measured = Vec::with_capacity(batch.len());
            meter.batch(&batch, &mut measured).map_err(|e| e.in_file(path))?;
            let mut doubts = MeasureWarnings::default();
            doubts.add(info.crs.as_ref(), &batch.geometry, &measured);
            Ok((batch, measured, doubts))
        },
        &mut |(batch, measured, of_batch): (Batch, Vec<Measured>, MeasureWarnings)| {
            measures.notices.extend(batch.lost(reader.path()));
            evidence.add(&batch);
            doubts.join(of_batch);
            figures |= measured.iter().any(|of| of.length_m > 0.0 || of.area_m2 > 0.0);
            each(measured)
        },
    )?;
    evidence.settle();
    measures.notices.extend(evidence.notice());
    if measures.grid.is_none() && figures {
        let degrees = measures.crs.unit_plural();
        let none = Notice::note(
            NoticeKind::Scale,
            format!(
                "there are no plane figures, because {degrees} have no length: take the ellipsoid's"
            ),
        );
        measures.notices.push(none.advise(Advice::NameGrid));
    }
    measures.notices.extend(doubts.notices(measures.grid.as_ref()));
    Ok(measures)
}
