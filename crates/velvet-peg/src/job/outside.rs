//! What a job writes outside of its folder: someone else's job should not do that unasked.

use super::file::Job;
use super::pending_outputs::folder_of;
use super::run::RunOptions;
use crate::error::Result;
use crate::output::followed;
use std::path::{Component, Path, PathBuf};

impl Job {
    /// The places outside of the job's folder that the job, which stands in a file, says to write to:
    /// outputs, archive, log and rejects, with links followed. What the options name is not among them.
    ///
    /// # Errors
    /// If a path holds a variable that there is not.
    pub fn writes_outside(&self, file: &Path, options: &RunOptions) -> Result<Vec<PathBuf>> {
        let folder = folder_of(file);
        let mut paths: Vec<PathBuf> =
            self.targets(&folder, options)?.into_iter().map(|(_, path)| path).collect();
        let log = self.log.as_ref().filter(|_| options.log.is_none());
        let named = self.pack.iter().map(|pack| &pack.file).chain(log).chain(&self.rejects);
        for text in named {
            paths.push(self.path(text, &folder, &options.variables)?);
        }
        let inside = real(&folder);
        // What is written follows a link that leads to nothing yet.
        paths.retain(|path| !real(&followed(path)).starts_with(&inside));
        Ok(paths)
    }
}

/// A path from the root, without links to what is there.
fn real(path: &Path) -> PathBuf {
    let mut found = PathBuf::new();
    let whole = std::path::absolute(path).unwrap_or_else(|_| path.to_path_buf());
    for part in whole.components() {
        match part {
            Component::ParentDir => {
                found.pop();
            }
            Component::CurDir => {}
            part => {
                found.push(part);
                if let Ok(real) = found.canonicalize() {
                    found = real;
                }
            }
        }
    }
    found
}
