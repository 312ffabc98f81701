//! Running a job: validating, planning, the steps one after another in a folder of their own,
//! the checks, and the outputs, which take their places together at the end.
//!
//! Every step streams from file to file: what goes between them lies on disk, not in memory.

use super::file::{Job, JobOutput};
use super::log::{JobLog, LoggedNotice, LoggedStep, logged};
use super::pending_outputs::{PendingOutputs, folder_of, joined, within};
use super::plan::JobPlan;
use super::run_step::{At, Made, Named};
use super::side_files::with_side_files;
use crate::advice::Advice;
use crate::error::{Error, Result};
use crate::format::Format;
use crate::job::pack::{PackOptions, pack};
use crate::notice::Notice;
use crate::outcome::is_ours;
use crate::output::{TemporaryFolder, refuse_existing};
use crate::progress::{NoProgress, Progress};
use crate::raster::stale_beside;
use indexmap::IndexMap;
use std::path::{Path, PathBuf};
use std::time::Instant;

/// How a job is run.
#[derive(Clone, Debug, Default)]
pub struct RunOptions {
    /// Values of variables that replace the job's own.
    pub variables: Vec<(String, String)>,
    /// Replace the outputs of an earlier run.
    pub overwrite: bool,
    /// Write outputs that the job has outside of its folder.
    pub outside: bool,
    /// Where the log goes, whatever the job says.
    pub log: Option<PathBuf>,
    /// Where a report of the run goes: a page (`.html`) with what each step took, made and noticed.
    pub report: Option<PathBuf>,
    /// Where a page (`.html`) goes whose tabs are the results of the steps.
    pub map: Option<PathBuf>,
}

/// Hears how a job goes.
pub trait JobProgress {
    /// A step begins.
    fn begins(&mut self, number: usize, of: usize, kind: &str, name: &str);
    /// A step has ended.
    fn ended(&mut self, step: &LoggedStep);
    /// The watch of the step that runs.
    fn step(&mut self) -> &mut dyn Progress;
}

/// Shows nothing.
#[derive(Debug, Default)]
pub struct NoJobProgress(NoProgress);

impl JobProgress for NoJobProgress {
    fn begins(&mut self, _: usize, _: usize, _: &str, _: &str) {}
    fn ended(&mut self, _: &LoggedStep) {}
    fn step(&mut self) -> &mut dyn Progress {
        &mut self.0
    }
}

impl Job {
    /// Runs the job. Outputs appear only if every step ends and every check holds: they are
    /// written beside their places first, and take them together at the end.
    ///
    /// ```
    /// # let folder = tempfile::tempdir()?;
    /// # velvet_peg::demo::lay_out(folder.path(), false)?;
    /// # let file = |name: &str| folder.path().join(name);
    /// use velvet_peg::Job;
    /// use velvet_peg::job::RunOptions;
    /// let job = Job::parse(r#"
    ///     job = 1
    ///     [sources.fields]
    ///     file = "fields.geojson"
    ///     [[steps]]
    ///     do = "convert"
    ///     from = "fields"
    ///     to = "EPSG:2285"
    ///     as = "fields-sp"
    ///     [[outputs]]
    ///     file = "fields-sp.gpkg"
    ///     from = ["fields-sp"]
    /// "#)?;
    /// let log = job.run(&file("job.toml"), &RunOptions::default())?;
    /// assert_eq!((log.steps[0].rows_in, log.steps[0].out), (16, 16));
    /// assert!(file("fields-sp.gpkg").exists());
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// As [`Job::plan`]; if a step fails, or an output exists and is not to be overwritten. Checks
    /// that do not hold are no error: the log says so, and nothing is written but the log.
    pub fn run(&self, file: &Path, options: &RunOptions) -> Result<JobLog> {
        self.run_watched(file, options, &mut NoJobProgress::default())
    }

