//! Looking at one step of a job before anything runs.

use super::file::{Job, Step};
use super::step::Named;
use super::words::StepKind;
use crate::error::{Error, Result};
use crate::layer::LayerInfo;
use crate::layer::column_names::position;
use crate::reference::{depends_on_data, read_reference, read_reference_for};
use arrow_schema::SchemaRef;
use indexmap::IndexMap;
use std::path::Path;
use velvet_peg_core::{Crs, LengthUnit};

/// What is known of a source, or of what a step will make, before anything has run.
pub(super) enum Known {
    /// A table with these columns.
    Table(Vec<String>),
    /// A layer, and how it is put together; unknown of most that steps make.
    Layer(Option<LayerInfo>),
}

impl Known {
    pub(super) fn columns(&self) -> Option<Vec<String>> {
        match self {
            Known::Table(headers) => Some(headers.clone()),
            Known::Layer(info) => info
                .as_ref()
                .map(|info| info.schema.fields().iter().map(|f| f.name().clone()).collect()),
        }
    }

    pub(super) fn is_table(&self) -> bool {
        matches!(self, Known::Table(_))
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

impl Checking<'_> {
    /// An error in a word of the step.
    fn blame(&self, word: &str, error: impl std::fmt::Display) -> Error {
        let what = format!("step {} ({}): {error}", self.number + 1, self.step.kind);
        self.job.places.blame(&format!("steps.{}.{word}", self.number), what)
    }

    /// Looks at everything that can be looked at; gives what is known of the result.
    pub(super) fn check(
        &self,
        known: &IndexMap<String, Known>,
        source: Option<&Named>,
    ) -> Result<Known> {
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
        let (mut step, mut before) = (Step::default(), None);
        let mut schema = None;
        for (word, add) in words {
            add(&mut step, self.step);
            // Words that are not said change nothing.
            if before.as_ref() == Some(&step) {
                continue;
            }
            before = Some(step.clone());
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
            let read = match (depends_on_data(text), source) {
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
