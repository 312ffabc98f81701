//! Points take attributes of the polygon that they fall in, or of the nearest.
//!
//! **Rule.** A point in a polygon, or on its boundary (that of a hole included), belongs to it;
//! within the tolerance of a boundary (1 mm if nothing else is asked for) it counts as on it. A
//! point of several polygons takes the attributes of the one that comes first in its layer, and
//! is reported. Points are carried into the polygons' reference system for the test; their own
//! coordinates stay.

mod areas;
#[cfg(feature = "rasters")]
mod from_raster;
mod report;
mod shores;

#[cfg(feature = "rasters")]
pub use from_raster::{SampleReport, TagFromRaster};
pub use report::TagReport;

use crate::convert::ConvertLayer;
use crate::error::{Error, Result};
use crate::format::Format;
use crate::format_support::WriteOptions;
use crate::layer::column_names::with_columns;
use crate::layer::{AttributeColumn, Batch, GeometryKind, no_system};
use crate::layer_io::{LayerReader, Noting, Transform};
use crate::notice::{Notice, NoticeKind};
use crate::outcome::Summary;
use crate::output::refuse_inputs;
use crate::progress::{NoProgress, Progress};
use crate::reproject::{area_of, route_notices};
use areas::{Areas, Fall};
use arrow_array::{ArrayRef, Float64Array, RecordBatch, RecordBatchOptions, UInt32Array};
use arrow_schema::{DataType, Field, SchemaRef};
use report::metres;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use velvet_peg_core::{Converter, PlanOptions};

/// How points are tagged.
#[derive(Clone, Debug, Default)]
pub struct TagPoints {
    /// Columns of the polygons to take over; all if there are none.
    pub columns: Vec<String>,
    /// Put in front of their names.
    pub prefix: Option<String>,
    /// Points in no polygon take those of the nearest one within so many metres.
    pub within_m: Option<f64>,
    /// How near to a boundary a point counts as on it, in metres; 0.001 if none.
    pub tolerance_m: Option<f64>,
    /// Column for the distance to the polygon in metres: 0 within it, nothing where no polygon
    /// was taken.
    pub distance: Option<String>,
    /// How the points are written.
    pub write: WriteOptions,
    /// Where rejects go; `OUT.rejects.csv` if none.
    pub rejects: Option<PathBuf>,
}

impl TagPoints {
    /// Tags, and writes the points with the columns of their polygons behind their own. The
    /// polygons are held in memory, some 1 to 2 kB each.
    ///
    /// ```
    /// # let folder = tempfile::tempdir()?;
    /// # velvet_peg::demo::lay_out(folder.path(), false)?;
    /// # let file = |name: &str| folder.path().join(name);
    /// use velvet_peg::{BuildPoints, Crs, LayerReader};
    /// use velvet_peg::tag::TagPoints;
    /// std::fs::write(file("a.csv"), "lon,lat\n-120.0445,47.4272\n-120.9,47.4\n")?;
    /// BuildPoints::in_system(Crs::from_epsg(4326)?).run(&file("a.csv"), &file("a.gpkg"))?;
    /// let points = LayerReader::open(&file("a.gpkg"), None)?;
    /// let fields = LayerReader::open(&file("fields.geojson"), None)?;
    /// let tag = TagPoints { columns: vec!["field".into()], ..TagPoints::default() };
    /// let (_, report) = tag.run(points, &fields, &file("b.gpkg"))?;
    /// assert_eq!((report.inside, report.none.count), (1, 1));
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the layers are not points and polygons, only one of them has a reference system, no
    /// operation joins the two, a column is missing, the polygons need more memory than there is, or the
    /// output exists or cannot be written.
    pub fn run(
        &self,
        points: LayerReader,
        polygons: &LayerReader,
        out: &Path,
    ) -> Result<(Summary, TagReport)> {
        self.run_watched(points, polygons, out, &mut NoProgress)
    }

    /// As [`TagPoints::run`], telling `watch` how far it has come.
    ///
    /// # Errors
    /// As [`TagPoints::run`].
    pub fn run_watched(
        &self,
        points: LayerReader,
        polygons: &LayerReader,
        out: &Path,
        watch: &mut dyn Progress,
    ) -> Result<(Summary, TagReport)> {
        let name = self.write.layer.as_deref().unwrap_or(&points.info().name);
        // A GeoPackage takes the points beside the polygons; any other file would lose these.
        let store = Format::of_output(out)?.description().store();
        if self.write.replace_file
            || store.is_none_or(|store| store.layer_name(name) == polygons.info().name)
        {
            refuse_inputs(out, [polygons.path()])?;
        }
        let (tagged, stage, mut notices) = self.prepare(points, polygons, watch)?;
        let convert = ConvertLayer {
            write: self.write.clone(),
            rejects: self.rejects.clone(),
            ..ConvertLayer::default()
        };
        let mut outcome = convert.run_watched(&tagged, out, watch)?;
        let report = stage.report();
        notices.extend(report.notices(self.within_m));
        outcome.notices.splice(..0, notices);
        Ok((outcome, report))
    }

