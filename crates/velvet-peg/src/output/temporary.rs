//! Hidden folders of a running program. Each holds a lock for as long as its program runs: what
//! programs that were killed left behind is told by it, and cleared away by the next one.

use super::moves::{MOVES, complete};
use std::collections::BTreeSet;
use std::fs::File;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::{Duration, SystemTime};
use tempfile::{Builder, TempDir};

const PREFIX: &str = ".vpeg-";
const LOCK: &str = ".lock";

/// A folder without a lock is being made, unless it is older than this.
const YOUNG: Duration = Duration::from_secs(60);

/// Folders of this program.
static FOLDERS: Mutex<BTreeSet<PathBuf>> = Mutex::new(BTreeSet::new());

/// Folders in which left-over ones were looked for.
static SWEPT: Mutex<BTreeSet<PathBuf>> = Mutex::new(BTreeSet::new());

fn held<T>(mutex: &'static Mutex<T>) -> MutexGuard<'static, T> {
    // A panic elsewhere leaves sets of paths as true as they were.
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Keeps [`remove_temporaries`] waiting while files take their places.
pub(super) fn uninterrupted<T>(work: impl FnOnce() -> T) -> T {
    let _folders = held(&FOLDERS);
    work()
}

/// Removes every temporary folder of this program: for handlers of interrupts, which end the
/// program without unwinding. Waits while outputs take their places, so that all of them do. No folder
/// is made any more: a thread that asks for one waits for the end of the program.
pub fn remove_temporaries() {
    let mut folders = held(&FOLDERS);
    for folder in std::mem::take(&mut *folders) {
        // Other threads may put a file into it meanwhile. What cannot be removed is cleared away by a later
        // run.
        for _ in 0..TRIES {
            match remove(&folder) {
                Err(error) if error.kind() != io::ErrorKind::NotFound => std::thread::sleep(PAUSE),
                _ => break,
            }
        }
    }
    std::mem::forget(folders);
}

/// Removes a folder with what is in it. The list of moves goes first, since a half of what it names must not
/// take its place; the lock goes last, since it tells the next program, after a kill, that nobody needs the rest.
fn remove(folder: &Path) -> io::Result<()> {
    let gone = |removed: io::Result<()>| match removed {
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(()),
        other => other,
    };
    gone(std::fs::remove_file(folder.join(MOVES)))?;
    for entry in std::fs::read_dir(folder)? {
        let entry = entry?;
        match entry.file_type()?.is_dir() {
            true => gone(std::fs::remove_dir_all(entry.path()))?,
            false if entry.file_name() == LOCK => {}
            false => gone(std::fs::remove_file(entry.path()))?,
        }
    }
    gone(std::fs::remove_file(folder.join(LOCK)))?;
    std::fs::remove_dir(folder)
}

/// How often, and with which pauses, a folder that is being written to is removed.
const TRIES: usize = 100;
const PAUSE: Duration = Duration::from_millis(2);

/// A hidden folder that goes away with its owner.
#[derive(Debug)]
pub(crate) struct TemporaryFolder {
    /// None only while it is dropped.
    folder: Option<TempDir>,
    lock: Option<File>,
}

impl TemporaryFolder {
    /// In the system's folder for temporary files.
    pub(crate) fn new() -> io::Result<TemporaryFolder> {
        TemporaryFolder::beside(&std::env::temp_dir())
    }

    /// In a folder of the user's.
    pub(crate) fn beside(parent: &Path) -> io::Result<TemporaryFolder> {
        loop {
            let folder = {
                // No interrupt comes between making a folder and knowing of it.
                let mut folders = held(&FOLDERS);
                let folder = Builder::new().prefix(PREFIX).tempdir_in(parent)?;
                folders.insert(folder.path().to_path_buf());
                folder
            };
            // From here on it is known, and forgotten when it is dropped.
            let mut made = TemporaryFolder { folder: Some(folder), lock: None };
            sweep(parent, made.path());
            let path = made.path().join(LOCK);
            // Another program may have taken the folder for an abandoned one just before.
            let lock = match File::create(&path) {
                Err(_) if !made.path().exists() => continue,
                other => other?,
            };
            lock.lock()?;
            if path.exists() {
                made.lock = Some(lock);
                return Ok(made);
            }
        }
    }

    pub(crate) fn path(&self) -> &Path {
        self.folder.as_ref().map_or(Path::new(""), TempDir::path)
    }

    /// What was put into it.
    pub(crate) fn files(&self) -> io::Result<Vec<PathBuf>> {
        let mut files = Vec::new();
        for entry in std::fs::read_dir(self.path())? {
            let entry = entry?;
            let own = entry.file_name() == LOCK || entry.file_name() == MOVES;
            if entry.file_type()?.is_file() && !own {
                files.push(entry.path());
            }
        }
        files.sort();
        Ok(files)
    }
}

impl Drop for TemporaryFolder {
    fn drop(&mut self) {
        let path = self.path().to_path_buf();
        if cfg!(not(unix)) {
            // Elsewhere a file that is open stays where it is.
            drop(self.lock.take());
        }
        // An interrupt meanwhile removes what is left of it, or another program later.
        let _ = remove(&path);
        drop(self.lock.take());
        drop(self.folder.take());
        held(&FOLDERS).remove(&path);
    }
}

/// True for a folder, not a link to one, of the user whose folder `own` is. In a folder that many
/// may write to, such as the system's for temporary files, a list of moves may be anybody's.
fn is_of_one_user(path: &Path, own: &Path) -> bool {
    let Ok(there) = std::fs::symlink_metadata(path) else { return false };
    #[cfg(unix)]
    {
        use std::os::unix::fs::MetadataExt;
        if !std::fs::symlink_metadata(own).is_ok_and(|own| own.uid() == there.uid()) {
            return false;
        }
    }
    #[cfg(not(unix))]
    let _ = own;
    there.is_dir()
}

/// Clears away what killed programs of the same user left in a folder; moves that had begun are
/// completed. `own` is a folder that this program has just made.
fn sweep(parent: &Path, own: &Path) {
    if !held(&SWEPT).insert(parent.to_path_buf()) {
        return;
    }
    let Ok(entries) = std::fs::read_dir(parent) else { return };
    for entry in entries.flatten() {
        if !entry.file_name().to_string_lossy().starts_with(PREFIX) {
            continue;
        }
        let path = entry.path();
        if path.file_name() == own.file_name() || !is_of_one_user(&path, own) {
            continue;
        }
        let lock = File::open(path.join(LOCK));
        // An empty one was just made, or is all that a kill left: who makes it makes another.
        if lock.is_err() && std::fs::remove_dir(&path).is_ok() {
            continue;
        }
        let abandoned = match &lock {
            Ok(lock) => lock.try_lock().is_ok(),
            Err(_) => entry.metadata().and_then(|m| m.modified()).is_ok_and(|changed| {
                SystemTime::now().duration_since(changed).is_ok_and(|age| age > YOUNG)
            }),
        };
        if abandoned && complete(&path) {
            // Gone by now, or in use: left alone.
            let _ = remove(&path);
        }
    }
}
