//! Running one step of a job: from files in the work folder to a file in it.

use super::file::{JobSource, Step};
use crate::build::courses::{BuildCourses, Closure, CourseNames};
use crate::build::lines::BuildLines;
use crate::build::polygons::BuildPolygons;
use crate::build::vertices::VertexOptions;
use crate::build::{BuildFeatures, BuildOptions, BuildPoints, Outcome};
use crate::convert::{ConvertLayer, route_notices};
use crate::declare::declare;
use crate::error::{Error, Result};
use crate::format::{LayerReader, WriteOptions, format_of};
use crate::join::JoinTable;
use crate::measure::{MeasureColumns, MeasureOptions};
use crate::notice::Notice;
use crate::reference::{read_reference, read_reference_for};
use crate::select::{NumberText, PlaceColumns, Selection};
use crate::table::{CoordinateColumns, NumberFormat, TableOptions};
use crate::tag::TagPoints;
use crate::watch::Watch;
use std::path::{Path, PathBuf};
use velvet_peg_core::{AreaUnit, Crs, LengthUnit};

/// A source or the result of a step, as later steps find it.
#[derive(Clone, Debug)]
pub(super) struct Named {
    pub(super) path: PathBuf,
    pub(super) source: JobSource,
}

impl Named {
    /// How it is read as a table.
    pub(super) fn table(&self) -> TableOptions {
        let source = &self.source;
        TableOptions {
            delimiter: source.delimiter,
            encoding: source.encoding.clone(),
            no_header: source.no_header,
            names: source.names.clone(),
            skip_lines: source.skip_lines,
            comment: source.comment,
            sheets: source.sheets.clone(),
            all_sheets: source.all_sheets,
            header_row: source.header_row,
            ..TableOptions::default()
        }
    }

    /// Opens it as a layer.
    pub(super) fn layer(&self, folder: &Path) -> Result<LayerReader> {
        let mut reader = LayerReader::open(&self.path, self.source.layer.as_deref())?;
        if let Some(crs) = &self.source.crs {
            reader.assume(read_reference(crs, folder)?.0);
        }
        Ok(reader)
    }

    /// True if it is a table, not a layer.
    pub(super) fn is_table(&self) -> Result<bool> {
        Ok(format_of(&self.path)?.is_table())
    }
}

/// Where a step runs.
pub(super) struct At<'a> {
    /// Folder of the job file.
    pub(super) folder: &'a Path,
    pub(super) from: &'a Named,
    pub(super) with: Option<&'a Named>,
    /// Name of the result.
    pub(super) name: &'a str,
    pub(super) out: &'a Path,
}

