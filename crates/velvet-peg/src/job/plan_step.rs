//! Looking at one step of a job before anything runs.

use super::file::Job;
use super::run_step::{Named, PlannedStep, System};
use super::step_schema::{StartsFrom, Step};
use crate::crs::reference::{depends_on_data, read_reference};
use crate::error::{Error, Result};
use crate::layer::LayerInfo;
use crate::layer::column_names::position;
use crate::notice::Notice;
use crate::select::Selection;
use arrow_schema::SchemaRef;
use indexmap::IndexMap;
use std::path::Path;

/// What is known of a source, or of what a step will make, before anything has run.
pub(super) enum Known {
    /// A table with these columns.
    Table(Vec<String>),
    /// A layer, and how it is put together; unknown of most that steps make.
    Layer(Option<LayerInfo>),
    /// A raster.
    Raster,
}

impl Known {
    pub(super) fn columns(&self) -> Option<Vec<String>> {
        match self {
            Known::Table(headers) => Some(headers.clone()),
            Known::Raster => None,
            Known::Layer(info) => info
                .as_ref()
                .map(|info| info.schema.fields().iter().map(|f| f.name().clone()).collect()),
        }
    }

    pub(super) fn is_table(&self) -> bool {
        matches!(self, Known::Table(_))
    }

    pub(super) fn is_raster(&self) -> bool {
        matches!(self, Known::Raster)
    }

    /// What it is, in words.
    fn name(&self) -> &'static str {
        match self {
            Known::Table(_) => StartsFrom::Table.name(),
            Known::Layer(_) => StartsFrom::Layer.name(),
            Known::Raster => "a raster",
        }
    }

    /// True for a layer of attributes alone, which is a table to those who build of it.
    fn is_bare(&self) -> bool {
        matches!(self, Known::Layer(Some(info)) if info.bare)
    }
}

/// Finds columns by their names.
pub(super) fn find<'a>(
    columns: &[String],
    names: impl IntoIterator<Item = &'a String>,
) -> Result<()> {
    names.into_iter().try_for_each(|name| position(columns, name, None).map(drop))
}

/// One step that is looked at before it runs.
pub(super) struct Checking<'a> {
    pub(super) job: &'a Job,
    pub(super) number: usize,
    pub(super) step: &'a Step,
    pub(super) folder: &'a Path,
}

/// The reference systems that a step names.
#[derive(Default)]
struct Systems {
    crs: Option<System>,
    to: Option<System>,
    grid: Option<System>,
    notices: Vec<Notice>,
}

