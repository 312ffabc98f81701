//! What the words of a step are in the library: options and jobs that can be run.

use super::step_schema::{
    CoursesStep, FieldsStep, JoinStep, LinesStep, MeasureStep, PointsStep, PolygonsStep, Step,
    TagStep,
};
use super::step_values::{AreaUnitName, Column, LengthUnitName};
use crate::error::{Error, Result};
use crate::features::{
    BuildCourses, BuildFeatures, BuildLines, BuildOptions, BuildPoints, BuildPolygons, Closure,
    CourseNames, VertexOptions,
};
use crate::join::JoinTable;
use crate::measure::{MeasureColumns, MeasureOptions};
use crate::notice::Notice;
use crate::outcome::Summary;
use crate::progress::Progress;
use crate::select::{NumberText, PlaceColumns, Selection};
use crate::table::{CoordinateColumns, NumberFormat};
use crate::tag::TagPoints;
use indexmap::IndexMap;
use std::path::Path;
use velvet_peg_core::Crs;

fn text(column: &Option<Column>) -> Option<String> {
    column.as_deref().map(str::to_string)
}

fn texts(columns: &[Column]) -> Vec<String> {
    columns.iter().map(|column| column.to_string()).collect()
}

/// The coordinate columns of a step of points, lines or polygons.
macro_rules! coordinate_columns {
    ($step:expr) => {
        CoordinateColumns {
            x: text(&$step.x),
            y: text(&$step.y),
            z: text(&$step.z),
            numbers: NumberFormat {
                decimal_comma: $step.decimal_comma,
                thousands: $step.thousands,
            },
        }
    };
}

/// How the vertices of a step of lines or polygons are gathered.
macro_rules! vertices {
    ($step:expr, $build:expr) => {
        VertexOptions {
            columns: coordinate_columns!($step),
            packed: $step.packed,
            group: texts(&$step.by),
            order: text(&$step.order),
            part: text(&$step.part),
            build: $build,
        }
    };
}

impl PointsStep {
    fn points(&self, build: BuildOptions) -> BuildPoints {
        BuildPoints { columns: coordinate_columns!(self), packed: self.packed, build }
    }
}

impl LinesStep {
    fn lines(&self, build: BuildOptions) -> BuildLines {
        BuildLines { vertices: vertices!(self, build), repair: self.repair }
    }
}

impl PolygonsStep {
    fn polygons(&self, build: BuildOptions) -> BuildPolygons {
        BuildPolygons {
            vertices: vertices!(self, build),
            ring: text(&self.ring),
            repair: self.repair,
        }
    }
}

impl CoursesStep {
    fn courses(&self, build: BuildOptions) -> BuildCourses {
        BuildCourses {
            group: texts(&self.by),
            columns: CourseNames {
                bearing: text(&self.bearing),
                distance: text(&self.distance),
                radius: text(&self.radius),
                delta: text(&self.delta),
                turn: text(&self.turn),
            },
            start: self.start,
            start_columns: text(&self.x).zip(text(&self.y)),
            unit: self.unit.as_ref().map(LengthUnitName::unit),
            combined_factor: self.combined_factor,
            rotate_deg: self.rotate,
            adjust: self.adjust,
            tolerance: self.tolerance,
            build,
        }
    }
}

impl Step {
    /// Builds features of a table, as the words of the step say beyond the options: `points`,
    /// `features`, `lines`, `polygons` or `courses`. The latter give what they miss closing by.
    ///
    /// # Errors
    /// As the job of that kind; if the step builds nothing.
    pub fn build(
        &self,
        options: BuildOptions,
        table: &Path,
        out: &Path,
        watch: &mut dyn Progress,
    ) -> Result<(Summary, Vec<Closure>)> {
        let summary = match self {
            Step::Points(step) => step.points(options).run_watched(table, out, watch)?,
            Step::Features(step) => {
                BuildFeatures { geometry: text(&step.geometry), build: options }
                    .run_watched(table, out, watch)?
            }
            Step::Lines(step) => step.lines(options).run_watched(table, out, watch)?,
            Step::Polygons(step) => step.polygons(options).run_watched(table, out, watch)?,
            Step::Courses(step) => return step.courses(options).run_watched(table, out, watch),
            Step::Declare(_)
            | Step::Convert(_)
            | Step::Fields(_)
            | Step::Join(_)
            | Step::Tag(_)
            | Step::Measure(_) => {
                let what = format!("the step `{}` builds nothing", self.kind().name);
                return Err(Error::usage(what));
            }
        };
        Ok((summary, Vec::new()))
    }

