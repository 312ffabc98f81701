//! Points take the values of a raster at their places.
//!
//! **Rule.** A point takes the value of the pixel that it lies in, or that of the surface through the
//! middles of the four nearest; where the pixel that it lies in has no value, or there is none, it takes
//! nothing. Points are carried into the raster's reference system for it; their own coordinates stay.

use super::label_of;
use crate::convert::ConvertLayer;
use crate::error::{Error, Result};
use crate::examples::Examples;
use crate::format_support::WriteOptions;
use crate::layer::column_names::with_columns;
use crate::layer::{Batch, GeometryKind, no_system};
use crate::layer_io::{LayerReader, Noting, Transform};
use crate::notice::{Notice, NoticeKind};
use crate::outcome::Summary;
use crate::plausibility::box_against;
use crate::progress::Progress;
use crate::raster::{Colours, RasterReader, Resampling, Sampler};
use crate::reproject::{area_of, route_notices};
use arrow_array::{ArrayRef, Float64Array, Int64Array, RecordBatch, RecordBatchOptions};
use arrow_schema::{DataType, Field, SchemaRef};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};
use velvet_peg_core::{Converter, PlanOptions};

/// How points take values of a raster.
#[derive(Clone, Debug, Default)]
pub struct TagFromRaster {
    /// Bands, counted from 1, and the names of their columns; all, as `band1` and so on, if there are none.
    pub bands: Vec<(usize, String)>,
    /// Nearest or bilinear; by what the numbers stand for if none: bilinear, and nearest for places in a
    /// list of colours.
    pub resampling: Option<Resampling>,
    /// How the points are written.
    pub write: WriteOptions,
    /// Where rejects go; `OUT.rejects.csv` if none.
    pub rejects: Option<PathBuf>,
}

/// What became of the points.
#[derive(Clone, Debug, Default)]
pub struct SampleReport {
    /// Points that took a value in every band that was asked for.
    pub with_value: u64,
    /// Points beyond the raster.
    pub beyond: Examples,
    /// Points where the raster has no value, in a band at least.
    pub without_value: Examples,
}

impl TagFromRaster {
    /// The bands that texts name: `band1`, or `band1:name` for a column of another name; all of so many
    /// if there are none. `prefix` is put in front of the names of columns.
    ///
    /// # Errors
    /// If a text names no band.
    pub fn bands_named<T: AsRef<str>>(
        texts: &[T],
        prefix: Option<&str>,
        bands: usize,
    ) -> Result<Vec<(usize, String)>> {
        let prefix = prefix.unwrap_or_default();
        if texts.is_empty() {
            return Ok((1..=bands).map(|band| (band, format!("{prefix}band{band}"))).collect());
        }
        let named = |text: &T| {
            let text = text.as_ref();
            let (band, name) = text.split_once(':').unwrap_or((text, text));
            let number = band.strip_prefix("band").and_then(|number| number.parse().ok());
            match number {
                Some(number) if !name.is_empty() => Ok((number, format!("{prefix}{name}"))),
                _ => Err(Error::usage(format!(
                    "`{text}` names no band of the raster: write band1, or band1:NAME for a column of \
                     another name"
                ))),
            }
        };
        texts.iter().map(named).collect()
    }

    /// Takes the values, and writes the points with them behind their own columns.
    ///
    /// # Errors
    /// If the layer is not of points, the raster has no place or one of the two no reference system, no
    /// operation joins them, there is no such band, or the output exists or cannot be written.
    pub fn run_watched(
        &self,
        points: LayerReader,
        raster: RasterReader,
        out: &Path,
        watch: &mut dyn Progress,
    ) -> Result<(Summary, SampleReport)> {
        let (tagged, stage, mut notices) = self.prepare(points, raster)?;
        let convert = ConvertLayer {
            write: self.write.clone(),
            rejects: self.rejects.clone(),
            ..ConvertLayer::default()
        };
        let mut outcome = convert.run_watched(&tagged, out, watch)?;
        let report = stage.report();
        notices.extend(report.notices());
        outcome.notices.splice(..0, notices);
        Ok((outcome, report))
    }