impl Checking<'_> {
    /// An error in a word of the step.
    fn blame(&self, word: &str, error: impl std::fmt::Display) -> Error {
        let what = format!("step {} ({}): {error}", self.number + 1, self.step.kind().name);
        self.job.spans.blame(&format!("steps.{}.{word}", self.number), what)
    }

    /// Looks at everything that can be looked at; gives the step as it can be run, and what is known
    /// of the result.
    pub(super) fn check(
        &self,
        known: &IndexMap<String, Known>,
        source: Option<&Named>,
    ) -> Result<(PlannedStep, Known)> {
        let step = self.step;
        let from = &known[step.from()];
        let with = step.with().map(|with| &known[with]);
        self.kinds(from, with)?;
        self.words_of_rasters(from, with)?;
        if let Some(name) = step.align().filter(|name| !known[*name].is_raster()) {
            return Err(self.blame("align", format!("`{name}` is no raster to align with")));
        }
        let mut systems = self.systems(source)?;
        self.columns(from, with)?;
        let selected = step.selection(self.folder);
        let (selection, notices) = selected.map_err(|(word, error)| self.blame(word, error))?;
        systems.notices.extend(notices);
        let schema = self.selected(from, &selection)?;
        let told = |system: &Option<System>| match system {
            Some(System::Known(crs)) => Some(crs.clone()),
            Some(System::OfData(_)) | None => None,
        };
        let info = match (from, schema) {
            (Known::Layer(Some(info)), Some(schema)) => {
                let info = LayerInfo { schema, ..info.clone() };
                match step {
                    Step::Fields(_) => Some(info),
                    Step::Declare(_) => Some(LayerInfo { crs: told(&systems.crs), ..info }),
                    Step::Convert(_) => {
                        told(&systems.to).map(|to| LayerInfo { crs: Some(to), ..info })
                    }
                    // What comes out has other columns, which show when it is there.
                    _ => None,
                }
            }
            _ => None,
        };
        let Systems { crs, to, grid, notices } = systems;
        let made = if from.is_raster() { Known::Raster } else { Known::Layer(info) };
        let planned = PlannedStep { step: step.clone(), crs, to, grid, selection, notices };
        Ok((planned, made))
    }

    /// Plans the selection word by word; gives the columns that come out, if those that go in
    /// are known.
    fn selected(&self, from: &Known, all: &Selection) -> Result<Option<SchemaRef>> {
        type Add = fn(&mut Selection, &Selection);
        let words: [(&str, Add); 10] = [
            ("where", |part, all| part.condition.clone_from(&all.condition)),
            ("set", |part, all| part.set.clone_from(&all.set)),
            ("constant", |part, all| part.constant.clone_from(&all.constant)),
            ("coords", |part, all| part.coordinates.clone_from(&all.coordinates)),
            ("keep", |part, all| part.keep.clone_from(&all.keep)),
            ("drop", |part, all| part.drop.clone_from(&all.drop)),
            ("first", |part, all| part.first.clone_from(&all.first)),
            ("rename", |part, all| part.rename.clone_from(&all.rename)),
            ("round", |part, all| part.round.clone_from(&all.round)),
            ("format", |part, all| part.format.clone_from(&all.format)),
        ];
        let mut said = vec![""];
        self.step.each_word(&mut |word, _| said.push(word));
        let mut part = Selection::default();
        let mut schema = self.planned(from, &part).map_err(|error| self.blame("do", error))?;
        for (word, add) in words {
            if said.contains(&word) {
                add(&mut part, all);
                schema = self.planned(from, &part).map_err(|error| self.blame(word, error))?;
            }
        }
        Ok(schema)
    }

    fn planned(&self, from: &Known, selection: &Selection) -> Result<Option<SchemaRef>> {
        match from {
            Known::Layer(Some(info)) => Ok(Some(selection.plan(info)?.schema)),
            // Other features than points have other columns than their rows.
            Known::Table(headers) if matches!(self.step, Step::Points(_)) => {
                selection.readable(Some(headers)).map(|()| None)
            }
            Known::Table(_) | Known::Layer(None) => selection.readable(None).map(|()| None),
            Known::Raster => Ok(None),
        }
    }

    /// Steps start from tables or layers, each as it can.
    fn kinds(&self, from: &Known, with: Option<&Known>) -> Result<()> {
        let (step, starts) = (self.step, self.step.kind().starts_from);
        let fits = match starts {
            StartsFrom::Table => from.is_table() || from.is_bare(),
            StartsFrom::Layer => matches!(from, Known::Layer(_)),
            StartsFrom::LayerOrRaster => !from.is_table(),
            StartsFrom::Either => !from.is_raster(),
        };
        if !fits {
            let (starts, name, is) = (starts.name(), step.from(), from.name());
            return Err(
                self.blame("from", format!("it starts from {starts}, but `{name}` is {is}"))
            );
        }
        let Some((with, name)) = with.zip(step.with()) else { return Ok(()) };
        let what = match step {
            Step::Tag(_) if with.is_table() => "points are tagged from polygons or a raster",
            Step::Join(_) if with.is_raster() => "what is joined is a table or layer",
            _ => return Ok(()),
        };
        Err(self.blame("with", format!("{what}, but `{name}` is {}", with.name())))
    }

    /// Words that are for rasters are said of rasters, and those for features of features.
    fn words_of_rasters(&self, from: &Known, with: Option<&Known>) -> Result<()> {
        const OF_RASTERS: [&str; 4] = ["pixel", "extent", "align", "resample"];
        let features: &[&str] = match self.step {
            Step::Tag(_) => &["within", "tolerance", "distance-column"],
            _ => &["where", "set", "keep"],
        };
        let raster = match self.step {
            Step::Tag(_) => with.is_some_and(Known::is_raster),
            _ => from.is_raster(),
        };
        let (wrong, is) = match raster {
            true => (features, "a raster"),
            false => (&OF_RASTERS[..], "none"),
        };
        let mut said = None;
        self.step.each_word(&mut |word, value| {
            if wrong.contains(&word) && value.is_said() {
                said.get_or_insert(word);
            }
        });
        let Some(word) = said else { return Ok(()) };
        let of = match self.step {
            Step::Tag(step) => step.with.as_deref().unwrap_or_default(),
            step => step.from(),
        };
        let whose = if raster { "features" } else { "rasters" };
        Err(self.blame(word, format!("`{word}` is for {whose}, and `{of}` is {is}")))
    }

    /// Reference systems can be read; of those that depend on where the data lies, only for a
    /// source.
    fn systems(&self, source: Option<&Named>) -> Result<Systems> {
        let mut systems = Systems::default();
        let mut texts: Vec<(&str, &str)> = Vec::new();
        self.step.each_word(&mut |word, value| texts.extend(value.system().map(|s| (word, s))));
        for (word, text) in texts {
            let of_data = || System::OfData(text.to_string());
            let (system, told) = match (depends_on_data(text), source) {
                (false, _) => read_reference(text, self.folder)
                    .map(|(crs, notice)| (System::Known(crs), notice.into_iter().collect())),
                (true, Some(source)) if !source.is_table()? => {
                    source.system(text, self.folder).map(|(crs, told)| (System::Known(crs), told))
                }
                (true, Some(_)) => Err(Error::usage(format!(
                    "`{text}` is told from where a layer lies: build features first, and convert \
                     them in a step of its own"
                ))),
                (true, None) => Ok((of_data(), Vec::new())),
            }
            .map_err(|error| self.blame(word, error))?;
            systems.notices.extend(told);
            let place = match word {
                "crs" => &mut systems.crs,
                "to" => &mut systems.to,
                _ => &mut systems.grid,
            };
            *place = Some(system);
        }
        Ok(systems)
    }

    /// Columns are there.
    fn columns(&self, from: &Known, with: Option<&Known>) -> Result<()> {
        let (of_from, of_with) = (from.columns(), with.and_then(Known::columns));
        let mut failed = None;
        let mut look = |word: &str, columns: &Option<Vec<String>>, names: Vec<&str>| {
            let Some(columns) = columns else { return };
            let missing = names.into_iter().find_map(|name| position(columns, name, None).err());
            if let Some(error) = missing {
                failed.get_or_insert_with(|| self.blame(word, error));
            }
        };
        self.step.each_word(&mut |word, value| {
            look(word, &of_from, value.columns());
            look(word, &of_with, value.columns_of_with());
        });
        // A key that both have in common is named once.
        if let Step::Join(step) = self.step
            && step.key.is_none()
        {
            look("on", &of_with, step.on.iter().map(|on| &**on).collect());
        }
        failed.map_or(Ok(()), Err)
    }
}
