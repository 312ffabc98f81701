//! Outputs that appear whole or not at all.
//!
//! A file is written under its own name in a hidden folder beside its place, and takes its place
//! when it is whole (`publish`): links are followed, modes are kept, data is on disk before the
//! name is. Dropped before that, nothing of it is left. An existing file is refused unless
//! overwriting was asked for; what is not a regular file is never replaced.

mod hold;
mod moves;
mod parts;
mod place;
mod publish;
mod standard;
mod temporary;

pub(crate) use hold::Hold;
pub(crate) use moves::Moves;
pub(crate) use parts::{SIDE_FILE, parts, side_file};
pub(crate) use place::folder_of;
pub(crate) use place::followed;
pub(crate) use place::is_same_file as same_file;
pub use place::{is_same_file, refuse_inputs};
pub use place::{refuse_existing, refuse_nowhere};
pub(crate) use publish::publish;
pub use publish::sync_outputs;
pub use standard::is_standard;
pub(crate) use standard::{hand_over, named};
pub(crate) use temporary::TemporaryFolder;
pub use temporary::remove_temporaries;

use crate::error::{Error, Result};
use std::fs::File;
use std::io::{self, BufWriter, Write};
use std::path::{Path, PathBuf};

/// The files of one output, waiting beside their places until they are whole.
#[derive(Debug)]
pub(crate) struct Pending {
    waiting: TemporaryFolder,
    /// The path as it was given, and the file that it leads to.
    target: PathBuf,
    place: PathBuf,
    overwrite: bool,
}

impl Pending {
    /// From now on, nothing that is there when the file is whole is replaced.
    pub(crate) fn refuse_existing(&mut self) {
        self.overwrite = false;
    }

    /// # Errors
    /// If the target exists and is not to be overwritten, is no regular file, or its folder is not
    /// there or cannot be written.
    pub(crate) fn create(target: &Path, overwrite: bool) -> Result<Pending> {
        refuse_existing(target, overwrite)?;
        let place = followed(target);
        let folder = folder_of(&place);
        if !folder.is_dir() {
            return Err(Error::usage(format!(
                "cannot be created: there is no folder {}; make it first",
                folder.display()
            ))
            .in_file(target));
        }
        let waiting = TemporaryFolder::beside(&folder)
            .map_err(|e| Error::file(target, "cannot be created", e))?;
        Ok(Pending { waiting, target: target.to_path_buf(), place, overwrite })
    }

    /// Where the file is written until it is whole; side files stand beside it.
    pub(crate) fn path(&self) -> PathBuf {
        self.waiting.path().join(self.place.file_name().unwrap_or_default())
    }

    /// Gives every file its place, those of `stale` (beside the target) going away; gives the
    /// paths, as they are from the target that was named.
    pub(crate) fn finish(self, stale: &[PathBuf]) -> Result<Vec<PathBuf>> {
        let main = self.path();
        let mut moves = Moves::default();
        for from in self.waiting.files().map_err(|e| self.failed(e))? {
            let to = match from == main {
                true => self.place.clone(),
                false => self.place.with_file_name(from.file_name().unwrap_or_default()),
            };
            moves.add(from, to);
        }
        stale.iter().for_each(|path| moves.remove(path.clone()));
        let shown = |to: &Path| match to == self.place {
            true => self.target.clone(),
            false => self.target.with_file_name(to.file_name().unwrap_or_default()),
        };
        let mut files: Vec<PathBuf> = moves.targets().map(shown).collect();
        files.sort_by_key(|file| (*file != self.target, file.clone()));
        publish(&[&self.waiting], &moves, self.overwrite)?;
        Ok(files)
    }

    fn failed(&self, error: io::Error) -> Error {
        Error::file(&self.target, "cannot be written", error)
    }
}

/// One file being written.
#[derive(Debug)]
pub(crate) struct Output {
    pending: Pending,
    file: File,
}

impl Output {
    /// # Errors
    /// As [`Pending::create`].
    pub(crate) fn create(target: &Path, overwrite: bool) -> Result<Output> {
        let pending = Pending::create(target, overwrite)?;
        let file = new_file(&pending.path())?;
        Ok(Output { pending, file })
    }

    pub(crate) fn file(&mut self) -> &mut File {
        &mut self.file
    }

    /// Another handle on the file.
    pub(crate) fn reopen(&self) -> Result<File> {
        self.file.try_clone().map_err(|e| self.pending.failed(e))
    }

    /// Gives the file its name.
    pub(crate) fn finish(self) -> Result<()> {
        self.finish_without(&[])
    }

    /// Gives the file its name, those of `stale` (beside it) going away.
    pub(crate) fn finish_without(self, stale: &[PathBuf]) -> Result<()> {
        let Output { pending, file } = self;
        drop(file);
        pending.finish(stale).map(drop)
    }
}

/// A new file, for writing.
pub(crate) fn new_file(path: &Path) -> Result<File> {
    File::create(path).map_err(|e| Error::file(path, "cannot be written", e))
}

/// Writes a file that appears whole or not at all, or hands its content to standard output.
///
/// # Errors
/// If it exists and is not to be overwritten, is no regular file, or cannot be written.
pub fn write_whole(path: &Path, content: &[u8], overwrite: bool) -> Result<()> {
    write_whole_with(path, overwrite, |out| out.write_all(content))
}

/// As [`write_whole`], piece by piece.
pub(crate) fn write_whole_with(
    path: &Path,
    overwrite: bool,
    write: impl FnOnce(&mut BufWriter<&mut dyn Write>) -> io::Result<()>,
) -> Result<()> {
    let written = |out: &mut dyn Write| {
        let mut out = BufWriter::new(out);
        write(&mut out).and_then(|()| out.flush())
    };
    if is_standard(path) {
        return Ok(written(&mut io::stdout().lock())?);
    }
    let mut output = Output::create(path, overwrite)?;
    written(output.file()).map_err(|e| Error::file(path, "cannot be written", e))?;
    output.finish()
}

/// `OUT.rejects.csv` beside an output.
pub(crate) fn rejects_path(out: &Path) -> PathBuf {
    let mut name = out.file_name().unwrap_or_default().to_os_string();
    name.push(".rejects.csv");
    out.with_file_name(name)
}