impl Step {
    /// Runs the step; gives what became of the rows, and the closures of courses.
    pub(super) fn run(
        &self,
        at: &At<'_>,
        watch: &mut dyn Watch,
    ) -> Result<(Outcome, Vec<Closure>)> {
        let mut told: Vec<Notice> = Vec::new();
        let mut closures = Vec::new();
        let mut outcome = match self.kind.as_str() {
            "points" => {
                let build = self.build(at, &mut told)?;
                let job = BuildPoints { columns: self.columns_of(), packed: self.packed, build };
                job.run(&at.from.path, at.out, watch)?
            }
            "features" => {
                let build = self.build(at, &mut told)?;
                let job = BuildFeatures { geometry: self.geometry.clone(), build };
                job.run(&at.from.path, at.out, watch)?
            }
            "lines" => {
                let vertices = self.vertices(at, &mut told)?;
                BuildLines { vertices, repair: self.repair }.run(&at.from.path, at.out, watch)?
            }
            "polygons" => {
                let vertices = self.vertices(at, &mut told)?;
                let job = BuildPolygons { vertices, ring: self.ring.clone(), repair: self.repair };
                job.run(&at.from.path, at.out, watch)?
            }
            "courses" => {
                let job = BuildCourses {
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
                    tolerance: None,
                    build: self.build(at, &mut told)?,
                };
                let (outcome, found) = job.run(&at.from.path, at.out, watch)?;
                closures = found;
                outcome
            }
            "declare" => {
                let reader = at.from.layer(at.folder)?;
                let crs = self.crs.as_deref().unwrap_or_default();
                let crs = reference(crs, at.folder, &mut told)?;
                declare(&reader, &crs, at.out, &self.write(at), watch)?
            }
            "convert" => {
                let reader = at.from.layer(at.folder)?;
                let to = self.to.as_deref().unwrap_or_default();
                let (target, notice) = read_reference_for(to, at.folder, &reader)?;
                told.extend(notice);
                let job = ConvertLayer {
                    target: Some(target),
                    epoch: self.epoch,
                    select: self.selection(at, &mut told)?,
                    write: self.write(at),
                    rejects: None,
                };
                job.run(&reader, at.out, watch)?
            }
            "fields" => {
                let reader = at.from.layer(at.folder)?;
                let select = self.selection(at, &mut told)?;
                let job = ConvertLayer { select, write: self.write(at), ..ConvertLayer::default() };
                job.run(&reader, at.out, watch)?
            }
            "join" => {
                let with = at.with.ok_or_else(|| Error::usage("the step needs `with`"))?;
                let job = JoinTable {
                    key: self.on.clone().unwrap_or_default(),
                    table_key: self.key.clone(),
                    columns: self.columns.clone(),
                    prefix: self.prefix.clone(),
                    many: self.many,
                    loose: self.loose,
                    matched_only: self.matched_only,
                    table: with.table(),
                    table_layer: with.source.layer.clone(),
                    write: self.write(at),
                    rejects: None,
                };
                job.run(at.from.layer(at.folder)?, &with.path, at.out, watch)?.0
            }
            "tag" => {
                let with = at.with.ok_or_else(|| Error::usage("the step needs `with`"))?;
                let job = TagPoints {
                    columns: self.columns.clone(),
                    prefix: self.prefix.clone(),
                    within_m: self.within,
                    tolerance_m: self.tolerance,
                    distance: self.distance_column.clone(),
                    write: self.write(at),
                    rejects: None,
                };
                let polygons = with.layer(at.folder)?;
                job.run(at.from.layer(at.folder)?, &polygons, at.out, watch)?.0
            }
            "measure" => {
                let reader = at.from.layer(at.folder)?;
                let grid = match &self.grid {
                    Some(text) => Some(read_reference_for(text, at.folder, &reader)?.0),
                    None => None,
                };
                let job = MeasureColumns {
                    measure: MeasureOptions {
                        grid,
                        ground_height_m: self.height,
                        combined_factor: self.combined_factor,
                        ..MeasureOptions::default()
                    },
                    lengths: units(&self.length_units, LengthUnit::named)?,
                    areas: units(&self.area_units, AreaUnit::named)?,
                    write: self.write(at),
                    rejects: None,
                };
                job.run(reader, at.out, watch)?
            }
            other => return Err(Error::usage(format!("there is no step `{other}`"))),
        };
        if let Some(converter) = &outcome.converter {
            let mut notices = route_notices(converter);
            notices.insert(0, Notice::remark(format!("by {}", converter.route().summary())));
            outcome.notices.splice(..0, notices);
        }
        outcome.notices.splice(..0, told);
        Ok((outcome, closures))
    }

    fn build(&self, at: &At<'_>, told: &mut Vec<Notice>) -> Result<BuildOptions> {
        let crs = self.crs.as_ref().or(at.from.source.crs.as_ref());
        let mut system = |text: &String| reference(text, at.folder, told);
        Ok(BuildOptions {
            crs: crs.map(&mut system).transpose()?,
            to: self.to.as_ref().map(&mut system).transpose()?,
            epoch: self.epoch,
            select: self.selection(at, told)?,
            table: at.from.table(),
            write: self.write(at),
            layer: Some(at.name.to_string()),
            rejects: None,
        })
    }

    fn vertices(&self, at: &At<'_>, told: &mut Vec<Notice>) -> Result<VertexOptions> {
        Ok(VertexOptions {
            columns: self.columns_of(),
            packed: self.packed,
            group: self.by.clone(),
            order: self.order.clone(),
            part: self.part.clone(),
            build: self.build(at, told)?,
        })
    }

    fn columns_of(&self) -> CoordinateColumns {
        CoordinateColumns {
            x: self.x.clone(),
            y: self.y.clone(),
            z: self.z.clone(),
            numbers: NumberFormat { decimal_comma: self.decimal_comma, thousands: self.thousands },
        }
    }

    fn selection(&self, at: &At<'_>, told: &mut Vec<Notice>) -> Result<Selection> {
        let pairs = |map: &std::collections::BTreeMap<String, String>| {
            map.iter().map(|(a, b)| (a.clone(), b.clone())).collect()
        };
        let mut coordinates = Vec::new();
        for text in &self.coords {
            let (columns, notice) = PlaceColumns::parse(text, at.folder)?;
            told.extend(notice);
            coordinates.push(columns);
        }
        Ok(Selection {
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
        })
    }

    fn write(&self, at: &At<'_>) -> WriteOptions {
        WriteOptions { layer: Some(at.name.to_string()), ..WriteOptions::default() }
    }
}

fn reference(text: &str, folder: &Path, told: &mut Vec<Notice>) -> Result<Crs> {
    let (crs, notice) = read_reference(text, folder)?;
    told.extend(notice);
    Ok(crs)
}

fn units<T>(texts: &[String], named: fn(&str) -> velvet_peg_core::Result<T>) -> Result<Vec<T>> {
    texts.iter().map(|text| Ok(named(text)?)).collect()
}
