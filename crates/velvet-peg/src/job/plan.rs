//! What a job will do, told without doing it: every source can be opened, every word of every
//! step can be read and finds its columns, as far as they are known before the steps run, and
//! every output can be written.

use super::file::{Job, JobOutput, Step};
use super::run::RunOptions;
use super::staged::{folder_of, within};
use super::step::Named;
use super::words::StepKind;
use crate::error::{Error, Result};
use crate::format::{Capability, Format};
use crate::layer::LayerInfo;
use crate::reference::{read_reference, read_reference_for};
use crate::select::Selection;
use crate::table::{TableFile, position};
use arrow_schema::SchemaRef;
use indexmap::IndexMap;
use std::path::{Path, PathBuf};
use velvet_peg_core::{Crs, LengthUnit};

/// What a job will do, told without doing it.
#[derive(Clone, Debug)]
pub struct JobPlan {
    /// Each line of the plan: what, and its details.
    pub lines: Vec<(String, String)>,
    /// Files that are there and would be replaced.
    pub replaces: Vec<PathBuf>,
}

/// What is known of a source, or of what a step will make, before anything has run.
enum Known {
    /// A table with these columns.
    Table(Vec<String>),
    /// A layer, and how it is put together; unknown of most that steps make.
    Layer(Option<LayerInfo>),
}

impl Known {
    fn columns(&self) -> Option<Vec<String>> {
        match self {
            Known::Table(headers) => Some(headers.clone()),
            Known::Layer(info) => info
                .as_ref()
                .map(|info| info.schema.fields().iter().map(|f| f.name().clone()).collect()),
        }
    }

    fn is_table(&self) -> bool {
        matches!(self, Known::Table(_))
    }
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
        let mut plan = JobPlan { lines: Vec::new(), replaces: Vec::new() };
        let sources = self.sources(&folder, options)?;
        let mut known: IndexMap<String, Known> = IndexMap::new();
        for (name, named) in &sources {
            let blame = |error: Error| self.places.blame(&format!("sources.{name}"), error);
            let (found, what) = open(named, &folder).map_err(blame)?;
            let shown = inside(&named.path, &folder);
            plan.lines.push((format!("read {name}"), format!("{shown} ({what})")));
            known.insert(name.clone(), found);
        }
        for (number, step) in self.steps.iter().enumerate() {
            let checking = Checking { job: self, number, step, folder: &folder };
            let made = checking.check(&known, sources.get(&step.from))?;
            known.insert(self.name_of(number), made);
            let with = step.with.as_ref().map_or(String::new(), |with| format!(" with {with}"));
            plan.lines.push((
                format!("{} {}", step.kind, step.from),
                format!("{with} → {}", self.name_of(number)).trim_start().to_string(),
            ));
        }
        self.plan_checks(&known, &folder, &mut plan)?;
        self.plan_outputs(&known, &folder, options, &mut plan)?;
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
                self.places.blame(&format!("checks.{number}.{word}"), format!("check: {error}"))
            };
            for name in &check.of {
                if known[name].is_table() {
                    let what = format!("`{name}` is a table, and layers are what is checked");
                    return Err(blame("of", Error::usage(what)));
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
                self.places.blame(&format!("outputs.{number}.{word}"), format!("output: {error}"))
            };
            if let Some(name) = output.from.iter().find(|name| known[*name].is_table()) {
                let what = format!("`{name}` is a table: make features of it by a step first");
                return Err(blame("from", Error::usage(what)));
            }
            let again = paths.contains(&path);
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
    if named.is_table()? {
        let headers = TableFile::open(&named.path, &named.table())?.rows()?.headers;
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

/// Finds columns by their names.
fn find<'a>(columns: &[String], names: impl IntoIterator<Item = &'a String>) -> Result<()> {
    names.into_iter().try_for_each(|name| position(columns, name, None).map(drop))
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
    let format = Format::of(path)?;
    if !Capability::of(format).writes {
        return Err(Error::usage(format!("{} is read, not written", format.name())).in_file(path));
    }
    match (output.from.len() > 1 || again) && format != Format::GeoPackage {
        true => {
            let what = "several layers go into one file only as a GeoPackage (.gpkg)";
            Err(Error::usage(what).in_file(path))
        }
        false => Ok(()),
    }
}

/// One step that is looked at before it runs.
struct Checking<'a> {
    job: &'a Job,
    number: usize,
    step: &'a Step,
    folder: &'a Path,
}

