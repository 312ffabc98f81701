//! What a job would write to, held against what it reads: nothing that it needs, and nothing that
//! is not its own to replace, is written over.

use super::file::Job;
use super::log_files::{log_files, refuse_other_than_log};
use super::pending_outputs::{folder_of, joined};
use super::run::RunOptions;
use crate::error::{Error, Result};
use crate::output::{refuse_existing, refuse_inputs, same_file};
use std::path::{Path, PathBuf};

impl Job {
    /// Where the log for people goes; that for machines stands beside it.
    pub(super) fn log_path(
        &self,
        file: &Path,
        folder: &Path,
        options: &RunOptions,
    ) -> Result<PathBuf> {
        match (&options.log, &self.log) {
            (Some(path), _) => Ok(path.clone()),
            (None, Some(text)) => self.path(text, folder, &options.variables),
            (None, None) => Ok(file.with_extension("log")),
        }
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
        for page in options.report.iter().chain(&options.map) {
            written.push(("pages".into(), page.clone()));
        }
        let log = self.log_path(file, &folder, options)?;
        written.extend(log_files(&log).map(|path| ("log".to_string(), path)));
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
            match word == "log" {
                true => refuse_other_than_log(path).map_err(blame)?,
                false => refuse_existing(path, true).map_err(blame)?,
            }
        }
        Ok(())
    }
}
