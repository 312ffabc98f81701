//! The two files of a log, and that nothing but an older log is replaced by them.

use super::log::JobLog;
use super::pending_outputs::make_folder;
use crate::error::{Error, Result};
use crate::output::{Output, refuse_existing};
use std::io::Write;
use std::path::{Path, PathBuf};

/// The files of a log: for people, and for machines.
pub(super) fn log_files(path: &Path) -> [PathBuf; 2] {
    let mut json = path.to_path_buf().into_os_string();
    json.push(".json");
    [path.to_path_buf(), json.into()]
}

/// # Errors
/// If something stands there that is no log.
pub(super) fn refuse_other_than_log(path: &Path) -> Result<()> {
    refuse_existing(path, true)?;
    if path.exists() && !is_log(path) {
        let what = "is no log, and would be replaced by one: name another file for the log";
        return Err(Error::usage(what).in_file(path));
    }
    Ok(())
}

impl JobLog {
    /// Writes the log: `path` for people, and beside it `path.json` for machines. An older log is
    /// replaced.
    ///
    /// # Errors
    /// If a file cannot be written, or stands there and is no log.
    pub fn save(&self, path: &Path) -> Result<()> {
        let [text_to, json_to] = log_files(path);
        JobLog::refuse_at(path)?;
        let json = serde_json::to_string_pretty(self)
            .map_err(|e| Error::file(&text_to, "cannot be written", e))?;
        for (path, text) in [(text_to, self.to_text()), (json_to, json)] {
            make_folder(&path)?;
            let mut output = Output::create(&path, true)?;
            output
                .file()
                .write_all(text.as_bytes())
                .map_err(|e| Error::file(&path, "cannot be written", e))?;
            output.finish()?;
        }
        Ok(())
    }

    /// Finds out before the work begins whether [`JobLog::save`] would replace what is no log.
    ///
    /// # Errors
    /// If it would.
    pub fn refuse_at(path: &Path) -> Result<()> {
        log_files(path).iter().try_for_each(|file| refuse_other_than_log(file))
    }
}

/// True for a log, or nothing.
fn is_log(path: &Path) -> bool {
    let Ok(text) = std::fs::read_to_string(path) else { return false };
    if text.trim().is_empty() {
        return true;
    }
    match serde_json::from_str::<serde_json::Value>(&text) {
        Ok(json) => ["started", "registry", "steps"].iter().all(|key| json.get(key).is_some()),
        Err(_) => {
            let mut lines = text.lines().skip(1);
            let begins = |line: Option<&str>, with: &str| line.is_some_and(|l| l.starts_with(with));
            begins(lines.next(), "started  ")
                && begins(lines.next(), "finished ")
                && begins(lines.next(), "velvet-peg ")
        }
    }
}
