//! What a job will do, told without doing it: every source can be opened, every word of every
//! step can be read and finds its columns, as far as they are known before the steps run, and
//! every output can be written.

use super::file::{Job, JobOutput, JobSource};
use super::pending_outputs::{folder_of, within};
use super::plan_step::{Checking, Known, find};
use super::run::RunOptions;
use super::run_step::{Named, PlannedStep};
use crate::crs::reference::read_reference;
use crate::error::{Error, Result};
use crate::format::Format;
use crate::select::Selection;
use crate::table::TableFile;
use indexmap::IndexMap;
use std::path::{Path, PathBuf};
use velvet_peg_core::Crs;

/// What a job will do, told without doing it.
#[derive(Clone, Debug)]
pub struct JobPlan {
    /// Each line of the plan: what, and its details.
    pub lines: Vec<(String, String)>,
    /// Files that are there and would be replaced.
    pub replaces: Vec<PathBuf>,
    /// Places outside of the job's folder that it writes to.
    pub outside: Vec<PathBuf>,
    /// The steps as they will be run.
    pub(super) steps: Vec<PlannedStep>,
}

impl Job {
    /// Validates the job against what is there, and tells what it will do: every source can be
    /// opened, every reference system is known, conditions, units and formats can be read,
    /// columns are there as far as they are known before the steps run, and every output can
    /// be written.
    ///
    /// # Errors
    /// If something of this is not so; with line and column, if the job was read from a text.
    pub fn plan(&self, file: &Path, options: &RunOptions) -> Result<JobPlan> {
        let folder = folder_of(file);
        let mut plan = JobPlan {
            lines: Vec::new(),
            replaces: Vec::new(),
            outside: self.writes_outside(file, options)?,
            steps: Vec::new(),
        };
        let sources = self.sources(&folder, options)?;
        let mut known: IndexMap<String, Known> = IndexMap::new();
        for (name, named) in &sources {
            let blame = |error: Error| self.spans.blame(&format!("sources.{name}"), error);
            let (found, what) = open(named, &folder).map_err(blame)?;
            let shown = inside(&named.path, &folder);
            plan.lines.push((format!("read {name}"), format!("{shown} ({what})")));
            known.insert(name.clone(), found);
        }
        for (number, step) in self.steps.iter().enumerate() {
            let checking = Checking { job: self, number, step, folder: &folder };
            let (planned, made) = checking.check(&known, sources.get(step.from()))?;
            known.insert(self.name_of(number), made);
            plan.steps.push(planned);
            let with = step.with().map_or(String::new(), |with| format!(" with {with}"));
            plan.lines.push((
                format!("{} {}", step.kind().name, step.from()),
                format!("{with} → {}", self.name_of(number)).trim_start().to_string(),
            ));
        }
        self.plan_checks(&known, &folder, &mut plan)?;
        self.plan_outputs(&known, &folder, options, &mut plan)?;
        self.refuse_overwritten(file, options)?;
        Ok(plan)
    }

    fn plan_checks(
        &self,
        known: &IndexMap<String, Known>,
        folder: &Path,
        plan: &mut JobPlan,
    ) -> Result<()> {
        for (number, check) in self.checks.iter().enumerate() {
            let blame = |word: &str, error: Error| {
                self.spans.blame(&format!("checks.{number}.{word}"), format!("check: {error}"))
            };
            for name in &check.of {
                if known[name].is_table() {
                    let what = format!("`{name}` is a table, and layers are what is checked");
                    return Err(blame("of", Error::usage(what)));
                }
                let of_features = [
                    ("key", !check.key.is_empty()),
                    ("complete", !check.complete.is_empty()),
                    ("count", check.count.is_some()),
                    ("every", check.every.is_some()),
                ];
                let said = of_features.into_iter().find(|(_, said)| *said);
                if let (true, Some((word, _))) = (known[name].is_raster(), said) {
                    let what = format!("`{word}` is for features, and `{name}` is a raster");
                    return Err(blame(word, Error::usage(what)));
                }
                let Some(columns) = known[name].columns() else { continue };
                for (word, wanted) in [("key", &check.key), ("complete", &check.complete)] {
                    find(&columns, wanted.iter()).map_err(|error| blame(word, error))?;
                }
            }
            if let Some(crs) = &check.crs {
                read_reference(crs, folder).map_err(|error| blame("crs", error))?;
            }
            if let Some(every) = &check.every {
                let condition =
                    Selection { condition: Some(every.clone()), ..Selection::default() };
                for name in &check.of {
                    match &known[name] {
                        Known::Layer(Some(info)) => condition.plan(info).map(drop),
                        _ => condition.readable(None),
                    }
                    .map_err(|error| blame("every", error))?;
                }
            }
            plan.lines.push(("check".to_string(), check.of.join(", ")));
        }
        Ok(())
    }

