//! Writing down what was just done as a job.

use super::file::{JOB_VERSION, Job, JobOutput, JobSource};
use super::pending_outputs::folder_of;
use super::step_schema::Step;
use crate::error::{Error, Result};
use crate::format::{Format, Systems};
use crate::layer::column_names::distinct;
use crate::output::{Output, refuse_inputs, same_file};
use std::io::Write;
use std::path::{Path, PathBuf};

impl Job {
    /// The job of one step: a source, what is done with it, and an output. A second source is
    /// what the step is done with.
    ///
    /// ```
    /// use std::path::Path;
    /// use velvet_peg::Job;
    /// use velvet_peg::job::{ConvertStep, JobOutput, JobSource};
    /// let step = ConvertStep { to: Some("utm".into()), ..ConvertStep::default() }.into();
    /// let source = JobSource { file: "fields.geojson".into(), ..JobSource::default() };
    /// let job = Job::of_step(source, None, step, JobOutput { file: "out.gpkg".into(), ..JobOutput::default() });
    /// let again = Job::parse(&job.to_toml()?)?;
    /// assert_eq!(again.steps, job.steps);
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    pub fn of_step(
        source: JobSource,
        with: Option<JobSource>,
        mut step: Step,
        mut output: JobOutput,
    ) -> Job {
        let mut job = Job { job: JOB_VERSION, ..Job::default() };
        step.set_names("input", "result");
        if with.is_some() {
            step.set_with("other");
        }
        output.from = vec!["result".to_string()];
        job.sources.insert("input".to_string(), source);
        if let Some(with) = with {
            job.sources.insert("other".to_string(), with);
        }
        job.steps.push(step);
        job.outputs.push(output);
        job
    }

    /// Writes the job to a file, its paths from the folder of the file. A job that is there and is not
    /// to be overwritten stays as it is, and this one is put behind it: its steps go on from what
    /// earlier ones write, where they read it.
    ///
    /// # Errors
    /// If the file exists and is no job, both write the same, or it cannot be written.
    pub fn save(&self, file: &Path, overwrite: bool) -> Result<()> {
        let sources = self.sources.values().map(|source| Path::new(&source.file));
        refuse_inputs(file, sources)?;
        if self.outputs.iter().any(|output| same_file(file, Path::new(&output.file))) {
            return Err(Error::usage(
                "is to hold the job, and is its output: give the job another name",
            )
            .in_file(file));
        }
        if file.exists() && Job::read(file).is_err() {
            return Err(
                Error::usage("is there, and is no job: give the job another name").in_file(file)
            );
        }
        let folder = folder_of(file);
        let mut job = self.clone();
        for source in job.sources.values_mut() {
            source.file = from_folder(&folder, &source.file)?;
        }
        for output in &mut job.outputs {
            output.file = from_folder(&folder, &output.file)?;
        }
        job.change_references(&mut |path| from_folder(&folder, path))?;
        let text = match file.exists() && !overwrite {
            false => job.to_toml()?,
            true => job.behind(file)?,
        };
        let overwrite = overwrite || file.exists();
        let mut output = Output::create(file, overwrite)?;
        output
            .file()
            .write_all(text.as_bytes())
            .map_err(|e| Error::file(file, "cannot be written", e))?;
        output.finish()
    }
}

impl Job {
    /// The text of the job in a file with this one behind it, whose names are made others where they
    /// are taken.
    fn behind(mut self, file: &Path) -> Result<String> {
        let there = std::fs::read_to_string(file);
        let there = there.map_err(|e| Error::file(file, "cannot be read", e))?;
        let before = Job::parse(&there).map_err(|error| error.in_file(file))?;
        for output in &self.outputs {
            let same =
                |other: &&JobOutput| other.file == output.file && other.layer == output.layer;
            if before.outputs.iter().any(|other| same(&other)) {
                return Err(Error::usage(format!(
                    "writes {} already: give the output or the job another name",
                    output.file
                ))
                .in_file(file));
            }
        }
        let mut taken: Vec<String> = before.sources.keys().cloned().collect();
        taken.extend((0..before.steps.len()).map(|at| before.name_of(at)));
        let mut renamed: Vec<(String, String)> = Vec::new();
        for (name, source) in std::mem::take(&mut self.sources) {
            let read = |output: &&JobOutput| {
                let layer = source.layer.is_none() || source.layer == output.layer;
                output.file == source.file && layer && output.from.len() == 1
            };
            let known = before.sources.iter().find(|(_, other)| **other == source);
            let to = match (before.outputs.iter().rfind(read), known) {
                (Some(output), _) => {
                    let plain = JobSource { file: source.file.clone(), ..JobSource::default() };
                    let as_it_is = JobSource { layer: None, ..source.clone() } == plain;
                    if !as_it_is || !keeps_all(Path::new(&output.file)) {
                        return Err(Error::usage(format!(
                            "writes {}, which may hold something else than what it is made of: \
                             have it written as GeoPackage, FlatGeobuf or GeoParquet, or save what \
                             is done with it in a job of its own",
                            output.file
                        ))
                        .in_file(file));
                    }
                    output.from[0].clone()
                }
                (None, Some((known, _))) => known.clone(),
                (None, None) => {
                    let free = distinct(&taken, &name);
                    taken.push(free.clone());
                    self.sources.insert(free.clone(), source);
                    free
                }
            };
            renamed.push((name, to));
        }
        let new_name = |name: &str| {
            renamed.iter().find(|(old, _)| old == name).map_or(name, |(_, new)| new).to_string()
        };
        let result = distinct(&taken, "result");
        for step in &mut self.steps {
            let from = new_name(step.from());
            step.set_names(&from, &result);
            if step.with().or(step.align()).is_some() {
                step.set_with(&new_name("other"));
            }
        }
        for output in &mut self.outputs {
            output.from = vec![result.clone()];
        }
        // The version stands in front already, and so do comments, which stay.
        let own = self.to_toml()?;
        let own = own.split_once('\n').map_or("", |(_, rest)| rest).trim_start();
        // No new source, no table for one: there is one already.
        let own = own.strip_prefix("[sources]\n").unwrap_or(own).trim_start();
        let text = format!("{}\n\n{own}", there.trim_end());
        Job::parse(&text).map_err(|error| error.in_file(file))?;
        Ok(text)
    }
}

/// True for formats from which a layer comes back as it went there: its system, every digit, names
/// and texts of any length.
fn keeps_all(path: &Path) -> bool {
    Format::of(path).is_ok_and(|format| {
        let capability = format.capability();
        capability.systems == Systems::Any
            && !capability.table
            && !capability.coordinate_text
            && capability.name_bytes.is_none()
            && capability.text_bytes.is_none()
    })
}

/// A path as it is from a folder.
fn from_folder(folder: &Path, path: &str) -> Result<String> {
    let absolute = |path: &Path| std::path::absolute(path).map_err(Error::from);
    let (folder, path) = (absolute(folder)?, absolute(Path::new(path))?);
    let (mut from, mut to) = (folder.components().peekable(), path.components().peekable());
    while let (Some(a), Some(b)) = (from.peek(), to.peek()) {
        if a != b {
            break;
        }
        from.next();
        to.next();
    }
    let mut relative: PathBuf = from.map(|_| "..").collect();
    relative.extend(to);
    // Braces stand for variables in job files.
    let text = relative.to_string_lossy().replace('\\', "/");
    match text.contains(['{', '}']) {
        true => Err(Error::usage(format!("`{text}`: paths of jobs cannot hold braces"))),
        false => Ok(text),
    }
}