    /// As [`Job::run`], telling `watch` how far it has come.
    ///
    /// # Errors
    /// As [`Job::run`].
    pub fn run_watched(
        &self,
        file: &Path,
        options: &RunOptions,
        watch: &mut dyn JobProgress,
    ) -> Result<JobLog> {
        self.refuse_pages(options)?;
        let JobPlan { steps: planned, outside, .. } = self.plan(file, options)?;
        if let Some(first) = outside.first().filter(|_| !options.outside) {
            return Err(Error::usage(format!(
                "the job writes outside of its folder: {}{}. Nothing was done",
                first.display(),
                match outside.len() {
                    1 => String::new(),
                    more => format!(" and {} more", more - 1),
                }
            ))
            .advise(Advice::Outside));
        }
        let folder = folder_of(file);
        let targets = self.targets(&folder, options)?;
        for (_, path) in &targets {
            refuse_existing(path, options.overwrite)?;
        }
        let pack_to = match &self.pack {
            Some(pack) => Some(self.path(&pack.file, &folder, &options.variables)?),
            None => None,
        };
        if let Some(path) = &pack_to {
            refuse_existing(path, options.overwrite)?;
        }
        let mut log = JobLog { title: self.title.clone(), ..JobLog::begun() };
        let mut known = self.sources(&folder, options)?;
        self.log_inputs(&known, &mut log)?;
        let work = TemporaryFolder::new()?;
        let mut rejects: Vec<(String, PathBuf)> = Vec::new();
        for (number, planned) in planned.iter().enumerate() {
            let (name, step) = (self.name_of(number), &planned.step);
            let kind = step.kind().name;
            watch.begins(number + 1, self.steps.len(), kind, &name);
            let ending = if known[step.from()].is_raster() { "tif" } else { "gpkg" };
            let out = work.path().join(format!("{}.{ending}", number + 1));
            let at = At {
                folder: &folder,
                from: &known[step.from()],
                with: step.with().map(|with| &known[with]),
                align: step.align().map(|align| &known[align]),
                name: &name,
                out: &out,
            };
            let began = Instant::now();
            let run = planned.run(&at, watch.step());
            let made = run.map_err(|error| {
                // Files of the job's own folder are known by the names of their steps.
                let own = |file: &&PathBuf| file.starts_with(work.path());
                let error = match error.location().file.clone().as_ref().filter(own) {
                    Some(file) => error.shown_as(file, Path::new(step.from())),
                    None => error,
                };
                let what = format!("step {} ({kind} → {name}): {error}", number + 1);
                self.spans.blame(&format!("steps.{number}.do"), what).of_memory(&error)
            })?;
            let mut logged = match &made {
                Made::Features(outcome, closures) => {
                    LoggedStep::of(kind, &name, outcome).with_closures(closures)
                }
                Made::Raster(outcome) => LoggedStep::of_raster(kind, &name, outcome),
            };
            logged.seconds = began.elapsed().as_secs_f64();
            watch.ended(&logged);
            log.steps.push(logged);
            if let Made::Features(outcome, _) = made
                && let Some(path) = outcome.rejected.path
            {
                rejects.push((name.clone(), path));
            }
            let source = super::file::JobSource { layer: None, ..Default::default() };
            known.insert(name.clone(), Named { path: out, source, step: Some(name) });
        }
        self.hold(&folder, &known, &mut log)?;
        if log.holds() {
            self.publish(
                &known,
                &targets,
                pack_to.as_deref(),
                &rejects,
                (&folder, options),
                &mut log,
            )?;
        }
        let pages = self.write_pages(&folder, &known, options, &mut log, watch.step());
        log.finish();
        let to = self.log_path(file, &folder, options)?;
        log.save(&to)?;
        // What was done before is in the log, whatever becomes of the pages.
        pages?;
        log.file = Some(to);
        Ok(log)
    }

    /// Writes down the files that the job reads.
    fn log_inputs(&self, known: &IndexMap<String, Named>, log: &mut JobLog) -> Result<()> {
        for (name, named) in known {
            for path in with_side_files(&named.path) {
                let main = path == named.path;
                let shown = Path::new(&self.sources[name].file);
                let shown = match main {
                    true => shown.to_path_buf(),
                    false => shown.with_file_name(path.file_name().unwrap_or_default()),
                };
                if !log.inputs.iter().any(|input| input.path == shown) {
                    log.inputs.push(logged(&path, &shown)?);
                }
            }
        }
        Ok(())
    }

