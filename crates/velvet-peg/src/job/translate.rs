//! What the words of a step are in the library: options and jobs that can be run.

use super::file::Step;
use crate::error::{Error, Result};
use crate::features::courses::{BuildCourses, Closure, CourseNames};
use crate::features::lines::BuildLines;
use crate::features::polygons::BuildPolygons;
use crate::features::vertices::VertexOptions;
use crate::features::{BuildFeatures, BuildOptions, BuildPoints, Summary};
use crate::join::JoinTable;
use crate::measure::{MeasureColumns, MeasureOptions};
use crate::notice::Notice;
use crate::progress::Progress;
use crate::select::{NumberText, PlaceColumns, Selection};
use crate::table::{CoordinateColumns, NumberFormat};
use crate::tag::TagPoints;
use indexmap::IndexMap;
use std::path::Path;
use velvet_peg_core::{AreaUnit, Crs, LengthUnit};

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
        let outcome = match self.kind.as_str() {
            "points" => {
                let columns = self.coordinate_columns();
                BuildPoints { columns, packed: self.packed, build: options }
                    .run(table, out, watch)?
            }
            "features" => BuildFeatures { geometry: self.geometry.clone(), build: options }
                .run(table, out, watch)?,
            "lines" => BuildLines { vertices: self.vertices(options), repair: self.repair }
                .run(table, out, watch)?,
            "polygons" => {
                let vertices = self.vertices(options);
                BuildPolygons { vertices, ring: self.ring.clone(), repair: self.repair }
                    .run(table, out, watch)?
            }
            "courses" => return self.courses(options)?.run(table, out, watch),
            other => return Err(Error::usage(format!("the step `{other}` builds nothing"))),
        };
        Ok((outcome, Vec::new()))
    }

    fn coordinate_columns(&self) -> CoordinateColumns {
        CoordinateColumns {
            x: self.x.clone(),
            y: self.y.clone(),
            z: self.z.clone(),
            numbers: NumberFormat { decimal_comma: self.decimal_comma, thousands: self.thousands },
        }
    }

    fn vertices(&self, build: BuildOptions) -> VertexOptions {
        VertexOptions {
            columns: self.coordinate_columns(),
            packed: self.packed,
            group: self.by.clone(),
            order: self.order.clone(),
            part: self.part.clone(),
            build,
        }
    }

    fn courses(&self, build: BuildOptions) -> Result<BuildCourses> {
        Ok(BuildCourses {
            group: self.by.clone(),
            columns: CourseNames {
                bearing: self.bearing.clone(),
                distance: self.distance.clone(),
                radius: self.radius.clone(),
                delta: self.delta.clone(),
                turn: self.turn.clone(),
            },
            start: self.start,
            start_columns: self.x.clone().zip(self.y.clone()),
            unit: self.unit.as_deref().map(LengthUnit::named).transpose()?,
            combined_factor: self.combined_factor,
            rotate_deg: self.rotate,
            adjust: self.adjust,
            tolerance: self.tolerance,
            build,
        })
    }

    /// The selection that the step makes, with what is worth knowing of the reference systems
    /// in it, whose paths are taken from `folder`.
    ///
    /// # Errors
    /// If a reference system or a number format cannot be read.
    pub fn selection(&self, folder: &Path) -> Result<(Selection, Vec<Notice>)> {
        let pairs = |map: &IndexMap<String, String>| {
            map.iter().map(|(a, b)| (a.clone(), b.clone())).collect()
        };
        let (mut coordinates, mut notices) = (Vec::new(), Vec::new());
        for text in &self.coords {
            let (columns, notice) = PlaceColumns::parse(text, folder)?;
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
                .collect::<Result<_>>()?,
        };
        Ok((selection, notices))
    }

    /// The join that the step makes: how its table is read and the output written is to be
    /// added.
    pub fn join(&self) -> JoinTable {
        JoinTable {
            key: self.on.clone().unwrap_or_default(),
            table_key: self.key.clone(),
            columns: self.columns.clone(),
            prefix: self.prefix.clone(),
            many: self.many,
            loose: self.loose,
            matched_only: self.matched_only,
            ..JoinTable::default()
        }
    }

    /// The tagging that the step makes: how the output is written is to be added.
    pub fn tag(&self) -> TagPoints {
        TagPoints {
            columns: self.columns.clone(),
            prefix: self.prefix.clone(),
            within_m: self.within,
            tolerance_m: self.tolerance,
            distance: self.distance_column.clone(),
            ..TagPoints::default()
        }
    }

    /// The measures that the step takes on a grid: how the output is written is to be added.
    ///
    /// # Errors
    /// If a unit is not known.
    pub fn measures(&self, grid: Option<Crs>) -> Result<MeasureColumns> {
        Ok(MeasureColumns {
            measure: MeasureOptions {
                grid,
                ground_height_m: self.height,
                combined_factor: self.combined_factor,
                ..MeasureOptions::default()
            },
            lengths: units(&self.length_units, LengthUnit::named)?,
            areas: units(&self.area_units, AreaUnit::named)?,
            ..MeasureColumns::default()
        })
    }
}

fn units<T>(texts: &[String], named: fn(&str) -> velvet_peg_core::Result<T>) -> Result<Vec<T>> {
    texts.iter().map(|text| Ok(named(text)?)).collect()
}
