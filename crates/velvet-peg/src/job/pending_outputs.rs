//! Outputs of a job that wait beside their places until all are whole.

use crate::error::{Error, Result};
use crate::format::Format;
pub(crate) use crate::output::folder_of;
use crate::output::{Hold, Moves, TemporaryFolder, publish};
use std::collections::BTreeMap;
use std::path::{Component, Path, PathBuf};

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
pub(super) struct PendingOutputs {
    /// For each folder of targets, the one where they wait.
    folders: BTreeMap<PathBuf, TemporaryFolder>,
    targets: Vec<PathBuf>,
    /// Files of which what the job does not write is kept.
    holds: Vec<(PathBuf, Hold)>,
}

impl PendingOutputs {
    pub(super) fn has(&self, target: &Path) -> bool {
        self.targets.iter().any(|other| other == target)
    }

    /// Holds a file whose copy is being changed.
    pub(super) fn hold(&mut self, target: &Path) -> Result<()> {
        if let Some(hold) = Hold::take(target)? {
            self.holds.push((target.to_path_buf(), hold));
        }
        Ok(())
    }

    /// True if a target waits as a copy of what is there.
    pub(super) fn has_rest(&self, target: &Path) -> bool {
        self.holds.iter().any(|(held, _)| held == target)
    }

    /// Where a target waits.
    pub(super) fn place(&mut self, target: &Path) -> Result<PathBuf> {
        let folder = folder_of(target);
        if !self.folders.contains_key(&folder) {
            make_folder(target)?;
            let waiting = TemporaryFolder::beside(&folder)
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

    /// The files that wait for the folder of a target.
    pub(super) fn beside(&self, target: &Path) -> Result<Vec<PathBuf>> {
        let folder = folder_of(target);
        match self.folders.get(&folder) {
            Some(waiting) => waiting.files().map_err(|e| Error::file(&folder, "cannot be read", e)),
            None => Ok(Vec::new()),
        }
    }

    /// Gives every file its place, `stale` ones going away; gives the places.
    pub(super) fn publish(self, stale: Vec<PathBuf>, overwrite: bool) -> Result<Vec<PathBuf>> {
        let mut moves = Moves::default();
        for (folder, waiting) in &self.folders {
            let files = waiting.files().map_err(|e| Error::file(folder, "cannot be read", e))?;
            for from in files {
                let to = joined(folder, from.file_name().unwrap_or_default());
                moves.add(from, to);
            }
        }
        stale.into_iter().for_each(|path| moves.remove(path));
        let mut written: Vec<PathBuf> = moves.targets().map(Path::to_path_buf).collect();
        written.sort();
        let waiting: Vec<&TemporaryFolder> = self.folders.values().collect();
        for (_, hold) in &self.holds {
            hold.check()?;
        }
        for to in moves.targets().filter(|to| to.exists()) {
            let store = Format::of(to).ok().and_then(|format| format.description().store());
            if let Some(store) = store {
                store.release(to)?;
            }
        }
        if !waiting.is_empty() {
            publish(&waiting, &moves, overwrite)?;
        }
        Ok(written)
    }
}