impl Checking<'_> {
    /// An error in a word of the step.
    fn blame(&self, word: &str, error: impl std::fmt::Display) -> Error {
        let what = format!("step {} ({}): {error}", self.number + 1, self.step.kind);
        self.job.places.blame(&format!("steps.{}.{word}", self.number), what)
    }

    /// Looks at everything that can be looked at; gives what is known of the result.
    fn check(&self, known: &IndexMap<String, Known>, source: Option<&Named>) -> Result<Known> {
        let step = self.step;
        let from = &known[&step.from];
        let with = step.with.as_ref().map(|with| &known[with]);
        self.kinds(from, with)?;
        let systems = self.systems(source)?;
        self.columns(from, with)?;
        if let Some(unit) = &step.unit {
            LengthUnit::named(unit).map_err(|error| self.blame("unit", error))?;
        }
        for (word, units) in [
            ("length-units", Step { length_units: step.length_units.clone(), ..Step::default() }),
            ("area-units", Step { area_units: step.area_units.clone(), ..Step::default() }),
        ] {
            units.measures(None).map_err(|error| self.blame(word, error))?;
        }
        let schema = self.selected(from)?;
        let (Known::Layer(Some(info)), Some(schema)) = (from, schema) else {
            return Ok(Known::Layer(None));
        };
        let info = LayerInfo { schema, ..info.clone() };
        Ok(Known::Layer(match step.kind.as_str() {
            "fields" => Some(info),
            "declare" => Some(LayerInfo { crs: systems.crs, ..info }),
            "convert" => systems.to.map(|to| LayerInfo { crs: Some(to), ..info }),
            _ => None,
        }))
    }

    /// Plans the selection word by word; gives the columns that come out, if those that go in
    /// are known.
    fn selected(&self, from: &Known) -> Result<Option<SchemaRef>> {
        type Add = fn(&mut Step, &Step);
        let words: [(&str, Add); 10] = [
            ("where", |step, all| step.condition.clone_from(&all.condition)),
            ("set", |step, all| step.set.clone_from(&all.set)),
            ("constant", |step, all| step.constant.clone_from(&all.constant)),
            ("coords", |step, all| step.coords.clone_from(&all.coords)),
            ("keep", |step, all| step.keep.clone_from(&all.keep)),
            ("drop", |step, all| step.drop.clone_from(&all.drop)),
            ("first", |step, all| step.first.clone_from(&all.first)),
            ("rename", |step, all| step.rename.clone_from(&all.rename)),
            ("round", |step, all| step.round.clone_from(&all.round)),
            ("format", |step, all| step.format.clone_from(&all.format)),
        ];
        let mut step = Step::default();
        let mut schema = None;
        for (word, add) in words {
            add(&mut step, self.step);
            let plan = || {
                let (selection, _) = step.selection(self.folder)?;
                Ok(match from {
                    Known::Layer(Some(info)) => Some(selection.plan(info)?.schema),
                    // Other features than points have other columns than their rows.
                    Known::Table(headers) if self.step.kind == "points" => {
                        selection.readable(Some(headers))?;
                        None
                    }
                    _ => {
                        selection.readable(None)?;
                        None
                    }
                })
            };
            schema = plan().map_err(|error: Error| self.blame(word, error))?;
        }
        Ok(schema)
    }

    /// Steps start from tables or layers, each as it can.
    fn kinds(&self, from: &Known, with: Option<&Known>) -> Result<()> {
        let step = self.step;
        let Some(kind) = StepKind::named(&step.kind) else { return Ok(()) };
        let name = |table: bool| if table { "a table" } else { "a layer" };
        if from.is_table() != kind.from_table {
            let what = format!(
                "it starts from {}, but `{}` is {}",
                name(kind.from_table),
                step.from,
                name(from.is_table())
            );
            return Err(self.blame("from", what));
        }
        if step.kind == "tag" && with.is_some_and(Known::is_table) {
            let with = step.with.as_deref().unwrap_or_default();
            let what = format!("points are tagged from polygons, but `{with}` is a table");
            return Err(self.blame("with", what));
        }
        Ok(())
    }

    /// Reference systems can be read; of those that depend on where the data lies, only for a
    /// source.
    fn systems(&self, source: Option<&Named>) -> Result<Systems> {
        let step = self.step;
        let mut systems = Systems::default();
        for (word, text, system) in [
            ("crs", &step.crs, &mut systems.crs),
            ("to", &step.to, &mut systems.to),
            ("grid", &step.grid, &mut systems.grid),
        ] {
            let Some(text) = text else { continue };
            let placed = ["utm", "state-plane", "state-plane-m"].contains(&text.as_str());
            let read = match (placed, source) {
                (false, _) => read_reference(text, self.folder),
                (true, Some(source)) if !source.is_table()? => source
                    .layer(self.folder)
                    .and_then(|reader| read_reference_for(text, self.folder, &reader)),
                (true, Some(_)) => Err(Error::usage(format!(
                    "`{text}` is told from where a layer lies: build features first, and convert \
                     them in a step of its own"
                ))),
                (true, None) => continue,
            };
            *system = Some(read.map_err(|error| self.blame(word, error))?.0);
        }
        Ok(systems)
    }

    /// Columns are there.
    fn columns(&self, from: &Known, with: Option<&Known>) -> Result<()> {
        let step = self.step;
        let words = [
            ("x", &step.x),
            ("y", &step.y),
            ("z", &step.z),
            ("geometry", &step.geometry),
            ("order", &step.order),
            ("part", &step.part),
            ("ring", &step.ring),
            ("bearing", &step.bearing),
            ("distance", &step.distance),
            ("radius", &step.radius),
            ("delta", &step.delta),
            ("turn", &step.turn),
            ("on", &step.on),
        ];
        if let Some(columns) = from.columns() {
            for (word, name) in words {
                find(&columns, name).map_err(|error| self.blame(word, error))?;
            }
            find(&columns, &step.by).map_err(|error| self.blame("by", error))?;
        }
        if let Some(columns) = with.and_then(Known::columns) {
            let key = step.key.as_ref().or(step.on.as_ref());
            let word = if step.key.is_some() { "key" } else { "on" };
            find(&columns, key).map_err(|error| self.blame(word, error))?;
            find(&columns, &step.columns).map_err(|error| self.blame("columns", error))?;
        }
        Ok(())
    }
}

/// The reference systems that a step names.
#[derive(Default)]
struct Systems {
    crs: Option<Crs>,
    to: Option<Crs>,
    grid: Option<Crs>,
}