    /// How the points fall, without writing anything; with what is worth knowing of it.
    ///
    /// # Errors
    /// As [`TagPoints::run`], as far as it reads.
    pub fn report(
        &self,
        points: LayerReader,
        polygons: &LayerReader,
    ) -> Result<(TagReport, Vec<Notice>)> {
        self.report_watched(points, polygons, &mut NoProgress)
    }

    /// As [`TagPoints::report`], telling `watch` how far it has come.
    ///
    /// # Errors
    /// As [`TagPoints::report`].
    pub fn report_watched(
        &self,
        points: LayerReader,
        polygons: &LayerReader,
        watch: &mut dyn Progress,
    ) -> Result<(TagReport, Vec<Notice>)> {
        let (tagged, stage, mut notices) = self.prepare(points, polygons, watch)?;
        tagged.for_each_watched(watch, &mut |_| Ok(()))?;
        let report = stage.report();
        notices.extend(report.notices(self.within_m));
        Ok((report, notices))
    }

    /// The points on their way through the polygons.
    fn prepare(
        &self,
        points: LayerReader,
        polygons: &LayerReader,
        watch: &mut dyn Progress,
    ) -> Result<(LayerReader, Arc<Tagging>, Vec<Notice>)> {
        let mut notices = Vec::new();
        let converter = between(&points, polygons)?;
        if let Some(converter) = &converter {
            notices.push(Notice::note(
                NoticeKind::Carried,
                format!(
                    "points were carried from {} to {} for the test",
                    converter.source().label(),
                    converter.target().label()
                ),
            ));
            notices.extend(route_notices(converter));
        }
        let tolerance_m = self.tolerance_m.unwrap_or(0.001);
        let areas = Areas::read(polygons, &self.columns, tolerance_m, watch)?;
        notices.extend(areas.notices.iter().cloned());
        let mut info = points.info().clone();
        let prefix = self.prefix.as_deref().unwrap_or_default();
        let prefixed = |field: &Field| field.clone().with_name(format!("{prefix}{}", field.name()));
        let distance = self.distance.as_ref().map(|name| Field::new(name, DataType::Float64, true));
        info.schema = with_columns(&info.schema, areas.fields.iter().map(prefixed).chain(distance));
        let report = TagReport { polygons: areas.labels.len() as u64, ..TagReport::default() };
        let stage = Arc::new(Tagging {
            schema: info.schema.clone(),
            converter,
            hit: Mutex::new(vec![false; areas.labels.len()]),
            areas,
            within_m: self.within_m,
            distance: self.distance.is_some(),
            report: Mutex::new(report),
        });
        Ok((points.through(info, stage.clone()), stage, notices))
    }
}

/// The way from the points' system to the polygons', if they differ.
fn between(points: &LayerReader, polygons: &LayerReader) -> Result<Option<Converter>> {
    match (&points.info().crs, &polygons.info().crs) {
        (Some(from), Some(to)) if from == to => Ok(None),
        (Some(from), Some(to)) => {
            let area = points.info().extent.and_then(|extent| area_of(from, &extent));
            let plan = PlanOptions { area, ..PlanOptions::default() };
            let converter = Converter::plan(from, to, &plan);
            converter.map(Some).map_err(|e| Error::from(e).in_file(points.path()))
        }
        (None, None) => Ok(None),
        (None, Some(_)) => Err(no_system(points.info()).in_file(points.path())),
        (Some(_), None) => Err(no_system(polygons.info()).in_file(polygons.path())),
    }
}

/// Gives points the attributes of their polygons.
struct Tagging {
    schema: SchemaRef,
    converter: Option<Converter>,
    areas: Areas,
    within_m: Option<f64>,
    distance: bool,
    report: Mutex<TagReport>,
    hit: Mutex<Vec<bool>>,
}

impl std::fmt::Debug for Tagging {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Tagging").field("polygons", &self.areas.labels.len()).finish()
    }
}

