//! Files take their places, together or not at all.
//!
//! All of them are whole and on disk before the first is moved. What stands in a place is kept
//! beside the new file until the last has moved, and put back if one cannot be. A program that is
//! killed in between leaves a list of its moves, which the next one completes.

use super::moves::{MOVES, Moves, is_main};
use super::place::{folder_of, refuse_existing};
use super::temporary::{TemporaryFolder, uninterrupted};
use crate::error::{Error, Kind, Result};
use std::fs::File;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};

static SYNC: AtomicBool = AtomicBool::new(true);

/// Whether outputs are on disk before they take their names (they are, unless this says
/// otherwise): without it a power cut shortly after may leave an empty file in place of the old one.
pub fn sync_outputs(on: bool) {
    SYNC.store(on, Ordering::Relaxed);
}

/// Gives every file its place.
///
/// # Errors
/// If a place is taken by what is not to be replaced, or a file cannot be moved: then everything is
/// as it was.
pub(crate) fn publish(waiting: &[&TemporaryFolder], moves: &Moves, overwrite: bool) -> Result<()> {
    let failed = |path: &Path| {
        let path = path.to_path_buf();
        move |e: io::Error| Error::file(&path, "cannot be written", e)
    };
    for (from, to) in &moves.moves {
        refuse_existing(to, overwrite)?;
        if SYNC.load(Ordering::Relaxed) {
            let open = File::options().write(true).open(from);
            open.and_then(|file| file.sync_all()).map_err(failed(to))?;
        }
        if let Ok(there) = std::fs::metadata(to) {
            alike(from, &there).map_err(failed(to))?;
        }
    }
    let several = moves.moves.len() + moves.stale.len() > 1;
    // Names that are no text cannot be listed: a kill then leaves the moves half done.
    if let Ok(text) = serde_json::to_vec(&moves.absolute())
        && several
    {
        for folder in waiting {
            let list = folder.path().join(MOVES);
            std::fs::write(&list, &text).map_err(failed(&list))?;
        }
    }
    uninterrupted(|| {
        let mut done = Done::default();
        let moved = take_places(moves, waiting[0].path(), overwrite, &mut done);
        if moved.is_err() {
            done.undo();
        }
        if several {
            for folder in waiting {
                // The folder goes away with its list; it only must not be read meanwhile.
                let _ = std::fs::remove_file(folder.path().join(MOVES));
            }
        }
        moved.map_err(|(path, e)| match e.kind() {
            io::ErrorKind::AlreadyExists => appeared(&path),
            _ => failed(&path)(e),
        })
    })?;
    sync_folders(moves);
    Ok(())
}

/// The error of a place that another program took while the output was made.
fn appeared(path: &Path) -> Error {
    Error::new(
        Kind::Exists,
        "was written by another program meanwhile, and is not replaced: try again",
    )
    .in_file(path)
}

/// The new file gets the permissions, and if possible the owner, of the one in its place.
fn alike(from: &Path, there: &std::fs::Metadata) -> io::Result<()> {
    #[cfg(unix)]
    {
        use std::os::unix::fs::{MetadataExt, chown};
        let new = std::fs::metadata(from)?;
        if (new.uid(), new.gid()) != (there.uid(), there.gid()) {
            // Only the superuser may give files away.
            let _ = chown(from, Some(there.uid()), Some(there.gid()));
        }
    }
    std::fs::set_permissions(from, there.permissions())
}

/// What was done, so that it can be undone.
#[derive(Default)]
struct Done {
    /// Places that were taken, with where the new file came from and where the old one is kept.
    moved: Vec<(PathBuf, PathBuf, Option<PathBuf>)>,
    /// Files that were put aside.
    aside: Vec<(PathBuf, PathBuf)>,
}

impl Done {
    fn undo(self) {
        for (from, to, kept) in self.moved.into_iter().rev() {
            let _ = std::fs::rename(&to, from);
            if let Some(kept) = kept {
                let _ = std::fs::rename(kept, to);
            }
        }
        for (path, kept) in self.aside.into_iter().rev() {
            let _ = std::fs::rename(kept, path);
        }
    }
}

fn take_places(
    moves: &Moves,
    room: &Path,
    overwrite: bool,
    done: &mut Done,
) -> std::result::Result<(), (PathBuf, io::Error)> {
    let mut number = 0;
    let mut spare = |of: &Path| {
        number += 1;
        // Kept in the folder of its place, so that it can be renamed back.
        let near = moves.moves.iter().find(|(_, to)| folder_of(to) == folder_of(of));
        let folder = near.map_or(room.to_path_buf(), |(from, _)| folder_of(from));
        folder.join(format!(".old-{number}"))
    };
    // A reader must not see new coordinates with old side files: the main file goes first.
    let set = |to: &Path| moves.moves.iter().any(|(_, other)| other != to && beside(to, other));
    // Where nothing may be replaced, a main file that is there is another program's: it stays.
    let mains = moves.targets().filter(|to| overwrite && is_main(to) && set(to));
    let mains = mains.map(Path::to_path_buf);
    for path in mains.chain(moves.stale.iter().cloned()).filter(|path| path.exists()) {
        let kept = spare(&path);
        std::fs::rename(&path, &kept).map_err(|e| (path.clone(), e))?;
        done.aside.push((path, kept));
    }
    let mut order: Vec<&(PathBuf, PathBuf)> = moves.moves.iter().collect();
    order.sort_by_key(|(_, to)| is_main(to));
    for (from, to) in order {
        if !overwrite {
            move_new(from, to).map_err(|e| (to.clone(), e))?;
            done.moved.push((from.clone(), to.clone(), None));
            continue;
        }
        let kept = to.exists().then(|| spare(to));
        if let Some(kept) = &kept {
            let linked = std::fs::hard_link(to, kept);
            linked.or_else(|_| std::fs::rename(to, kept)).map_err(|e| (to.clone(), e))?;
        }
        if let Err(error) = std::fs::rename(from, to) {
            if let Some(kept) = kept.filter(|_| !to.exists()) {
                let _ = std::fs::rename(kept, to);
            }
            return Err((to.clone(), error));
        }
        done.moved.push((from.clone(), to.clone(), kept));
    }
    Ok(())
}

/// Moves a file to a place where nothing is, also if another program puts something there at the
/// same time: only one of them succeeds.
fn move_new(from: &Path, to: &Path) -> io::Result<()> {
    match std::fs::hard_link(from, to) {
        Ok(()) => std::fs::remove_file(from),
        Err(error) if error.kind() == io::ErrorKind::AlreadyExists => Err(error),
        // File systems without links: nothing was there a moment ago.
        Err(_) => std::fs::rename(from, to),
    }
}

/// True for files of one set: the same folder and name, but for the extension.
fn beside(a: &Path, b: &Path) -> bool {
    a.with_extension("") == b.with_extension("")
}

fn sync_folders(moves: &Moves) {
    if !cfg!(unix) || !SYNC.load(Ordering::Relaxed) {
        return;
    }
    let mut folders: Vec<PathBuf> = moves.targets().map(folder_of).collect();
    folders.dedup();
    for folder in folders {
        // Some file systems cannot; the names are then on disk when they say so.
        let _ = File::open(folder).and_then(|folder| folder.sync_all());
    }
}
