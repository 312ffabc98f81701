//! Outputs of a job that wait beside their places until all are whole.

use crate::error::{Error, Result};
use crate::output::refuse_existing;
use std::collections::BTreeMap;
use std::path::{Component, Path, PathBuf};
use tempfile::TempDir;

/// The folder that a file lies in.
pub(crate) fn folder_of(file: &Path) -> PathBuf {
    match file.parent() {
        Some(folder) if !folder.as_os_str().is_empty() => folder.to_path_buf(),
        _ => PathBuf::from("."),
    }
}

/// A path in a folder, without a dot in front of what lies in the current one.
pub(super) fn joined(folder: &Path, path: impl AsRef<Path>) -> PathBuf {
    if folder == Path::new(".") { path.as_ref().to_path_buf() } else { folder.join(path) }
}

/// A path as it is from a folder, if it lies in it.
pub(crate) fn within<'a>(folder: &Path, path: &'a Path) -> Option<&'a Path> {
    let inside = match folder == Path::new(".") {
        true => path,
        false => path.strip_prefix(folder).ok()?,
    };
    let plain = |part: Component<'_>| matches!(part, Component::Normal(_));
    inside.components().all(plain).then_some(inside)
}

pub(super) fn make_folder(file: &Path) -> Result<()> {
    let folder = folder_of(file);
    std::fs::create_dir_all(&folder).map_err(|e| Error::file(&folder, "cannot be made", e))
}

/// Outputs that wait beside their places, in a folder of the same folder, until all are whole.
#[derive(Default)]
pub(super) struct Staged {
    /// For each folder of targets, the one where they wait.
    folders: BTreeMap<PathBuf, TempDir>,
    targets: Vec<PathBuf>,
}

impl Staged {
    pub(super) fn has(&self, target: &Path) -> bool {
        self.targets.iter().any(|other| other == target)
    }

    /// Where a target waits.
    pub(super) fn place(&mut self, target: &Path) -> Result<PathBuf> {
        let folder = folder_of(target);
        if !self.folders.contains_key(&folder) {
            make_folder(target)?;
            let waiting = tempfile::Builder::new()
                .prefix(".vpeg-")
                .tempdir_in(&folder)
                .map_err(|e| Error::file(&folder, "cannot be written", e))?;
            self.folders.insert(folder.clone(), waiting);
        }
        if !self.has(target) {
            self.targets.push(target.to_path_buf());
        }
        Ok(self.at(target))
    }

    pub(super) fn at(&self, target: &Path) -> PathBuf {
        let name = target.file_name().unwrap_or_default();
        match self.folders.get(&folder_of(target)) {
            Some(folder) => folder.path().join(name),
            None => target.to_path_buf(),
        }
    }

    /// Gives every file its place, side files before those that they belong to; gives the places.
    pub(super) fn publish(self, overwrite: bool) -> Result<Vec<PathBuf>> {
        let mut moves: Vec<(PathBuf, PathBuf)> = Vec::new();
        for (folder, waiting) in &self.folders {
            let entries = std::fs::read_dir(waiting.path())
                .map_err(|e| Error::file(folder, "cannot be read", e))?;
            for entry in entries {
                let name = entry.map_err(|e| Error::file(folder, "cannot be read", e))?.file_name();
                moves.push((waiting.path().join(&name), joined(folder, &name)));
            }
        }
        moves.sort_by_key(|(_, to)| (self.has(to), to.clone()));
        for (_, to) in &moves {
            refuse_existing(to, overwrite)?;
        }
        for (from, to) in &moves {
            std::fs::rename(from, to).map_err(|e| Error::file(to, "cannot be written", e))?;
        }
        let mut written: Vec<PathBuf> = moves.into_iter().map(|(_, to)| to).collect();
        written.sort();
        Ok(written)
    }
}
