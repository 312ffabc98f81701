//! Running one step of a job: from files in the work folder to a file in it.

use super::file::JobSource;
use super::map_part::MapPart;
use super::step_schema::Step;
use crate::convert::{ConvertLayer, Way, route_notices};
use crate::crs::reference::{read_reference, read_reference_for};
use crate::crs::{declare_watched, read_reference_for_raster};
use crate::draw::MapRaster;
use crate::error::{Error, Result};
use crate::features::{BuildOptions, Closure};
use crate::format_support::ReadOptions;
use crate::format_support::{TableOptions, WriteOptions};
use crate::input::format_of;
use crate::join::JoinTable;
use crate::layer_io::LayerReader;
use crate::measure::MeasureColumns;
use crate::notice::{Notice, NoticeKind};
use crate::outcome::Summary;
use crate::progress::Progress;
use crate::raster::{RasterFormat, RasterReader, RasterSummary};
use crate::select::Selection;
use crate::table::TableFile;
use crate::tag::{TagFromRaster, TagPoints};
use std::path::{Path, PathBuf};
use velvet_peg_core::{Converter, Crs};

/// Which way a step carries coordinates.
macro_rules! way_of {
    ($step:expr) => {
        Way {
            epoch: $step.epoch.map(|epoch| epoch.year()),
            operations: $step.operations.iter().map(|operation| operation.code()).collect(),
            require_best: $step.require_best,
        }
    };
}
pub(super) use way_of;

/// A source or the result of a step, as later steps find it.
#[derive(Clone, Debug)]
pub(super) struct Named {
    pub(super) path: PathBuf,
    pub(super) source: JobSource,
    /// The step that made it.
    pub(super) step: Option<String>,
}

impl Named {
    /// How it is read as a table.
    pub(super) fn table(&self) -> TableOptions {
        let source = &self.source;
        TableOptions {
            delimiter: source.delimiter,
            encoding: source.encoding.clone(),
            quoting: source.quote,
            no_header: source.no_header,
            header: source.header,
            widths: source.widths.clone(),
            names: source.names.clone(),
            skip_lines: source.skip_lines,
            comment: source.comment,
            // A table of attributes is named as the layer that it is in its file.
            sheets: match (&source.layer, source.sheets.is_empty()) {
                (Some(layer), true) => vec![layer.clone()],
                _ => source.sheets.clone(),
            },
            same: source.same.clone().into_iter().collect(),
            all_sheets: source.all_sheets,
            header_row: source.header_row,
            ..TableOptions::default()
        }
    }

    /// True if it is a raster.
    pub(super) fn is_raster(&self) -> bool {
        RasterFormat::of_file(&self.path).is_some()
    }

    /// Opens it as a raster.
    pub(super) fn raster(&self, folder: &Path) -> Result<RasterReader> {
        let mut reader = RasterReader::open(&self.path)?;
        if let Some(step) = &self.step {
            reader = reader.called(step);
        }
        if let Some(crs) = &self.source.crs {
            reader.assume(read_reference(crs, folder)?.0);
        }
        Ok(reader)
    }

    /// Opens it as a part of a map.
    pub(super) fn part(&self, folder: &Path) -> Result<MapPart> {
        match self.is_raster() {
            true => Ok(MapPart::Raster(Box::new(MapRaster::new(self.raster(folder)?)?))),
            false => Ok(MapPart::Layer(Box::new(self.layer(folder)?))),
        }
    }

    /// Opens it as a layer, a raster as its outline.
    pub(super) fn layer(&self, folder: &Path) -> Result<LayerReader> {
        if self.is_raster() {
            let outline = self.raster(folder)?.outline()?;
            return Ok(LayerReader::of_layer(&outline, &self.path));
        }
        let source = &self.source;
        let mut options = ReadOptions {
            encoding: source.encoding.clone(),
            blocks: source.blocks,
            foreign_members: source.foreign_members,
            ..ReadOptions::default()
        };
        options.tolerance = source.tolerance.unwrap_or(options.tolerance);
        let named = match (&source.layer, source.sheets.as_slice()) {
            (None, [one]) => Some(one),
            (layer, _) => layer.as_ref(),
        };
        let named = named.map(String::as_str);
        let mut reader = LayerReader::open_with(&self.path, named, &options)?;
        if let Some(crs) = &self.source.crs {
            reader.assume(read_reference(crs, folder)?.0);
        }
        Ok(reader)
    }

