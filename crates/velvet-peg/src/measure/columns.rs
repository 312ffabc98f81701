//! Figures as new columns of the features.

use super::measure_warnings::MeasureWarnings;
use super::meter::Meter;
use super::{MeasureOptions, Measured};
use crate::convert::ConvertLayer;
use crate::error::Result;
use crate::format_support::WriteOptions;
use crate::layer::column_names::with_columns;
use crate::layer::{Batch, GeometryKind, no_system};
use crate::layer_io::{LayerReader, Noting, Transform};
use crate::memory::{Work, afford};
use crate::outcome::Summary;
use crate::progress::{NoProgress, Progress};
use arrow_array::{ArrayRef, Float64Array, RecordBatch, RecordBatchOptions};
use arrow_schema::{DataType, Field, SchemaRef};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};
use velvet_peg_core::{AreaUnit, Crs, LengthUnit};

/// Writes features with their figures as new columns: `length_ellipsoid_m`,
/// `area_grid_acUS` and the like, for every unit asked for, and `scale_factor`.
#[derive(Clone, Debug, Default)]
pub struct MeasureColumns {
    /// How to measure.
    pub measure: MeasureOptions,
    /// Units of lengths (of polygons, perimeters); metres if there are none.
    pub lengths: Vec<LengthUnit>,
    /// Units of areas; square metres if there are none.
    pub areas: Vec<AreaUnit>,
    /// How the features are written.
    pub write: WriteOptions,
    /// Where rejects go; `OUT.rejects.csv` if none.
    pub rejects: Option<PathBuf>,
}

type Figure = fn(&Measured) -> Option<f64>;

impl MeasureColumns {
    /// Measures and writes.
    ///
    /// ```
    /// # let folder = tempfile::tempdir()?;
    /// # velvet_peg::demo::lay_out(folder.path(), false)?;
    /// # let file = |name: &str| folder.path().join(name);
    /// use velvet_peg::{AreaUnit, Layer, LayerReader};
    /// use velvet_peg::measure::MeasureColumns;
    /// let columns = MeasureColumns { areas: vec![AreaUnit::Hectare], ..MeasureColumns::default() };
    /// let fields = LayerReader::open(&file("fields.geojson"), None)?;
    /// columns.run(fields, &file("out.gpkg"))?;
    /// let out = Layer::read(file("out.gpkg"))?;
    /// assert!(out.features().next().unwrap().value("area_ellipsoid_ha").is_some());
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// As [`measure`](super::measure), and if the output exists or cannot be written.
    pub fn run(&self, reader: LayerReader, out: &Path) -> Result<Summary> {
        self.run_watched(reader, out, &mut NoProgress)
    }

    /// As [`MeasureColumns::run`], telling `watch` how far it has come.
    ///
    /// # Errors
    /// As [`MeasureColumns::run`].
    pub fn run_watched(
        &self,
        reader: LayerReader,
        out: &Path,
        watch: &mut dyn Progress,
    ) -> Result<Summary> {
        let mut info = reader.info().clone();
        let crs = info.crs.clone().ok_or_else(|| no_system(&info).in_file(reader.path()))?;
        let meter = Meter::new(&info, &crs, &self.measure).map_err(|e| e.in_file(reader.path()))?;
        let figures = self.figures(info.kind.map(GeometryKind::single), &meter);
        let added = figures.iter().map(|(name, ..)| Field::new(name, DataType::Float64, true));
        info.schema = with_columns(&info.schema, added);
        let doubts = Mutex::default();
        let stage = Arc::new(Measuring {
            schema: info.schema.clone(),
            crs: info.crs.clone(),
            meter,
            figures,
            doubts,
            path: reader.path().to_path_buf(),
        });
        let measured = reader.through(info, stage.clone());
        let convert = ConvertLayer {
            write: self.write.clone(),
            rejects: self.rejects.clone(),
            ..ConvertLayer::default()
        };
        let mut outcome = convert.run_watched(&measured, out, watch)?;
        let doubts = stage.doubts.lock().unwrap_or_else(PoisonError::into_inner);
        outcome.notices.extend(doubts.notices(stage.meter.grid_system()));
        Ok(outcome)
    }

    /// Names of the columns, their figures, and the metres (or square metres) in their units.
    fn figures(&self, kind: Option<GeometryKind>, meter: &Meter) -> Vec<(String, Figure, f64)> {
        let has_grid = meter.grid_system().is_some();
        let has_ground =
            self.measure.ground_height_m.is_some() || self.measure.combined_factor.is_some();
        let length = match kind {
            Some(GeometryKind::Polygon) => "perimeter",
            _ => "length",
        };
        let metre = [LengthUnit::METRE];
        let lengths = if self.lengths.is_empty() { &metre[..] } else { &self.lengths };
        let areas = if self.areas.is_empty() { &[AreaUnit::SquareMetre][..] } else { &self.areas };
        let plain = |symbol: &str| symbol.replace('²', "2").replace(['-', ' '], "_");
        let on: [(&str, bool, Figure, Figure); 3] = [
            ("ellipsoid", true, |m| Some(m.length_m), |m| Some(m.area_m2)),
            ("grid", has_grid, |m| m.grid_length_m, |m| m.grid_area_m2),
            ("ground", has_ground, |m| m.ground_length_m, |m| m.ground_area_m2),
        ];
        let mut figures: Vec<(String, Figure, f64)> = Vec::new();
        for (surface, _, of_length, of_area) in on.into_iter().filter(|(_, wanted, _, _)| *wanted) {
            for unit in lengths {
                let name = format!("{length}_{surface}_{}", plain(unit.symbol()));
                figures.push((name, of_length, unit.metres()));
            }
            if kind.is_none_or(|kind| kind == GeometryKind::Polygon) {
                for unit in areas {
                    let name = format!("area_{surface}_{}", plain(unit.symbol()));
                    figures.push((name, of_area, unit.square_metres()));
                }
            }
        }
        if has_grid {
            figures.push(("scale_factor".to_string(), |m| m.scale_factor, 1.0));
        }
        figures
    }
}

/// Adds figures to features.
struct Measuring {
    schema: SchemaRef,
    crs: Option<Crs>,
    meter: Meter,
    figures: Vec<(String, Figure, f64)>,
    doubts: Mutex<MeasureWarnings>,
    path: PathBuf,
}

impl std::fmt::Debug for Measuring {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Measuring").field("schema", &self.schema).finish_non_exhaustive()
    }
}

impl Transform for Measuring {
    fn apply(&self, batch: Batch) -> Result<(Batch, Noting<'_>)> {
        afford(Work::Flaws, &batch.geometry, batch.first, &self.path)?;
        let mut measured = Vec::with_capacity(batch.geometry.len());
        self.meter.batch(&batch, &mut measured)?;
        let mut columns: Vec<ArrayRef> = batch.attributes().columns().to_vec();
        for (_, figure, unit) in &self.figures {
            let values: Float64Array = measured
                .iter()
                .map(|m| m.kind.and_then(|_| figure(m)).map(|value| value / unit))
                .collect();
            columns.push(Arc::new(values));
        }
        let options = RecordBatchOptions::new().with_row_count(Some(batch.geometry.len()));
        let attributes = RecordBatch::try_new_with_options(self.schema.clone(), columns, &options)?;
        let geometry = batch.geometry.clone();
        let note = move || {
            let mut doubts = self.doubts.lock().unwrap_or_else(PoisonError::into_inner);
            doubts.add(self.crs.as_ref(), &geometry, &measured);
        };
        Ok((batch.with_attributes(attributes)?, Box::new(note)))
    }
}