    /// The selection that the step makes, with what is worth knowing of the reference systems
    /// in it, whose paths are taken from `folder`.
    ///
    /// # Errors
    /// The word, and why it cannot be read.
    pub(super) fn selection(
        &self,
        folder: &Path,
    ) -> std::result::Result<(Selection, Vec<Notice>), (&'static str, Error)> {
        macro_rules! chosen {
            ($step:expr) => {
                Selection {
                    condition: $step.condition.clone(),
                    set: $step.set.clone(),
                    keep: $step.keep.clone(),
                    ..Selection::default()
                }
            };
        }
        let selection = match self {
            Step::Points(step) => chosen!(step),
            Step::Features(step) => chosen!(step),
            Step::Lines(step) => chosen!(step),
            Step::Polygons(step) => chosen!(step),
            Step::Courses(step) => chosen!(step),
            Step::Convert(step) => chosen!(step),
            Step::Fields(step) => return step.selection(folder),
            Step::Declare(_) | Step::Join(_) | Step::Tag(_) | Step::Measure(_) => {
                Selection::default()
            }
        };
        Ok((selection, Vec::new()))
    }
}

impl FieldsStep {
    /// The selection that the step makes, with what is worth knowing of the reference systems
    /// in it, whose paths are taken from `folder`.
    ///
    /// # Errors
    /// The word, and why it cannot be read: a reference system or a number format.
    pub fn selection(
        &self,
        folder: &Path,
    ) -> std::result::Result<(Selection, Vec<Notice>), (&'static str, Error)> {
        let pairs = |map: &IndexMap<String, String>| {
            map.iter().map(|(a, b)| (a.clone(), b.clone())).collect()
        };
        let (mut coordinates, mut notices) = (Vec::new(), Vec::new());
        for text in &self.coords {
            let (columns, notice) =
                PlaceColumns::parse(text, folder).map_err(|error| ("coords", error))?;
            notices.extend(notice);
            coordinates.push(columns);
        }
        let selection = Selection {
            condition: self.condition.clone(),
            set: self.set.clone(),
            constant: pairs(&self.constant),
            coordinates,
            keep: self.keep.clone(),
            drop: self.drop.clone(),
            first: self.first.clone(),
            rename: pairs(&self.rename),
            round: self.round.iter().map(|(a, b)| (a.clone(), *b)).collect(),
            format: self
                .format
                .iter()
                .map(|(name, text)| Ok((name.clone(), NumberText::parse(text)?)))
                .collect::<Result<_>>()
                .map_err(|error| ("format", error))?,
        };
        Ok((selection, notices))
    }
}

impl JoinStep {
    /// The join that the step makes: how its table is read and the output written is to be
    /// added.
    pub fn join(&self) -> JoinTable {
        JoinTable {
            key: text(&self.on).unwrap_or_default(),
            table_key: self.key.as_deref().map(str::to_string),
            columns: self.columns.iter().map(|column| column.to_string()).collect(),
            prefix: self.prefix.clone(),
            many: self.many,
            loose: self.loose,
            matched_only: self.matched_only,
            ..JoinTable::default()
        }
    }
}

impl TagStep {
    /// The tagging that the step makes: how the output is written is to be added.
    pub fn tag(&self) -> TagPoints {
        TagPoints {
            columns: self.columns.iter().map(|column| column.to_string()).collect(),
            prefix: self.prefix.clone(),
            within_m: self.within,
            tolerance_m: self.tolerance,
            distance: self.distance_column.clone(),
            ..TagPoints::default()
        }
    }
}

impl MeasureStep {
    /// The measures that the step takes on a grid: how the output is written is to be added.
    pub fn measures(&self, grid: Option<Crs>) -> MeasureColumns {
        MeasureColumns {
            measure: MeasureOptions {
                grid,
                ground_height_m: self.height,
                combined_factor: self.combined_factor,
                ..MeasureOptions::default()
            },
            lengths: self.length_units.iter().map(LengthUnitName::unit).collect(),
            areas: self.area_units.iter().map(AreaUnitName::unit).collect(),
            ..MeasureColumns::default()
        }
    }
}