    /// The system that a text names for it, which may depend on where it lies.
    pub(super) fn system(&self, text: &str, folder: &Path) -> Result<(Crs, Vec<Notice>)> {
        if self.is_raster() {
            return read_reference_for_raster(text, folder, &self.raster(folder)?);
        }
        let (crs, notice) = read_reference_for(text, folder, &self.layer(folder)?)?;
        Ok((crs, notice.into_iter().collect()))
    }

    /// True if it is a table, not a layer.
    pub(super) fn is_table(&self) -> Result<bool> {
        Ok(!self.is_raster() && format_of(&self.path)?.is_table())
    }
}

/// What a step has made.
pub(super) enum Made {
    /// What became of the rows or features, and the closures of courses.
    Features(Box<Summary>, Vec<Closure>),
    Raster(Box<RasterSummary>),
}

/// Puts what was told of the reference systems, and of the way, before what was noticed on it.
pub(super) fn tell(notices: &mut Vec<Notice>, told: Vec<Notice>, converter: Option<&Converter>) {
    let mut before = told;
    if let Some(converter) = converter {
        let by = format!("by {}", converter.route().summary());
        before.push(Notice::note(NoticeKind::Carried, by));
        before.extend(route_notices(converter));
    }
    notices.splice(..0, before);
}

/// A reference system of a step.
#[derive(Clone, Debug)]
pub(super) enum System {
    /// One that is known before anything runs.
    Known(Crs),
    /// One that is told from where the data lies, when it is there.
    OfData(String),
}

/// A step with all that could be told before anything ran: what planning has looked at is what is
/// run.
#[derive(Clone, Debug)]
pub(super) struct PlannedStep {
    pub(super) step: Step,
    pub(super) crs: Option<System>,
    pub(super) to: Option<System>,
    pub(super) grid: Option<System>,
    pub(super) selection: Selection,
    /// What is worth knowing of the reference systems.
    pub(super) notices: Vec<Notice>,
}

/// Where a step runs.
pub(super) struct At<'a> {
    /// Folder of the job file.
    pub(super) folder: &'a Path,
    pub(super) from: &'a Named,
    pub(super) with: Option<&'a Named>,
    /// The raster that the output is aligned with.
    pub(super) align: Option<&'a Named>,
    /// Name of the result.
    pub(super) name: &'a str,
    pub(super) out: &'a Path,
}

impl System {
    /// The system, for what the step starts from.
    pub(super) fn of(&self, at: &At<'_>, told: &mut Vec<Notice>) -> Result<Crs> {
        match self {
            System::Known(crs) => Ok(crs.clone()),
            System::OfData(text) => {
                let (crs, notices) = at.from.system(text, at.folder)?;
                told.extend(notices);
                Ok(crs)
            }
        }
    }

    /// The system of a table, which is never told from where it lies.
    fn of_table(&self) -> Result<Crs> {
        match self {
            System::Known(crs) => Ok(crs.clone()),
            System::OfData(text) => {
                Err(Error::usage(format!("`{text}` is told from where a layer lies")))
            }
        }
    }
}

impl PlannedStep {
    /// Runs the step.
    pub(super) fn run(&self, at: &At<'_>, watch: &mut dyn Progress) -> Result<Made> {
        match at.from.is_raster() {
            true => self.run_on_raster(at, watch).map(|made| Made::Raster(Box::new(made))),
            false => self.run_on_features(at, watch),
        }
    }

