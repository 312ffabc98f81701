//! `--log`: what a command read, did, said and wrote, written down as jobs write their logs.

use crate::arguments::in_shell;
use clap::ArgMatches;
use std::ffi::OsString;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::Instant;
use velvet_peg::convert::rejects_beside;
use velvet_peg::job::{JobLog, LoggedNotice, LoggedStep};
use velvet_peg::output::{is_same_file, is_standard};
use velvet_peg::raster::raster_files;
use velvet_peg::{Error, RejectedPlace, Severity, Summary, layer_files};

/// Arguments that name files to write, and not files to read.
const WRITTEN: [&str; 6] = ["output", "rejects", "save_job", "folder", "map", "report"];

/// What a command that is logged has done so far.
struct Record {
    file: PathBuf,
    /// The command, in its words.
    kind: String,
    /// When the step that runs began.
    began: Instant,
    log: JobLog,
    /// What was said since the last step.
    said: Vec<(Severity, String)>,
    /// Files that arguments name to be written.
    named: Vec<PathBuf>,
}

static RECORD: Mutex<Option<Record>> = Mutex::new(None);

/// Outputs that were finished, also where no log is kept.
static WRITTEN_NOW: Mutex<Vec<PathBuf>> = Mutex::new(Vec::new());

/// Where something lies that was rejected since this was asked last.
static REJECTED_NOW: Mutex<Vec<RejectedPlace>> = Mutex::new(Vec::new());

/// Where what was rejected lies, since this was asked last.
pub(crate) fn rejected() -> Vec<RejectedPlace> {
    std::mem::take(&mut *REJECTED_NOW.lock().unwrap_or_else(PoisonError::into_inner))
}

/// The outputs that were finished since this was asked last.
pub(crate) fn written() -> Vec<PathBuf> {
    std::mem::take(&mut *WRITTEN_NOW.lock().unwrap_or_else(PoisonError::into_inner))
}

fn record() -> MutexGuard<'static, Option<Record>> {
    RECORD.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Begins to write down what the command does; jobs write their own log.
///
/// # Errors
/// If the log would replace something that is no log, or an input cannot be read.
pub(crate) fn begin(
    file: Option<&Path>,
    words: &[OsString],
    matches: &ArgMatches,
) -> Result<(), Error> {
    let Some(file) = file else { return Ok(()) };
    let (kind, inner) = innermost(matches, String::new());
    if kind == "run" {
        return Ok(());
    }
    if is_standard(file) {
        return Err(Error::usage("the log goes to files: name one with --log FILE"));
    }
    let mut typed = vec!["vpeg".to_string()];
    typed.extend(words.iter().skip(1).map(in_shell));
    let mut record = Record {
        file: file.to_path_buf(),
        kind,
        began: Instant::now(),
        log: JobLog::begin(typed.join(" ")),
        said: Vec::new(),
        named: Vec::new(),
    };
    for (id, path) in paths(inner) {
        // What an output has rejected stands beside it.
        let beside = id == "output" && rejects_beside(&path) == file;
        if path == file || beside || is_same_file(&path, file) {
            return Err(
                Error::usage("is named as the log, too: give that another name").with_path(&path)
            );
        }
        match WRITTEN.contains(&id.as_str()) {
            true => record.named.push(path),
            false => record.takes(&path)?,
        }
    }
    JobLog::refuse_at(file)?;
    *self::record() = Some(record);
    Ok(())
}

/// The command that the words end in, and what it is called.
fn innermost(matches: &ArgMatches, called: String) -> (String, &ArgMatches) {
    match matches.subcommand() {
        Some((name, inner)) => innermost(inner, format!("{called} {name}").trim().to_string()),
        None => (called, matches),
    }
}

/// The paths that the arguments hold, with the names of those arguments.
fn paths(matches: &ArgMatches) -> Vec<(String, PathBuf)> {
    let mut found = Vec::new();
    for id in matches.ids().map(|id| id.as_str()).filter(|id| !["log", "grids"].contains(id)) {
        if let Ok(Some(values)) = matches.try_get_many::<PathBuf>(id) {
            found.extend(values.map(|path| (id.to_string(), path.clone())));
        } else if let Ok(Some(values)) = matches.try_get_many::<String>(id) {
            // Reference systems that files hold.
            let files = values.filter_map(|text| {
                text.strip_prefix("like:").or_else(|| text.strip_prefix("file:"))
            });
            found.extend(files.map(|path| (id.to_string(), path.into())));
        }
    }
    found
}

impl Record {
    /// An input. What cannot be read is for the command to say.
    fn takes(&mut self, path: &Path) -> Result<(), Error> {
        if path.is_dir() {
            let mut files = layer_files(path)?.0;
            files.extend(raster_files(path)?);
            return files.iter().try_for_each(|file| self.log.read(file));
        }
        if path.is_file() {
            return self.log.read(path);
        }
        let address = path.to_string_lossy().contains("://");
        if is_standard(path) || address {
            let text = format!("{}: read without a checksum", path.display());
            self.log.notices.push(LoggedNotice { output: None, severity: Severity::Note, text });
        }
        Ok(())
    }
}

/// Something was said.
pub(crate) fn said(severity: Severity, text: &str) {
    if let Some(record) = record().as_mut() {
        record.said.push((severity, text.to_string()));
    }
}

/// An answer was given.
pub(crate) fn answered(text: &str) {
    if let Some(record) = record().as_mut() {
        record.log.answer.push(crate::show::unstyled(text));
    }
}

/// Rows or features became an output. What was said until now belongs to that.
pub(crate) fn done(summary: &Summary, out: &Path) {
    WRITTEN_NOW.lock().unwrap_or_else(PoisonError::into_inner).push(out.to_path_buf());
    let mut rejected = REJECTED_NOW.lock().unwrap_or_else(PoisonError::into_inner);
    rejected.extend(summary.rejected.places.iter().cloned());
    drop(rejected);
    let mut record = record();
    let Some(record) = record.as_mut() else { return };
    let mut step = LoggedStep::of(&record.kind, &out.display().to_string(), summary);
    step.seconds = record.began.elapsed().as_secs_f64();
    record.began = Instant::now();
    let (remarks, warnings) =
        record.said.drain(..).partition(|(severity, _)| *severity == Severity::Note);
    let texts = |said: Vec<(Severity, String)>| said.into_iter().map(|(_, text)| text).collect();
    (step.remarks, step.warnings) = (texts(remarks), texts(warnings));
    record.log.steps.push(step);
    record.named.extend(summary.files.iter().cloned());
    record.named.extend(summary.rejected.path.clone());
}

/// A raster was finished: it, or files beside it, were written.
pub(crate) fn wrote(raster: &Path, files: &[PathBuf]) {
    WRITTEN_NOW.lock().unwrap_or_else(PoisonError::into_inner).push(raster.to_path_buf());
    if let Some(record) = record().as_mut() {
        record.named.extend(files.iter().cloned());
    }
}

/// Writes the log, if one was asked for.
///
/// # Errors
/// If it cannot be written.
pub(crate) fn save() -> Result<(), Error> {
    let Some(mut record) = record().take() else { return Ok(()) };
    let said = record.said.into_iter();
    record.log.notices.extend(said.map(|(severity, text)| LoggedNotice {
        output: None,
        severity,
        text,
    }));
    for path in record.named.iter().filter(|path| path.is_file()) {
        record.log.wrote(path)?;
    }
    record.log.finish();
    record.log.save(&record.file)
}