    /// How the points fall, without writing anything; with what is worth knowing of it.
    ///
    /// # Errors
    /// As [`TagFromRaster::run_watched`], as far as it reads.
    pub fn report_watched(
        &self,
        points: LayerReader,
        raster: RasterReader,
        watch: &mut dyn Progress,
    ) -> Result<(SampleReport, Vec<Notice>)> {
        let (tagged, stage, mut notices) = self.prepare(points, raster)?;
        tagged.for_each_watched(watch, &mut |_| Ok(()))?;
        let report = stage.report();
        notices.extend(report.notices());
        Ok((report, notices))
    }

    fn prepare(
        &self,
        points: LayerReader,
        raster: RasterReader,
    ) -> Result<(LayerReader, Arc<Sampling>, Vec<Notice>)> {
        let mut notices = raster.info().notices.clone();
        let from = points.info().crs.clone();
        let from = from.ok_or_else(|| no_system(points.info()).in_file(points.path()))?;
        let to = raster.system()?;
        notices.extend(raster.info().extent().and_then(|extent| box_against(&extent, &to)));
        let converter = match from.horizontal().unwrap_or_else(|| from.clone()) == to {
            true => None,
            false => {
                let area = points.info().extent.and_then(|extent| area_of(&from, &extent));
                let plan = PlanOptions { area, ..PlanOptions::default() };
                let converter = Converter::plan(&from, &to, &plan)
                    .map_err(|error| Error::from(error).in_file(points.path()))?;
                notices.push(Notice::note(
                    NoticeKind::Carried,
                    format!(
                        "points were carried from {} to {} to find their pixels",
                        from.label(),
                        to.label()
                    ),
                ));
                notices.extend(route_notices(&converter));
                Some(converter)
            }
        };
        let info = raster.info();
        let values = info.value_bands();
        let bands: Vec<(usize, String)> = match self.bands.is_empty() {
            true => (1..=values).map(|band| (band, format!("band{band}"))).collect(),
            false => self.bands.clone(),
        };
        if let Some((band, _)) = bands.iter().find(|(band, _)| !(1..=values).contains(band)) {
            return Err(Error::usage(format!("there is no band {band}: the raster has {values}"))
                .in_file(raster.path()));
        }
        let listed = matches!(info.colours, Colours::Palette(_));
        let way = match (self.resampling, listed) {
            (Some(Resampling::Nearest), _) | (None, true) => Resampling::Nearest,
            (Some(Resampling::Bilinear), false) | (None, false) => Resampling::Bilinear,
            (Some(way), _) => {
                return Err(Error::usage(format!(
                    "points take values by nearest or bilinear{}, not by {way}",
                    if listed { ", places in a list of colours by nearest alone" } else { "" }
                )));
            }
        };
        let whole = way == Resampling::Nearest && !info.samples.has_decimals();
        notices.push(Notice::note(
            NoticeKind::Height,
            match &info.vertical {
                Some(vertical) => format!(
                    "values are in {} ({}), by {way}",
                    vertical.unit_plural(),
                    vertical.label()
                ),
                None => format!(
                    "values are those of the raster, by {way}: it does not say what they are of, or in which \
                     unit"
                ),
            },
        ));
        let mut described = points.info().clone();
        let kind = if whole { DataType::Int64 } else { DataType::Float64 };
        let added = bands.iter().map(|(_, name)| Field::new(name, kind.clone(), true));
        described.schema = with_columns(&described.schema, added);
        let stage = Arc::new(Sampling {
            schema: described.schema.clone(),
            converter,
            bands: bands.into_iter().map(|(band, _)| band - 1).collect(),
            whole,
            sampler: raster.sampler(way)?,
            report: Mutex::default(),
        });
        Ok((points.through(described, stage.clone()), stage, notices))
    }
}