    fn run_on_features(&self, at: &At<'_>, watch: &mut dyn Progress) -> Result<Made> {
        let mut told = self.notices.clone();
        let mut closures = Vec::new();
        let write = WriteOptions { layer: Some(at.name.to_string()), ..WriteOptions::default() };
        let with = || at.with.ok_or_else(|| Error::usage("the step needs `with`"));
        let mut summary = match &self.step {
            Step::Declare(_) => {
                let reader = at.from.layer(at.folder)?;
                let crs = self.crs.as_ref().ok_or_else(|| Error::usage("the step needs `crs`"))?;
                declare_watched(&reader, &crs.of(at, &mut told)?, at.out, &write, watch)?
            }
            Step::Convert(step) => {
                let reader = at.from.layer(at.folder)?;
                let target = self.to.as_ref().map(|to| to.of(at, &mut told)).transpose()?;
                let select = self.selection.clone();
                ConvertLayer { target, way: way_of!(step), select, write, rejects: None }
                    .run_watched(&reader, at.out, watch)?
            }
            Step::Fields(_) => {
                let reader = match at.from.is_table()? {
                    true => {
                        LayerReader::of_table(TableFile::open(&at.from.path, &at.from.table())?)?
                    }
                    false => at.from.layer(at.folder)?,
                };
                let select = self.selection.clone();
                ConvertLayer { select, write, ..ConvertLayer::default() }
                    .run_watched(&reader, at.out, watch)?
            }
            Step::Join(step) => {
                let with = with()?;
                let table_layer = with.source.layer.clone();
                let job = JoinTable { table: with.table(), table_layer, write, ..step.join() };
                job.run_watched(at.from.layer(at.folder)?, &with.path, at.out, watch)?.0
            }
            Step::Tag(step) if with()?.is_raster() => {
                let raster = with()?.raster(at.folder)?;
                let job = TagFromRaster { write, ..step.values_of(&raster)? };
                job.run_watched(at.from.layer(at.folder)?, raster, at.out, watch)?.0
            }
            Step::Tag(step) => {
                let polygons = with()?.layer(at.folder)?;
                let job = TagPoints { write, ..step.tag() };
                job.run_watched(at.from.layer(at.folder)?, &polygons, at.out, watch)?.0
            }
            Step::Measure(step) => {
                let reader = at.from.layer(at.folder)?;
                let grid = self.grid.as_ref().map(|grid| grid.of(at, &mut told)).transpose()?;
                MeasureColumns { write, ..step.measures(grid) }
                    .run_watched(reader, at.out, watch)?
            }
            Step::Points(_)
            | Step::Features(_)
            | Step::Lines(_)
            | Step::Polygons(_)
            | Step::Courses(_) => {
                let options = self.options(at, write)?;
                let (summary, found) = self.step.build(options, &at.from.path, at.out, watch)?;
                closures = found;
                summary
            }
        };
        tell(&mut summary.notices, told, summary.converter.as_ref());
        Ok(Made::Features(Box::new(summary), closures))
    }

    fn options(&self, at: &At<'_>, write: WriteOptions) -> Result<BuildOptions> {
        // What the step does not say, its source may.
        let crs = match (&self.crs, &at.from.source.crs) {
            (Some(crs), _) => Some(crs.of_table()?),
            (None, Some(text)) => Some(read_reference(text, at.folder)?.0),
            (None, None) => None,
        };
        let way = match &self.step {
            Step::Points(step) => way_of!(step),
            Step::Features(step) => way_of!(step),
            Step::Lines(step) => way_of!(step),
            Step::Polygons(step) => way_of!(step),
            Step::Courses(step) => way_of!(step),
            // These build nothing of a table.
            Step::Declare(_)
            | Step::Convert(_)
            | Step::Fields(_)
            | Step::Join(_)
            | Step::Tag(_)
            | Step::Measure(_) => Way::default(),
        };
        Ok(BuildOptions {
            crs,
            to: self.to.as_ref().map(System::of_table).transpose()?,
            way,
            select: self.selection.clone(),
            table: at.from.table(),
            write,
            layer: Some(at.name.to_string()),
            rejects: None,
        })
    }
}
