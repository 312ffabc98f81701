//! Writing down what was just done as a job.

use super::file::{JOB_VERSION, Job, JobOutput, JobSource};
use super::pending_outputs::folder_of;
use super::step_schema::Step;
use crate::error::{Error, Result};
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

    /// Writes the job to a file, its paths from the folder of the file.
    ///
    /// # Errors
    /// If the file exists and is not to be overwritten, or cannot be written.
    pub fn save(&self, file: &Path, overwrite: bool) -> Result<()> {
        let sources = self.sources.values().map(|source| Path::new(&source.file));
        refuse_inputs(file, sources)?;
        if self.outputs.iter().any(|output| same_file(file, Path::new(&output.file))) {
            return Err(Error::usage(
                "is to hold the job, and is its output: give the job another name",
            )
            .in_file(file));
        }
        if overwrite && file.exists() && Job::read(file).is_err() {
            return Err(Error::usage(
                "is no job, and would be replaced by one: give the job another name",
            )
            .in_file(file));
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
        let text = job.to_toml()?;
        let mut output = Output::create(file, overwrite)?;
        output
            .file()
            .write_all(text.as_bytes())
            .map_err(|e| Error::file(file, "cannot be written", e))?;
        output.finish()
    }
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