impl SampleReport {
    fn notices(&self) -> Vec<Notice> {
        let told = |examples: &Examples, what: &str| {
            let lie = if examples.count == 1 { "point lies" } else { "points lie" };
            Notice::warning(
                NoticeKind::Containment,
                format!(
                    "{} {lie} {what}, and took no value: {}",
                    examples.count,
                    examples.listed()
                ),
            )
            .count(examples.count)
        };
        let mut notices = Vec::new();
        if self.beyond.count > 0 {
            notices.push(told(&self.beyond, "beyond the raster"));
        }
        if self.without_value.count > 0 {
            notices.push(told(&self.without_value, "where the raster has no value"));
        }
        notices
    }
}

/// Gives points the values of a raster.
struct Sampling {
    schema: SchemaRef,
    converter: Option<Converter>,
    /// Counted from 0.
    bands: Vec<usize>,
    whole: bool,
    sampler: Sampler,
    report: Mutex<SampleReport>,
}

impl std::fmt::Debug for Sampling {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Sampling").field("bands", &self.bands).finish_non_exhaustive()
    }
}

impl Sampling {
    fn report(&self) -> SampleReport {
        self.report.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }
}

/// How a point fell.
#[derive(Clone, Copy, PartialEq)]
enum Fell {
    WithValue,
    WithoutValue,
    Beyond,
    /// It has no geometry.
    Nowhere,
}

impl Transform for Sampling {
    fn apply(&self, batch: Batch) -> Result<(Batch, Noting<'_>)> {
        let mut column = batch.geometry.clone();
        if let Some(converter) = &self.converter {
            column.convert(converter);
        }
        let count = batch.geometry.len();
        let mut values: Vec<Vec<Option<f64>>> = vec![Vec::with_capacity(count); self.bands.len()];
        let mut fell = Vec::with_capacity(count);
        for feature in 0..count {
            let place = match batch.geometry.kinds()[feature] {
                None => None,
                Some(GeometryKind::Point) => {
                    let vertex = column.vertices(feature).start;
                    Some((column.x[vertex], column.y[vertex]))
                }
                Some(kind) => {
                    return Err(Error::usage(format!(
                        "feature {} is a {}: points are what takes values",
                        batch.first + feature as u64,
                        kind.name()
                    )));
                }
            };
            let found = place.map(|place| self.sampler.at(place)).transpose()?.flatten();
            let taken = |band: &usize| found.as_ref().and_then(|pixel| pixel[*band]);
            for (values, band) in values.iter_mut().zip(&self.bands) {
                values.push(taken(band));
            }
            fell.push(match (place, &found) {
                (None, _) => Fell::Nowhere,
                (Some(_), None) => Fell::Beyond,
                (Some(_), Some(_)) if self.bands.iter().all(|band| taken(band).is_some()) => {
                    Fell::WithValue
                }
                (Some(_), Some(_)) => Fell::WithoutValue,
            });
        }
        let mut columns: Vec<ArrayRef> = batch.attributes().columns().to_vec();
        for values in values {
            columns.push(match self.whole {
                true => Arc::new(Int64Array::from_iter(
                    values.into_iter().map(|value| value.map(|value| value as i64)),
                )),
                false => Arc::new(Float64Array::from_iter(values)),
            });
        }
        let options = RecordBatchOptions::new().with_row_count(Some(count));
        let attributes = RecordBatch::try_new_with_options(self.schema.clone(), columns, &options)?;
        let (first, own) = (batch.first, batch.attributes().clone());
        let note = move || {
            let mut report = self.report.lock().unwrap_or_else(PoisonError::into_inner);
            for (feature, fell) in fell.into_iter().enumerate() {
                let label = || label_of(&own, feature, first + feature as u64);
                match fell {
                    Fell::WithValue => report.with_value += 1,
                    Fell::WithoutValue => report.without_value.add(label),
                    Fell::Beyond => report.beyond.add(label),
                    Fell::Nowhere => {}
                }
            }
        };
        Ok((batch.with_attributes(attributes)?, Box::new(note)))
    }
}
