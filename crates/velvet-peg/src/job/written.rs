//! What a job would write to, held against what it reads: nothing that it needs, and nothing that
//! is not its own to replace, is written over.

use super::file::Job;
use super::pending_outputs::{folder_of, joined};
use super::run::RunOptions;
use crate::error::{Error, Result};
use crate::output::{refuse_existing, refuse_inputs, same_file};
use std::path::{Path, PathBuf};

impl Job {
    /// Where the log goes: for people, and for machines.
    pub(super) fn logs(
        &self,
        file: &Path,
        folder: &Path,
        options: &RunOptions,
    ) -> Result<[PathBuf; 2]> {
        let text = match &self.log {
            Some(text) => self.path(text, folder, &options.variables)?,
            None => file.with_extension("log"),
        };
        let mut json = text.clone().into_os_string();
        json.push(".json");
        Ok([text, json.into()])
    }

    /// The folder that rejects go to, if there are outputs.
    pub(super) fn rejects_folder(
        &self,
        folder: &Path,
        options: &RunOptions,
    ) -> Result<Option<PathBuf>> {
        match (&self.rejects, self.targets(folder, options)?.first()) {
            (Some(text), _) => self.path(text, folder, &options.variables).map(Some),
            (None, first) => Ok(first.map(|(_, path)| folder_of(path))),
        }
    }

    /// # Errors
    /// If something that is to be written is read as well, two outputs are one file, or a log would
    /// replace what is no log.
    pub(super) fn refuse_overwritten(&self, file: &Path, options: &RunOptions) -> Result<()> {
        let folder = folder_of(file);
        let mut read = vec![file.to_path_buf()];
        read.extend(self.sources(&folder, options)?.into_values().map(|named| named.path));
        let mut references = Vec::new();
        self.clone().change_references(&mut |path| {
            references.push(joined(&folder, path));
            Ok(path.to_string())
        })?;
        read.extend(references);
        let mut written: Vec<(String, PathBuf)> = Vec::new();
        for (number, (_, path)) in self.targets(&folder, options)?.into_iter().enumerate() {
            written.push((format!("outputs.{number}.file"), path));
        }
        // Two outputs of one file are layers of it, or refused by their kinds.
        let outputs = written.len();
        if let Some(pack) = &self.pack {
            written.push(("pack.file".into(), self.path(&pack.file, &folder, &options.variables)?));
        }
        for path in self.logs(file, &folder, options)? {
            written.push(("log".into(), path));
        }
        if let Some(to) = self.rejects_folder(&folder, options)? {
            for number in 0..self.steps.len() {
                let name = format!("{}.rejects.csv", self.name_of(number));
                written.push(("rejects".into(), joined(&to, name)));
            }
        }
        for (at, (word, path)) in written.iter().enumerate() {
            let blame = |error: Error| self.spans.blame(word, error);
            refuse_inputs(path, read.iter().map(PathBuf::as_path)).map_err(blame)?;
            let others = written[..at].iter().enumerate();
            for (other, (_, taken)) in others {
                let layers = at < outputs && other < outputs;
                if !layers && same_file(path, taken) {
                    let what = "is to be written twice: give one of them another name";
                    return Err(blame(Error::usage(what).in_file(path)));
                }
            }
            // What is no regular file is in nobody's way before the first file is moved.
            if word == "log" {
                refuse_existing(path, true).map_err(blame)?;
                if path.exists() && !is_log(path) {
                    let what = "is no log of a job, and would be replaced by one: name another \
                                file with `log`";
                    return Err(blame(Error::usage(what).in_file(path)));
                }
            } else {
                refuse_existing(path, true).map_err(blame)?;
            }
        }
        Ok(())
    }
}

/// True for a log that a job has written, or nothing.
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