    fn plan_outputs(
        &self,
        known: &IndexMap<String, Known>,
        folder: &Path,
        options: &RunOptions,
        plan: &mut JobPlan,
    ) -> Result<()> {
        let mut paths: Vec<PathBuf> = Vec::new();
        for (number, (output, path)) in self.targets(folder, options)?.into_iter().enumerate() {
            let blame = |word: &str, error: Error| {
                self.spans.blame(&format!("outputs.{number}.{word}"), format!("output: {error}"))
            };
            if let Some(name) = output.layers().find(|name| known[*name].is_table()) {
                let what = format!("`{name}` is a table: make features of it by a step first");
                return Err(blame("from", Error::usage(what)));
            }
            let before = output.map.as_ref().and_then(|map| map.before.as_ref());
            if let Some(name) = before.filter(|name| known[*name].is_raster()) {
                let what = format!("`{name}` is a raster: features are what moves");
                return Err(blame("map", Error::usage(what)));
            }
            let again = paths.contains(&path);
            of_its_kind(output, known).map_err(|error| blame("from", error))?;
            writable(output, &path, again).map_err(|error| blame("file", error))?;
            if path.exists() {
                plan.replaces.push(path.clone());
            }
            let parent = folder_of(&path);
            if parent.exists() && !parent.is_dir() {
                return Err(blame("file", Error::usage("its folder is a file").in_file(&path)));
            }
            let shown = inside(&path, folder);
            plan.lines.push((format!("write {shown}"), output.from.join(", ")));
            paths.push(path);
        }
        if let Some(pack) = &self.pack {
            let path = self.path(&pack.file, folder, &options.variables)?;
            let what = match pack.outputs.as_slice() {
                [] => "the outputs".to_string(),
                outputs => outputs
                    .iter()
                    .map(|name| {
                        let path = self.path(name, folder, &options.variables)?;
                        Ok(inside(&path, folder))
                    })
                    .collect::<Result<Vec<_>>>()?
                    .join(", "),
            };
            plan.lines.push((format!("pack {}", inside(&path, folder)), what));
            if path.exists() {
                plan.replaces.push(path);
            }
        }
        Ok(())
    }
}

/// A path as it is from the job's folder.
fn inside(path: &Path, folder: &Path) -> String {
    within(folder, path).unwrap_or(path).display().to_string()
}

/// Opens a source, and tells what it is.
fn open(named: &Named, folder: &Path) -> Result<(Known, String)> {
    if named.is_raster() {
        let known = JobSource {
            file: named.source.file.clone(),
            crs: named.source.crs.clone(),
            ..JobSource::default()
        };
        if named.source != known {
            return Err(Error::usage("a raster is a source with `file` and `crs` alone"));
        }
        let reader = named.raster(folder)?;
        let info = reader.info();
        let system = info.crs.as_ref().map_or("no reference system".to_string(), Crs::label);
        let what = format!("raster of {} × {} pixels, {system}", info.columns, info.rows);
        return Ok((Known::Raster, what));
    }
    if named.is_table()? {
        let headers = TableFile::open(&named.path, &named.table())?.rows()?.columns().to_vec();
        let what = format!("table of {} columns", headers.len());
        return Ok((Known::Table(headers), what));
    }
    let reader = named.layer(folder)?;
    let info = reader.info();
    let count = info.count.map_or(String::new(), |count| format!(", {count} features"));
    let system = info.crs.as_ref().map_or("no reference system".to_string(), Crs::label);
    let what = format!("layer {}{count}, {system}", info.name);
    Ok((Known::Layer(Some(info.clone())), what))
}

/// Rasters go to files of rasters, and layers to those of layers; maps and quality sheets are of both.
fn of_its_kind(output: &JobOutput, known: &IndexMap<String, Known>) -> Result<()> {
    let extension = output.file.rsplit('.').next().unwrap_or_default().to_ascii_lowercase();
    if output.is_map(&extension) || ["md", "html"].contains(&extension.as_str()) {
        return Ok(());
    }
    let raster = output.from.iter().find(|name| known[*name].is_raster());
    let layer = output.from.iter().find(|name| !known[*name].is_raster());
    let what = match (output.is_raster(), raster, layer) {
        (true, _, Some(layer)) => format!("`{layer}` is a layer, and .{extension} holds a raster"),
        (true, _, None) if output.from.len() > 1 => "a file holds one raster".to_string(),
        (false, Some(raster), _) => format!(
            "`{raster}` is a raster: it is written as GeoTIFF (.tif) or ASCII grid (.asc), or drawn \
             (.svg, .png, .html)"
        ),
        _ => return Ok(()),
    };
    Err(Error::usage(what))
}

/// An output of a kind that can be written, with what goes into it.
fn writable(output: &JobOutput, path: &Path, again: bool) -> Result<()> {
    let extension = path.extension().and_then(|e| e.to_str()).unwrap_or_default();
    let picture_or_sheet =
        ["svg", "png", "md", "html"].contains(&extension.to_ascii_lowercase().as_str());
    if picture_or_sheet {
        return match again {
            true => Err(Error::usage("another output is this file already").in_file(path)),
            false => Ok(()),
        };
    }
    if output.is_raster() {
        return match again {
            true => Err(Error::usage("another output is this file already").in_file(path)),
            false => Ok(()),
        };
    }
    let format = Format::of(path)?;
    if !format.capability().writes {
        return Err(Error::usage(format!("{} is read, not written", format.name())).in_file(path));
    }
    match (output.from.len() > 1 || again) && !format.keeps_other_layers() {
        true => {
            let what = "several layers go into one file only as a GeoPackage (.gpkg)";
            Err(Error::usage(what).in_file(path))
        }
        false => Ok(()),
    }
}
