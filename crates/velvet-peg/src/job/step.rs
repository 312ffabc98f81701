//! Running one step of a job: from files in the work folder to a file in it.

use super::file::{JobSource, Step};
use crate::convert::{ConvertLayer, route_notices};
use crate::declare::declare;
use crate::error::{Error, Result};
use crate::features::courses::Closure;
use crate::features::{BuildOptions, Summary};
use crate::format_support::TableOptions;
use crate::format_support::WriteOptions;
use crate::input::format_of;
use crate::join::JoinTable;
use crate::layer_io::LayerReader;
use crate::measure::MeasureColumns;
use crate::notice::Notice;
use crate::progress::Progress;
use crate::reference::{read_reference, read_reference_for};
use crate::select::Selection;
use crate::tag::TagPoints;
use std::path::{Path, PathBuf};
use velvet_peg_core::Crs;

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
            header: source.header,
            widths: source.widths.clone(),
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
        watch: &mut dyn Progress,
    ) -> Result<(Summary, Vec<Closure>)> {
        let mut told: Vec<Notice> = Vec::new();
        let mut closures = Vec::new();
        let write = WriteOptions { layer: Some(at.name.to_string()), ..WriteOptions::default() };
        let with = || at.with.ok_or_else(|| Error::usage("the step needs `with`"));
        let mut outcome = match self.kind.as_str() {
            "declare" => {
                let reader = at.from.layer(at.folder)?;
                let crs = self.crs.as_deref().unwrap_or_default();
                let crs = reference(crs, at.folder, &mut told)?;
                declare(&reader, &crs, at.out, &write, watch)?
            }
            "convert" => {
                let reader = at.from.layer(at.folder)?;
                let to = self.to.as_deref().unwrap_or_default();
                let (target, notice) = read_reference_for(to, at.folder, &reader)?;
                told.extend(notice);
                let select = self.chosen(at, &mut told)?;
                ConvertLayer {
                    target: Some(target),
                    epoch: self.epoch,
                    select,
                    write,
                    rejects: None,
                }
                .run(&reader, at.out, watch)?
            }
            "fields" => {
                let select = self.chosen(at, &mut told)?;
                let reader = at.from.layer(at.folder)?;
                ConvertLayer { select, write, ..ConvertLayer::default() }
                    .run(&reader, at.out, watch)?
            }
            "join" => {
                let with = with()?;
                let table_layer = with.source.layer.clone();
                let job = JoinTable { table: with.table(), table_layer, write, ..self.join() };
                job.run(at.from.layer(at.folder)?, &with.path, at.out, watch)?.0
            }
            "tag" => {
                let polygons = with()?.layer(at.folder)?;
                let job = TagPoints { write, ..self.tag() };
                job.run(at.from.layer(at.folder)?, &polygons, at.out, watch)?.0
            }
            "measure" => {
                let reader = at.from.layer(at.folder)?;
                let grid = match &self.grid {
                    Some(text) => Some(read_reference_for(text, at.folder, &reader)?.0),
                    None => None,
                };
                MeasureColumns { write, ..self.measures(grid)? }.run(reader, at.out, watch)?
            }
            _ => {
                let options = self.options(at, write, &mut told)?;
                let (outcome, found) = self.build(options, &at.from.path, at.out, watch)?;
                closures = found;
                outcome
            }
        };
        if let Some(converter) = &outcome.converter {
            let mut notices = route_notices(converter);
            notices.insert(0, Notice::remark(format!("by {}", converter.route().summary())));
            outcome.notices.splice(..0, notices);
        }
        outcome.notices.splice(..0, told);
        Ok((outcome, closures))
    }

    fn options(
        &self,
        at: &At<'_>,
        write: WriteOptions,
        told: &mut Vec<Notice>,
    ) -> Result<BuildOptions> {
        let crs = self.crs.as_ref().or(at.from.source.crs.as_ref());
        let mut system = |text: &String| reference(text, at.folder, told);
        Ok(BuildOptions {
            crs: crs.map(&mut system).transpose()?,
            to: self.to.as_ref().map(&mut system).transpose()?,
            epoch: self.epoch,
            select: self.chosen(at, told)?,
            table: at.from.table(),
            write,
            layer: Some(at.name.to_string()),
            rejects: None,
        })
    }

    fn chosen(&self, at: &At<'_>, told: &mut Vec<Notice>) -> Result<Selection> {
        let (selection, notices) = self.selection(at.folder)?;
        told.extend(notices);
        Ok(selection)
    }
}

fn reference(text: &str, folder: &Path, told: &mut Vec<Notice>) -> Result<Crs> {
    let (crs, notice) = read_reference(text, folder)?;
    told.extend(notice);
    Ok(crs)
}