impl Tagging {
    /// What became of the points so far.
    fn report(&self) -> TagReport {
        let empty = locked(&self.hit).iter().filter(|hit| !**hit).count() as u64;
        TagReport { empty, ..locked(&self.report).clone() }
    }

    /// A point in no polygon, with the nearest.
    fn lost(&self, label: String, place: Option<(f64, f64)>) -> String {
        match place.and_then(|at| self.areas.nearest(at, f64::INFINITY)) {
            Some((polygon, distance)) => {
                let name = &self.areas.labels[polygon as usize];
                format!("{label}, {} from {name}", metres(distance))
            }
            None => label,
        }
    }

    /// A point in several polygons, with their names.
    fn shared(&self, label: &str, place: Option<(f64, f64)>) -> String {
        let mut found = Vec::new();
        if let Some(at) = place {
            self.areas.at(at, &mut found);
        }
        let names: Vec<&str> =
            found.iter().map(|at| self.areas.labels[*at as usize].as_str()).collect();
        format!("{label} in {}", names.join(", "))
    }

    /// Takes note of how points fall.
    fn note(
        &self,
        falls: &[Fall],
        places: &[Option<(f64, f64)>],
        label_of: &dyn Fn(usize) -> String,
    ) {
        let mut report = locked(&self.report);
        let mut hit = locked(&self.hit);
        for (feature, fall) in falls.iter().enumerate() {
            report.on_boundary += u64::from(fall.on_boundary);
            match (fall.polygons, fall.taken) {
                (0, None) => {
                    report.none.add(|| self.lost(label_of(feature), places[feature]));
                }
                (0, Some(_)) => report.nearest += 1,
                (1, _) => report.inside += 1,
                _ => {
                    report.several.add(|| self.shared(&label_of(feature), places[feature]));
                }
            }
            if let Some((polygon, _)) = fall.taken {
                hit[polygon as usize] = true;
            }
        }
    }
}

impl Transform for Tagging {
    fn apply(&self, batch: Batch) -> Result<(Batch, Noting<'_>)> {
        let mut carried = None;
        if let Some(converter) = &self.converter {
            let mut column = batch.geometry.clone();
            column.convert(converter);
            carried = Some(column);
        }
        let column = carried.as_ref().unwrap_or(&batch.geometry);
        let places: Vec<Option<(f64, f64)>> = (0..batch.geometry.len())
            .map(|feature| match batch.geometry.kinds()[feature] {
                None => Ok(None),
                Some(GeometryKind::Point) => {
                    let vertex = column.vertices(feature).start;
                    let at = (column.x[vertex], column.y[vertex]);
                    Ok(Some(at).filter(|at| at.0.is_finite()))
                }
                Some(kind) => Err(Error::usage(format!(
                    "feature {} is a {}: points are what is tagged",
                    batch.first + feature as u64,
                    kind.name()
                ))),
            })
            .collect::<Result<_>>()?;
        let falls = self.areas.falls(&places, self.within_m);
        let polygons: Vec<Option<u32>> =
            falls.iter().map(|fall| fall.taken.map(|(polygon, _)| polygon)).collect();
        let polygons = UInt32Array::from(polygons);
        let mut columns: Vec<ArrayRef> = batch.attributes().columns().to_vec();
        for column in self.areas.values.columns() {
            columns.push(arrow_select::take::take(column, &polygons, None)?);
        }
        if self.distance {
            // Tenths of a millimetre.
            let rounded = |(_, distance): (u32, f64)| (distance * 1e4).round() / 1e4;
            let distances: Float64Array =
                falls.iter().map(|fall| fall.taken.map(rounded)).collect();
            columns.push(Arc::new(distances));
        }
        let options = RecordBatchOptions::new().with_row_count(Some(batch.geometry.len()));
        let attributes = RecordBatch::try_new_with_options(self.schema.clone(), columns, &options)?;
        let (first, own) = (batch.first, batch.attributes().clone());
        let note = move || {
            let label = |feature| label_of(&own, feature, first + feature as u64);
            self.note(&falls, &places, &label);
        };
        Ok((batch.with_attributes(attributes)?, Box::new(note)))
    }
}

/// What a feature is known by: its first attribute, and its number.
fn label_of(attributes: &RecordBatch, feature: usize, number: u64) -> String {
    let columns = attributes.columns().iter().filter_map(AttributeColumn::of);
    match columns.map(|column| column.value(feature)).find(|value| !value.is_null()) {
        Some(value) => format!("{value} ({number})"),
        None => number.to_string(),
    }
}

fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}
