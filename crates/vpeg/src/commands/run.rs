//! `vpeg run`: a written-down job, again.

use crate::arguments::heading;
use crate::progress::TerminalProgress;
use crate::{Ending, show};
use clap::Args;
use std::path::{Component, Path, PathBuf};
use velvet_peg::job::{JobLog, JobProgress, LoggedNotice, LoggedReject, LoggedStep, RunOptions};
use velvet_peg::{Error, Job, Progress, Severity};

/// Run a job file.
///
/// Everything is validated first. Outputs appear together at the end, if every check holds; the
/// log stands beside the job file unless the job says otherwise.
#[derive(Debug, Args)]
pub(crate) struct Run {
    /// Job file (TOML; docs/jobs.md describes it).
    job: PathBuf,
    /// Validate, and show what would be done, without doing it.
    #[arg(long)]
    plan: bool,
    /// Value of a variable of the job; several times for several.
    #[arg(long = "var", value_name = "NAME=VALUE", value_parser = variable)]
    variables: Vec<(String, String)>,
    /// Write a page to read and to hand in: what each step took, made and noticed, with maps (.html).
    #[arg(long, value_name = "FILE", help_heading = heading::OUTPUT)]
    report: Option<PathBuf>,
    /// Write a page to look around in, with the result of each step in a tab (.html).
    #[arg(long, value_name = "FILE", help_heading = heading::OUTPUT)]
    map: Option<PathBuf>,
    /// Replace the outputs of an earlier run.
    #[arg(long, help_heading = heading::OUTPUT)]
    overwrite: bool,
    /// Let the job write outside of its folder.
    #[arg(long, help_heading = heading::OUTPUT)]
    outside: bool,
}

fn variable(text: &str) -> Result<(String, String), String> {
    match text.split_once('=') {
        Some((name, value)) => Ok((name.trim().to_string(), value.to_string())),
        None => Err(format!("`{text}` is no variable: write NAME=VALUE")),
    }
}

/// Shows each step as it ends, and its progress.
struct Shown {
    progress: TerminalProgress,
}

impl JobProgress for Shown {
    fn begins(&mut self, _number: usize, _of: usize, _kind: &str, _name: &str) {
        self.progress = TerminalProgress::new("running");
    }

    fn ended(&mut self, step: &LoggedStep) {
        self.progress = TerminalProgress::new("running");
        show::remark(&step.line());
        for LoggedReject { row, reason } in &step.rejects {
            show::rejected(&format!("{}, {row}: {reason}", step.name));
        }
        for warning in &step.warnings {
            show::warning(&format!("{}: {warning}", step.name));
        }
    }

    fn step(&mut self) -> &mut dyn Progress {
        &mut self.progress
    }
}

impl Run {
    pub(crate) fn run(&self, log: Option<PathBuf>) -> Result<Ending, Error> {
        let job = Job::read(&self.job)?;
        let options = RunOptions {
            variables: self.variables.clone(),
            overwrite: self.overwrite,
            outside: self.outside,
            log,
            report: self.report.clone(),
            map: self.map.clone(),
        };
        let in_file = |error: Error| error.with_path(&self.job);
        if self.plan {
            let plan = job.plan(&self.job, &options).map_err(in_file)?;
            if show::wants_json() {
                let lines: Vec<_> =
                    plan.lines.iter().map(|(a, b)| serde_json::json!([a, b])).collect();
                show::json(&serde_json::json!({
                    "plan": lines,
                    "replaces": plan.replaces,
                    "outside": plan.outside,
                }))?;
            } else {
                let title = job.title.as_deref().unwrap_or("The job");
                show::answer(&format!("{}\n{}", show::heading(title), show::pairs(&plan.lines)))?;
            }
            let mut needed = String::new();
            for (files, given, what, option) in [
                (&plan.replaces, self.overwrite, "exist already", "--overwrite"),
                (&plan.outside, self.outside, "lie outside of the job's folder", "--outside"),
            ] {
                if given || files.is_empty() {
                    continue;
                }
                let files: Vec<String> =
                    files.iter().map(|path| path.display().to_string()).collect();
                show::warning(&format!("{what}, and need {option}: {}", files.join(", ")));
                needed += &format!(" and add {option}");
            }
            show::remark(&format!("nothing was done: leave out --plan{needed} to run it"));
            return Ok(Ending::Done);
        }
        let mut shown = Shown { progress: TerminalProgress::new("running") };
        let log = job.run_watched(&self.job, &options, &mut shown).map_err(in_file)?;
        drop(shown);
        if show::wants_json() {
            show::json(&serde_json::to_value(&log).unwrap_or_default())?;
        } else {
            text(&log, self.job.parent().unwrap_or(Path::new("")))?;
        }
        let done = log.holds() && log.rejected() == 0;
        Ok(if done { Ending::Done } else { Ending::Rejects })
    }
}

/// Paths of a job are told as they are from here, not from its folder.
fn text(log: &JobLog, folder: &Path) -> Result<(), Error> {
    // Rows and features are counted without a word, pixels are said to be.
    let counted = log.steps.iter().any(|step| step.pixels);
    let head = ["step", "name", "in", "out"].into_iter().chain(counted.then_some("of"));
    let head = head.chain(["left out", "rejected", "seconds"]);
    let mut table = show::Table::with_header(head.map(String::from).collect());
    for step in &log.steps {
        let of = counted.then(|| if step.pixels { "pixels" } else { "" }.to_string());
        let row =
            [step.kind.clone(), step.name.clone(), step.rows_in.to_string(), step.out.to_string()];
        let rest =
            [step.left_out.to_string(), step.rejected.to_string(), format!("{:.2}", step.seconds)];
        table.row(row.into_iter().chain(of).chain(rest).collect());
    }
    show::answer(&table.text())?;
    for LoggedNotice { output, severity, text } in &log.notices {
        let of = output.as_ref().map_or(String::new(), |output| {
            format!("{}: ", from_here(folder, output.as_ref()).display())
        });
        match severity {
            Severity::Note => show::remark(&format!("{of}{text}")),
            Severity::Warning | Severity::Fault => show::warning(&format!("{of}{text}")),
        }
    }
    for check in &log.checks {
        let holds = if check.holds { "holds" } else { "does not hold" };
        show::answer(&format!("check of {}: {holds}", check.of.join(", ")))?;
        if !check.holds {
            for found in &check.found {
                show::answer(&format!("  {found}"))?;
            }
        }
    }
    if log.holds() {
        let files: Vec<String> = log
            .outputs
            .iter()
            .map(|file| {
                format!("  {:>9} bytes  {}", file.bytes, from_here(folder, &file.path).display())
            })
            .collect();
        show::answer(&format!("wrote\n{}", files.join("\n")))?;
        log.file.iter().try_for_each(|file| show::answer(&format!("log: {}", file.display())))
    } else {
        show::warning("nothing was written, because a check does not hold; the log tells all");
        Ok(())
    }
}

/// A path of the log as it is from here: what lies in the job's folder is told from there, and what lies
/// elsewhere as a whole.
fn from_here(folder: &Path, path: &Path) -> PathBuf {
    match path.components().all(|part| matches!(part, Component::Normal(_))) {
        true => folder.join(path),
        false => path.to_path_buf(),
    }
}