    /// Writes the outputs, the rejects and the pack, all of which then take their places together.
    fn publish(
        &self,
        known: &IndexMap<String, Named>,
        targets: &[(&JobOutput, PathBuf)],
        pack_to: Option<&Path>,
        rejects: &[(String, PathBuf)],
        (folder, options): (&Path, &RunOptions),
        log: &mut JobLog,
    ) -> Result<()> {
        let mut staged = PendingOutputs::default();
        for (number, (output, path)) in targets.iter().enumerate() {
            let shown = within(folder, path).unwrap_or(path).display().to_string();
            let notices =
                self.write(output, path, &shown, known, folder, &mut staged).map_err(|error| {
                    let what = format!("output {shown}: {error}");
                    self.spans.blame(&format!("outputs.{number}.file"), what)
                })?;
            log.notices.extend(notices.into_iter().map(|notice| LoggedNotice {
                output: Some(shown.clone()),
                severity: notice.severity,
                text: notice.text,
            }));
        }
        let rejects_to = self.rejects_folder(folder, options)?;
        let mut stale = Vec::new();
        if let Some(to) = rejects_to {
            for number in 0..self.steps.len() {
                let name = self.name_of(number);
                let target = joined(&to, format!("{name}.rejects.csv"));
                match rejects.iter().find(|(other, _)| *other == name) {
                    Some((_, path)) => {
                        let at = staged.place(&target)?;
                        std::fs::copy(path, &at)
                            .map_err(|e| Error::file(&target, "cannot be written", e))?;
                    }
                    // Those of an earlier run tell of rows that are none any more.
                    None if options.overwrite && is_ours(&target) => stale.push(target),
                    None => {}
                }
            }
        }
        if let (Some(to), Some(asked)) = (pack_to, &self.pack) {
            let wanted = |output: &JobOutput| {
                asked.outputs.is_empty() || asked.outputs.contains(&output.file)
            };
            let files: Vec<PathBuf> = targets
                .iter()
                .filter(|(output, _)| wanted(output))
                .map(|(_, path)| staged.at(path))
                .collect();
            let target = staged.place(to)?;
            let pack_options = PackOptions {
                title: self.title.clone(),
                date: self.date.clone(),
                ..PackOptions::default()
            };
            pack(&files, &target, &pack_options)?;
        }
        if options.overwrite {
            for (output, path) in targets {
                let waiting = staged.beside(path)?;
                let mut parts = match Format::of(path) {
                    Ok(format) => format.description().stale_parts(path, &waiting),
                    Err(_) if output.is_raster() => stale_beside(path, &waiting),
                    Err(_) => continue,
                };
                parts.retain(|part| !stale.contains(part));
                let shown = within(folder, path).unwrap_or(path).display().to_string();
                let told = Notice::of_removed(&parts);
                log.notices.extend(told.map(|notice| LoggedNotice {
                    output: Some(shown),
                    severity: notice.severity,
                    text: notice.text,
                }));
                stale.extend(parts);
            }
        }
        let written = staged.publish(stale, options.overwrite)?;
        for path in written {
            let shown = within(folder, &path).unwrap_or(&path).to_path_buf();
            log.outputs.push(logged(&path, &shown)?);
        }
        Ok(())
    }

    /// The sources, where they lie.
    pub(super) fn sources(
        &self,
        folder: &Path,
        options: &RunOptions,
    ) -> Result<IndexMap<String, Named>> {
        let mut sources = IndexMap::new();
        for (name, source) in &self.sources {
            let blame = |error: Error| self.spans.blame(&format!("sources.{name}.file"), error);
            let path = self.path(&source.file, folder, &options.variables).map_err(blame)?;
            if !path.exists() {
                return Err(blame(
                    Error::usage(format!(
                        "the source `{name}` is not there; the path is taken from the folder of \
                         the job file"
                    ))
                    .in_file(&path),
                ));
            }
            sources.insert(name.clone(), Named { path, source: source.clone(), step: None });
        }
        Ok(sources)
    }

    /// The outputs with their paths.
    pub(super) fn targets(
        &self,
        folder: &Path,
        options: &RunOptions,
    ) -> Result<Vec<(&JobOutput, PathBuf)>> {
        self.outputs
            .iter()
            .enumerate()
            .map(|(number, output)| {
                let path = self.path(&output.file, folder, &options.variables);
                let path = path
                    .map_err(|error| self.spans.blame(&format!("outputs.{number}.file"), error))?;
                Ok((output, path))
            })
            .collect()
    }
}
